"""What a sweep says of the raster channels for a use: quiet, usable or taken (domain section 3).

An absolute level decides: nothing above what a use tolerates is ever called quiet, however flat or wide it is and
whatever stands beside it. The noise floor only says whether a channel is as quiet as the instrument can see.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from azven.rf import emissions
from azven.rf.edges import averaged
from azven.rf.levels import Floats, dbm, milliwatts
from azven.rf.noise import (
    PEAK_ABOVE_AVERAGE_DB,
    averages_of,
    floor_seen,
    floors_of,
    full_channels,
    lower_quantiles,
    mean_over_floor_db,
    median_db,
    per_bin,
    seldom_db,
    sloping,
    upper_db,
)
from azven.rf.shapes import (
    beside_an_edge,
    bins_of,
    filled_channels,
    joined,
    over_multiplexes,
    parted,
    shaped_channels,
)
from azven.rf.sweep import Channel, Line, Sweep, band_power_dbm, quantile

Occupancy = Literal["quiet", "usable", "taken", "unknown"]
LINK_BANDWIDTH_HZ = 200_000
KEPT_BESIDE_HZ = 200_000
"""What a plan keeps beside an emission that nobody has claimed."""
AS_QUIET_DB = 6.0
COVERED_SHARE, FEW_LINES_SHARE = 0.25, 0.2
"""Emissions over more of a channel than the first make it taken, over more than the second keep it from being quiet."""
_SCATTER_SLACK, _UNSURE_SIGMAS = 1.3, 4.0
_HOLE_BINS = 2.5
"""Bins further apart than so many times the usual distance leave a hole."""
_TILE_HZ, _MOST_TILES = 8_000_000, 1_000
"""Where there is no raster, noise is looked for in pieces as wide as a channel, wider ones where they would be many."""


@dataclass(frozen=True, kw_only=True)
class ChannelReading:
    """What a sweep says of one raster channel; levels in dBm, None where the sweep does not reach.

    `high_dbm` is the power in a link's width that 95 of 100 places stay below, outside emissions that are told on their
    own; `noise_dbm` the noise in that width; `tolerated_dbm` what the use tolerates. `multiplex` says that it is filled
    by something flat, `as_quiet` that it is as quiet as noise where the floor is seen, `unsure_db` how far so few bins
    may read a mean power too low.
    """

    channel: Channel
    occupancy: Occupancy
    power_dbm: float | None = None
    floor_dbm: float | None = None
    high_dbm: float | None = None
    noise_dbm: float | None = None
    tolerated_dbm: float | None = None
    multiplex: bool = False
    as_quiet: bool = False
    unsure_db: float = 0.0


@dataclass(frozen=True, kw_only=True)
class Survey:
    """What a sweep says before a use is named: channels, emissions with the strongest power of each in a link's width
    [dBm], whether the floor is seen, for how many averages its noise speaks, and the share of impulses."""

    readings: tuple[ChannelReading, ...]
    lines: tuple[Line, ...]
    line_power_dbm: tuple[float, ...]
    floor_seen: bool
    averages: float
    impulse_share: float


def floors(sweep: Sweep, channels: Sequence[Channel]) -> list[float | None]:
    """Noise floor [dBm] per raster channel, None where it is unknown."""
    lower = lower_quantiles(sweep, channels)
    return floors_of(lower, full_channels(lower))


def survey(sweep: Sweep, channels: Sequence[Channel]) -> Survey:
    """What a sweep measures of every raster channel, and every emission in it."""
    pieces = [*channels, *_tiles(sweep, channels)]
    lower = lower_quantiles(sweep, pieces)
    averages = averages_of(sweep, bins_of(sweep, pieces, ~full_channels(lower)))
    calmed = np.asarray(dbm(averaged(milliwatts(sweep.level_dbm), emissions.calm_bins(sweep, averages))))
    shaped = shaped_channels(sweep, pieces, calmed)
    full = full_channels(lower, shaped)
    floor = floors_of(lower, full)
    noise = per_bin(sweep, pieces, floor, averages)
    filled = filled_channels(sweep, pieces, emissions.marked(sweep, noise, averages), calmed)
    filled &= beside_an_edge(filled, np.array(shaped, bool))
    around = sloping(sweep, pieces, lower, np.array(shaped, bool) | filled, noise, averages)
    skirt_hz = 2 * sweep.rbw_hz
    found = emissions.find(sweep, around, averages, bins_of(sweep, pieces, filled, skirt_hz))
    over = over_multiplexes(sweep, pieces, filled, calmed, averages)
    lines = joined(found.lines, over, 2 * skirt_hz + sweep.spacing_hz)
    found = replace(found, lines=parted(sweep, lines, calmed, averages))
    window = _window_dbm(sweep)
    seen = floor_seen(sweep, lower, full) and int(np.count_nonzero(~np.isnan(lower))) > 1
    readings = tuple(
        _reading(sweep, c, floor[i], bool(filled[i]), window, found, averages, seen) for i, c in enumerate(channels)
    )
    strongest = tuple(_strongest(sweep, window, line) for line in found.lines)
    return Survey(
        readings=readings,
        lines=found.lines,
        line_power_dbm=strongest,
        floor_seen=seen,
        averages=averages,
        impulse_share=found.impulse_share,
    )


def _tiles(sweep: Sweep, channels: Sequence[Channel]) -> list[Channel]:
    """Pieces of the sweep that no channel covers."""
    first, last = int(sweep.freq_hz[0]), int(sweep.freq_hz[-1]) + 1
    width = max(_TILE_HZ, (last - first) // _MOST_TILES)
    out, at = [], first
    for low, high in [*sorted((c.low_hz, c.high_hz) for c in channels), (last, last)]:
        gap_end = min(low, last)
        while gap_end - at > 4 * sweep.spacing_hz:
            end = min(at + width, gap_end)
            out.append(Channel("", at, end))
            at = end
        at = max(at, min(high, last))
    return out


def _window_bins(sweep: Sweep) -> int:
    """How many bins, an odd number, a link's width spans."""
    return max(1, round(LINK_BANDWIDTH_HZ / sweep.spacing_hz)) | 1


