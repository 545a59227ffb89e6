"""A channel by its ids, and what it showed in the last seconds."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats32 = NDArray[np.float32]
Key = tuple[str, str]
"""A channel: ids of rack and channel."""


@dataclass(frozen=True)
class Traces:
    """The last seconds of a channel: times (n,) [s, negative, 0 now] and its fields (n,), NaN where not known."""

    at_s: Floats32
    a: Floats32
    b: Floats32
    q: Floats32
    af: Floats32

    @property
    def louder(self) -> Floats32:
        """The level of the stronger antenna [dBm]."""
        return np.fmax(self.a, self.b)
