"""People on their ways: each walks about the part of a room that is theirs, turns, and stands still.

A way is a loop of about twenty minutes, there and back, that is made once from a seed; time is an argument. Nobody
walks through a wall.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import cycle

import numpy as np
from numpy.typing import NDArray

from azven.rf.levels import Floats
from azven.rf.reach import inside
from azven.rf.walls import WallLine, crossed_db

Outline = Sequence[tuple[float, float]]
_LEGS = 120
_PACE_M_S = (0.7, 1.4)
_STANDS_S = (1.0, 15.0)
_TURN_RAD_S = 2.5
_TRIES = 24
_SHIFTS_M = 0.5
"""How far who stands somewhere shifts about."""


@dataclass(frozen=True)
class Way:
    """One person's loop: moments (k,) [s], places (k, 2) [m] and headings (k,) [rad, unwrapped, 0 along y]."""

    at_s: Floats
    place_m: Floats
    heading: Floats
    from_s: float = 0.0
    """When it begins."""

    def over(self, at_s: Floats) -> Floats:
        """Places and headings (n, 3) at moments (n,)."""
        t = (np.asarray(at_s, float) - self.from_s) % self.at_s[-1]
        rows = (*self.place_m.T, self.heading)
        return np.stack([np.interp(t, self.at_s, row) for row in rows], axis=-1)


def way(outline: Outline, walls: Sequence[WallLine], seed: int, home: tuple[float, float] | None = None) -> Way:
    """A loop inside an outline. `home` is where it begins and ends; ValueError for an outline of fewer than three."""
    if len(outline) < 3:
        raise ValueError("an outline needs three corners")
    rng = np.random.default_rng([seed, 5])
    start = np.array(home if home is not None else _somewhere(outline, rng), float)
    walker = _Walker(start, rng)
    stops = [start]
    for _ in range(_LEGS // 2):
        stops.append(_next(stops[-1], outline, walls, rng))
    for there in (*stops[1:], *stops[-2::-1]):
        walker.go(there)
    return walker.way()


@dataclass(frozen=True)
class Part:
    """What somebody does in an act: corners of the way (x, y) [m] that they walk there and back, one: they stand
    there, none: they walk about; when they come on and go off [s of the act], and where they are when they are off."""

    corners: tuple[tuple[float, float], ...] = ()
    enters_s: float = 0.0
    leaves_s: float = np.inf
    off: tuple[float, float] | None = None

    def on(self, at_s: Floats) -> NDArray[np.bool_]:
        """Whether they are on at moments (n,) [s of the act]."""
        return np.asarray((at_s >= self.enters_s) & (at_s < self.leaves_s))


def staged(
    part: Part, outline: Outline, walls: Sequence[WallLine], lasts_s: float, seed: int, from_s: float = 0.0
) -> Way:  # fmt: skip
    """The way of somebody who has a part in an act of so many seconds that begins at a moment [s]."""
    rng = np.random.default_rng([seed, 5])
    first = np.array(part.corners[0] if part.corners else _somewhere(outline, rng), float)
    off = first if part.off is None else np.array(part.off, float)
    walker = _Walker(off if part.enters_s > 0 else first, rng)
    end_s = min(part.leaves_s, lasts_s)
    walker.stand(min(part.enters_s, lasts_s))
    stops = _stops(part, first, outline, walls, rng)
    while walker.now < end_s:
        walker.go(next(stops), at_the_latest_s=end_s)
    if part.leaves_s < lasts_s:
        walker.go(off)
    walker.stand(lasts_s)
    return walker.way(from_s)


def _stops(
    part: Part, here: Floats, outline: Outline, walls: Sequence[WallLine], rng: np.random.Generator
) -> Iterator[Floats]:  # fmt: skip
    """Where they go next, without end: along their corners and back, about their spot, or about the stage."""
    corners = [np.array(c, float) for c in part.corners]
    if len(corners) > 1:
        yield from cycle([*corners, *corners[-2:0:-1]])
    yield here
    while True:
        here = corners[0] + rng.uniform(-_SHIFTS_M, _SHIFTS_M, 2) if corners else _next(here, outline, walls, rng)
        yield here


class _Walker:
    """Somebody whose moments, places and headings are written down."""

    def __init__(self, start: Floats, rng: np.random.Generator) -> None:
        self._rng, self._here, self.now = rng, start, 0.0
        self._facing = 2 * np.pi * rng.random()
        self._told: list[tuple[float, Floats, float]] = [(0.0, start, self._facing)]

    def go(self, there: Floats, at_the_latest_s: float = np.inf) -> None:
        """Turn, walk there and stand there for a while; who has to be elsewhere stands no longer."""
        far, rng = float(np.hypot(*(there - self._here))), self._rng
        ahead = float(np.arctan2(*(there - self._here))) if far > 0 else self._facing
        turned = self._facing + (ahead - self._facing + np.pi) % (2 * np.pi) - np.pi
        self._tell(abs(turned - self._facing) / _TURN_RAD_S, self._here, turned)
        self._tell(far / rng.uniform(*_PACE_M_S), there, turned)
        stands = min(rng.uniform(*_STANDS_S), max(at_the_latest_s - self.now, 0.1))
        self._tell(stands, there, turned + rng.uniform(-0.6, 0.6))

    def stand(self, until_s: float) -> None:
        if until_s > self.now:
            self._tell(until_s - self.now, self._here, self._facing)

    def _tell(self, seconds: float, place: Floats, heading: float) -> None:
        self.now += seconds
        self._here, self._facing = place, heading
        self._told.append((self.now, place, heading))

    def way(self, from_s: float = 0.0) -> Way:
        moments, places, headings = zip(*self._told, strict=True)
        return Way(np.array(moments), np.array(places), np.array(headings), from_s)


def _somewhere(outline: Outline, rng: np.random.Generator) -> Floats:
    corners = np.asarray(outline, float)
    for _ in range(_TRIES):
        spot = rng.uniform(corners.min(axis=0), corners.max(axis=0))
        if inside(spot[None], outline)[0]:
            return np.asarray(spot)
    return np.asarray(corners.mean(axis=0))


def _next(here: Floats, outline: Outline, walls: Sequence[WallLine], rng: np.random.Generator) -> Floats:
    """Somewhere that can be walked to in a straight line without leaving the outline; here, if there is none."""
    for _ in range(_TRIES):
        there = _somewhere(outline, rng)
        middle = (here + there) / 2
        if inside(middle[None], outline)[0] and not (walls and crossed_db(walls, here, there) > 0):
            return there
    return here
