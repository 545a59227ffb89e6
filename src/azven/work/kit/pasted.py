"""Links from a table that was copied out of a spreadsheet."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from azven.book.edits import Edit, add
from azven.book.formats.errors import in_short
from azven.book.reading import Reading
from azven.book.records import USE_CLASSES, Link, Model, Zone
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import ground
from azven.work.kit import headed
from azven.work.kit.gear import PRIORITIES, acts, links, usual_class
from azven.work.scope import Scope


@dataclass(frozen=True)
class Pasted:
    """What a pasted table would add: an edit, and a line for every row that could not be used."""

    edit: Edit
    used: int
    refused: tuple[str, ...]


_HEADINGS = {
    "name": ("name", "link", "channel", "mic"),
    "model": ("model", "type", "gear"),
    "band": ("band", "tuning"),
    "zone": ("zone", "room", "place"),
    "priority": ("priority", "importance"),
    "use_class": ("use", "spectrum"),
    "performer": ("performer", "who", "artist"),
    "acts": ("acts", "act"),
    "spare": ("spare",),
}


def paste(store: Store, scope: Scope, text: str, model: Model, zone: Zone) -> Pasted:
    """Links from a table copied out of a spreadsheet: tab, semicolon or comma between cells.

    With a heading row, columns go by name in any order; without, the first is the name and the second
    the performer. `model` and `zone` fill what a row leaves out. Nothing is written yet. FormatError when
    the text is no table.
    """
    columns, numbered = headed.table(text, _HEADINGS, "name")
    columns = columns or {"name": 0, "performer": 1}
    new: list[Link] = []
    refused: list[str] = []
    reader = _RowReader(store, scope, model, zone, columns, len(links(store, scope)))
    for number, row in numbered:
        try:
            link = reader.link(row, len(new))
        except ValueError as error:
            refused.append(f"row {number}: {in_short(str(error))}")
            continue
        new.append(link)
    if new:
        first = store.reserve(len(new))
        new = [replace(x, id=first + i) for i, x in enumerate(new)]
    return Pasted(Edit(f"Paste {len(new)} links", add(*new), tuple(x.id for x in new)), len(new), tuple(refused))


class _RowReader:
    """Turns the cells of one row into a link, by the names that the book knows."""

    def __init__(
        self, store: Reading, scope: Scope, model: Model, zone: Zone, columns: dict[str, int], offset: int
    ) -> None:
        self._show = ground.here(store, scope).show
        self._models = headed.by_name(store.all(Model))
        self._zones = headed.by_name(ground.zones(store, scope))
        self._acts = headed.by_name(acts(store, scope))
        self._model, self._zone, self._columns, self._offset = model, zone, columns, offset

    def link(self, row: Sequence[str], index: int) -> Link:
        def cell(key: str) -> str:
            at = self._columns.get(key, -1)
            return row[at].strip() if 0 <= at < len(row) else ""

        if not cell("name"):
            raise Refusal("no name")
        model = headed.named(self._models, cell("model"), "model") or self._model
        zone = headed.named(self._zones, cell("zone"), "room") or self._zone
        bands = [b[0] for b in model.bands]
        band = cell("band").replace("-", "–") or bands[0]
        if band not in bands:
            raise Refusal(f"{model.name} has no tuning band {band}")
        use = cell("use_class").lower() or usual_class(model.service)
        if use not in USE_CLASSES:
            raise Refusal(f"use is {' or '.join(USE_CLASSES)}, not {use}")
        priority = cell("priority") or "3"
        if not priority.isdigit() or int(priority) not in PRIORITIES:
            raise Refusal(f"importance is 1 to {len(PRIORITIES)}, not {priority}")
        names = [a.strip().lower() for a in cell("acts").split("+") if a.strip()]
        chosen = tuple(a.id for name in names if (a := headed.named(self._acts, name, "act")))
        return Link(
            show_id=self._show.id, name=cell("name"), model_id=model.id, band=band, zone_id=zone.id,
            service=model.service, priority=int(priority), use_class=use, performer=cell("performer"), acts=chosen,
            spare=cell("spare").lower() in ("yes", "x", "1", "true"), position=self._offset + index,
        )  # fmt: skip
