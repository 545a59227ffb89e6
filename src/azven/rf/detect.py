"""Emissions by their shape: multiplexes matched to the raster, overload suspicion, sweeps compared.

A digital multiplex is a block with a flat top and steep edges that fills a raster channel (domain.md section 3);
the single-carrier system carries a pilot 309.44 kHz above the lower edge (ATSC A/53).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from azven.rf.edges import stretches
from azven.rf.levels import Floats
from azven.rf.occupancy import floors
from azven.rf.sweep import Channel, Ints, Line, Sweep, maximum_in_cells, quantile

PILOT_OFFSET_HZ = 309_440
BLOCK_ABOVE_FLOOR_DB = 5.0
FILLED_SHARE = 0.8
PARTLY_SHARE = 0.25
_FLAT_WITHIN_DB = 12.0
_PILOT_ABOVE_TOP_DB = 6.0
LOUDER_DB = 6.0
FALLS_DB = 3.0
_BROAD_CELLS, _BROAD_SHARE, _BROAD_SIGMAS, _MEDIAN_DEVIATION = 15, 0.7, 5.5, 0.6745
"""A change over so many cells shows in their mean: more than this share of what counts, and more than so many
deviations of noise, which is told from the median deviation of all cells (normal law)."""
_BESIDE_CELLS = 16
_FEW_CELLS, _CLEAR_SIGMAS, _SIGMAS_AT_90 = 8, 4.0, 1.28
"""Of so few cells no noise can be told; noise hardly ever stands so many of its deviations above its middle."""


@dataclass(frozen=True, kw_only=True)
class Block:
    """Something broad on a raster channel: `share` of its bins above the floor, median level [dBm] of those,
    spread of its top [dB], whether a pilot stands where the single-carrier system has one, and what it is taken for."""

    channel: Channel
    share: float
    level_dbm: float
    above_floor_db: float
    spread_db: float
    pilot: bool
    kind: str  # "multiplex", "part of a channel", "uneven"


def blocks(sweep: Sweep, channels: Sequence[Channel]) -> list[Block]:
    """What is broad in each raster channel, none where a channel is quiet or holds lines only."""
    found = []
    for channel, floor in zip(channels, floors(sweep, channels), strict=True):
        levels = sweep.level_dbm[sweep.between(channel.low_hz, channel.high_hz)]
        if floor is None or len(levels) < 8:
            continue
        smooth = _smoothed(levels)
        above = smooth > floor + BLOCK_ABOVE_FLOOR_DB
        share = float(np.mean(above))
        if share < PARTLY_SHARE:
            continue
        top = levels[above]
        level, spread = float(np.median(top)), quantile(top, 0.9) - quantile(top, 0.1)
        flat = spread <= _FLAT_WITHIN_DB
        kind = "uneven" if not flat else "multiplex" if share >= FILLED_SHARE else "part of a channel"
        found.append(
            Block(
                channel=channel,
                share=share,
                level_dbm=level,
                above_floor_db=level - floor,
                spread_db=spread,
                pilot=_pilot(sweep, channel, level),
                kind=kind,
            )
        )
    return found


def _smoothed(levels: Floats) -> Floats:
    """A running median over nine bins or fewer: narrow lines drop out of it."""
    width = min(9, len(levels) // 2 * 2 - 1)
    padded = np.pad(levels, width // 2, mode="edge")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(padded, width), axis=1))


def _pilot(sweep: Sweep, channel: Channel, level_dbm: float) -> bool:
    at = channel.low_hz + PILOT_OFFSET_HZ
    slack = max(sweep.rbw_hz, sweep.spacing_hz)
    near = sweep.level_dbm[sweep.between(int(at - slack), int(at + slack) + 1)]
    return bool(len(near) and near.max() > level_dbm + _PILOT_ABOVE_TOP_DB)


@dataclass(frozen=True, kw_only=True)
class Difference:
    """A stretch where two sweeps differ: `appeared`, `gone`, `louder` or `quieter`, by how much at most [dB], and the
    level there in the sweep that hears more [dBm]. It `matters` where that stands clear of the noise around it."""

    low_hz: int
    high_hz: int
    kind: str
    by_db: float
    level_dbm: float
    matters: bool = True


def compare(old: Sweep, new: Sweep, by_db: float = LOUDER_DB) -> list[Difference]:
    """Where the new sweep is above or below the old one by more than `by_db`: what matters first, then the strongest.

    Both are taken to the coarser cell by maximum. `appeared` and `gone` are against the quieter sweep's 20 % level
    of the neighbourhood; what was there before and has grown is `louder`, what fell is `quieter`.
    """
    cell = int(np.ceil(max(old.spacing_hz, new.spacing_hz, old.rbw_hz, new.rbw_hz)))
    low = max(int(old.freq_hz[0]), int(new.freq_hz[0]))
    high = min(int(old.freq_hz[-1]), int(new.freq_hz[-1]))
    if high - low < 2 * cell:
        return []
    edges = np.arange(low, high, cell, dtype=np.int64)
    before, after = maximum_in_cells(old, edges), maximum_in_cells(new, edges)
    both = ~(np.isnan(before) | np.isnan(after))
    change = np.where(both, after - before, 0.0)
    out = []
    broad = np.convolve(change, np.full(_BROAD_CELLS, 1 / _BROAD_CELLS), "same")
    scatter = float(np.median(np.abs(change - np.median(change)))) / _MEDIAN_DEVIATION
    enough = max(_BROAD_SHARE * by_db, _BROAD_SIGMAS * scatter / _BROAD_CELLS**0.5)
    for sign in (1, -1):
        wide = sign * broad > enough
        for start, stop in stretches(wide):
            out.append(_difference(edges, before, after, start, stop, sign, broad=True))
        for start, stop in stretches((sign * change > by_db) & ~wide):
            out.append(_difference(edges, before, after, start, stop, sign, broad=False))
    return sorted(out, key=lambda d: (not d.matters, -abs(d.by_db)))


def _difference(
    edges: Ints, before: Floats, after: Floats, start: int, stop: int, sign: int, broad: bool
) -> Difference:
    wide = slice(max(0, start - 200), stop + 200)
    quieter = before if sign > 0 else after
    floor = quantile(quieter[wide][~np.isnan(quieter[wide])], 0.2)
    was_there = float(np.nanmax(quieter[start:stop])) > floor + 2 * LOUDER_DB
    change = after[start:stop] - before[start:stop]
    by = float(np.nanmean(change)) if broad else float(change[np.nanargmax(np.abs(change))])
    kind = ("louder" if was_there else "appeared") if sign > 0 else ("quieter" if was_there else "gone")
    louder = after if sign > 0 else before
    level = float(np.nanmax(louder[start:stop]))
    around = np.r_[louder[max(0, start - _BESIDE_CELLS) : start], louder[stop : stop + _BESIDE_CELLS]]
    matters = broad or _stands_clear(level, around)
    return Difference(
        low_hz=int(edges[start]), high_hz=int(edges[stop]), kind=kind, by_db=by, level_dbm=level, matters=matters
    )


def _stands_clear(level_dbm: float, around: Floats) -> bool:
    """Whether a level is more than the noise around it would show in thousands of cells."""
    around = around[~np.isnan(around)]
    if len(around) < _FEW_CELLS:
        return True
    middle, upper = quantile(around, 0.5), quantile(around, 0.9)
    return level_dbm > middle + max(LOUDER_DB, _CLEAR_SIGMAS * (upper - middle) / _SIGMAS_AT_90)


@dataclass(frozen=True)
class Suspect:
    """Something that falls behind an attenuator: where it falls most [Hz], and its level there [dBm]."""

    freq_hz: int
    level_dbm: float


def fall_db(plain: Sweep, attenuated: Sweep) -> Floats:
    """By how much each bin falls [dB] (n,), the mean with its neighbours, as single readings of noise scatter."""
    by = np.pad(plain.level_dbm - attenuated.level_dbm, 1, mode="edge")
    return np.asarray((by[:-2] + by[1:-1] + by[2:]) / 3)


def overload_suspects(plain: Sweep, attenuated: Sweep) -> list[Suspect]:
    """Stretches that fall when an attenuator is put in (levels are referred to the input), strongest first.

    A real signal keeps its level; a third-order product made in the instrument falls by twice the attenuation, or into
    the noise that the attenuator lifts. What stands hardly higher over the noise than the attenuation proves nothing.
    Both sweeps are of the same bins; ValueError otherwise.
    """
    if not np.array_equal(plain.freq_hz, attenuated.freq_hz):
        raise ValueError("the two sweeps are not of the same bins")
    fall = fall_db(plain, attenuated)
    marked = np.r_[False, fall > FALLS_DB, False].astype(np.int8)
    out = []
    for start, stop in np.flatnonzero(np.diff(marked)).reshape(-1, 2).tolist():
        top = start + int(np.argmax(fall[start:stop]))
        out.append(Suspect(int(plain.freq_hz[top]), float(plain.level_dbm[top])))
    return sorted(out, key=lambda s: -s.level_dbm)


def one_sided(here: Sweep, there: Sweep, found: Sequence[Line], by_db: float = 10.0) -> list[tuple[Line, float]]:
    """Lines of `here` that another antenna sees weaker by at least `by_db`, with the difference [dB]."""
    out = []
    for line in found:
        half = max(line.width_hz, int(2 * there.rbw_hz))
        levels = there.level_dbm[there.between(line.freq_hz - half, line.freq_hz + half)]
        if len(levels) and line.level_dbm - float(levels.max()) >= by_db:
            out.append((line, line.level_dbm - float(levels.max())))
    return out
