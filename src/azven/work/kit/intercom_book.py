"""What a show's intercom is to do as the book has it: figures, talk groups, transceivers that were placed."""

from dataclasses import fields, replace
from typing import Any

from azven.book.edits import Edit, add, remove, replace_record
from azven.book.reading import Reading
from azven.book.records import Antenna, Intercom, TalkGroup
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import ground
from azven.work.kit.intercom import Asked, Sized, mounts, talk_groups
from azven.work.scope import Scope

PLACEMENT = "intercom "
"""How placements of transceivers begin; the band follows."""
_USUAL = Asked()
_KINDS: dict[type, tuple[type, ...]] = {str: (str,), bool: (bool,), int: (int,), float: (int, float), tuple: (tuple,)}


def figures(store: Reading, scope: Scope) -> dict[str, Any]:
    """What the show's intercom is to do, by the names of `Asked`; empty where nobody has said."""
    found = store.all(Intercom, show_id=scope.show)
    return dict(found[0].figures) if found else {}


def kept(store: Reading, scope: Scope) -> Asked:
    """What the show's intercom is to do as it was last said, the usual figures where nobody has; rooms and places that
    are gone are left out."""
    said = figures(store, scope)
    usual = {f.name: getattr(_USUAL, f.name) for f in fields(Asked)}
    known: dict[str, Any] = {k: v for k, v in said.items() if k in usual and isinstance(v, _KINDS[type(usual[k])])}
    zones = {z.id for z in ground.zones(store, scope)}
    places_there = {m.id for m in mounts(store, scope)}
    for name in ("rooms", "outdoor"):
        known[name] = tuple(r for r in known.get(name, ()) if r in zones)
    if known.get("base") not in places_there:
        known["base"] = 0
    return replace(_USUAL, **known)


def keep(store: Store, scope: Scope, asked: Asked) -> Edit:
    """Write down what the intercom is to do."""
    values = {f.name: getattr(asked, f.name) for f in fields(Asked)}
    found = store.all(Intercom, show_id=scope.show)
    if found:
        return Edit("Figures of the intercom", replace_record(found[0], replace(found[0], figures=values)))
    new = Intercom(id=store.reserve(), show_id=scope.show, figures=values)
    return Edit("Figures of the intercom", add(new))


def read_people(text: str) -> tuple[str, ...]:
    """Names separated by commas, each once."""
    names = [" ".join(p.split()) for p in text.replace(";", ",").split(",")]
    return tuple(dict.fromkeys(n for n in names if n))


def add_group(store: Store, scope: Scope, name: str, people: str = "", at_once: int = 1) -> Edit:
    """A talk group. Refusal without a name."""
    if not name.strip():
        raise Refusal("A talk group needs a name.")
    known = talk_groups(store, scope)
    title = ground.unused(name.strip(), [g.name for g in known])
    new = TalkGroup(id=store.reserve(), show_id=scope.show, name=title, people=read_people(people), at_once=at_once,
                    position=len(known))  # fmt: skip
    return Edit(f"Talk group {title}", add(new), (new.id,))


def placed(store: Reading, scope: Scope, band: str) -> list[Antenna]:
    """Transceivers of a band that stand in the rooms of the site."""
    return [
        a for z in ground.zones(store, scope) for a in store.all(Antenna, zone_id=z.id, layout=f"{PLACEMENT}{band}")
    ]


def place_all(store: Store, scope: Scope, found: Sized) -> Edit:
    """Transceivers where the answer has them, as antennas of a placement that Reach shows. Refusal without any."""
    used = [c.mount for c in found.cables if c.used]
    if not used:
        raise Refusal("There is no place to put a transceiver yet: the answer above says what is missing.")
    layout = f"{PLACEMENT}{found.asked.band}"
    gone = placed(store, scope, found.asked.band)
    first = store.reserve(len(used))
    new = [
        Antenna(id=first + i, zone_id=m.zone_id, name=m.name, layout=layout, kind="omni", gain_dbi=2.15, x_m=m.x_m,
                y_m=m.y_m, z_m=m.z_m, beamwidth_deg=360.0)
        for i, m in enumerate(used)
    ]  # fmt: skip
    count = f"{len(new)} transceiver{'' if len(new) == 1 else 's'}"
    return Edit(f"Place {count} at {found.asked.band}", (*remove(gone), *add(*new)))
