"""Kit: models, units and links; bulk entry, paste from a spreadsheet, edits in place."""

import itertools
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

from azven.book.edits import Change, Edit, add, remove, replace_record
from azven.book.formats.errors import in_short
from azven.book.formats.rows import rows_of
from azven.book.reading import Reading
from azven.book.records import USE_CLASSES, Act, Assignment, Link, Model, Show, Unit, Zone
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import ground
from azven.work.scope import Scope

PRIORITIES = {1: "vital", 2: "high", 3: "normal", 4: "low"}
_COUNT_LIMIT = 500


def links(store: Reading, scope: Scope) -> list[Link]:
    """Links of the show in order of importance, spares last."""
    return sorted(store.all(Link, show_id=scope.show), key=lambda x: (x.spare, x.priority, x.position, x.id))


def acts(store: Reading, scope: Scope) -> list[Act]:
    return sorted(store.all(Act, show_id=scope.show), key=lambda a: (a.position, a.id))


def changes(acts: Sequence[Act]) -> list[tuple[Act, Act]]:
    """The changes from one act to the next in which links of both may be on; `acts` in their order."""
    return [(a, b) for a, b in pairwise(acts) if a.touches_next]


def units(store: Reading, scope: Scope) -> list[Unit]:
    """Units in rooms of the site, and those that have no room."""
    rooms = {z.id for z in ground.zones(store, scope)}
    found = [u for room in (None, *sorted(rooms)) for u in store.all(Unit, zone_id=room)]
    return sorted(found, key=lambda u: u.id)


def numbered(pattern: str, count: int, taken: Sequence[str] = ()) -> list[str]:
    """Names for `count` links: `Choir 1–8` or `Choir 5` counts on from its number, `Choir` from 1.

    Numbers that are `taken` are passed over.
    """
    stem, first = pattern.strip(), 1
    found = re.match(r"^(.*?)(\d+)(?:\s*(?:[-–…]|\.\.)\s*\d+)?$", stem)
    if found:
        stem, first = found[1].strip(), int(found[2])
    if count == 1 and not found and stem not in taken:
        return [stem]
    names = (f"{stem} {n}".strip() for n in itertools.count(first))
    return list(itertools.islice((n for n in names if n not in taken), count))


def alike(
    store: Store, show: Show, pattern: str, count: int, model: Model, band: str, zone: Zone, position: int,
    taken: Sequence[str] = (), **more: Any,
) -> list[Link]:  # fmt: skip
    """`count` new links of a show named after `pattern`, from a `position` in its list on."""
    first = store.reserve(count)
    fields: dict[str, Any] = {"use_class": usual_class(model.service)} | more
    return [
        Link(
            id=first + i, show_id=show.id, name=name, model_id=model.id, band=band, zone_id=zone.id,
            service=model.service, position=position + i, **fields,
        )
        for i, name in enumerate(numbered(pattern, count, taken))
    ]  # fmt: skip


def usual_class(service: str) -> str:
    """Which channels a link of a service is planned into when nobody says: an in-ear pack hears weak signals."""
    return "quiet" if service == "in-ear" else "usable"


def add_links(
    store: Store, scope: Scope, pattern: str, count: int, model: Model, band: str, zone: Zone, **more: Any
) -> Edit:
    """`count` links named after `pattern`, all alike. Refusal when that cannot be meant."""
    if not pattern.strip():
        raise Refusal("The links need a name.")
    if not 1 <= count <= _COUNT_LIMIT:
        raise Refusal(f"Between 1 and {_COUNT_LIMIT} links at a time, not {count}.")
    if band not in {b[0] for b in model.bands}:
        raise Refusal(f"{model.name} has no tuning band {band}.")
    existing = links(store, scope)
    taken = [x.name for x in existing]
    show = ground.here(store, scope).show
    new = alike(store, show, pattern, count, model, band, zone, len(existing), taken, **more)
    title = f"Add {new[0].name}" if count == 1 else f"Add {new[0].name} … {new[-1].name}"
    return Edit(title, add(*new), tuple(x.id for x in new))


