"""What of the stock is otherwise than it should be, how much of it is at work, and who brings what to a show."""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from datetime import datetime, timedelta

from azven.book import stock
from azven.book.records import Booking, Deed, Model, Show, Site, Unit
from azven.book.stock import Filter
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.register.bookings import travel_min
from azven.rf.register.deeds import State
from azven.rf.register.utilisation import Turn, shares
from azven.work import ground
from azven.work.register import booked, dues
from azven.work.register.cases import last_with
from azven.work.register.doing import where_said
from azven.work.register.finding import site_of
from azven.work.register.reports.report import Asking, Report, Row, Section
from azven.work.register.times import span

_PERIOD = timedelta(days=365)
_AT_A_TIME, _MOST = 500, 10_000_000
_STATES: tuple[State, ...] = ("on air", "assigned", "on loan", "in repair", "missing")


def exceptions(asked: Asking) -> Report:
    """What is heard otherwise than written, missing, late, and booked so that it cannot be."""
    store, now = asked.store, asked.now
    clock = ground.here(store, asked.scope).clock

    def day(moment: datetime | None) -> str:
        return clock.day_said(moment) or "nobody knows when"

    sections = [Section("Heard otherwise than written", tuple(
        (x.name, x.serial, f"{x.words} {x.evidence}", "take it in, or have it switched off") for x in asked.astray
    ))]  # fmt: skip
    missing = stock.found(store, Filter(now=now, state="missing"), "since", count=_MOST)
    sections.append(Section("Missing", tuple(
        (u.name, u.serial, f"since {day(u.since)}, last at {where_said(store, u) or 'a place nobody said'}",
         last_with(store, u)) for u in missing
    )))  # fmt: skip
    sections.append(Section("Late", tuple(
        (x.words, "", f"by {day(x.by)}", x.code.partition("-")[0]) for x in dues.dues(store, now) if x.late
    )))  # fmt: skip
    sections.append(Section("Bookings that collide", tuple(_colliding(store))))
    found = tuple(s for s in sections if s.rows)
    return Report("Exceptions", ("Unit", "Serial", "What", "About"), found)


def _colliding(store: Store) -> Iterator[Row]:
    for show in store.all(Show, archived=False):
        for number, words in booked.collisions(store, show).items():
            unit = store.get(Unit, number)
            yield unit.name, unit.serial, f"{show.name} and {words}", "book another one"


def utilisation(asked: Asking) -> Report:
    """Which share of the last year units of a model and band were in each state, campus by campus; and how many were
    never out. Refusal when it is stopped."""
    store, now = asked.store, asked.now
    begins = now - _PERIOD
    count = stock.how_many(store, Filter(now=now))
    models, sites = {m.id: m.name for m in store.all(Model)}, {s.id: s.name for s in store.all(Site)}
    told: dict[tuple[str, str, str], dict[str, float]] = {}
    for start in range(0, count, _AT_A_TIME):
        if not asked.progress(start, count):
            raise Refusal("The report was stopped.")
        units = [u for u in store.page(Unit, start, _AT_A_TIME) if u.state != "retired"]
        for unit, turns in _turns(store, units, begins):
            home = sites.get(unit.site_home_id or site_of(store, unit) or 0, "no campus said")
            counted = told.setdefault((home, models[unit.model_id], unit.band), defaultdict(float))
            found = shares(turns, begins, now)
            counted["units"] += 1
            counted["idle"] += not any(found.get(s) for s in ("on air", "assigned", "on loan"))
            for state in _STATES:
                counted[state] += found.get(state, 0.0)
    sections: dict[str, list[Row]] = {}
    for (home, model, band), counted in sorted(told.items()):
        n = counted["units"]
        each = [_percent(counted[s] / n) for s in _STATES]
        out = _percent(sum(counted[s] for s in ("on air", "assigned", "on loan")) / n)
        sections.setdefault(home, []).append((f"{model}, {band}", f"{n:.0f}", out, *each, f"{counted['idle']:.0f}"))
    clock = ground.here(store, asked.scope).clock
    note = f"From {clock.said(begins)} to {clock.said(now)}; without what is retired. In use: on air, assigned or lent."
    columns = ("Model, band", "Units", "In use", *(s.capitalize() for s in _STATES), "Never out")
    return Report("Utilisation", columns, tuple(Section(h, tuple(rows)) for h, rows in sections.items()),
                  frozenset(columns[1:]), (note,))  # fmt: skip


