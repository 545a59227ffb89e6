"""Wideband carriers, many links in one raster channel: what packs cost, where a carrier may stand, which channel suits
it (domain, section 7)."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from azven.rf.levels import dbm, milliwatts
from azven.rf.sweep import Channel

CAPACITY = 256
GUARD_HZ = 500_000
CREST_DB = 10.0
Refused = Literal["cap", "off-raster", "outside", "too-wide"]


@dataclass(frozen=True)
class Mode:
    """Slots of one audio channel; of a stereo mix `stereo_slots`, without it twice as many."""

    slots: int
    stereo_slots: int | None = None

    def of_mix(self, stereo: bool) -> int:
        if not stereo:
            return self.slots
        return self.stereo_slots if self.stereo_slots is not None else 2 * self.slots


@dataclass(frozen=True, kw_only=True)
class Carrier:
    """A carrier with its slots, heard in `rooms`; None: everywhere."""

    id: str
    capacity: int = CAPACITY
    rooms: frozenset[str] | None = None

    def covers(self, rooms: frozenset[str]) -> bool:
        return self.rooms is None or rooms <= self.rooms


@dataclass(frozen=True, kw_only=True)
class Pack:
    """A pack with the slots of its uplink, and the mix that it hears with that mix's slots: packs of one `downlink` on
    a carrier share it. `carrier` is where it is now; while it is `busy` it stays there."""

    id: str
    uplink: int = 0
    downlink: tuple[str, str] | None = None
    downlink_slots: int = 0
    rooms: frozenset[str] = frozenset()
    carrier: str | None = None
    busy: bool = False


def percent(slots: int, capacity: int) -> float:
    """A share in percent with one decimal, halves up."""
    return (2 * slots * 1000 + capacity) // (2 * capacity) / 10


def load(packs: Sequence[Pack]) -> int:
    """Slots that packs on one carrier take: every uplink, and every downlink once, where packs differ at its widest."""
    shared: dict[tuple[str, str], int] = {}
    for pack in packs:
        if pack.downlink is not None:
            shared[pack.downlink] = max(pack.downlink_slots, shared.get(pack.downlink, 0))
    return sum(p.uplink for p in packs) + sum(shared.values())


@dataclass(frozen=True)
class Permitted:
    """A permitted range with its cap [dBm], None for no cap."""

    low_hz: int
    high_hz: int
    cap_dbm: float | None = None


def refused(
    centre_hz: int, width_hz: int, power_dbm: float, raster: Sequence[Channel], permitted: Sequence[Permitted]
) -> tuple[Refused, ...]:
    """Why a carrier may not stand at a centre [Hz], in alphabetical order; empty where it may. It stands on the centre
    of a raster channel, is no wider than that, and lies in one permitted range whose cap its power keeps, edges and cap
    included."""
    out: set[Refused] = set()
    channel = channel_at(centre_hz, raster)
    if channel is None:
        out.add("off-raster")
    elif width_hz > channel.high_hz - channel.low_hz:
        out.add("too-wide")
    inside = [r for r in permitted if 2 * r.low_hz <= 2 * centre_hz - width_hz and
              2 * centre_hz + width_hz <= 2 * r.high_hz]  # fmt: skip
    if not inside:
        out.add("outside")
    elif all(r.cap_dbm is not None and power_dbm > r.cap_dbm for r in inside):
        out.add("cap")
    return tuple(sorted(out))


def channel_at(centre_hz: int, raster: Sequence[Channel]) -> Channel | None:
    """The raster channel whose centre is there."""
    return next((c for c in raster if c.low_hz + c.high_hz == 2 * centre_hz), None)


def lost(centre_hz: int, width_hz: int, links_hz: Mapping[str, int], guard_hz: int = GUARD_HZ) -> tuple[str, ...]:
    """The narrowband links that stand closer to the edges of the carrier's width than the guard; exactly that is
    enough. In alphabetical order."""
    reach = width_hz + 2 * guard_hz
    return tuple(sorted(name for name, f in links_hz.items() if 2 * abs(f - centre_hz) < reach))


@dataclass(frozen=True)
class Ranked:
    """Channels by name, the best first, with the level at their worst antenna [dBm] and the narrowband links each
    costs; those without a level at one of the antennas are unknown."""

    rank: tuple[str, ...]
    unknown: tuple[str, ...]
    worst_dbm: Mapping[str, float]
    lost: Mapping[str, int]


def ranked(
    raster: Sequence[Channel], permitted: Sequence[Permitted], width_hz: int, power_dbm: float,
    antennas: Sequence[str], levels_dbm: Mapping[str, Mapping[str, float | None]],
    links_hz: Mapping[str, int] | None = None, guard_hz: int = GUARD_HZ,
) -> Ranked:  # fmt: skip
    """Channels that a carrier may stand in, by the interference at the worst of the assigned antennas in whole dB
    (halves up), then by the links a plan loses, then the lower."""
    worst: dict[str, float] = {}
    costs: dict[str, int] = {}
    unknown: list[str] = []
    keys: dict[str, tuple[int, int, int]] = {}
    for channel in raster:
        centre, odd = divmod(channel.low_hz + channel.high_hz, 2)
        if odd or refused(centre, width_hz, power_dbm, raster, permitted):
            continue
        heard = [levels_dbm.get(channel.name, {}).get(a) for a in antennas]
        known = [level for level in heard if level is not None]
        if not heard or len(known) < len(heard):
            unknown.append(channel.name)
            continue
        worst[channel.name] = max(known)
        costs[channel.name] = len(lost(centre, width_hz, links_hz or {}, guard_hz))
        keys[channel.name] = math.floor(worst[channel.name] + 0.5), costs[channel.name], channel.low_hz
    order = tuple(sorted(keys, key=keys.__getitem__))
    return Ranked(order, tuple(unknown), worst, costs)


def composite(wideband_dbm: Sequence[float], narrow_dbm: Sequence[float]) -> tuple[float, float]:
    """Average and peak [dBm] of carriers together: powers add for the average, amplitudes for the peak, a wideband
    carrier with its crest."""
    powers = [float(milliwatts(p)) for p in (*wideband_dbm, *narrow_dbm)]
    peaks = [float(milliwatts(p + CREST_DB)) for p in wideband_dbm] + [float(milliwatts(p)) for p in narrow_dbm]
    if not powers:
        return -math.inf, -math.inf
    return float(dbm(sum(powers))), float(dbm(sum(math.sqrt(p) for p in peaks) ** 2))
