"""A sweep as arrays: power in a range, several merged, where a line stands (domain section 3)."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from azven.rf.levels import Floats, dbm, milliwatts

Ints = NDArray[np.int64]
Detector = Literal["peak", "average"]

HIGHEST_HZ, LEAST_RBW_HZ, MOST_RBW_HZ, MOST_LEVEL_DBM = 10**12, 1.0, 1e9, 500.0
_TO_HZ = 500
OWN_SKIRT_HZ = 450_000


@dataclass(frozen=True, kw_only=True)
class SweepSettings:
    """How an analyser sweeps: edges and resolution bandwidth [Hz], points, detector, attenuation [dB]."""

    start_hz: int
    stop_hz: int
    points: int
    rbw_hz: float
    detector: Detector = "average"
    attenuation_db: float = 0.0


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
        if not (self.freq_hz[0] >= 0 and self.freq_hz[-1] <= HIGHEST_HZ):
            raise ValueError(f"a sweep lies between 0 Hz and 1 THz, not at {self.freq_hz[0]} to {self.freq_hz[-1]} Hz")
        if not LEAST_RBW_HZ <= self.rbw_hz <= MOST_RBW_HZ:
            raise ValueError(f"the resolution bandwidth must be above 0 Hz, from 1 Hz to 1 GHz, not {self.rbw_hz:g}")
        if not np.all(np.abs(self.level_dbm) <= MOST_LEVEL_DBM):
            raise ValueError(
                f"the levels of a sweep must be numbers from −{MOST_LEVEL_DBM:g} to {MOST_LEVEL_DBM:g} dBm"
            )

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
class Line:
    """An emission: where it is strongest [Hz], how strong [dBm], how wide within 20 dB of that [Hz], and its edges."""

    freq_hz: int
    level_dbm: float
    width_hz: int
    low_hz: int | None = None
    high_hz: int | None = None

    @property
    def edges_hz(self) -> tuple[int, int]:
        """From where to where it reaches [Hz]; half its width on either side where no edges are known."""
        half = self.width_hz // 2
        return (
            self.freq_hz - half if self.low_hz is None else self.low_hz,
            self.freq_hz + half if self.high_hz is None else self.high_hz,
        )


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


def summit_hz(sweep: Sweep, top: int) -> int:
    """Where a line stands between bins: the summit of the parabola through its strongest bin and both neighbours,
    exact for the Gaussian shape that a resolution filter gives."""
    if top == 0 or top == len(sweep.freq_hz) - 1:
        return int(sweep.freq_hz[top])
    left, middle, right = sweep.level_dbm[top - 1 : top + 2]
    bend = left - 2 * middle + right
    off = 0.5 * (left - right) / bend if bend < 0 else 0.0
    summit = float(sweep.freq_hz[top]) + max(-0.5, min(0.5, float(off))) * sweep.spacing_hz
    return round(summit / _TO_HZ) * _TO_HZ


def width_below_top(sweep: Sweep, start: int, stop: int, top: int) -> int:
    """Width [Hz] of what lies within 20 dB of the strongest bin of a run; the skirts do not count."""
    inside = np.flatnonzero(sweep.level_dbm[start:stop] > sweep.level_dbm[top] - 20)
    return int(sweep.freq_hz[start + inside[-1]] - sweep.freq_hz[start + inside[0]]) + round(sweep.spacing_hz)


def sweep_time_s(span_hz: float, rbw_hz: float, k: float = 2.5) -> float:
    """Time a swept analyser needs [s], about k·span/RBW² with k = 2…3 (filter settling)."""
    return k * span_hz / rbw_hz**2


def narrowest_seen_hz(span_hz: float, rbw_hz: float, points: int) -> float:
    """Width [Hz] from which a carrier cannot hide between two bins; 0 when none can."""
    return max(span_hz / max(points - 1, 1) - rbw_hz, 0.0)
