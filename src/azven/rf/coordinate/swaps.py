"""Swap spares: for each important link a second frequency that works if that link alone moves there."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from azven.rf.coordinate.lanes import lanes
from azven.rf.coordinate.plan import carriers_of
from azven.rf.coordinate.settling import Heard, channel_of
from azven.rf.products import Situation
from azven.rf.request import PlanRequest
from azven.rf.verdict import margins

_CANDIDATES = 16
AWAY_HZ = 6_000_000
"""A swap spare keeps this far from the frequency it replaces if it can: what spoils one should not spoil both."""


@dataclass(frozen=True)
class Swap:
    """Where a link goes when its frequency fails [Hz], and the margin it has there with everybody else in place."""

    id: str
    freq_hz: int
    margin_hz: int | None


def swap_spares(
    request: PlanRequest, frequencies: Mapping[str, int], wanted: Sequence[str],
    progress: Callable[[int, int], bool] = lambda done, total: True, channels: Sequence[Heard] = (),
) -> dict[str, Swap]:  # fmt: skip
    """A swap spare for each of the `wanted` links that has one, the widest margin of 16 free steps over its lane: in
    another raster channel and far enough away if that can be, so that one new transmitter does not take both."""
    found = lanes(request, frequencies, [n for n in wanted if n in frequencies], progress)
    out: dict[str, Swap] = {}
    for done, (name, lane) in enumerate(found.items()):
        if not progress(done, len(found)):
            break
        own = frequencies[name]
        free = lane.free[lane.free != own]
        free = _away(free, own, channels)
        if not len(free):
            continue
        chosen = free[np.unique(np.linspace(0, len(free) - 1, _CANDIDATES).round().astype(int))]
        tried = [_tried(request, frequencies, name, int(f)) for f in chosen]
        out[name] = max(tried, key=lambda s: float("inf") if s.margin_hz is None else s.margin_hz)
    return out


def _away(free: NDArray[np.int64], own: int, channels: Sequence[Heard]) -> NDArray[np.int64]:
    """Those of the free steps (n,) [Hz] that are out of the link's channel and far away, or one of both, or all."""
    here = channel_of(channels, own)
    outside = np.full(free.shape, True) if here is None else (free < here.low_hz) | (free >= here.high_hz)
    far = np.abs(free - own) >= AWAY_HZ
    return next((free[chosen] for chosen in (outside & far, outside, far) if chosen.any()), free)


def _tried(request: PlanRequest, frequencies: Mapping[str, int], name: str, freq_hz: int) -> Swap:
    carriers = carriers_of(request, {**frequencies, name: freq_hz})
    situation = Situation(carriers, request.profiles, request.relations)
    return Swap(name, freq_hz, margins(situation, only=[name])[name].margin_hz)
