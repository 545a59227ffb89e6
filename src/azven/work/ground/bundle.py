"""Site bundles: what is known of a venue handed to the next engineer, and taken in without losing anything."""

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

from azven.book.edits import BookError, Change, Edit, add, replace_record
from azven.book.formats import site_bundle
from azven.book.formats.site_bundle import Bundle, NeighbourDocument
from azven.book.reading import Making
from azven.book.records import NEIGHBOUR_KINDS, RELATIONS, Neighbour, Relation, Zone
from azven.book.store import Store
from azven.work import ground, ids, listen
from azven.work.listen import files
from azven.work.scope import Scope

_SAME_HZ = 1_000
_ROOM_FIELDS = ("note", "near_m", "far_m", "between_m", "exponent", "height_m")


@dataclass(frozen=True)
class Written:
    """How many sweeps went into a bundle, and the places of those that are damaged and stayed behind."""

    sweeps: int
    left_out: tuple[str, ...]

    def sentence(self, name: str) -> str:
        behind = f"; damaged and left out: {', '.join(self.left_out)}" if self.left_out else ""
        return f"Wrote the site with {self.sweeps} sweeps to {name}{behind}."


def write(store: Store, scope: Scope, path: Path) -> Written:
    """Write what the book knows of the site. OSError when it cannot be written."""
    (document, sweeps), written = parts(store, scope)
    site_bundle.write(path, document, sweeps)
    return written


def parts(store: Store, scope: Scope) -> tuple[site_bundle.Parts, Written]:
    """What the book knows of the site as the parts of a bundle, and what of it is damaged."""
    site = ground.here(store, scope).site
    zones = {z.id: z for z in ground.zones(store, scope)}
    rooms = [
        {
            "id": ids.of(z),
            "name": z.name,
            "shape": [list(p) for p in z.shape],
            **{f: getattr(z, f) for f in _ROOM_FIELDS},
        }
        for z in zones.values()
    ]
    relations = [
        {"rooms": [ids.of(zones[i]) for i in pair], "relation": r.relation, "wall_loss_db": r.wall_loss_db}
        for pair, r in ground.relations(store, scope).items() if pair <= zones.keys()
    ]  # fmt: skip
    neighbours = [
        {"room": ids.of(zones[n.zone_id]) if n.zone_id in zones else "",
         **{f: getattr(n, f) for f in ("name", "freq_hz", "kind", "spacing_hz", "mixes", "contact", "note", "hours")}}
        for n in ground.neighbours(store, scope)
    ]  # fmt: skip
    document = {
        "name": site.name, "note": site.note, "time_zone": site.time_zone,
        "made": datetime.now(UTC).isoformat(timespec="seconds"),
        "thresholds": listen.tolerated(store, scope), "rooms": rooms, "relations": relations, "neighbours": neighbours,
    }  # fmt: skip
    sweeps, left_out = [], []
    for record in listen.sweeps(store, scope):
        try:
            sweep = listen.load(store, record)
        except BookError:
            left_out.append(record.place)
        else:
            sweeps.append((sweep.freq_hz, sweep.level_dbm, {**files.described(record), "hears": record.hears}))
    return (document, sweeps), Written(len(sweeps), tuple(left_out))


@dataclass(frozen=True)
class Merged:
    """What taking a bundle in would do: the edit, and in words what it adds, keeps and leaves out; the numbers in the
    book of its rooms, by their ids in the bundle."""

    edit: Edit
    said: tuple[str, ...]
    rooms: dict[str, int]


def merge(store: Making, scope: Scope, bundle: Bundle) -> Merged:
    """Add what the book does not know: rooms by name, each name as often as the bundle has it, relations that are not
    set, neighbours by name and frequency, sweeps by time and place. What the book holds already is never changed."""
    said: list[str] = []
    changes, zones = _rooms(store, scope, bundle, said)
    changes += _relations(store, scope, bundle, zones, said)
    changes += _neighbours(store, scope, bundle, zones, said)
    changes += _sweeps(store, scope, bundle, said)
    site = ground.here(store, scope).site
    if bundle.site.thresholds and not site.thresholds:
        told = bundle.site.thresholds.items()
        known = {k: v for k, v in told if k in listen.USES and -140 <= v <= 0 and v != listen.TOLERATED_DBM[k]}
        changes += replace_record(site, replace(site, thresholds=known))
    said += [f"left out {line}" for line in bundle.refused]
    return Merged(Edit(f"Take in {bundle.site.name}", changes), tuple(said) or ("nothing new",), zones)


