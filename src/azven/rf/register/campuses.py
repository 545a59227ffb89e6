"""One coordination of several campuses: each keeps its own rules, and where two hear one another from afar their links
may not overlap (domain section 9)."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TypeVar

from azven.rf.request import Carrier, PlanRequest, Relation, Request

M = TypeVar("M", Request, Carrier)
Place = tuple[str, str]
"""A campus and a zone of it."""
Heard = tuple[Place, Place, Relation]
"""Zones of two campuses, and how they hear one another."""


@dataclass(frozen=True)
class Campus:
    """A campus under a name, with what it asks for by itself."""

    name: str
    request: PlanRequest


def together(
    campuses: Sequence[Campus], heard: Iterable[Heard], at_once: Iterable[tuple[str, str]], effort: int = 3,
    time_limit_s: float = 20.0,
) -> PlanRequest:  # fmt: skip
    """The coordination of all campuses; `at_once` names acts of two of them that share time, foreign carriers bear the
    name of their campus before their ids. ValueError where a link has the same id at two campuses, or where it cannot
    be planned."""
    slots = _slots(at_once)
    own = [_own(c.name, c.request, slots) for c in campuses]
    relations = {pair: r for x in own for pair, r in x.relations.items()}
    relations |= {frozenset({_at(*a), _at(*b)}): r for a, b, r in heard}
    return PlanRequest(
        profiles={k: p for x in own for k, p in x.profiles.items()},
        zones=tuple(z for x in own for z in x.zones),
        requests=tuple(r for x in own for r in x.requests),
        relations=relations,
        blocked=tuple(b for x in own for b in x.blocked),
        carriers=tuple(c for x in own for c in x.carriers),
        effort=effort,
        time_limit_s=time_limit_s,
        names={k: n for x in own for k, n in x.names.items()},
        zone_names={k: n for x in own for k, n in x.zone_names.items()},
        act_names={k: n for x in own for k, n in x.act_names.items()},
    ).validate()


def _own(campus: str, asked: PlanRequest, slots: Mapping[str, frozenset[str]]) -> PlanRequest:
    """What a campus asks for, under names that no other one has."""
    zones = {z: _at(campus, z) for z in asked.zones}
    links = {r.id for r in asked.requests}
    return replace(
        asked,
        zones=tuple(zones.values()),
        profiles={_at(campus, p): profile for p, profile in asked.profiles.items()},
        relations={frozenset(zones[z] for z in pair): r for pair, r in asked.relations.items()},
        requests=tuple(_moved(r, campus, slots) for r in asked.requests),
        carriers=tuple(replace(_moved(c, campus, slots), id=_at(campus, c.id)) for c in asked.carriers),
        blocked=tuple(
            replace(b, zones=frozenset(zones.values() if b.zones is None else (zones[z] for z in b.zones)))
            for b in asked.blocked
        ),
        names={k if k in links else _at(campus, k): name for k, name in asked.names.items()},
        zone_names={zones[z]: name for z, name in asked.zone_names.items()},
    )


def _at(campus: str, name: str) -> str:
    return f"{campus}/{name}"


def _moved(item: M, campus: str, slots: Mapping[str, frozenset[str]]) -> M:
    """A link or a carrier of a campus, on in what its acts share with acts elsewhere too."""
    times = item.times.union(*(slots[t] for t in item.times if t in slots))
    return replace(item, profile=_at(campus, item.profile), zone=_at(campus, item.zone), times=times)


def _slots(at_once: Iterable[tuple[str, str]]) -> dict[str, frozenset[str]]:
    """By act, names of what it shares with acts of other campuses: a name for each two that share time, so that no two
    acts of one campus come to share one."""
    out: dict[str, set[str]] = {}
    for pair in at_once:
        for act in pair:
            out.setdefault(act, set()).add("&".join(pair))
    return {act: frozenset(names) for act, names in out.items()}