def add_unit(store: Store, name: str, model: Model, band: str, **more: Any) -> Edit:
    if not name.strip():
        raise Refusal("The unit needs a name.")
    unit = Unit(id=store.reserve(), model_id=model.id, name=name.strip(), band=band, **more)
    return Edit(f"Add unit {unit.name}", add(unit), (unit.id,))


def add_model(store: Store, like: Model, name: str) -> Edit:
    """A model of our own, starting as a copy of another."""
    taken = [m.name for m in store.all(Model)]
    model = replace(
        like, id=store.reserve(), version=0, name=ground.unused(name.strip() or like.name, taken), builtin=False
    )
    return Edit(f"Add model {model.name}", add(model), (model.id,))


def change_links(store: Reading, chosen: Sequence[Link], models: Sequence[Model] = (), **values: Any) -> Edit:
    """Set the same fields on several links; `models` are about to be added in the same edit.

    Refusal for an empty name; a band the model lacks gives way to its first. Acts that are set end the note of acts
    that were removed.
    """
    if "name" in values:
        values["name"] = str(values["name"]).strip()
        if not values["name"]:
            raise Refusal("A link needs a name.")
    if "acts" in values:
        values["acts_gone"] = ()
    changes: list[Change] = []
    by_id = {m.id: m for m in [*store.all(Model), *models]}
    for link in chosen:
        after = replace(link, **values)
        model = by_id[after.model_id]
        if after.model_id != link.model_id:
            after = replace(after, service=model.service)
        if after.band not in {b[0] for b in model.bands}:
            after = replace(after, band=model.bands[0][0])
        changes += replace_record(link, after)
    what = ", ".join(k.replace("_", " ") for k in values if k != "acts_gone")
    title = f"{chosen[0].name}: {what}" if len(chosen) == 1 else f"{len(chosen)} links: {what}"
    return Edit(title, tuple(changes), tuple(x.id for x in chosen))


def remove_links(store: Reading, chosen: Sequence[Link]) -> Edit:
    """Take links out together with their frequencies."""
    ids = {x.id for x in chosen}
    placed = [a for a in store.all(Assignment) if a.link_id in ids]
    title = f"Remove {chosen[0].name}" if len(chosen) == 1 else f"Remove {len(chosen)} links"
    return Edit(title, remove([*placed, *chosen]))


def add_act(store: Store, scope: Scope, name: str = "") -> Edit:
    existing = acts(store, scope)
    name = name.strip() or ground.unused("Act", [a.name for a in existing])
    act = Act(id=store.reserve(), show_id=scope.show, name=name, position=len(existing))
    return Edit(f"Act {name}", add(act), (act.id,))


def remove_acts(store: Reading, scope: Scope, chosen: Sequence[Act]) -> Edit:
    """Take acts out, of their links too. A link that was on in them alone is on always from then on, and says so."""
    gone = {a.id: a.name for a in chosen}
    changes: list[Change] = []
    for link in links(store, scope):
        lost = tuple(gone[a] for a in link.acts if a in gone)
        if lost:
            kept = tuple(a for a in link.acts if a not in gone)
            changes += replace_record(link, replace(link, acts=kept, acts_gone=(*link.acts_gone, *lost)))
    title = f"Remove {chosen[0].name}" if len(chosen) == 1 else f"Remove {len(chosen)} acts"
    return Edit(title, (*changes, *remove(chosen)))


def acts_note(link: Link) -> str:
    """A sentence for a link that is on always only because its acts were removed; empty for any other."""
    if link.acts or not link.acts_gone:
        return ""
    return f"Was on in {', '.join(link.acts_gone)}, which was removed; it counts as always on until its acts are set."


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
    rows = [r for r in rows_of(text, _delimiter(text)) if any(c.strip() for c in r)]
    columns = _columns(rows[0]) if rows else {}
    body = rows[1:] if columns else rows
    columns = columns or {"name": 0, "performer": 1}
    new: list[Link] = []
    refused: list[str] = []
    reader = _RowReader(store, scope, model, zone, columns, len(links(store, scope)))
    for number, row in enumerate(body, start=2 if body is not rows else 1):
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


def _delimiter(text: str) -> str:
    head = text.splitlines()[0] if text.strip() else ""
    return next((mark for mark in ("\t", ";") if mark in head), ",")


