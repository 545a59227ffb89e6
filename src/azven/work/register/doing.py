"""Deeds done with units: kept with what was before, and the units stand as follows from all of them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime

from azven.book.edits import Change, Edit, add, replace_record
from azven.book.reading import Making, Reading
from azven.book.records import Deed, Show, Site, Unit, Zone
from azven.refusal import Refusal
from azven.rf.register import deeds as core
from azven.rf.register.deeds import DeedKind, Span, Standing
from azven.work.register.times import times
from azven.work.wording import listed, one_line

_HOME = "home"
_NEEDS = {"assign": ("show", "a show"), "hand out": ("to", "who has it"), "move": ("where", "where it goes")}
_WORDS: Mapping[str, str] = {
    "assign": "Assign", "hand out": "Hand out", "take back": "Take back", "found": "Found", "lost": "Lost",
    "send to repair": "To repair", "on air": "On air", "off air": "Off air", "retire": "Retire",
    "reinstate": "Reinstate", "scan": "Scan", "count": "Count", "move": "Move",
}  # fmt: skip
_NAMED = 3
SEEING: tuple[DeedKind, ...] = ("count", "scan")
"""Deeds for which somebody has the unit before their eyes."""


@dataclass(frozen=True, kw_only=True)
class Asked:
    """A deed as it is asked for: which, at a moment, where (`site` or a `place` in words), for a show and a link, to
    whom and until when, why."""

    deed: DeedKind
    at: datetime
    by: str = ""
    site: Site | None = None
    place: str = ""
    show: Show | None = None
    link: str = ""
    to: str = ""
    until: datetime | None = None
    why: str = ""

    @property
    def where(self) -> bool:
        return self.site is not None or bool(self.place)


def do(store: Making, units: Sequence[Unit], asked: Asked) -> Edit:
    """The edit that does something with units. Who is retired takes nothing but being reinstated: the attempt is kept.
    Refusal where no unit is named, or where the deed lacks what it needs."""
    if not units:
        raise Refusal("Choose units first.")
    to = f" to {asked.to}" if asked.to else f" for {asked.show.name}" if asked.show is not None else ""
    return do_all(store, [(u, asked) for u in units], f"{_WORDS[asked.deed]} {named(units)}{to}")


def do_all(store: Making, orders: Sequence[tuple[Unit, Asked]], title: str) -> Edit:
    """The edit that does several things with units, those with one unit in their order. Refusal as for `do`."""
    first, new = store.reserve(len(orders)), dict[int, list[Deed]]()
    units = {unit.id: unit for unit, _ in orders}
    for k, (unit, asked) in enumerate(orders):
        new.setdefault(unit.id, []).append(replace(record(store, asked), id=first + k, unit_id=unit.id))
    changes = [c for number, deeds in new.items() for c in _done(store, units[number], deeds)]
    return Edit(title, tuple(changes), tuple(units))


def named(units: Sequence[Unit]) -> str:
    """Units by their names; of many, how many they are."""
    return listed([one_line(u.name) for u in units]) if len(units) <= _NAMED else f"{len(units)} units"


def record(store: Reading, asked: Asked) -> Deed:
    """What is written of a deed, of no unit yet. Refusal where it lacks what it needs."""
    need, words = _NEEDS.get(asked.deed, ("", ""))
    if need and not getattr(asked, need):
        raise Refusal(f"{_WORDS[asked.deed]} needs to know {words}.")
    ends = load_out(store, asked.show) if asked.show is not None else None
    return Deed(
        unit_id=0, at=asked.at.astimezone(UTC), deed=asked.deed, made_by=asked.by,
        site_at_id=asked.site.id if asked.site is not None else None, place=asked.place.strip(),
        show_id=asked.show.id if asked.show is not None else None, ends_at=ends, link=asked.link,
        holder=asked.to.strip(), until=asked.until, why=asked.why.strip(),
    )  # fmt: skip


def load_out(store: Reading, show: Show) -> datetime:
    """When the gear of a show goes: as it is said, else with the last of its acts. Refusal where neither is known."""
    _, ends = times(store, show)
    if ends is None:
        raise Refusal(f"{show.name} has no times: give its acts some, so that it is known when units are free again.")
    return ends


def _done(store: Reading, unit: Unit, new: Sequence[Deed]) -> list[Change]:
    """New deeds with what was before them, later ones with what that makes of them, and the unit as it stands then."""
    known = {d.id: d for d in store.all(Deed, unit_id=unit.id)}
    stands, deeds = followed(unit, [*known.values(), *new])
    changes: list[Change] = []
    for deed in deeds:
        changes += replace_record(known[deed.id], deed) if deed.id in known else add(deed)
    return [*changes, *replace_record(unit, stands)]


def followed(unit: Unit, deeds: Sequence[Deed]) -> tuple[Unit, list[Deed]]:
    """A unit as it stands after all of its deeds, and these in their order, each with what was before and after it."""
    known = _in_order(deeds)
    found = _stand(known, known[-1].at)
    told = [replace(d, before=x.before, after=x.after, refused=x.refused)
            for d, x in zip(known, found.history, strict=True)]  # fmt: skip
    return _following(unit, [d for d in told if not d.refused], found), told


def _in_order(known: Sequence[Deed]) -> list[Deed]:
    """By time; those of one moment as they were written, those that are only supposed last."""
    return sorted(known, key=lambda d: (d.at, d.id < 0, d.id))


def _stand(known: Sequence[Deed], now: datetime) -> Standing:
    """How a unit stands by deeds in their order; each assignment is a show of its own, as long as was said then."""
    shows = {_show(d): Span(d.at, d.ends_at) for d in known if d.ends_at is not None}
    return core.standing(_HOME, [_core(d) for d in known], shows, now)


def _core(deed: Deed) -> core.Deed:
    where = f"site {deed.site_at_id}" if deed.site_at_id is not None else deed.place or None
    return core.Deed(
        at=deed.at, kind=deed.deed, by=deed.made_by, where=where, to=deed.holder or None, why=deed.why,
        show=_show(deed) if deed.ends_at is not None else None,
    )  # fmt: skip


def _show(deed: Deed) -> str:
    return f"deed {deed.id}"


def _following(unit: Unit, valid: Sequence[Deed], found: Standing) -> Unit:
    """The unit with what follows from its deeds; how long an assignment or a loan is for."""
    told = next((d for d in reversed(valid) if d.site_at_id is not None or d.place), None)
    until = None
    if found.written == "assigned":
        until = found.until
    elif found.written == "on loan":
        until = next((d.until for d in reversed(valid) if d.deed == "hand out"), None)
    seen = max((d.at for d in valid if d.deed in SEEING), default=None)
    stands = replace(unit, state=found.written, since=found.since, holder=found.holder or "", until=until, seen=seen)
    return stands if told is None else replace(stands, site_at_id=told.site_at_id, place=told.place)


def standing_of(store: Reading, unit: Unit, now: datetime, heard: bool = False) -> Standing:
    """How a unit stands at a moment, by all of its deeds."""
    return replace(_stand(_in_order(store.all(Deed, unit_id=unit.id)), now), heard=heard)


def about(deed: Deed, shows: Mapping[int, str], sites: Mapping[int, str]) -> str:
    """What a deed is about, in a word: who has it, for which show, or where; by the names of shows and sites."""
    return deed.holder or shows.get(deed.show_id or 0, "") or deed.place or sites.get(deed.site_at_id or 0, "")


def deed_said(deed: Deed, shows: Mapping[int, str], sites: Mapping[int, str]) -> str:
    """A deed as a trail tells it: what, about what, by whom, and why."""
    parts = (deed.deed, about(deed, shows, sites), one_line(deed.made_by))
    why = f": {deed.why}" if deed.why else ""
    return ", ".join(p for p in parts if p) + why + (" (refused)" if deed.refused else "")


def where_said(store: Reading, unit: Unit) -> str:
    """Where a unit is, in words."""
    sites = {s.id: s.name for s in store.all(Site)}
    at, room = sites.get(unit.site_at_id or 0, ""), next(iter(store.all(Zone, id=unit.zone_id or 0)), None)
    if unit.place:
        return f"{unit.place}, {at}" if at else unit.place
    if not at and room is not None:
        return f"{room.name}, {sites.get(room.site_id, '')}"
    return at or sites.get(unit.site_home_id or 0, "")
