"""Persons of a show: who they are, when they are on, what they wear."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from azven.book.edits import Change, Edit, add, remove, replace_record
from azven.book.formats.rows import rows_of
from azven.book.reading import Reading
from azven.book.records import Act, Link, Model, Pair, Person, Unit, Worn
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.radios import Spot
from azven.work import ids
from azven.work.kit.gear import acts, units
from azven.work.scope import Scope

WHOLE_SHOW = 0
"""Stands for the acts of a show that has none."""
_MOST_PERSONS = 500


def persons(store: Reading, scope: Scope) -> list[Person]:
    """Persons of the show in their order."""
    return sorted(store.all(Person, show_id=scope.show), key=lambda p: (p.position, p.id))


def worn(store: Reading, scope: Scope) -> list[Worn]:
    """Everything that persons of the show wear."""
    known = {p.id for p in store.all(Person, show_id=scope.show)}
    return [w for w in store.all(Worn) if w.person_id in known]


def pairs_of(store: Reading, scope: Scope) -> list[Pair]:
    """Redundant pairs of the show."""
    return store.all(Pair, show_id=scope.show)


def act_numbers(listed: Sequence[Act]) -> tuple[int, ...]:
    return tuple(a.id for a in listed) or (WHOLE_SHOW,)


def on_in(item_acts: Sequence[int], evening: Sequence[int]) -> tuple[int, ...]:
    """The acts of the evening in which something is on, by its acts; none says all of them."""
    return tuple(a for a in evening if a in item_acts) if item_acts else tuple(evening)


def worn_in(item: Worn, person: Person, link: Link, evening: Sequence[int]) -> tuple[int, ...]:
    """The acts of the evening in which something is worn: those it names, else those in which both are on."""
    if item.acts:
        return on_in(item.acts, evening)
    both = set(on_in(person.acts, evening)) & set(on_in(link.acts, evening))
    return tuple(a for a in evening if a in both)


def is_pack(model: Model) -> bool:
    """Whether what a person carries of a model is on the body, not in the hand."""
    return model.form != "hand-held" and model.form != "plug-on"


def spots(store: Reading, scope: Scope) -> Mapping[int, tuple[Spot, ...]]:
    """On whom each link is worn and on which side, by the link's number."""
    out: dict[int, tuple[Spot, ...]] = {}
    for item in worn(store, scope):
        out[item.link_id] = (*out.get(item.link_id, ()), Spot(ids.key(Person, item.person_id), item.side))
    return out


def wearers(store: Reading, scope: Scope) -> Mapping[int, str]:
    """Who wears each link, in words, by the link's number."""
    names = {p.id: p.name for p in persons(store, scope)}
    out: dict[int, dict[str, None]] = {}
    for item in worn(store, scope):
        out.setdefault(item.link_id, {})[names[item.person_id]] = None
    return {k: ", ".join(v) for k, v in out.items()}


# -- deeds -----------------------------------------------------------------------------------------------


def add_persons(store: Store, scope: Scope, text: str) -> Edit:
    """Persons from lines of text: a name, and behind a tab, a semicolon or a comma what they do. Refusal where no line
    has a name."""
    mark = next((m for m in ("\t", ";") if m in text), ",")
    rows = [[c.strip() for c in row] for row in rows_of(text, mark)]
    named = [row for row in rows if row and row[0] and row[0].casefold() not in ("name", "person")]
    if not named:
        raise Refusal("A person needs a name.")
    if len(named) > _MOST_PERSONS:
        raise Refusal(f"At most {_MOST_PERSONS} persons at a time, not {len(named)}.")
    first, at = store.reserve(len(named)), len(persons(store, scope))
    new = [
        Person(id=first + i, show_id=scope.show, name=r[0], role=r[1] if len(r) > 1 else "", position=at + i)
        for i, r in enumerate(named)
    ]
    title = f"Add {new[0].name}" if len(new) == 1 else f"Add {len(new)} persons"
    return Edit(title, add(*new), tuple(p.id for p in new))


def remove_persons(store: Reading, chosen: Sequence[Person]) -> Edit:
    """Take persons out with what they wear; links and packs stay."""
    numbers = {p.id for p in chosen}
    title = f"Remove {chosen[0].name}" if len(chosen) == 1 else f"Remove {len(chosen)} persons"
    return Edit(title, remove([*(w for w in store.all(Worn) if w.person_id in numbers), *chosen]))


