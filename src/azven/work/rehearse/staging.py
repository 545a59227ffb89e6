"""Who is where in which act: places, ways and entrances on the plan of a room, and how full the house is."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from azven.book.edits import Edit, add, remove, replace_record
from azven.book.reading import Reading
from azven.book.records import Act, Link, Person, Staging, Zone
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.venue.ways import Part
from azven.work import ids, kit
from azven.work.kit import persons
from azven.work.scope import Scope

_MOST_CORNERS = 60
_LONGEST_MIN = 24 * 60
_APART_M = 1.0
Corner = tuple[float, float]


def all_of(store: Reading, scope: Scope) -> list[Staging]:
    return store.all(Staging, show_id=scope.show)


def found(known: Sequence[Staging], link: int, act: int | None) -> Staging | None:
    """What is said of a link in an act, else of all its acts."""
    mine = [s for s in known if s.link_id == link]
    return next((s for s in mine if s.act_id == act), next((s for s in mine if s.act_id is None), None))


def of_person(
    known: Sequence[Staging], link: int, act: int | None, together: Mapping[int, str]
) -> Staging | None:  # fmt: skip
    """The same; where nothing is said of a link, what is said of another that its wearer has: `together` says by link
    who wears it then."""
    own = found(known, link, act)
    if own is not None or link not in together:
        return own
    others = [x for x, who in together.items() if who == together[link] and x != link]
    return next((s for s in (found(known, x, act) for x in others) if s is not None), None)


def wearers(store: Reading, scope: Scope) -> Mapping[int, Mapping[int, str]]:
    """By act and link, the person who wears it then."""
    people, links = {p.id: p for p in persons.persons(store, scope)}, {x.id: x for x in kit.links(store, scope)}
    evening = persons.act_numbers(kit.acts(store, scope))
    out: dict[int, dict[int, str]] = {a: {} for a in evening}
    for item in persons.worn(store, scope):
        if item.link_id in links:
            for act in persons.worn_in(item, people[item.person_id], links[item.link_id], evening):
                out[act][item.link_id] = ids.key(Person, item.person_id)
    return out


def part(said: Staging | None, off: Corner | None) -> Part:
    """What somebody does, as the venue takes it."""
    if said is None:
        return Part()
    leaves_s = np.inf if said.leaves_min is None else 60 * said.leaves_min
    return Part(said.corners, 60 * said.enters_min, leaves_s, off)


@dataclass(frozen=True)
class Placed:
    """A link of a room in an act: who wears it then, what is said of where they are, and of which link that is said."""

    link: Link
    wearer: str
    said: Staging | None
    by: str = ""

    @property
    def id(self) -> int:
        return self.link.id

    @property
    def where(self) -> str:
        """In a few words."""
        if self.said is None or not self.said.corners:
            return "walks about the stage"
        spots = "; ".join(f"{x:g}, {y:g}" for x, y in self.said.corners)
        words = f"stands at {spots} m" if len(self.said.corners) == 1 else f"walks {spots} m"
        return words.replace("-", "−")


def placed(store: Reading, scope: Scope, zone: Zone, act: Act | None) -> list[Placed]:
    """The links of a room that are on in an act, in all acts together where none is named. Spares are on nobody."""
    known, names = all_of(store, scope), {ids.key(Person, p.id): p.name for p in persons.persons(store, scope)}
    links = {x.id: x for x in kit.links(store, scope)}
    worn = wearers(store, scope).get(act.id if act else persons.WHOLE_SHOW, {})
    out = []
    for link in links.values():
        on = act is None or not link.acts or act.id in link.acts
        if link.zone_id != zone.id or link.spare or link.set_aside or not on:
            continue
        said = of_person(known, link.id, act.id if act else None, worn)
        by = links[said.link_id].name if said is not None and said.link_id != link.id else ""
        out.append(Placed(link, names.get(worn.get(link.id, ""), ""), said, by))
    return out


def read_corners(text: str) -> tuple[Corner, ...]:
    """Corners from a text like `3, 4; 5, 6`, with or without the words around it; none for an empty one. Refusal for
    one that is no way."""
    plain = text.replace("−", "-").removeprefix("stands at").removeprefix("walks").strip().removesuffix("m").strip()
    if plain in ("", "about the stage"):
        return ()
    try:
        pairs = [tuple(float(v) for v in part.split(",")) for part in plain.split(";") if part.strip()]
    except ValueError:
        pairs = [()]
    if any(len(p) != 2 or not all(map(math.isfinite, p)) for p in pairs):
        raise Refusal(f"“{text}” is no place: write x and y in metres, as 3, 4 or 3, 4; 5, 6.")
    return tuple((p[0], p[1]) for p in pairs)


def read_minute(text: str) -> float | None:
    """A minute of an act; None for an empty text. Refusal for what is none."""
    plain = text.removesuffix("min").strip()
    if not plain:
        return None
    try:
        minute = float(plain)
    except ValueError:
        minute = math.nan
    if not 0 <= minute < _LONGEST_MIN:
        raise Refusal(f"“{text}” is no minute of an act.")
    return minute


def stand_at(store: Store, scope: Scope, links: Sequence[Link], act: Act | None, at: Corner) -> Edit:
    """Wearers stand side by side, around a spot."""
    first = -_APART_M * (len(links) - 1) / 2
    spots = [((round(at[0] + first + _APART_M * k, 2), round(at[1], 2)),) for k in range(len(links))]
    edits = [set_part(store, scope, x, act, corners=spot) for x, spot in zip(links, spots, strict=True)]
    title = edits[0].title if len(edits) == 1 else f"Where {len(edits)} links are"
    return Edit(title, tuple(c for e in edits for c in e.changes))


def set_part(store: Store, scope: Scope, link: Link, act: Act | None, **values: Any) -> Edit:
    """Say where a link's wearer is, in one act or in all of them: corners, enters_min, leaves_min. Refusal for one who
    goes off before coming on, and for a way with too many corners."""
    own = [s for s in all_of(store, scope) if s.link_id == link.id and s.act_id == (act.id if act else None)]
    before = own[0] if own else None
    inherited = found(all_of(store, scope), link.id, act.id if act else None)
    start = before or replace(
        inherited or Staging(show_id=scope.show, link_id=link.id), id=store.reserve(), version=0,
        act_id=act.id if act else None,
    )  # fmt: skip
    after = replace(start, **values)
    if after.enters_min < 0 or (after.leaves_min is not None and after.leaves_min <= after.enters_min):
        raise Refusal(f"{link.name} has to come on before going off.")
    if len(after.corners) > _MOST_CORNERS:
        raise Refusal(f"A way has at most {_MOST_CORNERS} corners.")
    title = f"{link.name} in {act.name}" if act else f"{link.name} in every act"
    return Edit(f"Where {title}", replace_record(before, after) if before else add(after))


def clear(store: Reading, scope: Scope, link: Link, act: Act | None) -> Edit:
    """Say nothing any more of a link in an act, or of all acts. Refusal where nothing is said."""
    own = [s for s in all_of(store, scope) if s.link_id == link.id and s.act_id == (act.id if act else None)]
    if not own:
        raise Refusal(f"Nothing is said of {link.name} {f'in {act.name}' if act else 'for all acts'}.")
    return Edit(f"{link.name} walks about the stage", remove(own))


def set_house(act: Act, percent: int) -> Edit:
    """How full the house is by an act; Refusal for what no house can be."""
    if not 0 <= percent <= 100:
        raise Refusal("A house is from 0 to 100 % full.")
    return Edit(f"House of {act.name}: {percent} %", replace_record(act, replace(act, house_percent=percent)))
