"""The bands that radio gear works in, by name, and the channels of those that everybody shares."""

from collections.abc import Iterable
from dataclasses import dataclass

from azven.rf import band24, dect, dfs
from azven.rf.sweep import Channel


@dataclass(frozen=True)
class Band:
    """A band with its edges [Hz]. `shared`: nobody is granted a frequency of his own there."""

    name: str
    low_hz: int
    high_hz: int
    shared: bool = False

    def holds(self, freq_hz: float) -> bool:
        return self.low_hz <= freq_hz < self.high_hz


DECT, ISM, RLAN = "1.9 GHz", "2.4 GHz", "5 GHz"
UHF = Band("UHF", 300_000_000, 1_000_000_000)
BANDS = (
    Band("VHF", 0, 300_000_000), UHF,
    Band("1.4 GHz", 1_000_000_000, 1_875_000_000), Band(DECT, 1_875_000_000, 1_940_000_000, shared=True),
    Band("2 GHz", 1_940_000_000, 2_390_000_000), Band(ISM, 2_390_000_000, 2_495_000_000, shared=True),
    Band("3 GHz", 2_495_000_000, 5_140_000_000), Band(RLAN, 5_140_000_000, 5_900_000_000, shared=True),
    Band("over 5.9 GHz", 5_900_000_000, 10**13),
)  # fmt: skip
SHARED = tuple(b for b in BANDS if b.shared)
RLAN_CHANNELS = (*range(36, 65, 4), *range(100, 145, 4), *range(149, 166, 4))
"""The channels of 20 MHz at 5 GHz (IEEE 802.11)."""


def of(freq_hz: float) -> Band:
    """The band of a frequency [Hz], not below 0."""
    return next(b for b in BANDS if b.holds(freq_hz))


def of_range(low_hz: float, high_hz: float) -> Band:
    """The band of a tuning range: that of its middle."""
    return of((low_hz + high_hz) / 2)


def named(name: str) -> Band:
    """ValueError for a band of no such name."""
    found = next((b for b in BANDS if b.name == name), None)
    if found is None:
        raise ValueError(f"there is no band {name}")
    return found


def shared(ranges_hz: Iterable[tuple[float, float]]) -> tuple[Band, ...]:
    """The shared bands that one of the ranges reaches, ascending."""
    listed = list(ranges_hz)
    return tuple(b for b in SHARED if any(low < b.high_hz and b.low_hz < high for low, high in listed))


def channels(band: Band) -> tuple[Channel, ...]:
    """What a shared band is divided into where its spectrum is judged, by the numbers that people use: pieces of 5 MHz
    about the centres of the channels at 2.4 GHz, the channels at 5 GHz, the carriers at 1.9 GHz."""
    if band.name == ISM:
        centres = {str(n): (band24.wifi(n).centre_hz, 5_000_000) for n in range(1, 14)}
    elif band.name == RLAN:
        centres = {str(n): (dfs.centre_hz(n), 20_000_000) for n in RLAN_CHANNELS}
    elif band.name == DECT:
        carriers = reversed(dect.carriers_hz("europe"))
        centres = {f"c{i}": (freq, 1_728_000) for i, freq in enumerate(carriers)}
        upper = dect.carriers_hz("north-america")
        centres |= {f"u{i}": (freq, 1_728_000) for i, freq in enumerate(upper, start=1)}
    else:
        return ()
    made = [Channel(name, round(c - w / 2), round(c + w / 2)) for name, (c, w) in centres.items()]
    return tuple(sorted(made, key=lambda c: c.low_hz))


def channel_at(freq_hz: int) -> str:
    """The number that people call a centre frequency in a shared band by, empty where it has none."""
    if of(freq_hz).name == RLAN:
        number, rest = divmod(freq_hz - dfs.centre_hz(0), 5_000_000)
        return str(number) if rest == 0 and number in RLAN_CHANNELS else ""
    return ""
