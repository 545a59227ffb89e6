"""2.4 GHz: what others leave of a channel, the best channel, one link after the other (domain, section 7)."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from azven.rf.levels import dbm, milliwatts

LOW_HZ, HIGH_HZ = 2_400_000_000, 2_483_500_000
_FIRST_HZ, _APART_HZ, _WIDTH_HZ, _WIDE_HZ = 2_407_000_000, 5_000_000, 16_600_000, 36_000_000
_MOST, _PARTNER = 13, 4
ACCESS_POINT_M = 3.0
"""A receiver keeps this far from an access point."""
_EQUAL_DB = 1.0


@dataclass(frozen=True)
class Span:
    """An occupied width [Hz] about a centre."""

    centre_hz: float
    width_hz: float

    @property
    def low_hz(self) -> float:
        return self.centre_hz - self.width_hz / 2

    @property
    def high_hz(self) -> float:
        return self.centre_hz + self.width_hz / 2


@dataclass(frozen=True)
class Other:
    """Somebody else: where, how loud at the link's receiver [dBm], and which share of the time it is on."""

    span: Span
    level_dbm: float
    duty: float = 1.0

    def __post_init__(self) -> None:
        if not 0 <= self.duty <= 1:
            raise ValueError(f"the duty is a share of time from 0 to 1, not {self.duty:g}")

    @property
    def mean_mw(self) -> float:
        return float(milliwatts(self.level_dbm)) * self.duty


def wifi(channel: int, mode: str = "20") -> Span:
    """The occupied width of a Wi-Fi channel (IEEE 802.11, 2.4 GHz), 20 MHz, or 40 MHz with the channel four above
    (`40+`) or below (`40-`). ValueError for a channel that there is none of."""
    shift = {"20": 0, "40+": _PARTNER, "40-": -_PARTNER}.get(mode)
    if shift is None:
        raise ValueError(f"the mode is 20, 40+ or 40-, not {mode}")
    if not (1 <= channel <= _MOST and 1 <= channel + shift <= _MOST):
        raise ValueError(f"channel {channel} in mode {mode} is outside of 1 to {_MOST}")
    middle = _FIRST_HZ + _APART_HZ * channel + _APART_HZ * shift / 2
    return Span(middle, _WIDE_HZ if shift else _WIDTH_HZ)


def interference_dbm(link: Span, others: Sequence[Other], sweep_dbm: float | None = None) -> float | None:
    """What falls into a link's channel [dBm]: of each other its mean power times the part of its width that overlaps;
    or what a sweep heard there, the worse of the two. None where there is nothing."""
    total = sum(o.mean_mw * _overlap(link, o.span) / o.span.width_hz for o in others)
    reckoned = float(dbm(total)) if total > 0 else None
    known = [level for level in (reckoned, sweep_dbm) if level is not None]
    return max(known, default=None)


def _heard(
    spans: Mapping[str, Span], others: Sequence[Other], sweep_dbm: Mapping[str, float]
) -> dict[str, float | None]:
    """What falls into each of many channels, as `interference_dbm` says it of one."""
    low, high = (np.array([getattr(s, edge) for s in spans.values()])[:, None] for edge in ("low_hz", "high_hz"))
    theirs = [(o.span.low_hz, o.span.high_hz, o.mean_mw / o.span.width_hz) for o in others]
    their_low, their_high, density = np.array(theirs, float).reshape(-1, 3).T
    overlap = np.clip(np.minimum(high, their_high) - np.maximum(low, their_low), 0.0, None)
    out: dict[str, float | None] = {}
    for name, total in zip(spans, (overlap @ density).tolist(), strict=True):
        known = [
            level for level in (float(dbm(total)) if total > 0 else None, sweep_dbm.get(name)) if level is not None
        ]
        out[name] = max(known, default=None)
    return out


def _overlap(a: Span, b: Span) -> float:
    return max(min(a.high_hz, b.high_hz) - max(a.low_hz, b.low_hz), 0.0)


@dataclass(frozen=True)
class Best:
    """The channel to take, and the interference [dBm] in each that lies in the band, None where there is none."""

    id: str
    interference_dbm: Mapping[str, float | None]


def best(
    candidates: Mapping[str, Span], others: Sequence[Other], sweep_dbm: Mapping[str, float] | None = None,
    band_hz: tuple[float, float] = (LOW_HZ, HIGH_HZ),
) -> Best:  # fmt: skip
    """Of the channels that lie wholly in the band those within 1 dB of the least interference; of these the one
    farthest from the strongest other (of equally strong ones from the nearest), then the lower. ValueError where none
    lies in the band."""
    inside = {k: s for k, s in candidates.items() if s.low_hz >= band_hz[0] and s.high_hz <= band_hz[1]}
    if not inside:
        raise ValueError("no channel lies wholly in the band")
    heard = _heard(inside, others, sweep_dbm or {})
    level = {k: -math.inf if v is None else v for k, v in heard.items()}
    least = min(level.values())
    equal = [k for k in inside if level[k] == least or level[k] <= least + _EQUAL_DB + 1e-9]
    loudest = max((o.mean_mw for o in others), default=0.0)
    strongest = [o.span.centre_hz for o in others if loudest > 0 and math.isclose(o.mean_mw, loudest, rel_tol=1e-9)]

    def key(name: str) -> tuple[float, float]:
        away = min((abs(inside[name].centre_hz - f) for f in strongest), default=0.0)
        return -away, inside[name].centre_hz

    return Best(min(equal, key=key), heard)


def in_sequence(
    links: Sequence[str], candidates: Mapping[str, Span], others: Callable[[str], Sequence[Other]],
    heard: Callable[[str, str, Span], Other],
) -> dict[str, tuple[str, float | None]]:  # fmt: skip
    """One link after the other takes the best channel, each counting as occupied for the next: link → (channel,
    interference [dBm]). `others(link)` are those at its receiver, `heard(sender, link, span)` an earlier link there."""
    out: dict[str, tuple[str, float | None]] = {}
    for link in links:
        earlier = [heard(sender, link, candidates[channel]) for sender, (channel, _) in out.items()]
        found = best(candidates, [*others(link), *earlier])
        out[link] = found.id, found.interference_dbm[found.id]
    return out


def too_near(
    receivers: Mapping[str, Sequence[float]], access_points: Sequence[Sequence[float]], least_m: float = ACCESS_POINT_M
) -> tuple[str, ...]:
    """Receivers closer than that to an access point, by their places [m]; exactly that is far enough."""
    near = [n for n, at in receivers.items() if any(math.dist(at, p) < least_m - 1e-9 for p in access_points)]
    return tuple(sorted(near))