def _widened(sweep: Sweep) -> float:
    """By how much noise in a link's width is stronger than in a bin."""
    return max(LINK_BANDWIDTH_HZ / sweep.bandwidth_hz, 1.0)


def _window_dbm(sweep: Sweep) -> Floats:
    """Power [dBm] in a link's width around every bin (n,)."""
    return np.asarray(dbm(averaged(milliwatts(sweep.level_dbm), _window_bins(sweep)) * _widened(sweep)))


def _reading(
    sweep: Sweep, channel: Channel, floor: float | None, filled: bool, window: Floats, found: emissions.Found,
    averages: float, seen: bool,
) -> ChannelReading:  # fmt: skip
    first_hz, last_hz = sweep.freq_hz[0] - sweep.spacing_hz, sweep.freq_hz[-1] + 2 * sweep.spacing_hz
    at = sweep.between(channel.low_hz, channel.high_hz)
    levels = window[at]
    if not len(levels) or first_hz > channel.low_hz or last_hz < channel.high_hz or _has_hole(sweep, at):
        return ChannelReading(channel=channel, occupancy="unknown")
    clear = ~_near_emissions(sweep, found.lines)[at] if found.lines and not filled else np.ones(len(levels), bool)
    lowered = PEAK_ABOVE_AVERAGE_DB if sweep.detector == "peak" else 0.0
    averaged = averages * _independent(sweep)
    high = _high_dbm(levels[clear], averaged) - lowered if clear.any() else None
    noise, unsure = None, _UNSURE_SIGMAS * 10 / np.log(10) / max(averages * len(levels), 1.0) ** 0.5
    as_quiet = False
    if floor is not None:
        noise = floor + mean_over_floor_db(averages) + 10 * float(np.log10(_widened(sweep))) - lowered
        as_quiet = bool(seen) and high is not None and high <= noise + max(AS_QUIET_DB, seldom_db(averaged))
    power = band_power_dbm(sweep, channel.low_hz, channel.high_hz)
    return ChannelReading(
        channel=channel,
        occupancy="unknown",
        power_dbm=power,
        floor_dbm=floor,
        high_dbm=high,
        noise_dbm=noise,
        tolerated_dbm=None,
        multiplex=filled,
        as_quiet=as_quiet,
        unsure_db=float(unsure),
    )


