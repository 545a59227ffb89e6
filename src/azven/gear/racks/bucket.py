"""A measure of how much may come: it holds a burst and fills at a steady rate."""

from dataclasses import dataclass


@dataclass
class Bucket:
    """Holds `held` tokens, full at first, and gets `per_s` of them a second (token bucket)."""

    held: float
    per_s: float
    at_s: float
    left: float = -1.0

    def __post_init__(self) -> None:
        if self.left < 0:
            self.left = self.held

    def take(self, now_s: float) -> bool:
        """Pay for one; False when there is nothing left."""
        self.left = min(self.held, self.left + (now_s - self.at_s) * self.per_s)
        self.at_s = now_s
        if self.left < 1.0:
            return False
        self.left -= 1.0
        return True
