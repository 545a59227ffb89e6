"""Units of a package: known again by where they came from, else by serial and model; their deeds join those here."""

from collections import Counter
from collections.abc import Mapping, Sequence

from azven.book.edits import add, replace_record
from azven.book.formats.register import DeedDocument, UnitDocument
from azven.book.records import Deed, Model, Show, Site, Unit
from azven.work import ids
from azven.work.register.doing import followed
from azven.work.register.handover.against import Against

_AT_A_TIME, _MOST = 500, 10_000_000


def take_units(x: Against) -> None:
    """Units that are not here are added; those that are get the deeds that are not, and stand as follows from all of
    them."""
    _meet_what_they_name(x)
    told, counted = x.package.register, Counter[str]()
    by_unit: dict[str, list[DeedDocument]] = {}
    for deed in told.deeds:
        by_unit.setdefault(deed.unit, []).append(deed)
    taking = _Units(x, _by_serial(x, told.units), counted)
    for unit in told.units:
        taking.take(unit, by_unit.get(unit.id, []))
    for what in ("unit", "deed"):
        x.count("new", what, counted[f"{what} new"])
        x.count("is here", what, counted[f"{what} here"])


def _meet_what_they_name(x: Against) -> None:
    """Models, sites and shows that units and deeds name."""
    told = x.package.register
    x.models([ids.number(u.model) for u in told.units])
    for site in told.sites:
        number = ids.number(site.id)
        mine = None if x.gone(Site, number) else x.here(Site, number)
        if (mine := mine or x.named(Site, site.name)) is not None:
            x.known[Site, number] = mine.id
    for show in told.shows:
        number = ids.number(show.id)
        if not x.gone(Show, number) and (found := x.here(Show, number)) is not None:
            x.known[Show, number] = found.id


def _by_serial(x: Against, units: Sequence[UnitDocument]) -> dict[tuple[str, int], Unit]:
    """Units of this book by serial and model, where they are the only ones."""
    wanted = sorted({u.serial for u in units if u.serial})
    found: dict[tuple[str, int], list[Unit]] = {}
    for start in range(0, len(wanted), _AT_A_TIME):
        for unit in x.store.page(Unit, 0, _MOST, serial=wanted[start : start + _AT_A_TIME]):
            found.setdefault((unit.serial, unit.model_id), []).append(unit)
    return {key: units[0] for key, units in found.items() if len(units) == 1}


class _Units:
    """Takes units one by one, and counts."""

    def __init__(self, x: Against, serials: Mapping[tuple[str, int], Unit], counted: Counter[str]) -> None:
        self._x, self._serials, self._counted = x, serials, counted

    def take(self, told: UnitDocument, deeds: Sequence[DeedDocument]) -> None:
        """One unit with its deeds."""
        x, number = self._x, ids.number(told.id)
        model = x.known.get((Model, ids.number(told.model)))
        if x.gone(Unit, number):
            x.say("left out", "unit", f"{told.name} was removed here")
            return
        mine = x.here(Unit, number)
        if mine is None and model is not None and told.serial:
            mine = self._serials.get((told.serial, model))
        if mine is None and model is None:
            x.say("left out", "unit", f"{told.name}: its model is not in the package")
            return
        self._counted["unit new" if mine is None else "unit here"] += 1
        unit = mine if mine is not None else self._new(told, model or 0)
        x.known[Unit, number] = unit.id
        self._deeds(unit, mine, deeds)

    def _new(self, told: UnitDocument, model: int) -> Unit:
        at = self._site(told.at)
        return Unit(
            id=self._x.store.reserve(), model_id=model, name=told.name, band=told.band, channels=told.channels,
            serial=told.serial, note=told.note, carried=told.carried, condition=told.condition,
            firmware=told.firmware, site_home_id=self._site(told.home) or self._x.site, state=told.state,
            site_at_id=at, place=told.place or ("" if at else self._site_name(told.at)), holder=told.holder,
            since=told.since, until=told.until, cells_since=told.cells_since, ran_min=told.ran_min,
        )  # fmt: skip

    def _site(self, member: str) -> int | None:
        return self._x.known.get((Site, ids.number(member))) if member else None

    def _site_name(self, member: str) -> str:
        """What a site is called that is not here, so that at least its name is kept."""
        return next((s.name for s in self._x.package.register.sites if s.id == member), "")

    def _deeds(self, unit: Unit, mine: Unit | None, told: Sequence[DeedDocument]) -> None:
        x = self._x
        here = x.store.all(Deed, unit_id=unit.id) if mine is not None else []
        known = {(d.at, d.deed, d.made_by) for d in here}
        new = [d for d in told if (d.at, d.deed, d.by) not in known]
        self._counted["deed new"] += len(new)
        self._counted["deed here"] += len(told) - len(new)
        if not new:
            x.take(*(add(unit) if mine is None else ()))
            return
        first = x.store.reserve(len(new))
        stands, deeds = followed(unit, [*here, *(self._deed(first + k, unit, d) for k, d in enumerate(new))])
        x.take(*(add(stands) if mine is None else replace_record(mine, stands)))
        old = {d.id: d for d in here}
        for deed in deeds:
            x.take(*(replace_record(old[deed.id], deed) if deed.id in old else add(deed)))

    def _deed(self, number: int, unit: Unit, told: DeedDocument) -> Deed:
        site = self._site(told.site)
        return Deed(
            id=number, unit_id=unit.id, at=told.at, deed=told.deed, made_by=told.by, site_at_id=site,
            place=told.place or ("" if site else self._site_name(told.site)),
            show_id=self._x.known.get((Show, ids.number(told.show))) if told.show else None, ends_at=told.ends_at,
            link=told.link, holder=told.to, until=told.until, why=told.why,
        )  # fmt: skip
