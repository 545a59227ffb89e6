"""How well rooms are kept apart, from the walls and distances of their plan."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from azven.book.edits import Change, Edit
from azven.book.records import RelationName, Wall, Zone
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.levels import Floats
from azven.rf.walls import WallLine, crossed_db
from azven.work import ground, reach
from azven.work.ground import places
from azven.work.ground.site import relation_from_loss
from azven.work.scope import Scope

_FREE_M = 10.0
"""Up to so far between rooms distance adds nothing; from there 6 dB for every doubling (free space)."""
_SAMPLES = 5


@dataclass(frozen=True)
class Isolation:
    """Between two rooms, along the straight path that loses least: walls [dB], distance [m] and what both cost [dB]."""

    a: Zone
    b: Zone
    walls_db: float
    distance_m: float

    @property
    def loss_db(self) -> float:
        return round(self.walls_db + 20 * math.log10(max(self.distance_m / _FREE_M, 1.0)), 1)

    @property
    def relation(self) -> RelationName:
        return relation_from_loss(self.loss_db)

    def sentence(self) -> str:
        return (
            f"{self.a.name} – {self.b.name}: walls {self.walls_db:g} dB, {self.distance_m:.0f} m, "
            f"{self.loss_db:g} dB in all: {self.relation}"
        )


def between(store: Store, scope: Scope, a: Zone, b: Zone) -> Isolation:
    """Isolation of two drawn rooms. Refusal for a room without an outline."""
    for zone in (a, b):
        if not zone.shape:
            raise Refusal(f"{zone.name} has no outline yet. Draw it in Reach, then its walls count.")
    return _through(_walls(store, scope), a, b)


def _walls(store: Store, scope: Scope) -> tuple[WallLine, ...]:
    return places.wall_lines(store.all(Wall, site_id=scope.site))


def _through(walls: Sequence[WallLine], a: Zone, b: Zone) -> Isolation:
    here, there = (_spots(z) for z in (a, b))
    start, end = here[:, None, :], there[None, :, :]
    lost = crossed_db(walls, start, end) if walls else np.zeros((len(here), len(there)))
    far = np.linalg.norm(start - end, axis=-1)
    total = lost + 20 * np.log10(np.maximum(far / _FREE_M, 1.0))
    i, j = np.unravel_index(int(np.argmin(total)), total.shape)
    return Isolation(a, b, float(lost[i, j]), float(far[i, j]))


def _spots(zone: Zone) -> Floats:
    """Places spread over a room (n, 2), a little inside its outline's box."""
    low, high = (np.array(corner) for corner in reach.bounds(zone.shape))
    places = low + np.linspace(0.04, 0.96, _SAMPLES)[:, None] * (high - low)
    return np.stack(np.meshgrid(*places.T), axis=-1).reshape(-1, 2)


def from_plan(store: Store, scope: Scope) -> tuple[Edit, list[str]]:
    """Every pair of drawn rooms related by what stands between them, and that in words. Refusal where fewer than
    two rooms are drawn."""
    drawn = [z for z in ground.zones(store, scope) if z.shape]
    if len(drawn) < 2:
        raise Refusal("Draw the outlines of at least two rooms in Reach first; their walls say how they hear.")
    walls = _walls(store, scope)
    found = [_through(walls, a, b) for a, b in combinations(drawn, 2)]
    changes: tuple[Change, ...] = ()
    for pair in found:
        changes += ground.relate(store, scope, pair.a, pair.b, pair.relation, pair.loss_db).changes
    return Edit("Relations from the plan", changes), [pair.sentence() for pair in found]
