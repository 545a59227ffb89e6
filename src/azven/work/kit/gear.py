"""Kit: models, units and links; bulk entry, edits in place."""

import itertools
import math
import re
from collections.abc import Sequence
from collections.abc import Set as AbstractSet
from dataclasses import replace
from itertools import pairwise
from typing import Any

from azven.book.edits import Change, Edit, add, remove, replace_record
from azven.book.reading import Reading
from azven.book.records import (
    Act,
    Assignment,
    Booking,
    Deed,
    Link,
    Mapped,
    Model,
    Pair,
    Person,
    Plan,
    Port,
    Proof,
    Reception,
    Record,
    Route,
    Show,
    Staging,
    Unit,
    Wanted,
    Worn,
    Zone,
)
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import ground
from azven.work.scope import Scope

PRIORITIES = {1: "vital", 2: "high", 3: "normal", 4: "low"}
_COUNT_LIMIT = 500


def links(store: Reading, scope: Scope) -> list[Link]:
    """Links of the show in order of importance, spares last."""
    return sorted(store.all(Link, show_id=scope.show), key=lambda x: (x.spare, x.priority, x.position, x.id))


def planned(store: Reading, scope: Scope) -> dict[int, int]:
    """Frequencies [Hz] of the show's plan, by the numbers of links."""
    plans = store.all(Plan, show_id=scope.show)
    return {a.link_id: a.freq_hz for p in plans[:1] for a in store.all(Assignment, plan_id=p.id)}


def acts(store: Reading, scope: Scope) -> list[Act]:
    return sorted(store.all(Act, show_id=scope.show), key=lambda a: (a.position, a.id))


def changes(acts: Sequence[Act]) -> list[tuple[Act, Act]]:
    """The changes from one act to the next in which links of both may be on; `acts` in their order."""
    return [(a, b) for a, b in pairwise(acts) if a.touches_next]


def units(store: Reading, scope: Scope) -> list[Unit]:
    """Units in rooms of the site, and those that have no room and belong to it or to no site."""
    rooms = {z.id for z in ground.zones(store, scope)}
    found = [u for home in (None, scope.site) for u in store.all(Unit, zone_id=None, site_home_id=home)]
    found += [u for room in sorted(rooms) for u in store.all(Unit, zone_id=room)]
    return sorted(found, key=lambda u: u.id)


def as_used(model: Model, link: Link) -> Model:
    """The model with the power that a link is set to."""
    return replace(model, power_mw=link.power_step_mw) if link.power_step_mw else model


def models_by_link(store: Reading, listed: Sequence[Link]) -> dict[int, Model]:
    """The model of each link as it is used, by the link's number."""
    models = {m.id: m for m in store.all(Model)}
    return {x.id: as_used(models[x.model_id], x) for x in listed}


_DIPOLE_DBI = 2.15
"""What EIRP is over e.r.p."""


def conducted_mw(model: Model, power_mw: float, kind: str) -> float:
    """A power step as conducted power [mW]: e.r.p. is that of a half-wave dipole."""
    return power_mw if kind == "conducted" else power_mw * 10 ** ((_DIPOLE_DBI - model.gain_dbi) / 10)


def steps_of(model: Model) -> list[tuple[str, float]]:
    """The power steps of a model in words, each with its conducted power [mW]; that of the model first."""
    steps = [(f"{mw:g} mW {kind}", conducted_mw(model, mw, kind)) for mw, kind in model.powers]
    return steps or [(f"{model.power_mw:g} mW", model.power_mw)]


def raster(model: Model, band: str) -> tuple[int, int]:
    """Step and origin [Hz] of a tuning band."""
    step, origin = model.rasters.get(band, (model.step_hz, model.origin_hz))
    return step, origin


def group_raster(model: Model, band: str) -> tuple[int, int]:
    """Step and origin [Hz] on which all frequencies of a band's groups lie; those of the band where there are none."""
    known = sorted({f for freqs in model.groups.get(band, {}).values() for f in freqs})
    if len(known) < 2:
        return (model.step_hz, known[0] % model.step_hz) if known else raster(model, band)
    step = math.gcd(*(f - known[0] for f in known))
    return step, known[0] % step


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


_OF_LINK: tuple[type[Record], ...] = (Assignment, Reception, Worn, Route, Mapped, Wanted, Proof, Staging)


def of_links(store: Reading, numbers: AbstractSet[int]) -> list[Record]:
    """What stands and falls with links: frequencies, further receivers, where they are worn, their audio, their
    pairs."""
    out: list[Record] = [r for kind in _OF_LINK for r in store.all(kind) if getattr(r, "link_id") in numbers]  # noqa: B009
    return out + [p for p in store.all(Pair) if {p.link_a_id, p.link_b_id} & numbers]


def remove_links(store: Reading, chosen: Sequence[Link]) -> Edit:
    """Take links out together with what stands and falls with them; a port of the intercom stays, without its link."""
    numbers = {x.id for x in chosen}
    title = f"Remove {chosen[0].name}" if len(chosen) == 1 else f"Remove {len(chosen)} links"
    ports = [p for p in store.all(Port) if p.link_id in numbers]
    freed = tuple(c for p in ports for c in replace_record(p, replace(p, link_id=None)))
    return Edit(title, freed + remove([*of_links(store, numbers), *chosen]))


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
    people = store.all(Person, show_id=scope.show)
    known = {p.id for p in people}
    item: Any
    for item in [*people, *(w for w in store.all(Worn) if w.person_id in known)]:
        kept = tuple(a for a in item.acts if a not in gone)
        changes += replace_record(item, replace(item, acts=kept))
    title = f"Remove {chosen[0].name}" if len(chosen) == 1 else f"Remove {len(chosen)} acts"
    staged = [x for x in store.all(Staging, show_id=scope.show) if x.act_id in gone]
    return Edit(title, (*changes, *remove([*staged, *chosen])))


def remove_units(store: Reading, chosen: Sequence[Unit]) -> Edit:
    """Take units out; what was on them or was worn as them stays, without a unit."""
    numbers = {u.id for u in chosen}
    users: list[Any] = [*store.all(Link), *store.all(Worn)]
    freed = [c for u in users if u.unit_id in numbers for c in replace_record(u, replace(u, unit_id=None))]
    gone = remove([r for r in store.all(Reception) if r.unit_id in numbers])
    of_unit: tuple[type[Record], ...] = (Deed, Booking)
    gone += remove([r for kind in of_unit for n in sorted(numbers) for r in store.all(kind, unit_id=n)])
    title = f"Remove {chosen[0].name}" if len(chosen) == 1 else f"Remove {len(chosen)} units"
    return Edit(title, (*freed, *gone, *remove(chosen)))


def acts_note(link: Link) -> str:
    """A sentence for a link that is on always only because its acts were removed; empty for any other."""
    if link.acts or not link.acts_gone:
        return ""
    return f"Was on in {', '.join(link.acts_gone)}, which was removed; it counts as always on until its acts are set."
