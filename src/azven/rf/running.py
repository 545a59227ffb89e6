"""How long a battery still runs, from what its gauge said (domain, section 8)."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

WINDOW_MIN, LEAST_READINGS = 20.0, 5
FRESH_POINTS = 10.0


@dataclass(frozen=True)
class Left:
    """Minutes left, None where nobody can tell, and who says so."""

    minutes: float | None
    by: Literal["unit", "slope"] | None


def minutes_left(readings: Sequence[tuple[float, float | None]], now_min: float, unit_min: float | None = None) -> Left:
    """Minutes to 0 %: the unit's own estimate where it has one, else from the robust line through readings (minute, %)
    of the last 20 minutes: Theil–Sen slope (Sen, J. Am. Stat. Assoc. 1968), level the median of what is left over."""
    if unit_min is not None:
        return Left(unit_min, "unit")
    known = sorted(((t, level) for t, level in readings if level is not None and t <= now_min), key=lambda r: r[0])
    used = [(t, level) for t, level in known[_fresh(known) :] if t >= now_min - WINDOW_MIN]
    if len(used) < LEAST_READINGS:
        return Left(None, None)
    t, level = np.array(used, float).T
    i, j = np.triu_indices(len(t), 1)
    apart = t[j] != t[i]
    slopes = (level[j] - level[i])[apart] / (t[j] - t[i])[apart]
    slope = float(np.median(slopes)) if len(slopes) else 0.0
    if slope >= 0:
        return Left(None, None)
    now = float(np.median(level - slope * t)) + slope * now_min
    return Left(max(now / -slope, 0.0), "slope")


def _fresh(known: Sequence[tuple[float, float]]) -> int:
    """Where the last fresh battery begins: two readings in a row more than 10 points above both before them."""
    for i in range(len(known) - 2, 0, -1):
        before = max(level for _, level in known[max(i - 2, 0) : i])
        if min(known[i][1], known[i + 1][1]) > before + FRESH_POINTS:
            return i
    return 0
