"""Kept plans: what a plan was made from, whether that still holds, and how two plans differ."""

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import NamedTuple, TypeVar

from azven.book.edits import Change, add, remove
from azven.book.reading import Reading
from azven.book.records import (
    Act,
    Antenna,
    KeptPlan,
    Link,
    Model,
    Neighbour,
    Occupant,
    Permit,
    Plan,
    Record,
    Region,
    Relation,
    Sweep,
    Wall,
    Wideband,
)
from azven.book.store import Store
from azven.rf.density import STEPS
from azven.rf.verdict import Margin
from azven.work import ground, ids, kit
from azven.work.ground import places
from azven.work.kit.bands import of_link
from azven.work.scope import Scope
from azven.work.wording import one_line

R = TypeVar("R", bound=Record)
KEPT_AT_MOST = 40
SCHOOL_WORDS = {"spacing": "by spacing", "both": "by spacing, harmless excused", "level": "by level"}
_NOT_LOOKED_AT = {
    "id", "version", "site_id", "show_id", "name", "position", "note", "contact", "performer", "acts_gone",
    "receiver", "form", "audio", "receivers", "diversity", "powers", "latency_ms", "batteries", "chargers", "addresses",
    "dc_w", "capacity", "modes", "choosing", "duty", "second_radio", "rejoin_s", "switched_on",
    "place_m", "house_percent", "state", "site_at_id", "place", "holder", "since", "until",
}  # fmt: skip
_LEVEL_FIELDS = {
    "needed_db", "nf_db", "iip3_dbm", "body_db", "gain_dbi", "power_mw", "near_m", "far_m", "between_m", "exponent",
    "blocking_dbm",
}  # fmt: skip
_TIMES = {"hours", "starts_at", "ends_at"}
_ONLY_IF_SET = {
    *_TIMES, "touches_next", "power_step_mw", "origin_hz", "rasters", "only_groups", "groups", "blocking_dbm",
}  # fmt: skip
"""Fields that came later: plans made before do not depend on them."""
_DRAWN = {"shape", "height_m", "builtin", "modulation", "service"}


def plan_record(store: Reading, scope: Scope) -> Plan | None:
    """The plan of the show, None before the first."""
    found = store.all(Plan, show_id=scope.show)
    return found[0] if found else None


def fingerprint(store: Reading, scope: Scope, coming: Sequence[Record] = ()) -> dict[str, str]:
    """What the plan depends on, condensed per thing: `kind/id` to a digest and, behind a blank, the thing's name then.

    `coming` records are about to be added, or to replace those with their id, in the same edit.
    """

    def every(kind: type[R], known: Iterable[R]) -> list[R]:
        new = [r for r in coming if isinstance(r, kind)]
        return [r for r in known if r.id not in {n.id for n in new}] + new

    place = ground.here(store, scope)
    levels = place.show.school != "spacing"
    region = store.get(Region, place.site.region_id) if place.site.region_id else None
    zones = ground.zones(store, scope)
    names = {z.id: z.name for z in zones}
    out = {"density/": _digest(place.show.density), "school/": _digest(place.show.school)}
    out["region/"] = _digest([region and (region.key, region.dated), place.site.tv_guard_hz, place.site.thresholds])
    for sweep in store.all(Sweep, site_id=place.site.id):
        if sweep.used:
            out[f"sweep/{sweep.id}"] = f"{_digest([sweep.hears])} {sweep.place}"
    out |= _each("neighbour", every(Neighbour, store.all(Neighbour, site_id=place.site.id)), levels)
    out |= _each("permit", store.all(Permit, site_id=place.site.id), levels=True)
    out |= _each("room", zones, levels)
    for relation in every(Relation, ground.relations(store, scope).values()):
        title = " and ".join(names.get(z, "a room") for z in (relation.zone_a_id, relation.zone_b_id))
        digest = _digest([relation.relation, relation.wall_loss_db if levels else None])
        out[f"rooms/{relation.id}"] = f"{digest} {title}"
    if levels:
        for zone in zones:
            out |= _each("antenna", store.all(Antenna, zone_id=zone.id, layout=places.PLACEMENT), levels)
        out |= _each("wall", store.all(Wall, site_id=place.site.id), levels)
    models = {m.id: m for m in store.all(Model)}
    spots, further = kit.spots(store, scope) if levels else {}, kit.further_receivers(store)
    for link in every(Link, kit.links(store, scope)):
        model = models[link.model_id]
        performer = [link.performer] if levels and link.performer else []
        wearer = [[(s.person, s.side) for s in spots[link.id]]] if link.id in spots else performer
        also = [further[link.id]] if link.id in further else []
        looked_at = [_looked_at(link, levels), _looked_at(model, levels), *wearer, *also]
        out[f"link/{link.id}"] = f"{_digest(looked_at)} {link.name}"
        out[f"power/{model.id}"] = f"{_digest([model.power_mw, model.gain_dbi])} {model.name}"
    for carrier in store.all(Wideband, show_id=place.show.id):
        if carrier.channel:
            wide = (carrier.channel, carrier.rooms, carrier.guard_hz, models[carrier.model_id].bandwidth_hz)
            out[f"wideband/{carrier.id}"] = f"{_digest(wide)} {carrier.name}"
    if any(of_link(store, x).shared for x in kit.links(store, scope)):
        out |= _each("occupant", store.all(Occupant, site_id=place.site.id), levels=True)
    dated = any(p.starts_at or p.ends_at for p in place.permits)
    timed = dated or any(n.hours for n in ground.neighbours(store, scope))
    return out | _each("act", store.all(Act, show_id=place.show.id), levels, frozenset() if timed else _TIMES)