def _columns(head: Sequence[str]) -> dict[str, int]:
    found: dict[str, int] = {}
    for i, cell in enumerate(head):
        word = cell.strip().lower()
        for key, names in _HEADINGS.items():
            if word in names and key not in found:
                found[key] = i
    return found if "name" in found else {}


class _RowReader:
    """Turns the cells of one row into a link, by the names that the book knows."""

    def __init__(
        self, store: Reading, scope: Scope, model: Model, zone: Zone, columns: dict[str, int], offset: int
    ) -> None:
        self._show = ground.here(store, scope).show
        self._models = _by_name(store.all(Model))
        self._zones = _by_name(ground.zones(store, scope))
        self._acts = _by_name(acts(store, scope))
        self._model, self._zone, self._columns, self._offset = model, zone, columns, offset

    def link(self, row: Sequence[str], index: int) -> Link:
        def cell(key: str) -> str:
            at = self._columns.get(key, -1)
            return row[at].strip() if 0 <= at < len(row) else ""

        if not cell("name"):
            raise Refusal("no name")
        model = _named(self._models, cell("model"), "model") or self._model
        zone = _named(self._zones, cell("zone"), "room") or self._zone
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
        chosen = tuple(a.id for name in names if (a := _named(self._acts, name, "act")))
        return Link(
            show_id=self._show.id, name=cell("name"), model_id=model.id, band=band, zone_id=zone.id,
            service=model.service, priority=int(priority), use_class=use, performer=cell("performer"), acts=chosen,
            spare=cell("spare").lower() in ("yes", "x", "1", "true"), position=self._offset + index,
        )  # fmt: skip


def _by_name(records: Sequence[Any]) -> dict[str, list[Any]]:
    out: dict[str, list[Any]] = {}
    for record in records:
        out.setdefault(record.name.lower(), []).append(record)
    return out


def _named(known: dict[str, list[Any]], name: str, what: str) -> Any:
    """The one record of a name, None for no name; Refusal where the name is nobody's or stands for several."""
    if not name:
        return None
    found = known.get(name.lower(), [])
    if len(found) != 1:
        raise Refusal(f"no {what} is named {name}" if not found else f"{len(found)} {what}s are named {name}")
    return found[0]


def _shared_band(link: Link, unit: Unit, model: Model) -> tuple[int, int] | None:
    """What a link's transmitter and its receiver can both be tuned to [Hz], empty when low ≥ high; None where the
    model lacks one of their bands."""
    own = next((b for b in model.bands if b[0] == link.band), None)
    rack = next((b for b in model.bands if b[0] == (unit.receiver_band or unit.band)), None)
    return None if own is None or rack is None else (max(own[1], rack[1]), min(own[2], rack[2]))


def _meets(link: Link, unit: Unit | None, model: Model) -> bool:
    shared = _shared_band(link, unit, model) if unit is not None else None
    return shared is None or shared[0] < shared[1]


def band_note(link: Link, unit: Unit | None, model: Model) -> str:
    """A sentence where the transmitter's band and its receiver's do not meet; empty when all is well."""
    if unit is None:
        return ""
    shared = _shared_band(link, unit, model)
    rack = unit.receiver_band or unit.band
    if shared is None:
        return f"The receiver {unit.name} is built for {rack}, which {model.name} lacks."
    low, high = shared
    if low >= high:
        return f"Transmitter {link.band} and receiver {unit.name} ({rack}) share no frequency."
    if (low, high) != next(b[1:] for b in model.bands if b[0] == link.band):
        return f"Only {low / 1e6:g}–{high / 1e6:g} MHz is in reach of both transmitter and {unit.name}."
    return ""


def open_points(store: Reading, scope: Scope) -> int:
    """Links whose transmitter and receiver do not meet, or whose acts were removed."""
    units_by_id = {u.id: u for u in units(store, scope)}
    by_id = {m.id: m for m in store.all(Model)}
    return sum(
        bool(acts_note(x)) or not _meets(x, units_by_id.get(x.unit_id or 0), by_id[x.model_id])
        for x in links(store, scope)
    )
