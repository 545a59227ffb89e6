"""A sweep as arrays, and what it says: floor, occupancy of raster channels, lines (domain.md section 3)."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from azven.rf.levels import Floats, dbm, milliwatts

Ints = NDArray[np.int64]
Detector = Literal["peak", "average"]
Occupancy = Literal["quiet", "usable", "taken", "unknown"]

FULL_ABOVE_NEIGHBOURS_DB = 6.0
ABOVE_FLOOR_DB = 6.0
LINE_ABOVE_FLOOR_DB = 10.0
LINE_WIDEST_HZ = 400_000
LINK_BANDWIDTH_HZ = 200_000
_TO_HZ = 500
OWN_SKIRT_HZ = 450_000


@dataclass(frozen=True, eq=False)
class Sweep:
    """Levels [dBm] (n,) over ascending frequencies [Hz] (n,), n ≥ 2, as an instrument reads them.

    `noise_bandwidth_hz` None means unknown; the resolution bandwidth stands in for it.
    Raises ValueError when the arrays do not fit together.
    """

    freq_hz: Ints
    level_dbm: Floats
    rbw_hz: float
    detector: Detector = "average"
    noise_bandwidth_hz: float | None = None

    def __post_init__(self) -> None:
        if len(self.freq_hz) != len(self.level_dbm) or len(self.freq_hz) < 2:
            raise ValueError(f"a sweep needs two or more bins, each with a level: {len(self.freq_hz)} bins given")
        if not np.all(np.diff(self.freq_hz) > 0):
            raise ValueError("the frequencies of a sweep must ascend")
        if not self.rbw_hz > 0:
            raise ValueError(f"the resolution bandwidth must be above 0 Hz, not {self.rbw_hz}")

    @cached_property
    def spacing_hz(self) -> float:
        """Distance of neighbouring bins, the median where it varies [Hz]."""
        return quantile(np.diff(self.freq_hz).astype(float), 0.5)

    @property
    def bandwidth_hz(self) -> float:
        """Noise bandwidth of one bin [Hz]."""
        return self.noise_bandwidth_hz or self.rbw_hz

    @property
    def misses_lines(self) -> bool:
        """Whether bins lie further apart than their bandwidth, so that a line can fall between them."""
        return self.spacing_hz > self.bandwidth_hz * (1 + 1e-9)

    def between(self, low_hz: int, high_hz: int) -> slice:
        """The bins in `[low_hz, high_hz)`."""
        low, high = np.searchsorted(self.freq_hz, (low_hz, high_hz))
        return slice(int(low), int(high))


@dataclass(frozen=True)
class Channel:
    """A television channel of the raster: its name and edges [Hz]."""

    name: str
    low_hz: int
    high_hz: int


@dataclass(frozen=True)
class ChannelReading:
    """What a sweep says of one raster channel; levels in dBm, None where the sweep does not reach.

    `tolerated_dbm` is the level in a bin up to which the channel counts as usable.
    """

    channel: Channel
    occupancy: Occupancy
    power_dbm: float | None = None
    floor_dbm: float | None = None
    high_dbm: float | None = None
    share_above: float = 0.0
    tolerated_dbm: float | None = None


@dataclass(frozen=True)
class Line:
    """A narrow peak: where it is strongest [Hz], how strong [dBm] and how wide above the floor [Hz]."""

    freq_hz: int
    level_dbm: float
    width_hz: int


def band_power_dbm(sweep: Sweep, low_hz: int, high_hz: int) -> float | None:
    """Power [dBm] in `[low_hz, high_hz)`: Σ mW × bin spacing / noise bandwidth; None without bins."""
    levels = sweep.level_dbm[sweep.between(low_hz, high_hz)]
    if not len(levels):
        return None
    return float(dbm(milliwatts(levels).sum() * sweep.spacing_hz / sweep.bandwidth_hz))


def maximum_in_cells(sweep: Sweep, edges_hz: Ints) -> Floats:
    """Greatest level [dBm] in each cell `[edges[i], edges[i+1])`: (len(edges) − 1,), NaN in empty cells."""
    at = np.searchsorted(sweep.freq_hz, edges_hz)
    out = np.full(len(edges_hz) - 1, np.nan)
    filled = np.flatnonzero(at[1:] > at[:-1])
    if len(filled):
        starts = at[filled]
        stop = at[filled[-1] + 1]
        out[filled] = np.maximum.reduceat(sweep.level_dbm[:stop], starts)
    return out


def _joined(sweeps: Sequence[Sweep]) -> list[Sweep]:
    """Sweeps of the same bins as one, by maximum: of a timetable's many sweeps few remain."""
    alike: dict[tuple[int, int, int], list[Sweep]] = {}
    for s in sweeps:
        alike.setdefault((len(s.freq_hz), int(s.freq_hz[0]), int(s.freq_hz[-1])), []).append(s)
    out = []
    for first, *others in alike.values():
        level = first.level_dbm.copy()
        for s in others:
            if s.freq_hz is first.freq_hz or np.array_equal(s.freq_hz, first.freq_hz):
                np.maximum(level, s.level_dbm, out=level)
            else:
                out.append(s)
        out.append(replace(first, level_dbm=level))
    return out


