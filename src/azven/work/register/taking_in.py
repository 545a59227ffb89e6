"""Deeds from a table: what each line would do is shown before anything is done, and what cannot be read is told."""

from collections.abc import Callable, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

from azven.book.edits import Edit
from azven.book.formats.errors import FormatError
from azven.book.formats.rows import rows_of
from azven.book.place import Place
from azven.book.reading import Making, Supposed
from azven.book.records import Deed, Show, Site, Unit
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.register.deeds import DEEDS
from azven.work.ground.hours import Clock
from azven.work.register.doing import Asked, do_all, record

COLUMNS = ("serial", "unit", "deed", "at", "site", "place", "show", "link", "to", "until", "why", "by")
"""`serial` or `unit`, and `deed`, are needed; whatever other columns there are is left alone."""
_CHUNK = 400
Progress = Callable[[int, int], bool]


@dataclass(frozen=True)
class Line:
    """A line of the table. `asked` is None where it does nothing, `trouble` says why; `same`: it is done already.
    `before` and `after`: the unit's state."""

    id: int
    name: str
    unit: Unit | None = None
    asked: Asked | None = None
    trouble: str = ""
    same: bool = False
    before: str = ""
    after: str = ""

    @property
    def goes(self) -> bool:
        return self.asked is not None and not self.same


@dataclass(frozen=True)
class Table:
    """A table as it was read: its lines in their order, and columns that are not known."""

    lines: tuple[Line, ...]
    unknown: tuple[str, ...]
    stopped: bool = False

    @property
    def orders(self) -> list[tuple[Unit, Asked]]:
        return [(x.unit, x.asked) for x in self.lines if x.goes and x.unit is not None and x.asked is not None]


def read(path: Path) -> str:
    """The text of a table. FormatError where it is none."""
    try:
        return path.read_bytes().decode("utf-8-sig")
    except OSError as error:
        raise FormatError(f"{path.name} cannot be read: {error.strerror or error}.") from None
    except UnicodeDecodeError:
        raise FormatError(f"{path.name} is no text in UTF-8; nothing was read.") from None


def table_of(
    store: Store, text: str, clock: Clock, now: datetime, progress: Progress = lambda done, total: True
) -> Table:  # fmt: skip
    """What a table would do. Nothing is changed. FormatError where it is no table of deeds."""
    header, cells = _cells(text)
    units, known = _Units(store, cells), _Known(store, clock, now)
    lines: list[Line] = []
    for number, row in enumerate(cells, start=2):
        if not progress(number, len(cells) + 1):
            return Table(_standing(store, lines), (), stopped=True)
        if any(row.values()):
            lines.append(_line(number, row, units, known))
    return Table(_standing(store, lines), tuple(h for h in header if h and h not in COLUMNS))


def table_in(where: Place, text: str, clock: Clock, now: datetime, progress: Progress) -> Table:
    """The same, on a connection of its own."""
    with closing(Store.open(where)) as store:
        return table_of(store, text, clock, now, progress)


def in_words(table: Table, name: str) -> str:
    """What comes of a table, in a few sentences."""
    goes, wrong = len(table.orders), sum(x.asked is None for x in table.lines)
    same, refused = sum(x.same for x in table.lines), sum(bool(x.trouble) for x in table.lines if x.goes)
    lines = [f"{name}: of {len(table.lines)} lines {goes} would do something."]
    if same:
        lines.append(f"{same} {'is' if same == 1 else 'are'} done already.")
    if wrong:
        lines.append(f"{wrong} cannot be read and would be left out.")
    if refused:
        lines.append(f"{refused} would be kept, but refused.")
    if table.stopped:
        lines.append("Reading was stopped; the lines after that are not here.")
    return " ".join(lines)


def take(store: Making, table: Table, name: str) -> Edit:
    """All that the table does, as one edit. Refusal where it does nothing."""
    orders = table.orders
    if not orders:
        raise Refusal("Nothing in this table does anything.")
    now = [(store.get(Unit, unit.id), asked) for unit, asked in orders]
    return do_all(store, now, f"{len(orders)} deeds from {name}")


def _cells(text: str) -> tuple[list[str], list[dict[str, str]]]:
    first = text.lstrip("\ufeff").split("\n", 1)[0]
    separator = max(",;\t", key=first.count)
    header, *body = rows_of(text.lstrip("\ufeff"), separator) or [[]]
    names = [h.strip().casefold() for h in header]
    if "deed" not in names or not {"serial", "unit"} & set(names):
        raise FormatError(f"A table of deeds has a column “deed”, and “serial” or “unit”; it may have {_others()}.")
    twice = {n for n in names if n in COLUMNS and names.count(n) > 1}
    if twice:
        raise FormatError(f"The column “{min(twice)}” is there twice; nothing was read.")
    return names, [{n: c.strip() for n, c in zip(names, row, strict=False)} for row in body]


def _others() -> str:
    return ", ".join(c for c in COLUMNS if c not in ("deed", "serial", "unit"))


