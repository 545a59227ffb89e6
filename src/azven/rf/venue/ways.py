"""People on their ways: each walks about the part of a room that is theirs, turns, and stands still.

A way is a loop of about twenty minutes, there and back, that is made once from a seed; time is an argument. Nobody
walks through a wall.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from azven.rf.levels import Floats
from azven.rf.reach import inside
from azven.rf.walls import WallLine, crossed_db

Outline = Sequence[tuple[float, float]]
_LEGS = 120
_PACE_M_S = (0.7, 1.4)
_STANDS_S = (1.0, 15.0)
_TURN_RAD_S = 2.5
_TRIES = 24


@dataclass(frozen=True)
class Way:
    """One person's loop: moments (k,) [s], places (k, 2) [m] and headings (k,) [rad, unwrapped, 0 along y]."""

    at_s: Floats
    place_m: Floats
    heading: Floats

    def over(self, at_s: Floats) -> Floats:
        """Places and headings (n, 3) at moments (n,)."""
        t = np.asarray(at_s, float) % self.at_s[-1]
        rows = (*self.place_m.T, self.heading)
        return np.stack([np.interp(t, self.at_s, row) for row in rows], axis=-1)


def way(outline: Outline, walls: Sequence[WallLine], seed: int, home: tuple[float, float] | None = None) -> Way:
    """A loop inside an outline. `home` is where it begins and ends; ValueError for an outline of fewer than three."""
    if len(outline) < 3:
        raise ValueError("an outline needs three corners")
    rng = np.random.default_rng([seed, 5])
    start = np.array(home if home is not None else _somewhere(outline, rng), float)
    here, facing, now = start, 2 * np.pi * rng.random(), 0.0
    moments, places, headings = [0.0], [start], [facing]
    stops = [start]
    for _ in range(_LEGS // 2):
        stops.append(_next(stops[-1], outline, walls, rng))
    for there in (*stops[1:], *stops[-2::-1]):
        ahead = float(np.arctan2(*(there - here))) if np.hypot(*(there - here)) > 0 else facing
        turned = facing + (ahead - facing + np.pi) % (2 * np.pi) - np.pi
        for seconds, place, heading in (
            (abs(turned - facing) / _TURN_RAD_S, here, turned),
            (float(np.hypot(*(there - here))) / rng.uniform(*_PACE_M_S), there, turned),
            (rng.uniform(*_STANDS_S), there, turned + rng.uniform(-0.6, 0.6)),
        ):
            now += seconds
            moments.append(now)
            places.append(place)
            headings.append(heading)
        here, facing = there, headings[-1]
    return Way(np.array(moments), np.array(places), np.array(headings))


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
