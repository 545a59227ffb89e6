"""Walls on a plan: which of them a straight path crosses, and what they cost together."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from azven.rf.levels import Floats


@dataclass(frozen=True)
class WallLine:
    """A straight wall from `a` to `b` [m] that costs `loss_db` to cross."""

    a: tuple[float, float]
    b: tuple[float, float]
    loss_db: float


def crossed_db(walls: Sequence[WallLine], start: ArrayLike, end: ArrayLike) -> Floats:
    """Sum of the losses [dB] of the walls between points: `start` (..., 2 or 3), `end` (..., 2 or 3) broadcast."""
    p, q = np.asarray(start, float)[..., :2], np.asarray(end, float)[..., :2]
    if not walls:
        return np.zeros(np.broadcast_shapes(p.shape, q.shape)[:-1])
    a, b = np.array([w.a for w in walls], float), np.array([w.b for w in walls], float)
    met = crosses(p[..., None, :], (q - p)[..., None, :], a, b - a)
    return np.asarray(met @ np.array([w.loss_db for w in walls], float))


def crosses(p: Floats, along: Floats, a: Floats, wall: Floats) -> NDArray[np.bool_]:
    """Whether p + t·along meets a + s·wall (..., 2) with 0 < t < 1 and 0 ≤ s ≤ 1."""
    across = along[..., 0] * wall[..., 1] - along[..., 1] * wall[..., 0]
    to = a - p
    with np.errstate(divide="ignore", invalid="ignore"):
        t = (to[..., 0] * wall[..., 1] - to[..., 1] * wall[..., 0]) / across
        s = (to[..., 0] * along[..., 1] - to[..., 1] * along[..., 0]) / across
    return np.asarray((across != 0) & (t > 0) & (t < 1) & (s >= 0) & (s <= 1))