def wear(store: Store, person: Person, link: Link, unit: Unit | None = None, **more: Any) -> Edit:
    """Put a link on a person. Refusal where they have it already."""
    same = [w for w in store.all(Worn, person_id=person.id) if w.link_id == link.id]
    asked = set(more.get("acts", ()))
    if any(not w.acts or not asked or asked & set(w.acts) for w in same):
        raise Refusal(f"{person.name} wears {link.name} already.")
    new = Worn(
        id=store.reserve(), person_id=person.id, link_id=link.id, unit_id=unit.id if unit else None,
        **{"side": _free_side(store, person), **more},
    )  # fmt: skip
    return Edit(f"{link.name} on {person.name}", add(new), (new.id,))


def _free_side(store: Reading, person: Person) -> str:
    """The side of the belt that a further pack goes to: the one with less on it."""
    sides = [w.side for w in store.all(Worn, person_id=person.id)]
    return "left" if sides.count("left") < sides.count("right") else "right"


def take_off(chosen: Sequence[Worn]) -> Edit:
    title = "Take it off" if len(chosen) == 1 else f"Take {len(chosen)} things off"
    return Edit(title, remove(chosen))


def change_all(chosen: Sequence[Any], what: str, **values: Any) -> Edit:
    """Set the same fields on several records that have names or none."""
    changes: list[Change] = []
    for record in chosen:
        changes += replace_record(record, replace(record, **values))
    name = getattr(chosen[0], "name", "") if len(chosen) == 1 else f"{len(chosen)} rows"
    return Edit(f"{name}: {what}".removeprefix(": "), tuple(changes), tuple(r.id for r in chosen))


def hand_on(store: Store, scope: Scope, item: Worn, to: Person, from_act: Act) -> Edit:
    """What somebody wears goes to another person from an act on. Refusal where it is not worn before and after it."""
    evening = act_numbers(acts(store, scope))
    person, link = store.get(Person, item.person_id), store.get(Link, item.link_id)
    on = worn_in(item, person, link, evening)
    at = evening.index(from_act.id)
    before = tuple(a for a in on if evening.index(a) < at)
    after = on_in(link.acts, evening)
    after = tuple(a for a in after if evening.index(a) >= at)
    if not before or not after:
        raise Refusal(f"{link.name} is not on both before and from {from_act.name} on; there is nothing to hand on.")
    new = Worn(
        id=store.reserve(), person_id=to.id, link_id=item.link_id, unit_id=item.unit_id, acts=after, side=item.side,
        place=item.place,
    )  # fmt: skip
    kept = replace_record(item, replace(item, acts=before))
    return Edit(f"{link.name} from {person.name} to {to.name}", kept + add(new), (new.id,))


def pair_up(store: Store, scope: Scope, a: Link, b: Link) -> Edit:
    """Two links on one voice. Refusal where one of them has a partner."""
    taken = {n for p in pairs_of(store, scope) for n in (p.link_a_id, p.link_b_id)}
    if a.id == b.id or {a.id, b.id} & taken:
        raise Refusal(f"{a.name if a.id in taken or a.id == b.id else b.name} has a partner already.")
    if a.service == "in-ear" or b.service == "in-ear":
        raise Refusal("A redundant pair is two microphones on one voice.")
    new = Pair(id=store.reserve(), show_id=scope.show, link_a_id=a.id, link_b_id=b.id)
    return Edit(f"{a.name} and {b.name} on one voice", add(new), (new.id,))


def partner(store: Reading, scope: Scope, link: int) -> int | None:
    """The link that is on one voice with a link, by number."""
    for pair in pairs_of(store, scope):
        if link in (pair.link_a_id, pair.link_b_id):
            return pair.link_b_id if link == pair.link_a_id else pair.link_a_id
    return None


def part(store: Reading, scope: Scope, link: Link) -> Edit:
    """Give up the pair that a link is in. Refusal where it is in none."""
    found = [p for p in pairs_of(store, scope) if link.id in (p.link_a_id, p.link_b_id)]
    if not found:
        raise Refusal(f"{link.name} is in no pair.")
    return Edit(f"Part the pair of {link.name}", remove(found))


def free_packs(store: Reading, scope: Scope, link: Link) -> list[Unit]:
    """Carried units that a link can be on: of its kind, those of its own band first."""
    model = store.get(Model, link.model_id)
    known = {m.id: m for m in store.all(Model)}
    fitting = [
        u for u in units(store, scope)
        if u.carried and (known[u.model_id].service, known[u.model_id].modulation) == (model.service, model.modulation)
    ]  # fmt: skip
    return sorted(fitting, key=lambda u: (u.band != link.band, u.condition != "good", u.name.casefold()))