def _each(kind: str, records: Iterable[Record], levels: bool, also: AbstractSet[str] = frozenset()) -> dict[str, str]:
    return {f"{kind}/{r.id}": f"{_digest(_looked_at(r, levels, also))} {getattr(r, 'name', '')}" for r in records}


def _looked_at(record: Record, levels: bool, also: AbstractSet[str] = frozenset()) -> list[tuple[str, object]]:
    """The fields of a record that a plan depends on; those of levels only where levels are judged."""
    skipped = _NOT_LOOKED_AT | _DRAWN | also | (set() if levels else _LEVEL_FIELDS)
    return sorted((k, v) for k, v in vars(record).items() if k not in skipped and (k not in _ONLY_IF_SET or v))


def _digest(items: object) -> str:
    return hashlib.sha256(repr(items).encode()).hexdigest()[:12]


_WORDS = {
    "density": "the density",
    "school": "the school",
    "region": "the rules",
    "rooms": "the walls between",
    "power": "the power of",
    "wideband": "the wideband carrier",
    "occupant": "another user",
}
_MANY = {
    "sweep": "sweeps",
    "neighbour": "neighbours",
    "link": "links",
    "act": "acts",
    "room": "rooms",
    "power": "powers",
    "antenna": "antennas",
    "wall": "walls",
    "wideband": "wideband carriers",
    "occupant": "others on shared bands",
}


class Changed(NamedTuple):
    """A thing that is not as it was when the plan was made: its kind, its name and what happened to it."""

    kind: str
    name: str
    word: str

    def words(self) -> str:
        return f"{_WORDS.get(self.kind, self.kind)} {self.name}".strip() + f" {self.word}"

    def kinds(self) -> str:
        """Things of its kind, as one calls them: `neighbours`."""
        return _MANY.get(self.kind, self.kind)


def changed(store: Reading, scope: Scope) -> tuple[Changed, ...]:
    """Everything that differs from when the plan was made; empty when it is up to date or there is none."""
    plan = plan_record(store, scope)
    if plan is None or not all("/" in key for key in plan.inputs):
        return ()
    today = fingerprint(store, scope) if plan.inputs else {}
    if not any(key.startswith("power/") for key in plan.inputs):  # made when caps did not count
        today = {key: digest for key, digest in today.items() if not key.startswith("power/")}
    out = []
    for key in sorted(today.keys() | plan.inputs.keys()):
        then, now = plan.inputs.get(key, "").split(" ", 1), today.get(key, "").split(" ", 1)
        if then[0] != now[0]:
            name = (now if now[0] else then)[1:]
            what = "changed" if then[0] and now[0] else "is new" if now[0] else "is gone"
            out.append(Changed(key.split("/")[0], " ".join(name), what))
    return tuple(sorted(out))


