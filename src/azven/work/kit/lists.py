"""The kit list: units as CSV, written and taken in, with what became of every row."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Literal

from azven.book.edits import Change, Edit, add, differing, replace_record
from azven.book.formats.errors import FormatError, in_short
from azven.book.formats.rows import LARGEST, as_csv
from azven.book.reading import Reading
from azven.book.records import CONDITIONS, Model, Site, Unit
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import ground
from azven.work.kit import headed
from azven.work.kit.gear import units
from azven.work.scope import Scope

COLUMNS = (
    "unit", "kind", "model", "band", "receives", "channels", "room", "serial", "condition", "firmware", "home", "note",
)  # fmt: skip
_HEADINGS: headed.Headings = {
    "name": ("unit", "name", "what"), "kind": ("kind",), "model": ("model", "type", "gear"), "band": ("band", "tuning"),
    "receives": ("receives", "receive band"), "channels": ("channels", "receivers"), "room": ("room", "zone", "place"),
    "serial": ("serial", "serial number"), "condition": ("condition", "state"), "firmware": ("firmware",),
    "home": ("home", "home site"), "note": ("note", "remark"),
}  # fmt: skip
_KINDS = ("rack", "carried")
Fate = Literal["new", "changed", "same", "refused"]


@dataclass(frozen=True)
class Row:
    """What becomes of a row of a file: its number there, what it is about, and in words why or what."""

    number: int
    name: str
    fate: Fate
    text: str


@dataclass(frozen=True)
class TakenIn:
    """What taking a file in would do: the edit, and a line for every row."""

    edit: Edit
    rows: tuple[Row, ...]

    def count(self, fate: Fate) -> int:
        return sum(r.fate == fate for r in self.rows)

    def sentence(self) -> str:
        said = [f"{self.count(f)} {f}" for f in ("new", "changed", "same", "refused") if self.count(f)]
        return ", ".join(said).replace("same", "as they were") or "no rows"


def write(store: Reading, scope: Scope) -> str:
    """All units here as CSV (RFC 4180); a cell that a spreadsheet would run is written as text."""
    models = {m.id: m.name for m in store.all(Model)}
    rooms = {z.id: z.name for z in ground.zones(store, scope)}
    homes = {s.id: s.name for s in store.all(Site)}
    return as_csv(COLUMNS, (
        (u.name, _KINDS[u.carried], models[u.model_id], u.band, u.receiver_band, u.channels,
         rooms.get(u.zone_id or 0, ""), u.serial, u.condition, u.firmware, homes.get(u.site_home_id or 0, ""), u.note)
        for u in units(store, scope)
    ))  # fmt: skip


def text_of(path: Path) -> str:
    """The text of a file of rows; FormatError where it cannot be read."""
    from azven.book.formats.reading import read_bytes

    return read_bytes(path, LARGEST).decode("utf-8-sig", errors="replace")


def take_in(store: Store, scope: Scope, text: str) -> TakenIn:
    """Units from a kit list. A row whose serial is known, or without one whose name is, changes that unit in what it
    says, an empty cell says nothing; any other adds one. FormatError where the text is no kit list; nothing is written
    yet."""
    columns, rows = headed.table(text, _HEADINGS, "name")
    if not columns:
        raise FormatError("This is no kit list: its first row has no column “unit” or “name”. Nothing was read.")
    reader = _Reader(store, scope, columns)
    told: list[Row] = []
    changes: list[Change] = []
    for number, cells in rows:
        name = headed.cell(cells, columns, "name")
        try:
            before, after = reader.unit(cells)
        except ValueError as error:
            told.append(Row(number, name, "refused", in_short(str(error))))
            continue
        change = add(after) if before is None else replace_record(before, after)
        changes += change
        told.append(Row(number, name, *_fate(before, after, bool(change))))
    new = [i for i, c in enumerate(changes) if c.before is None]
    first = store.reserve(len(new)) if new else 0
    for at, i in enumerate(new):
        changes[i] = Change(None, replace(changes[i].record, id=first + at))
    found = tuple(c.after.id for c in changes if c.after is not None)
    return TakenIn(Edit(f"Kit list: {len(changes)} units", tuple(changes), found), tuple(told))


def _fate(before: Unit | None, after: Unit, changed: bool) -> tuple[Fate, str]:
    if before is None:
        return "new", ""
    return ("changed", ", ".join(_called(n) for n in differing(before, after))) if changed else ("same", "")


def _called(field: str) -> str:
    return {"zone_id": "room", "model_id": "model", "site_home_id": "home", "receiver_band": "receives"}.get(
        field, field
    )


class _Reader:
    """Turns the cells of a row into a unit, by the names that the book knows."""

    def __init__(self, store: Reading, scope: Scope, columns: Mapping[str, int]) -> None:
        self._columns = columns
        self._models = headed.by_name(store.all(Model))
        self._rooms = headed.by_name(ground.zones(store, scope))
        self._sites = headed.by_name(store.all(Site))
        self._model_by_id = {m.id: m for m in store.all(Model)}
        known = units(store, scope)
        self._by_serial: dict[str, list[Unit]] = {}
        for unit in known:
            self._by_serial.setdefault(unit.serial.casefold(), []).append(unit)
        self._by_name = headed.by_name(known)
        self._seen: dict[str, int] = {}

    def unit(self, cells: Sequence[str]) -> tuple[Unit | None, Unit]:
        """The unit as it is, None where it is new, and as the row says it should be. Refusal where it says what
        cannot be."""

        def cell(key: str) -> str:
            return headed.cell(cells, self._columns, key)

        if not cell("name"):
            raise Refusal("no name")
        before = self._known(cell("name"), cell("serial"))
        model = headed.named(self._models, cell("model"), "model")
        if model is None and before is None:
            raise Refusal("no model, and no unit of this name or serial is known")
        values: dict[str, Any] = {"name": cell("name")}
        if model is not None:
            values["model_id"] = model.id
        model = model or self._model_by_id[before.model_id if before else 0]
        values |= self._words(cell, model, before)
        base = before or Unit(model_id=model.id, name="", band=model.bands[0][0], channels=model.receivers)
        after = replace(base, **values)
        if before is None and after.carried and not cell("channels"):
            after = replace(after, channels=1)
        return before, after

    def _known(self, name: str, serial: str) -> Unit | None:
        key = f"serial {serial}".casefold() if serial else f"name {name}".casefold()
        if key in self._seen:
            raise Refusal(f"{'serial ' + serial if serial else name} stands twice in this list")
        self._seen[key] = 1
        found = self._by_serial.get(serial.casefold(), []) if serial else self._by_name.get(name.casefold(), [])
        if len(found) > 1:
            raise Refusal(f"{len(found)} units have the {'serial ' + serial if serial else 'name ' + name}")
        return found[0] if found else None

    def _words(self, cell: Any, model: Model, before: Unit | None) -> dict[str, Any]:
        out: dict[str, Any] = {}
        bands = [b[0] for b in model.bands]
        for column, field in (("band", "band"), ("receives", "receiver_band")):
            asked = cell(column).replace("-", "–")
            if asked and asked not in bands:
                raise Refusal(f"{model.name} has no tuning band {asked}")
            if asked:
                out[field] = asked
        if before is not None and "band" not in out and before.band not in bands:
            out["band"] = bands[0]
        if cell("kind"):
            out["carried"] = headed.one_of(_KINDS, cell("kind"), "kind") == "carried"
        if cell("channels"):
            out["channels"] = headed.whole(cell("channels"), 1, 64, "channels")
        if cell("condition"):
            out["condition"] = headed.one_of(CONDITIONS, cell("condition"), "condition")
        for column, known, field in (("room", self._rooms, "zone_id"), ("home", self._sites, "site_home_id")):
            found = headed.named(known, cell(column), "room" if column == "room" else "site")
            if found:
                out[field] = found.id
        out |= {c: cell(c) for c in ("serial", "firmware", "note") if cell(c)}
        return out
