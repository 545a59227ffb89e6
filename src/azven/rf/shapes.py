"""What fills whole channels of a sweep: the shape of a multiplex, and what stands on top of it (domain section 3)."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from azven.rf import emissions
from azven.rf.edges import stretches
from azven.rf.levels import Floats
from azven.rf.sweep import Channel, Line, Sweep, quantile

FILLED_SHARE = 0.8
_FLAT_WITHIN_DB = 12.0
_EDGE_DB, _EDGE_HZ, _OVER_TOP_DB = 6.0, (150_000, 700_000), 6.0
_WIDE_HZ, _WIDE_BINS = 500_000, 24
PILOT_HZ = 309_440
"""Of the single-carrier system, over the lower edge of its channel (ATSC A/53)."""


def bins_of(
    sweep: Sweep, pieces: Sequence[Channel], chosen: NDArray[np.bool_], skirt_hz: float = 0.0
) -> NDArray[np.bool_]:
    """Marks (n,) for the bins of the chosen pieces, with so much beside them."""
    out = np.zeros(len(sweep.freq_hz), bool)
    for piece, take in zip(pieces, chosen.tolist(), strict=True):
        if take:
            out[sweep.between(round(piece.low_hz - skirt_hz), round(piece.high_hz + skirt_hz))] = True
    return out


def _flat(levels: Floats) -> bool:
    """Whether eight or more levels [dBm] are as flat as a multiplex."""
    return len(levels) >= 8 and quantile(levels, 0.9) - quantile(levels, 0.1) <= _FLAT_WITHIN_DB


def shaped_channels(sweep: Sweep, pieces: Sequence[Channel], level: Floats) -> list[bool]:
    """Which pieces have a multiplex's shape: flat, with an edge at the raster on at least one side."""
    out = []
    for piece in pieces:
        inside = level[sweep.between(piece.low_hz + _EDGE_HZ[1], piece.high_hz - _EDGE_HZ[1])]
        if not _flat(inside):
            out.append(False)
            continue
        low, high = piece.low_hz, piece.high_hz
        outside = (low - _EDGE_HZ[1], low - _EDGE_HZ[0]), (high + _EDGE_HZ[0], high + _EDGE_HZ[1])
        within = (low + _EDGE_HZ[0], low + _EDGE_HZ[1]), (high - _EDGE_HZ[1], high - _EDGE_HZ[0])
        steps = [(level[sweep.between(*o)], level[sweep.between(*w)]) for o, w in zip(outside, within, strict=True)]
        out.append(any(len(o) and len(w) and quantile(o, 0.5) < quantile(w, 0.5) - _EDGE_DB for o, w in steps))
    return out


def filled_channels(
    sweep: Sweep, pieces: Sequence[Channel], marks: NDArray[np.bool_], level: Floats
) -> NDArray[np.bool_]:
    """Which channels are filled by something flat, to be told as a multiplex and not as an emission of its own."""
    out = []
    for piece in pieces:
        at = sweep.between(piece.low_hz, piece.high_hz)
        out.append(bool(piece.name and _flat(level[at]) and np.mean(marks[at]) >= FILLED_SHARE))
    return np.array(out, bool)


def joined(lines: Sequence[Line], more: Sequence[Line], reach_hz: float) -> tuple[Line, ...]:
    """Emissions in order; what lies within `reach_hz` of one is a part of it, cut off at the edge of a channel."""
    out = list(lines)
    for line in more:
        low, high = line.edges_hz
        near = (i for i, x in enumerate(out) if x.edges_hz[0] - reach_hz < high and low < x.edges_hz[1] + reach_hz)
        i = next(near, None)
        if i is None:
            out.append(line)
            continue
        stronger = max(out[i], line, key=lambda x: x.level_dbm)
        ends = min(low, out[i].edges_hz[0]), max(high, out[i].edges_hz[1])
        out[i] = replace(stronger, low_hz=ends[0], high_hz=ends[1])
    return tuple(sorted(out, key=lambda x: x.freq_hz))


def over_multiplexes(
    sweep: Sweep, pieces: Sequence[Channel], filled: NDArray[np.bool_], level: Floats, averages: float
) -> list[Line]:
    """Emissions that stand high over the flat top of a filled channel: they are none of it, but its pilot."""
    if not filled.any():
        return []
    top = np.full(len(level), float(level.max()))
    for piece, take in zip(pieces, filled.tolist(), strict=True):
        at = sweep.between(piece.low_hz, piece.high_hz)
        if take:
            top[at] = quantile(level[at], 0.5) + _OVER_TOP_DB
    lines = emissions.find(sweep, top, averages, ~bins_of(sweep, pieces, filled)).lines
    slack = max(sweep.rbw_hz, 2 * sweep.spacing_hz)
    pilots = [p.low_hz + PILOT_HZ for p, take in zip(pieces, filled.tolist(), strict=True) if take]
    return [x for x in lines if all(abs(x.freq_hz - f) > slack for f in pilots)]


def parted(sweep: Sweep, lines: Sequence[Line], level: Floats, averages: float) -> tuple[Line, ...]:
    """Emissions in order; a wide one, such as the noise of lamps, is parted at the edges of what stands on top of it.

    `level` [dBm] (n,) is calmed; what is narrow, or rises over more than half of its own width, stays one.
    """
    wide = [sweep.between(*line.edges_hz) for line in lines]
    wide = [at for at in wide if (at.stop - at.start) >= max(_WIDE_BINS, _WIDE_HZ / sweep.spacing_hz)]
    if not wide:
        return tuple(lines)
    base, outside = np.full(len(level), float(level.max())), np.ones(len(level), bool)
    for at in wide:
        base[at], outside[at] = quantile(level[at], 0.5), False
    upon = emissions.find(sweep, base, averages, outside).lines
    out = list(lines)
    for line in upon:
        low, high = line.edges_hz
        i = next((i for i, x in enumerate(out) if x.edges_hz[0] <= low and high <= x.edges_hz[1]), None)
        if i is None:
            continue
        under = out[i].edges_hz
        beside = [sweep.between(under[0], low), sweep.between(high, under[1])]
        out[i : i + 1] = [line, *(emissions.line_of(sweep, at.start, at.stop) for at in beside if at.stop > at.start)]
    return tuple(sorted(out, key=lambda x: x.freq_hz))


def beside_an_edge(filled: NDArray[np.bool_], shaped: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Of runs of filled channels (n,) those in which some channel has an edge at the raster, or that leave nothing
    else: a floor that slopes fills channels too, without an edge anywhere."""
    out = np.zeros(len(filled), bool)
    for start, stop in stretches(filled):
        out[start:stop] = bool(shaped[start:stop].any()) or stop - start == len(filled)
    return out
