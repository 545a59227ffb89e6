"""After a show: what was used, what came back and in which state, what was left open."""

from datetime import datetime, timedelta

from azven.book.records import Booking, Deed, Show, SignOff, Unit
from azven.refusal import Refusal
from azven.work import ground, kit, plan
from azven.work.register.doing import where_said
from azven.work.register.finding import state_at
from azven.work.register.reports.report import Asking, Report, Row, Section
from azven.work.register.times import span

_MOST = 10_000_000
_AROUND = timedelta(days=3)
"""Deeds so long after load-out still belong to it."""


def after_show(asked: Asking) -> Report:
    """A show as it went through the register: its units and where they are now, what was done with them from load-in
    on, its links, and its signing off. Refusal where it is not known when the show is."""
    store, show = asked.store, asked.store.get(Show, asked.scope.show)
    when = span(store, show)
    if when is None:
        raise Refusal(f"{show.name} has no times: say its load-in and load-out in Bookings.")
    clock = ground.here(store, asked.scope).clock
    assigned = store.all(Deed, show_id=show.id)
    numbers = sorted({d.unit_id for d in assigned} | {b.unit_id for b in store.all(Booking, show_id=show.id)})
    units = [u for n in numbers for u in store.all(Unit, id=n)]
    now = asked.now
    back = [u for u in units if state_at(u, now) == "in case"]
    sections = [_units(asked, "Not back yet", [u for u in units if u not in back]), _units(asked, "Back", back)]
    until = when.load_out + _AROUND
    names = {u.id: u.name for u in units}
    done = [
        d
        for start in range(0, len(numbers), 500)
        for d in store.page(Deed, 0, _MOST, unit_id=numbers[start : start + 500])
        if when.load_in <= d.at <= until
    ]
    rows = tuple(_deed(d, names, clock.said(d.at)) for d in sorted(done, key=lambda d: (d.at, d.id)))
    sections.append(Section("What was done, from load-in on", rows))
    placed, links = plan.assignments(store, asked.scope), [x for x in kit.links(store, asked.scope) if not x.set_aside]
    count = sum(x.id in placed for x in links)
    notes = [
        f"From {clock.said(when.load_in)} to {clock.said(when.load_out)}, {len(links)} links, {count} of them with a "
        f"frequency; {len(units)} units, {len(back)} of them back in their cases.",
        *_signed(asked),
        "What went wrong on the air is in the report of Watch, made from its log.",
    ]
    if now < when.load_out:
        notes.insert(0, f"The show is not over: load-out is {clock.said(when.load_out)}.")
    columns = ("Unit", "State", "Where", "Who", "When", "Why")
    return Report(f"After {show.name}", columns, tuple(s for s in sections if s.rows), frozenset(), tuple(notes))


def _units(asked: Asking, heading: str, units: list[Unit]) -> Section:
    store, now = asked.store, asked.now
    clock = ground.here(store, asked.scope).clock

    def since(moment: datetime | None) -> str:
        return f"since {clock.said(moment)}" if moment is not None else ""

    rows: tuple[Row, ...] = tuple(
        (u.name, state_at(u, now), where_said(store, u), u.holder, since(u.since), u.note)
        for u in sorted(units, key=lambda u: u.name)
    )
    return Section(heading, rows)


def _deed(deed: Deed, names: dict[int, str], when: str) -> Row:
    what = f"{deed.deed}{' (refused)' if deed.refused else ''}"
    return names[deed.unit_id], what, deed.place, deed.holder or deed.made_by, when, deed.why


def _signed(asked: Asking) -> list[str]:
    store = asked.store
    clock = ground.here(store, asked.scope).clock
    found = store.all(SignOff, show_id=asked.scope.show)
    if not found:
        return ["It was not signed off."]
    last = max(found, key=lambda s: s.id)
    left = f" Left open: {len(last.left_open)}." if last.left_open else ""
    return [f"Signed off by {last.made_by}, {clock.said(last.made_at)}.{left}"]