class _Units:
    """The units that the table names, asked for in few questions."""

    def __init__(self, store: Store, cells: Sequence[Mapping[str, str]]) -> None:
        self._by = {column: self._asked(store, column, field, cells)
                    for column, field in (("serial", "serial"), ("unit", "name"))}  # fmt: skip

    def _asked(
        self, store: Store, column: str, field: str, cells: Sequence[Mapping[str, str]]
    ) -> dict[str, list[Unit]]:  # fmt: skip
        wanted = sorted({row[column] for row in cells if row.get(column)})
        out: dict[str, list[Unit]] = {}
        for start in range(0, len(wanted), _CHUNK):
            for unit in store.page(Unit, 0, 10 * _CHUNK, **{field: wanted[start : start + _CHUNK]}):
                out.setdefault(getattr(unit, field), []).append(unit)
        return out

    def of(self, row: Mapping[str, str]) -> Unit:
        """The unit of a line, by its serial, else by its name. Refusal where that is none or several."""
        column = "serial" if row.get("serial") else "unit"
        told = row.get(column, "")
        if not told:
            raise Refusal("It names no unit.")
        found = self._by[column].get(told, [])
        if len(found) != 1:
            what = "with the serial" if column == "serial" else "called"
            raise Refusal(f"{'Several units are' if found else 'No unit is'} there {what} {told}.")
        return found[0]


class _Known:
    """What a line may name, and what it means where it says nothing."""

    def __init__(self, store: Store, clock: Clock, now: datetime) -> None:
        self.store, self.clock, self.now = store, clock, now
        self._sites = {s.name.casefold(): s for s in store.all(Site)}
        self._done: dict[int, set[tuple[object, ...]]] = {}
        self._shows: dict[str, list[Show]] = {}
        for show in store.all(Show):
            self._shows.setdefault(show.name.casefold(), []).append(show)

    def has(self, unit: Unit, told: Deed) -> bool:
        """Whether such a deed was done with a unit, in the book or in a line before; from now on it was."""
        if unit.id not in self._done:
            self._done[unit.id] = {_said(d) for d in self.store.all(Deed, unit_id=unit.id)}
        known = _said(told) in self._done[unit.id]
        self._done[unit.id].add(_said(told))
        return known

    def asked(self, row: Mapping[str, str]) -> Asked:
        """The deed of a line. Refusal for what is not there."""
        deed = next((d for d in DEEDS if d == row.get("deed", "").casefold()), None)
        if deed is None:
            raise Refusal(f"“{row.get('deed', '')}” is no deed; there are {', '.join(DEEDS)}.")
        at = self.clock.moment(row.get("at", "")) or self.now
        return Asked(
            deed=deed, at=at, by=row.get("by") or self.store.author.who, site=self._site(row.get("site", "")),
            place=row.get("place", ""), show=self._show(row.get("show", "")), link=row.get("link", ""),
            to=row.get("to", ""), until=self._until(row.get("until", "")), why=row.get("why", ""),
        )  # fmt: skip

    def _site(self, name: str) -> Site | None:
        if name and name.casefold() not in self._sites:
            raise Refusal(f"There is no site “{name}”.")
        return self._sites.get(name.casefold())

    def _show(self, name: str) -> Show | None:
        found = self._shows.get(name.casefold(), [])
        if name and len(found) != 1:
            raise Refusal(f"{'Several shows are' if found else 'No show is'} called “{name}”.")
        return found[0] if name else None

    def _until(self, text: str) -> datetime | None:
        """A moment; a day alone lasts to its end."""
        found = self.clock.moment(text)
        if found is None or len(text.strip()) > len("2026-09-30"):
            return found
        return self.clock.end_of(found.astimezone(self.clock.tz).date())


def _said(deed: Deed) -> tuple[object, ...]:
    """What makes two deeds with one unit the same."""
    return deed.at, deed.deed, deed.holder, deed.site_at_id, deed.place, deed.show_id, deed.link, deed.why


def _line(number: int, row: Mapping[str, str], units: _Units, known: _Known) -> Line:
    name = row.get("serial") or row.get("unit", "")
    try:
        unit = units.of(row)
        asked = known.asked(row)
        told = record(known.store, asked)
    except Refusal as refusal:
        return Line(number, name, trouble=str(refusal))
    same = bool(row.get("at")) and known.has(unit, told)
    return Line(number, unit.name, unit, asked, same=same)


def _standing(store: Store, lines: Sequence[Line]) -> tuple[Line, ...]:
    """The lines with what was before each and comes after it, as if all of them were done."""
    going = [x for x in lines if x.goes]
    supposed = Supposed(store, Edit(""))
    orders = [(x.unit, x.asked) for x in going if x.unit is not None and x.asked is not None]
    edit = do_all(supposed, orders, "") if orders else Edit("")
    held = {d.id for c in edit.changes if c.before is None and isinstance(d := c.after, Deed)}
    made = {c.after.id: c.after for c in edit.changes if isinstance(c.after, Deed) and c.after.id in held}
    told = dict(zip((x.id for x in going), (made[n] for n in sorted(made)), strict=True))
    out = []
    for line in lines:
        deed = told.get(line.id)
        if deed is None:
            out.append(replace(line, trouble="This is done already.") if line.same else line)
        else:
            stands = "is retired" if deed.before == "retired" else "is not retired"
            refused = f"It is kept, but refused: the unit {stands}." if deed.refused else ""
            out.append(replace(line, before=deed.before, after=deed.after, trouble=refused))
    return tuple(out)
