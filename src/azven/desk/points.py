"""Open points of every stage for the rail, without loading the stages themselves."""

from azven.book.edits import BookError
from azven.book.records import Design
from azven.desk.session import Session
from azven.work import ground, kit, listen, register
from azven.work.kit import views, wideband
from azven.work.prove import signing
from azven.work.prove.proofs import lanes
from azven.work.register import Question, asking
from azven.work.register.astray import astray

Points = tuple[tuple[str, str], ...]
"""(text, colour role)."""


def of_ground(session: Session) -> Points:
    region = ground.here(session.store, session.scope).region
    unset = ground.open_points(session.store, session.scope) - (region is None)
    out = [("no region", "ochre_text")] if region is None else []
    if unset:
        out.append((f"{unset} unrelated", "ochre_text"))
    return tuple(out)


def of_listen(session: Session) -> Points:
    stale, unserved = listen.open_points(session.store, session.scope, session.now())
    out = []
    if stale:
        out.append((f"{stale} stale", "ochre_text"))
    if unserved:
        out.append(("no sweep" if unserved > 1 else "1 use unswept", "ochre_text"))
    if waiting := session.picture.waiting:
        out.append((f"{waiting} to read", "ochre_text"))
    if damaged := len(session.picture.unreadable):
        out.append((f"{damaged} damaged", "brick_text"))
    if lines := len(session.picture.lines):
        out.append((f"{lines} unclaimed", "ochre_text"))
    return tuple(out)


def of_kit(session: Session) -> Points:
    if not kit.links(session.store, session.scope):
        return (("no links", "ochre_text"),)
    gear, persons = views.open_points(session.store, session.scope)
    wide = wideband.view(session.store, session.scope, session.picture).open_points
    named = (gear, "unfit"), (persons, "open"), (wide, "wideband")
    return tuple((f"{count} {what}", "brick_text") for count, what in named if count)


def of_plan(session: Session) -> Points:
    board = session.board
    out = []
    if broken := board.count("broken"):
        out.append((f"{broken} broken", "brick_text"))
    if unplaced := board.count("unplaced"):
        out.append((f"{unplaced} unplaced", "brick_text"))
    if board.stale and len(out) < 2:
        out.append(("stale", "ochre_text"))
    return tuple(out)


def of_chain(session: Session) -> Points:
    known = session.wrong
    if not known:
        return ()
    designs = session.store.all(Design, site_id=session.scope.site)
    count = sum(known[d.id][1] for d in designs if known.get(d.id, (None, 0))[0] == d.version)
    return ((f"{count} wrong", "ochre_text"),) if count else ()


def of_prove(session: Session) -> Points:
    """Links to prove, and those that changed since the show was signed off."""
    standing = signing.standing(session.store, session.scope, session.firmware())
    if standing.signed is not None:
        counts = (
            (len(standing.changed), "changed", "brick_text"),
            (len(standing.signed.left_open), "open", "ochre_text"),
        )
        return tuple((f"{count} {what}", role) for count, what, role in counts if count)
    open_links = sum(not lane.proven for lane in lanes(session.store, session.scope))
    return ((f"{open_links} to prove", "ochre_text"),) if open_links else ()


def of_reach(_: Session) -> Points:
    """Reach counts nothing."""
    return ()


def of_register(session: Session) -> Points:
    """Units heard where they should not be, those that nobody finds, and those that are lent past their day."""
    try:
        return _astray(session)
    except BookError:  # its server is away, which the frame says
        return (("not counted", "dim"),)


def _astray(session: Session) -> Points:
    now = session.now()
    missing = register.how_many(session.store, Question(state="missing"), now)
    late = register.how_many(session.store, Question(state="on loan", late=True), now)
    wrong = len({x.unit.id for x in astray(session.store, session.scope, session.live, now) if x.unit is not None})
    asked = len(asking.asked_of(session.store, session.scope.site))
    named = ((wrong, "astray", "brick_text"), (asked, "asked", "ochre_text"), (missing, "missing", "brick_text"),
             (late, "late", "ochre_text"))  # fmt: skip
    return tuple((f"{count} {what}", role) for count, what, role in named if count)


def of_watch(session: Session) -> Points:
    """Cases that nobody has."""
    seen = session.watched
    if seen is None or not seen.open:
        return ()
    broken = any(c.mark == "broken" for c in seen.open)
    count = len(seen.open)
    return ((f"{count} case{'' if count == 1 else 's'}", "brick_text" if broken else "ochre_text"),)
