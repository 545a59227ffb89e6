"""How large an intercom has to be: transceivers by slots and by coverage, talkers, cables (domain, section 7)."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from azven.rf.levels import Floats
from azven.rf.walls import WallLine

Where = Literal["indoor", "outdoor"]
CABLE_M, SHARE = 100.0, 0.99
EXACT_TO = 12
"""Up to so many mounting places every set is looked at; beyond that the one that covers most goes first."""
_MOST_POINTS, _HALVED_DB, _AS_GOOD_M = 1_000_000, 6.0, 1e-9
Bools = NDArray[np.bool_]


@dataclass(frozen=True)
class Area:
    """A part of the site where people talk: corners [m]."""

    corners: Sequence[tuple[float, float]]
    where: Where = "indoor"


@dataclass(frozen=True, kw_only=True)
class Place:
    """Where a transceiver can be mounted [m], and the cable that it takes there."""

    id: str
    at_m: tuple[float, float]
    where: Where = "indoor"
    cable_m: float = 0.0


@dataclass(frozen=True, kw_only=True)
class Coverage:
    """Points of the areas, how many the chosen places cover together, and whether fewer places are proved not to do."""

    points: int
    covered: int
    places: tuple[str, ...]
    exact: bool


def by_slots(packs: Sequence[tuple[int, int]], slots_of_one: int) -> int:
    """Transceivers that packs (count, slots) take. ValueError for what cannot be meant."""
    if slots_of_one < 1 or any(count < 0 or slots < 0 for count, slots in packs):
        raise ValueError("a transceiver has slots, and packs are not fewer than none")
    return -(-sum(count * slots for count, slots in packs) // slots_of_one)


def points_in(areas: Sequence[Area]) -> tuple[Floats, Bools]:
    """Centres of whole-metre squares inside the areas (n, 2) [m], each once, and whether it is outdoors (n,).
    ValueError for areas of more than a million."""
    found: dict[tuple[float, float], bool] = {}
    for area in areas:
        corners = np.asarray(area.corners, float)
        if len(corners) < 3:
            raise ValueError("an area needs three corners")
        low, high = np.floor(corners.min(axis=0)), np.ceil(corners.max(axis=0))
        if float(np.prod(high - low)) > _MOST_POINTS:
            raise ValueError(f"an area is larger than {_MOST_POINTS} square metres")
        xs, ys = (np.arange(a, b) + 0.5 for a, b in zip(low, high, strict=True))
        grid = np.stack(np.meshgrid(xs, ys), axis=-1).reshape(-1, 2)
        for x, y in grid[_inside(grid, corners)].tolist():
            found.setdefault((x, y), area.where == "outdoor")
    keys = np.array(list(found), float).reshape(-1, 2)
    return keys, np.array(list(found.values()), bool)


def _inside(points: Floats, corners: Floats) -> Bools:
    """Whether points lie in a polygon: a ray from them crosses its edge an odd number of times."""
    inside = np.zeros(len(points), bool)
    for (x1, y1), (x2, y2) in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        if y1 == y2:
            continue
        spans = (points[:, 1] >= min(y1, y2)) & (points[:, 1] < max(y1, y2))
        inside ^= spans & (points[:, 0] < x1 + (points[:, 1] - y1) / (y2 - y1) * (x2 - x1))
    return inside


def covered_by(
    place: Place, points: Floats, outdoor: Bools, radius_m: Mapping[Where, float], walls: Sequence[WallLine]
) -> Bools:
    """Points (n,) that a place covers: within the radius, the outdoor one only from outdoors to outdoors; each wall on
    the way leaves 2^(−loss/6 dB) of what is left of the radius beyond it."""
    way = points - np.asarray(place.at_m)
    away = np.linalg.norm(way, axis=1)
    reach = np.where(outdoor & (place.where == "outdoor"), radius_m["outdoor"], radius_m["indoor"]).astype(float)
    if not walls:
        return np.asarray(away <= reach + _AS_GOOD_M)
    shares = np.array([_share(place, way, w) for w in walls])  # where along the way each wall is met, inf for nowhere
    order = np.argsort(shares, axis=0, kind="stable")
    kept = np.array([2 ** (-w.loss_db / _HALVED_DB) for w in walls])
    for k in range(len(walls)):
        met = np.take_along_axis(shares, order[k : k + 1], axis=0)[0]
        at = np.where(np.isfinite(met), met, 0.0) * away
        crossed = np.isfinite(met) & (reach > at)
        reach = np.where(crossed, at + (reach - at) * kept[order[k]], reach)
    return np.asarray(away <= reach + _AS_GOOD_M)


def _share(place: Place, way: Floats, wall: WallLine) -> Floats:
    a, along = np.asarray(wall.a, float), np.asarray(wall.b, float) - np.asarray(wall.a, float)
    across = way[:, 0] * along[1] - way[:, 1] * along[0]
    to = a - np.asarray(place.at_m)
    with np.errstate(divide="ignore", invalid="ignore"):
        t = (to[0] * along[1] - to[1] * along[0]) / across
        s = (to[0] * way[:, 1] - to[1] * way[:, 0]) / across
    return np.where((across != 0) & (t > 0) & (t < 1) & (s >= 0) & (s <= 1), t, np.inf)


def coverage(
    areas: Sequence[Area], places: Sequence[Place], radius_m: Mapping[Where, float], walls: Sequence[WallLine] = (),
    cable_m: float = CABLE_M,
) -> Coverage:  # fmt: skip
    """The fewest places that together cover 99 % of the points, of equally many those that cover most, then those that
    come first. A place beyond the cable is none. ValueError where not even all of them do."""
    points, outdoor = points_in(areas)
    if not len(points):
        return Coverage(points=0, covered=0, places=(), exact=True)
    usable = [p for p in places if p.cable_m <= cable_m + _AS_GOOD_M]
    covers = [covered_by(p, points, outdoor, radius_m, walls) for p in usable]
    needed = _needed(len(points))
    if not covers or int(np.any(covers, axis=0).sum()) < needed:
        raise ValueError("coverage: all places together do not cover 99 % of the points")
    exact = len(usable) <= EXACT_TO
    some = _fewest(covers, needed) if exact else _greedily(covers, needed)
    count = int(np.any([covers[i] for i in some], axis=0).sum())
    return Coverage(points=len(points), covered=count, places=tuple(sorted(usable[i].id for i in some)), exact=exact)


def _needed(points: int) -> int:
    return -(-points * 99 // 100)


def _fewest(covers: Sequence[Bools], needed: int) -> tuple[int, ...]:
    packed = np.array([np.packbits(c) for c in covers])
    for count in range(1, len(covers) + 1):
        sets = [
            (int(np.bitwise_count(np.bitwise_or.reduce(packed[list(some)], axis=0)).sum()), some)
            for some in combinations(range(len(covers)), count)
        ]
        most = max(n for n, _ in sets)
        if most >= needed:
            return next(some for n, some in sets if n == most)
    raise ValueError("coverage: all places together do not cover 99 % of the points")


def _greedily(covers: Sequence[Bools], needed: int) -> tuple[int, ...]:
    done, out = np.zeros(len(covers[0]), bool), list[int]()
    while int(done.sum()) < needed:
        gains = [int((c & ~done).sum()) for c in covers]
        out.append(int(np.argmax(gains)))
        done = done | covers[out[-1]]
    return tuple(out)