# -- the history -----------------------------------------------------------------------------------------


def kept_plans(store: Reading, scope: Scope) -> list[KeptPlan]:
    """Plans as they were adopted, the newest first."""
    found = store.all(KeptPlan, show_id=scope.show)
    return sorted(found, key=lambda k: (k.made_at, k.id), reverse=True)


def keep(
    store: Store, scope: Scope, title: str, frequencies: Mapping[str, int], inputs: Mapping[str, str]
) -> tuple[Change, ...]:
    """The changes that put a plan into the history, the oldest beyond the limit leaving it."""
    show = ground.here(store, scope).show
    new = KeptPlan(
        id=store.reserve(), show_id=show.id, title=title, made_at=datetime.now(UTC), made_by=store.author.who,
        school=show.school, density=show.density, frequencies=dict(frequencies),
        names=_names(store, scope, frequencies), inputs=dict(inputs), made_from=made_from(store, scope),
    )  # fmt: skip
    return add(new) + remove(kept_plans(store, scope)[KEPT_AT_MOST - 1 :])


def _names(store: Reading, scope: Scope, frequencies: Mapping[str, int]) -> dict[str, str]:
    return {ids.of(x): one_line(x.name) for x in kit.links(store, scope) if ids.of(x) in frequencies}


def made_from(store: Reading, scope: Scope) -> tuple[str, ...]:
    """In words what a plan made now rests on: rules, sweeps, density, school."""
    place = ground.here(store, scope)
    clock = place.clock
    region = store.get(Region, place.site.region_id) if place.site.region_id else None
    lines = [f"{region.title}, as of {region.dated}" if region else "no region"]
    for sweep in store.all(Sweep, site_id=place.site.id):
        if sweep.used:
            lines.append(f"sweep {sweep.place}, {sweep.antenna}, {clock.said(sweep.taken_at, with_zone=True)}")
    lines.append(f"density {STEPS[place.show.density].name}, {SCHOOL_WORDS[place.show.school]}")
    return tuple(lines)


@dataclass(frozen=True, kw_only=True)
class Difference:
    """One link, by its id in the plan, in two plans: frequencies and margins [Hz], None where it has none."""

    id: str
    name: str
    old_hz: int | None
    new_hz: int | None
    old_margin_hz: int | None
    new_margin_hz: int | None

    @property
    def change(self) -> str:
        if self.old_hz == self.new_hz:
            return "stays"
        if self.old_hz is None:
            return "placed"
        return "lost its place" if self.new_hz is None else "moved"

    @property
    def gained_hz(self) -> int | None:
        if self.old_margin_hz is None or self.new_margin_hz is None:
            return None
        return self.new_margin_hz - self.old_margin_hz


def compare(
    names: Mapping[str, str],
    old: tuple[Mapping[str, int], Mapping[str, Margin]],
    new: tuple[Mapping[str, int], Mapping[str, Margin]],
) -> list[Difference]:
    """Two plans link by link: frequencies and margins of each by link id, in the order of `names` (id → name)."""

    def margin(plan: tuple[Mapping[str, int], Mapping[str, Margin]], key: str) -> int | None:
        return plan[1][key].margin_hz if key in plan[1] else None

    return [
        Difference(
            id=key,
            name=name,
            old_hz=old[0].get(key),
            new_hz=new[0].get(key),
            old_margin_hz=margin(old, key),
            new_margin_hz=margin(new, key),
        )
        for key, name in names.items()
        if key in old[0] or key in new[0]
    ]


def summary(found: list[Difference]) -> str:
    """One line on a comparison."""
    moved = sum(d.change != "stays" for d in found)
    gains = [d.gained_hz for d in found if d.gained_hz is not None]
    gained, lost = sum(g > 0 for g in gains), sum(g < 0 for g in gains)
    return f"{moved} of {len(found)} differ. Margins: {gained} wider, {lost} narrower."
