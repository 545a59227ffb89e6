"""What a link needs at its receiver's input, and what may be there when nobody sends."""

from dataclasses import dataclass

import numpy as np

QUIET_OVER_NOISE_DB = 6.0
"""What is heard with the transmitter off may stand so far over the noise that is planned with."""
FULL_OVER_NEED_DB = 10.0


@dataclass(frozen=True)
class Need:
    """Noise that is planned with at a receiver's input [dBm], and the ratio a link needs over it [dB]."""

    noise_dbm: float
    needed_db: float
    source: str

    @property
    def level_dbm(self) -> float:
        """The level under which the link does not work."""
        return self.noise_dbm + self.needed_db

    @property
    def quiet_dbm(self) -> float:
        """What is heard with the transmitter off has to stay under this."""
        return self.noise_dbm + QUIET_OVER_NOISE_DB

    def over(self, level_dbm: float | None) -> float | None:
        """How far a level is over need [dB]."""
        return None if level_dbm is None or np.isnan(level_dbm) else level_dbm - self.level_dbm
