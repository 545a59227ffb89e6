"""Batteries as their packs show them: discharge curves, cold, and the steps of a gauge."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

Chemistry = Literal["alkaline", "nickel", "lithium"]
_CURVES: dict[Chemistry, tuple[tuple[float, float], ...]] = {
    "alkaline": ((0.0, 0.0), (0.25, 12.0), (0.5, 38.0), (0.75, 68.0), (1.0, 100.0)),
    "nickel": ((0.0, 0.0), (0.04, 20.0), (0.1, 62.0), (0.5, 84.0), (1.0, 100.0)),
    "lithium": ((0.0, 0.0), (0.1, 9.0), (0.5, 51.0), (0.9, 91.0), (1.0, 100.0)),
}
"""What a gauge that goes by the voltage shows [%] at a share of the charge: alkaline sinks all along, nickel stays and
falls late and fast, lithium with a coulomb counter is nearly straight (usual shapes of data sheets)."""
_COLD: dict[Chemistry, float] = {"alkaline": 0.02, "nickel": 0.006, "lithium": 0.01}
"""Share of the charge that is lost for each degree under 20 °C."""


@dataclass(frozen=True, kw_only=True)
class Cell:
    """A battery in a pack: it lasts `full_min` at 20 °C; the gauge shows steps of `step_percent`."""

    chemistry: Chemistry = "alkaline"
    full_min: float = 300.0
    step_percent: float = 1.0

    def lasts_min(self, temperature_c: float = 20.0) -> float:
        """How long a full one lasts."""
        cold = max(20.0 - temperature_c, 0.0) * _COLD[self.chemistry]
        return self.full_min * max(1.0 - cold, 0.2)

    def gauge(self, used_min: float, temperature_c: float = 20.0) -> float:
        """What the gauge shows [%] after so many minutes; 0 when it is empty, a step is rounded up."""
        share = 1.0 - used_min / self.lasts_min(temperature_c)
        if share <= 0:
            return 0.0
        at, shown = zip(*_CURVES[self.chemistry], strict=True)
        level = float(np.interp(share, at, shown))
        return min(float(np.ceil(level / self.step_percent) * self.step_percent), 100.0)
