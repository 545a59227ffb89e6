"""Which rack unit hears which link, and on which receiver there."""

from collections.abc import Sequence
from dataclasses import replace

from azven.book.edits import Change, Edit, add, remove, replace_record
from azven.book.reading import Reading
from azven.book.records import Link, Model, Reception, Unit
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import ids
from azven.work.kit.gear import units
from azven.work.scope import Scope

NOWHERE = ("none", 0, 0)
_NUMBERED = 16
"""Of units with so many receivers each is offered by its number."""
Choice = tuple[str, int, int]
"""What is done (`on`: this one alone, `also`: this one too, `off`: no longer, `none`), the unit, the receiver."""


def racks(store: Reading, scope: Scope) -> list[Unit]:
    """Rack units of the site."""
    return [u for u in units(store, scope) if not u.carried]


def choices(store: Reading, scope: Scope, link: Link) -> list[tuple[str, Choice]]:
    """What can be chosen for a link: rack units that work with its model first, single receivers of the units it is
    on, further units to hear it as well."""
    model, models = store.get(Model, link.model_id), {m.id: m for m in store.all(Model)}
    found = racks(store, scope)
    names = ids.told_apart(found, lambda u: f"no. {u.id}")
    fitting = [u for u in found if models[u.model_id].service == model.service]
    also = [r for r in store.all(Reception) if r.link_id == link.id]
    out: list[tuple[str, Choice]] = [("none", NOWHERE)]
    for unit in fitting:
        name = names[ids.of(unit)]
        out.append((name, ("on", unit.id, 0)))
        if unit.id == link.unit_id or len(fitting) == 1:
            out += [(f"{name} · {n}", ("on", unit.id, n)) for n in range(1, min(unit.channels, _NUMBERED) + 1)]
    if link.unit_id:
        heard = {link.unit_id, *(r.unit_id for r in also)}
        out += [(f"also on {names[ids.of(u)]}", ("also", u.id, 0)) for u in fitting if u.id not in heard]
        out += [
            (f"no longer on {names[ids.of(u)]}", ("off", u.id, 0)) for u in fitting if u.id in heard - {link.unit_id}
        ]
    return out


def put_on(store: Store, scope: Scope, chosen: Sequence[Link], what: Choice) -> Edit:
    """Links on a rack unit, those that follow one another on its receivers one by one where a receiver is named.
    Refusal where a receiver is named that it does not have."""
    deed, unit_id, receiver = what
    changes: list[Change] = []
    number = receiver
    for link in chosen:
        also = [r for r in store.all(Reception) if r.link_id == link.id]
        if deed == "also":
            changes += add(Reception(id=store.reserve(), link_id=link.id, unit_id=unit_id, receiver=receiver))
        elif deed == "off":
            changes += remove([r for r in also if r.unit_id == unit_id])
        elif deed == "none":
            changes += remove(also) + replace_record(link, replace(link, unit_id=None, receiver=0))
        else:
            unit = store.get(Unit, unit_id)
            if number > unit.channels:
                raise Refusal(f"{unit.name} has {unit.channels} receivers; there are too few for {len(chosen)} links.")
            changes += replace_record(link, replace(link, unit_id=unit_id, receiver=number))
            number += bool(number)
    title = f"{chosen[0].name}: receiver" if len(chosen) == 1 else f"{len(chosen)} links: receiver"
    return Edit(title, tuple(changes), tuple(x.id for x in chosen))


def needs(store: Reading, found: Sequence[Unit]) -> str:
    """What units are there and what the racks among them need, in words; empty for none."""
    models = {m.id: m for m in store.all(Model)}
    stand = [u for u in found if not u.carried]
    if not found:
        return ""
    addresses = sum(models[u.model_id].addresses for u in stand)
    watts = sum(models[u.model_id].dc_w for u in stand)
    silent = sum(not models[u.model_id].dc_w for u in stand)
    said = f"{len(stand)} rack units need {addresses} network addresses and {watts:g} W"
    return f"{said}{f', {silent} of them do not say' if silent else ''} · {len(found) - len(stand)} carried"
