"""Several carriers at one joint: average power and peak envelope."""

import math
from collections.abc import Sequence


def average_dbm(levels_dbm: Sequence[float]) -> float | None:
    """Σ P in dBm; None without carriers."""
    return 10 * math.log10(sum(10 ** (p / 10) for p in levels_dbm)) if levels_dbm else None


def peak_dbm(levels_dbm: Sequence[float], crest_db: Sequence[float] | None = None) -> float | None:
    """(Σ √P)² in dBm, each carrier raised by its own peak-to-average ratio if it has one; None without carriers."""
    if not levels_dbm:
        return None
    crests = crest_db or [0.0] * len(levels_dbm)
    return 20 * math.log10(sum(10 ** ((p + c) / 20) for p, c in zip(levels_dbm, crests, strict=True)))