def _turns(store: Store, units: Sequence[Unit], begins: datetime) -> Iterator[tuple[Unit, list[Turn]]]:
    """Units with their turns since a moment. How they stood before it is in the first deed after it; where they were
    assigned then, all of their deeds are asked, since the end of the show is in one before."""
    deeds = _by_unit(store, units, begins)
    stood = {u.id: deeds[u.id][0].before if deeds[u.id] else u.state for u in units}
    known = [u for u in units if stood[u.id] == "assigned"]
    deeds |= _by_unit(store, known, None) if known else {}
    for unit in units:
        turns = [Turn(d.at, d.after, d.ends_at if d.after == "assigned" else None) for d in deeds[unit.id]]
        yield unit, turns if stood[unit.id] == "assigned" else [Turn(begins, stood[unit.id]), *turns]


def _by_unit(store: Store, units: Sequence[Unit], since: datetime | None) -> dict[int, list[Deed]]:
    """Deeds of units in their order, those that were refused left out."""
    out: dict[int, list[Deed]] = {u.id: [] for u in units}
    marks = ", ".join(store.engine.mark for _ in units)
    late = f' AND "at" >= {store.engine.mark}' if since is not None else ""
    values = [*out, *([store.engine.moment(since)] if since is not None else [])]
    for deed in store.where(Deed, f"unit_id IN ({marks}){late}", values, 'ORDER BY unit_id, "at", id') if units else ():
        if not deed.refused:
            out[deed.unit_id].append(deed)
    return out


def _percent(share: float) -> str:
    return "" if not share else f"{100 * share:.0f} %" if share >= 0.01 else "< 1 %"


def who_brings_what(asked: Asking) -> Report:
    """What is booked for the show by the campus that it comes from, with how long the way is and when it has to go; and
    what is short. Refusal where it is not known when the show is."""
    store, show = asked.store, asked.store.get(Show, asked.scope.show)
    when = span(store, show)
    if when is None:
        raise Refusal(f"{show.name} has no times: say its load-in and load-out in Bookings.")
    clock, km = ground.here(store, asked.scope).clock, booked.distances(store)
    models, sites = {m.id: m.name for m in store.all(Model)}, {s.id: s.name for s in store.all(Site)}
    from_site: dict[int, list[Unit]] = {}
    for booking in store.all(Booking, show_id=show.id):
        unit = store.get(Unit, booking.unit_id)
        from_site.setdefault(site_of(store, unit) or 0, []).append(unit)
    sections = []
    for site in sorted(from_site, key=lambda s: (s != show.site_id, sites.get(s, ""))):
        minutes = travel_min(str(site), str(show.site_id), km)
        goes = clock.said(when.load_in - timedelta(minutes=minutes))
        note = "They are here." if site == show.site_id else f"{minutes:.0f} min on the way: to leave by {goes}."
        rows = tuple((u.name, u.serial, models[u.model_id], u.band, u.state, u.holder)
                     for u in sorted(from_site[site], key=lambda u: (models[u.model_id], u.name)))  # fmt: skip
        sections.append(Section(sites.get(site, "a place nobody said"), rows, note))
    short = [n for n in booked.needs(store, show, asked.now) if n.wanted > len(n.booked)]
    wrong = tuple(_short(n, sites) for n in short)
    note = f"Load-in {clock.said(when.load_in)}, load-out {clock.said(when.load_out)}."
    columns = ("Unit", "Serial", "Model", "Band", "State", "Who has it")
    return Report(f"Who brings what to {show.name}", columns, tuple(sections), frozenset(), (note,), wrong)


def _short(need: booked.Need, sites: dict[int, str]) -> str:
    """What is not booked yet, and where it could come from."""
    open_ = need.wanted - len(need.booked)
    could = [f"{len(need.supply.home)} here"] if need.supply.home else []
    could += [f"{len(x.units)} at {sites.get(int(x.site), 'a place nobody said')}" for x in need.supply.others]
    short = [f"{need.short} nobody has free"] if need.short > 0 else []
    return f"{open_} × {need.model.name}, {need.band}, not booked: {', '.join([*could, *short])}."
