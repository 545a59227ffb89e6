"""Tints of lanes: worked out off the GUI thread, painted as one row of pixels each."""

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QColor, QImage

from azven.desk.jobs import Progress
from azven.desk.theme import Theme
from azven.rf.coordinate import lanes
from azven.work.plan import Board
from azven.work.reasons import LANE_CAUSES, refined_causes, shared_causes


@dataclass(frozen=True)
class LaneTint:
    """Steps of a link [Hz] (n,) and the cause that closes each (n,), an index into LANE_CAUSES."""

    freq_hz: NDArray[np.int64]
    cause: NDArray[np.int8]


def tint_lanes(now: Board, names: list[str], progress: Progress) -> dict[str, LaneTint]:
    """Tints of some lanes; none when it is stopped."""
    shared = [n for n in names if n in now.input.shared]
    found = lanes(now.input.request, now.narrow, [n for n in names if n not in now.input.shared], progress)
    apart = {name: _in_shared(now, name) for name in shared}
    return apart | {name: LaneTint(lane.freq_hz, refined_causes(now, name, lane)[0]) for name, lane in found.items()}


def _in_shared(now: Board, link_id: str) -> LaneTint:
    """The lane of a link of a shared band: closed where it is not permitted, or would have too little over need."""
    freqs, causes = shared_causes(now, link_id)
    return LaneTint(freqs, causes)


def cause_color(theme: Theme, cause: str) -> QColor:
    """The tint of a cause; television is hatched and closed ground is plain, so colour is not alone."""
    return {
        "free": theme.color("lane"),
        "tuning": theme.color("shut"),
        "permission": theme.color("shut"),
        "television": theme.color("slate", 60),
        "sweep": theme.color("ochre", 80),
        "neighbour": theme.color("brick", 90),
        "spacing": theme.color("slate", 120),
        "intermodulation": theme.color("plum", 70),
    }[cause]


@cache
def _palette(theme: Theme) -> NDArray[np.uint32]:
    """The tints of the causes, in the order of LANE_CAUSES."""
    return np.array([cause_color(theme, c).rgba() for c in LANE_CAUSES], np.uint32)


def pixel_row(tint: LaneTint, low_hz: float, high_hz: float, columns: int, theme: Theme) -> QImage:
    """One row of pixels: in each column the most open cause, so that narrow gaps stay visible."""
    palette = _palette(theme)
    step = int(tint.freq_hz[1] - tint.freq_hz[0]) if len(tint.freq_hz) > 1 else 25_000
    edges = np.linspace(low_hz, high_hz, columns + 1)
    first = np.searchsorted(tint.freq_hz, edges[:-1] - step / 2)
    last = np.maximum(np.searchsorted(tint.freq_hz, edges[1:] - step / 2), first + 1)
    inside = (edges[1:] > tint.freq_hz[0]) & (edges[:-1] < tint.freq_hz[-1])
    blocked = np.cumsum(np.r_[0, tint.cause > 0])
    n = len(tint.cause)
    first, last = np.clip(first, 0, n - 1), np.clip(last, 1, n)
    share = (blocked[last] - blocked[first]) / np.maximum(last - first, 1)
    code = tint.cause[np.clip((first + last) // 2, 0, n - 1)]
    worst = np.maximum.reduceat(tint.cause, first)
    colors = palette[np.where(code > 0, code, worst)]
    lane = palette[0]
    pixels = np.where(inside & (share > 0), _blend(colors, lane, share), lane)
    pixels = np.where(inside, pixels, theme.color("shut").rgba()).astype(np.uint32)
    return QImage(pixels.tobytes(), columns, 1, 4 * columns, QImage.Format.Format_ARGB32).copy()


def _blend(top: NDArray[np.uint32], under: np.uint32, share: NDArray[np.float64]) -> NDArray[np.uint32]:
    """Colours over the lane's ground, as strong as their own alpha times the share of closed steps."""
    alpha = (top >> 24) / 255.0 * np.clip(share, 0.25, 1)
    out = np.full(top.shape, 0xFF << 24, np.uint32)
    for shift in (0, 8, 16):
        mixed = ((top >> shift) & 255) * alpha + ((int(under) >> shift) & 255) * (1 - alpha)
        out |= mixed.astype(np.uint32) << shift
    return out