def _has_hole(sweep: Sweep, at: slice) -> bool:
    """Whether bins are missing in the middle of a sweep there: what was not measured is not known."""
    around = sweep.freq_hz[max(at.start - 1, 0) : at.stop + 1]
    return bool(np.max(np.diff(around), initial=0) > _HOLE_BINS * sweep.spacing_hz)


def _independent(sweep: Sweep) -> float:
    """How many independent bins a window holds."""
    return max(1.0, _window_bins(sweep) * sweep.spacing_hz / max(sweep.bandwidth_hz, sweep.spacing_hz))


def _high_dbm(window: Floats, averages: float) -> float:
    """What 95 of 100 windows [dBm] stay below; their mean power where scatter alone, of so many averages each, explains
    how far they spread, since few averages would make noise look stronger than it is."""
    middle, high = quantile(window, 0.5), quantile(window, 0.95)
    if high - middle <= _SCATTER_SLACK * (upper_db(averages) - median_db(averages)):
        return float(dbm(milliwatts(window).mean()))
    return high


def _near_emissions(sweep: Sweep, lines: Sequence[Line]) -> NDArray[np.bool_]:
    """Bins (n,) whose window touches an emission."""
    out = np.zeros(len(sweep.freq_hz), bool)
    for line in lines:
        low, high = line.edges_hz
        out[sweep.between(low - KEPT_BESIDE_HZ, high + KEPT_BESIDE_HZ + 1)] = True
    return out


def _strongest(sweep: Sweep, window: Floats, line: Line) -> float:
    low, high = line.edges_hz
    inside = window[sweep.between(low, high + 1)]
    return max(float(inside.max()) if len(inside) else -999.0, line.level_dbm)


def judge(found: Survey, tolerated_dbm: float) -> list[ChannelReading]:
    """Class of every surveyed channel for a use that tolerates `tolerated_dbm` in a link's 200 kHz.

    taken: 95 of 100 windows are not below that, or emissions above it cover, with what is kept beside them, more than a
    quarter. quiet: not taken, the floor is seen, and the windows are as quiet as noise. usable: the rest.
    """
    strong = [x.edges_hz for x, p in zip(found.lines, found.line_power_dbm, strict=True) if p > tolerated_dbm]
    return [
        r
        if r.power_dbm is None
        else replace(r, occupancy=_class(r, strong, tolerated_dbm), tolerated_dbm=tolerated_dbm)
        for r in found.readings
    ]


def _class(reading: ChannelReading, strong: Sequence[tuple[int, int]], tolerated: float) -> Occupancy:
    if reading.high_dbm is not None and reading.high_dbm > tolerated:
        return "taken"
    covered = covered_share(reading.channel, strong)
    if covered > COVERED_SHARE:
        return "taken"
    sure = reading.high_dbm is not None and reading.high_dbm + reading.unsure_db <= tolerated
    calm = reading.as_quiet and not reading.multiplex and covered <= FEW_LINES_SHARE
    return "quiet" if sure and calm else "usable"


def covered_share(channel: Channel, edges: Sequence[tuple[int, int]]) -> float:
    """The share of a channel that emissions cover with what is kept beside them."""
    covered, at = 0, channel.low_hz
    for low, high in sorted(edges):
        a, b = max(low - KEPT_BESIDE_HZ, at), min(high + KEPT_BESIDE_HZ, channel.high_hz)
        if b > a:
            covered, at = covered + b - a, b
    return covered / (channel.high_hz - channel.low_hz)


_RANK: dict[Occupancy, int] = {"unknown": 0, "quiet": 1, "usable": 2, "taken": 3}


def worst(readings: Iterable[ChannelReading]) -> ChannelReading:
    """The reading that decides among several of one channel: the worst class, then the strongest."""
    return max(readings, key=lambda r: (_RANK[r.occupancy], r.high_dbm if r.high_dbm is not None else -1e9))
