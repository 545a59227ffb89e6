"""What a sweep of 100 000 points costs, against sorting as many numbers."""

import numpy as np

from azven.rf.occupancy import judge, survey
from azven.rf.sweep import Channel, SweepSettings, merge
from azven.rf.venue import Antenna, Venue
from timing import least, row


def main(_: list[str]) -> None:
    rng = np.random.default_rng(1)
    numbers = rng.random(100_000)
    baseline = least(lambda: np.sort(numbers))
    channels = [Channel(str(k), 470_000_000 + 8_000_000 * k, 478_000_000 + 8_000_000 * k) for k in range(28)]
    settings = SweepSettings(start_hz=470_000_000, stop_hz=694_000_000, points=100_000, rbw_hz=10_000)
    first, second = (Venue().sweep(Antenna(), settings, n) for n in (1, 2))

    def whole() -> None:
        merged = merge([first, second])
        judge(survey(merged, channels), -95.0)

    row("merge two, floors, classes, lines (100 000 points)", least(whole), baseline, "(wanted well under 200 ms)")
    row("simulated sweep of 100 000 points", least(lambda: Venue().sweep(Antenna(), settings, 3)), baseline, "")