def _rooms(store: Making, scope: Scope, bundle: Bundle, said: list[str]) -> tuple[tuple[Change, ...], dict[str, int]]:
    """The rooms to add, and the number in the book of every room of the bundle, by its id there or its name."""
    known = ground.zones(store, scope)
    free = {z.id: z.name for z in known}
    found: dict[str, int] = {}
    new = []
    for room in (r for r in bundle.site.rooms if r.name):
        same = next((number for number, name in free.items() if name == room.name), None)
        if same is None:
            new.append(room)
        else:
            del free[same]
            found[room.id or room.name] = same
    first = store.reserve(max(len(new), 1))
    site_id = scope.site
    zones = [
        Zone(
            id=first + i, site_id=site_id, name=r.name, position=len(known) + i,
            shape=tuple((p[0], p[1]) for p in r.shape if len(p) == 2), **{f: getattr(r, f) for f in _ROOM_FIELDS},
        )
        for i, r in enumerate(new)
    ]  # fmt: skip
    if zones:
        said.append(f"{len(zones)} rooms")
    return add(*zones), found | {r.id or r.name: z.id for r, z in zip(new, zones, strict=True)}


def _relations(
    store: Making, scope: Scope, bundle: Bundle, zones: dict[str, int], said: list[str]
) -> tuple[Change, ...]:
    known = ground.relations(store, scope)
    new = []
    for r in bundle.site.relations:
        pair = frozenset(zones.get(name, 0) for name in r.rooms)
        if len(pair) == 2 and 0 not in pair and pair not in known and r.relation in RELATIONS:
            a, b = sorted(pair)
            new.append(Relation(
                id=store.reserve(), zone_a_id=a, zone_b_id=b, relation=r.relation, wall_loss_db=r.wall_loss_db
            ))  # fmt: skip
    if new:
        said.append(f"{len(new)} relations of rooms")
    return add(*new)


def _neighbours(
    store: Making, scope: Scope, bundle: Bundle, zones: dict[str, int], said: list[str]
) -> tuple[Change, ...]:
    known = ground.neighbours(store, scope)
    kinds = {str(kind): kind for kind in NEIGHBOUR_KINDS}

    def is_new(n: NeighbourDocument) -> bool:
        same = any(k.name == n.name and abs(k.freq_hz - n.freq_hz) < _SAME_HZ for k in known)
        return not same and n.kind in kinds

    wanted = [n for n in bundle.site.neighbours if is_new(n)]
    first = store.reserve(max(len(wanted), 1))
    site, there = ground.here(store, scope).site, bundle.site.time_zone
    elsewhere = there != site.time_zone
    new = [
        Neighbour(
            id=first + i, site_id=site.id, name=n.name, freq_hz=n.freq_hz, kind=kinds[n.kind],
            zone_id=zones.get(n.room),
            spacing_hz=n.spacing_hz, mixes=n.mixes, contact=n.contact,
            hours="" if elsewhere else n.hours,
            note=f"{n.note} ({n.hours} in {there})".strip() if elsewhere and n.hours else n.note,
        )
        for i, n in enumerate(wanted)
    ]  # fmt: skip
    if new:
        said.append(f"{len(new)} neighbours")
    if elsewhere and any(n.hours for n in wanted):
        said.append(f"their hours were of {there}, not of {site.time_zone}: they count as always on, see their notes")
    return add(*new)


def _sweeps(store: Making, scope: Scope, bundle: Bundle, said: list[str]) -> tuple[Change, ...]:
    known = {(r.place, r.taken_at) for r in listen.sweeps(store, scope)}
    changes: tuple[Change, ...] = ()
    count = 0
    for name, file in bundle.sweeps:
        edit = files.import_sweep(store, scope, Path(name), file, None)
        record = next(c.after for c in edit.changes if c.after is not None)
        if (getattr(record, "place", ""), getattr(record, "taken_at", None)) not in known:
            changes += edit.changes
            count += 1
    if count:
        said.append(f"{count} sweeps")
    return changes