def merge(sweeps: Sequence[Sweep], cell_hz: int | None = None) -> Sweep:
    """Worst case of several sweeps on a common raster, by maximum in cell.

    `cell_hz` defaults to the coarsest bin spacing among them, so that no cell of any sweep inside its
    own range stays empty. Cells that no sweep covers are left out. Raises ValueError without sweeps.
    """
    if not sweeps:
        raise ValueError("there is no sweep to merge")
    cell = cell_hz or int(np.ceil(max(s.spacing_hz for s in sweeps)))
    low = min(int(s.freq_hz[0]) for s in sweeps)
    high = max(int(s.freq_hz[-1]) for s in sweeps)
    edges = np.arange(low, high + 2 * cell, cell, dtype=np.int64)
    stack = np.stack([maximum_in_cells(s, edges) for s in _joined(sweeps)])
    seen = ~np.isnan(stack).all(axis=0)
    level = np.nanmax(stack[:, seen], axis=0)
    return Sweep(edges[:-1][seen] + cell // 2, level, max(s.rbw_hz for s in sweeps), sweeps[0].detector)


@dataclass(frozen=True)
class _ByChannel:
    """The levels of all channels at once: `ordered` (n, most) ascending, infinite behind the `count` (n,) there are."""

    ordered: Floats
    count: Ints

    @classmethod
    def of(cls, sweep: Sweep, channels: Sequence[Channel]) -> "_ByChannel":
        start = np.searchsorted(sweep.freq_hz, np.array([c.low_hz for c in channels], np.int64))
        count = np.searchsorted(sweep.freq_hz, np.array([c.high_hz for c in channels], np.int64)) - start
        place = start[:, None] + np.arange(int(count.max(initial=1)))
        inside = place < (start + count)[:, None]
        levels = sweep.level_dbm[np.minimum(place, len(sweep.level_dbm) - 1)]
        return cls(np.sort(np.where(inside, levels, np.inf), axis=1), count)

    def quantile(self, q: float) -> Floats:
        """The q-quantile of every channel (n,), linear between neighbours; NaN of none."""
        last = np.maximum(self.count - 1, 0)
        place = q * last
        low = place.astype(np.int64)
        rows = np.arange(len(self.count))
        below, above = self.ordered[rows, low], self.ordered[rows, np.minimum(low + 1, last)]
        with np.errstate(invalid="ignore"):
            return np.where(self.count > 0, below + (place - low) * (above - below), np.nan)

    def share_above(self, level_dbm: Floats) -> Floats:
        """Share of the bins of every channel (n,) over a level (n,)."""
        over = np.isfinite(self.ordered) & (self.ordered > level_dbm[:, None])
        return np.asarray(over.sum(axis=1) / np.maximum(self.count, 1))

    def power_dbm(self, sweep: Sweep) -> Floats:
        """Power of every channel (n,), as `band_power_dbm` has it."""
        total = np.where(np.isfinite(self.ordered), milliwatts(self.ordered), 0.0).sum(axis=1)
        with np.errstate(divide="ignore"):
            return np.asarray(dbm(total * sweep.spacing_hz / sweep.bandwidth_hz))


def floors(sweep: Sweep, channels: Sequence[Channel]) -> list[float | None]:
    """Noise floor [dBm] per raster channel, None where it is unknown.

    The 20 % quantile of the bins. A channel more than 6 dB above the lowest quantile of its four nearest
    neighbours on either side is full and takes the median quantile of the two nearest that are not.
    """
    return _floors(_ByChannel.of(sweep, channels).quantile(0.2))


def _floors(lower: Floats) -> list[float | None]:
    n = len(lower)
    padded = np.pad(lower, 4, constant_values=np.nan)
    lowest_near = np.fmin.reduce([padded[k : k + n] for k in range(9) if k != 4])
    full = lower > lowest_near + FULL_ABOVE_NEIGHBOURS_DB
    known = np.flatnonzero(~full & ~np.isnan(lower))
    out: list[float | None] = []
    for i in range(n):
        if np.isnan(lower[i]) or not len(known):
            out.append(None)
        elif full[i]:
            nearest = known[np.argsort(np.abs(known - i), kind="stable")[:2]]
            out.append(float(lower[nearest].mean()))
        else:
            out.append(float(lower[i]))
    return out


def quantile(levels: Floats, q: float) -> float:
    """The q-quantile of levels (n,), linear between neighbours; NaN of none. Quick for the few bins of a channel."""
    if not len(levels):
        return float("nan")
    place = q * (len(levels) - 1)
    low = int(place)
    high = min(low + 1, len(levels) - 1)
    ordered = np.partition(levels, (low, high))
    return float(ordered[low] + (place - low) * (ordered[high] - ordered[low]))


def without(sweep: Sweep, carriers_hz: Sequence[int], half_hz: int = OWN_SKIRT_HZ) -> Sweep:
    """The sweep with known carriers taken out: bins within `half_hz` of one read the 20 % quantile around them."""
    level = sweep.level_dbm.copy()
    hidden = np.zeros(len(level), bool)
    for freq in carriers_hz:
        hidden[sweep.between(freq - half_hz, freq + half_hz + 1)] = True
    for start, stop in np.flatnonzero(np.diff(np.r_[False, hidden, False].astype(np.int8))).reshape(-1, 2).tolist():
        around = sweep.between(int(sweep.freq_hz[start]) - 4_000_000, int(sweep.freq_hz[stop - 1]) + 4_000_000)
        seen = sweep.level_dbm[around][~hidden[around]]
        level[start:stop] = quantile(seen if len(seen) else sweep.level_dbm[around], 0.2)
    return replace(sweep, level_dbm=level)


def survey(sweep: Sweep, channels: Sequence[Channel]) -> list[ChannelReading]:
    """What a sweep measures of every raster channel; the class is `unknown` until a use is named (`judge`)."""
    bins = _ByChannel.of(sweep, channels)
    floor, high, power = _floors(bins.quantile(0.2)), bins.quantile(0.95), bins.power_dbm(sweep)
    known = [bins.ordered[i, 0] if f is None else f for i, f in enumerate(floor)]
    share = bins.share_above(np.array(known, float) + ABOVE_FLOOR_DB)
    first_hz, last_hz = sweep.freq_hz[0] - sweep.spacing_hz, sweep.freq_hz[-1] + 2 * sweep.spacing_hz
    return [
        ChannelReading(c, "unknown", float(power[i]), floor[i], float(high[i]), float(share[i]))
        if bins.count[i] and first_hz <= c.low_hz and last_hz >= c.high_hz
        else ChannelReading(c, "unknown")
        for i, c in enumerate(channels)
    ]


def judge(sweep: Sweep, surveyed: Sequence[ChannelReading], tolerated_dbm: float) -> list[ChannelReading]:
    """Class of every surveyed channel for a use that tolerates `tolerated_dbm` in a link's 200 kHz.

    quiet: nine bins of ten stay within 6 dB of the floor (narrow lines are reported on their own).
    usable: above it, but the 95 % quantile, scaled as noise to the link's bandwidth, is tolerated.
    taken: more than that.
    """
    per_bin = tolerated_dbm - 10 * float(np.log10(max(LINK_BANDWIDTH_HZ / sweep.bandwidth_hz, 1.0)))
    return [
        r if r.high_dbm is None
        else ChannelReading(r.channel, _class(r, per_bin), r.power_dbm, r.floor_dbm, r.high_dbm, r.share_above, per_bin)
        for r in surveyed
    ]  # fmt: skip


def _class(reading: ChannelReading, tolerated: float) -> Occupancy:
    if reading.share_above <= 0.1:
        return "quiet"
    return "usable" if reading.high_dbm is not None and reading.high_dbm <= tolerated else "taken"


_RANK: dict[Occupancy, int] = {"unknown": 0, "quiet": 1, "usable": 2, "taken": 3}


def worst(readings: Iterable[ChannelReading]) -> ChannelReading:
    """The reading that decides among several of one channel: the worst class, then the strongest."""
    return max(readings, key=lambda r: (_RANK[r.occupancy], r.high_dbm if r.high_dbm is not None else -1e9))


def lines(sweep: Sweep, readings: Sequence[ChannelReading]) -> list[Line]:
    """Narrow peaks at least 10 dB above the floor, outside channels filled by a multiplex."""
    threshold = np.full(len(sweep.freq_hz), np.nan)
    for r in readings:
        filled = r.share_above > 0.5
        if r.floor_dbm is not None and not filled:
            threshold[sweep.between(r.channel.low_hz, r.channel.high_hz)] = r.floor_dbm + LINE_ABOVE_FLOOR_DB
    above = np.nan_to_num(sweep.level_dbm - threshold, nan=-1.0) > 0
    edges = np.flatnonzero(np.diff(np.r_[False, above, False].astype(np.int8)))
    found = []
    for start, stop in edges.reshape(-1, 2).tolist():
        top = start + int(np.argmax(sweep.level_dbm[start:stop]))
        width = _width_below_top(sweep, start, stop, top)
        if width <= LINE_WIDEST_HZ + 2 * sweep.rbw_hz:
            found.append(Line(_summit_hz(sweep, top), float(sweep.level_dbm[top]), width))
    return _join_close(found, max(2 * sweep.rbw_hz, 100_000))


def _summit_hz(sweep: Sweep, top: int) -> int:
    """Where a line stands between bins: the summit of the parabola through its strongest bin and both neighbours,
    exact for the Gaussian shape that a resolution filter gives."""
    if top == 0 or top == len(sweep.freq_hz) - 1:
        return int(sweep.freq_hz[top])
    left, middle, right = sweep.level_dbm[top - 1 : top + 2]
    bend = left - 2 * middle + right
    off = 0.5 * (left - right) / bend if bend < 0 else 0.0
    summit = float(sweep.freq_hz[top]) + max(-0.5, min(0.5, float(off))) * sweep.spacing_hz
    return round(summit / _TO_HZ) * _TO_HZ


def _width_below_top(sweep: Sweep, start: int, stop: int, top: int) -> int:
    """Width [Hz] of what lies within 20 dB of the strongest bin of a run; the skirts do not count."""
    inside = np.flatnonzero(sweep.level_dbm[start:stop] > sweep.level_dbm[top] - 20)
    return int(sweep.freq_hz[start + inside[-1]] - sweep.freq_hz[start + inside[0]]) + round(sweep.spacing_hz)


def _join_close(found: Sequence[Line], distance_hz: float) -> list[Line]:
    """Lines closer together than `distance_hz` are one emission; the strongest names it."""
    out: list[Line] = []
    for line in found:
        if out and line.freq_hz - out[-1].freq_hz < distance_hz:
            out[-1] = max(out[-1], line, key=lambda x: x.level_dbm)
        else:
            out.append(line)
    return out


def sweep_time_s(span_hz: float, rbw_hz: float, k: float = 2.5) -> float:
    """Time a swept analyser needs [s], about k·span/RBW² with k = 2…3 (filter settling)."""
    return k * span_hz / rbw_hz**2


def narrowest_seen_hz(span_hz: float, rbw_hz: float, points: int) -> float:
    """Width [Hz] from which a carrier cannot hide between two bins; 0 when none can."""
    return max(span_hz / max(points - 1, 1) - rbw_hz, 0.0)
