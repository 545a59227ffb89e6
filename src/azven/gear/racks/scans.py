"""Scans that receivers make for us: what was asked, and the levels that came."""

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from azven.gear.racks.values import Checker
from azven.gear.racks.words import LEVEL
from azven.rf.levels import Floats


@dataclass
class Scan:
    """A scan over low + k·step [Hz] up to high; `levels` [dBm] (n,), NaN where nothing was measured, `told` where the
    rack has said anything yet."""

    channel: str
    low_hz: int
    high_hz: int
    step_hz: int
    levels: Floats = field(init=False)
    told: Any = field(init=False)
    done: bool = False

    def __post_init__(self) -> None:
        n = max((self.high_hz - self.low_hz) // self.step_hz + 1, 0)
        self.levels = np.full(n, np.nan)
        self.told = np.zeros(n, bool)

    def take(self, low_hz: int, step_hz: int, levels: list[Any], checker: Checker) -> None:
        """Levels of a notification; those beyond what was asked are left out and counted."""
        for k, level in enumerate(levels):
            freq = low_hz + k * step_hz
            at, off = divmod(freq - self.low_hz, self.step_hz)
            if off or not 0 <= at < len(self.levels):
                checker.count("range")
                continue
            taken = None if level is None else checker.number(level, *LEVEL)
            self.levels[at] = np.nan if taken is None else taken
            self.told[at] = True

    def by_frequency(self) -> dict[int, float | None]:
        """What was told, level [dBm] by frequency [Hz]; None where the rack could not measure."""
        freq = self.low_hz + np.flatnonzero(self.told) * self.step_hz
        levels = self.levels[self.told]
        return {int(f): None if np.isnan(level) else float(level) for f, level in zip(freq, levels, strict=True)}
