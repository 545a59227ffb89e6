"""Open points of every stage for the rail, without loading the stages themselves."""

from collections.abc import Callable
from weakref import WeakKeyDictionary

from azven.book.records import Design
from azven.book.store import Store
from azven.desk.session import Session
from azven.work import ground, kit, listen

Points = tuple[tuple[str, str], ...]
"""(text, colour role)."""

_wrong: WeakKeyDictionary[Store, dict[int, tuple[int, int]]] = WeakKeyDictionary()


def remember_wrong(store: Store, design: Design, count: int) -> None:
    """How many things are wrong with a design as it stands; the Chain stage works it out when it is shown."""
    _wrong.setdefault(store, {})[design.id] = design.version, count


def _ground(session: Session) -> Points:
    region = ground.here(session.store, session.scope).region
    unset = ground.open_points(session.store, session.scope) - (region is None)
    out = [("no region", "ochre_text")] if region is None else []
    if unset:
        out.append((f"{unset} unrelated", "ochre_text"))
    return tuple(out)


def _listen(session: Session) -> Points:
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


def _kit(session: Session) -> Points:
    points = kit.open_points(session.store, session.scope)
    if not kit.links(session.store, session.scope):
        return (("no links", "ochre_text"),)
    return ((f"{points} mismatched", "brick_text"),) if points else ()


def _plan(session: Session) -> Points:
    board = session.board
    out = []
    if broken := board.count("broken"):
        out.append((f"{broken} broken", "brick_text"))
    if unplaced := board.count("unplaced"):
        out.append((f"{unplaced} unplaced", "brick_text"))
    if board.stale and len(out) < 2:
        out.append(("stale", "ochre_text"))
    return tuple(out)


def _chain(session: Session) -> Points:
    known = _wrong.get(session.store)
    if not known:
        return ()
    count = sum(known[d.id][1] for d in session.store.all(Design) if known.get(d.id, (None, 0))[0] == d.version)
    return ((f"{count} wrong", "ochre_text"),) if count else ()


_OF: dict[str, Callable[[Session], Points]] = {
    "ground": _ground, "listen": _listen, "kit": _kit, "plan": _plan, "chain": _chain,
}  # fmt: skip


def points(stage: str, session: Session) -> Points:
    """The open points of a stage by its name, none for one that counts nothing."""
    return _OF[stage](session) if stage in _OF else ()
