"""Every radio in one plan: wideband carriers first, then the narrow links beside them, then those of shared bands.

A wideband carrier stands on the centre of one of its channels and keeps half its width and a guard from every narrow
link that it meets; it makes no products and is made none. Links of shared bands are placed by least interference, one
after the other, not by guards (domain, section 7).
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from azven.rf import band24
from azven.rf.band24 import Other, Span
from azven.rf.coordinate import Plan, conflicts, coordinate, describe, tuning_faults
from azven.rf.coordinate.grid import tunable
from azven.rf.request import Carrier, PlanRequest, Range, Request, contains, meet_in_time

Progress = Callable[[int, int], bool]
Elapsed = Callable[[], float]
Lost = tuple[str, str]
"""Who found no place, and why."""
OWN_LEVEL_DBM = -50.0
_MOST_TIED, _QUICK_S, _MOST_STEPS = 6, 0.25, 4_000
_NOTHING = Range(1, 1)


@dataclass(frozen=True)
class WideChannel:
    """A raster channel with the interference at the worst antenna [dBm], None where nobody knows it."""

    name: str
    low_hz: int
    high_hz: int
    interference_dbm: float | None = None

    @property
    def centre_hz(self) -> int:
        return (self.low_hz + self.high_hz) // 2


@dataclass(frozen=True, kw_only=True)
class Wide:
    """A wideband carrier to place."""

    id: str
    zone: str
    channels: tuple[WideChannel, ...]
    width_hz: int
    guard_hz: int = 500_000
    priority: int = 0
    times: frozenset[str] = frozenset()

    @property
    def reach_hz(self) -> float:
        """How far from its centre a narrow link has to stay."""
        return self.width_hz / 2 + self.guard_hz


@dataclass(frozen=True, kw_only=True)
class Shared:
    """A link of a shared band: its steps, the width of its emission, and how loud it is to its like."""

    request: Request
    width_hz: int
    own_level_dbm: float = OWN_LEVEL_DBM


@dataclass(frozen=True)
class Foreign:
    """Somebody else in a shared band, heard in some zones, in all where none are named."""

    other: Other
    zones: frozenset[str] | None = None


@dataclass(frozen=True, kw_only=True)
class Whole:
    """A coordination of every kind of link; zones, profiles, acts and given carriers are those of `narrow`."""

    narrow: PlanRequest
    wides: tuple[Wide, ...] = ()
    shareds: tuple[Shared, ...] = ()
    foreign: tuple[Foreign, ...] = ()


@dataclass(frozen=True, kw_only=True)
class WholePlan:
    """The plan of the narrow links; channel and margin [Hz] of each wideband carrier; frequency [Hz] and interference
    [dBm] of each link of a shared band; who found no place, with the reason."""

    narrow: Plan
    wides: Mapping[str, tuple[WideChannel, int | None]] = field(default_factory=dict)
    shareds: Mapping[str, tuple[int, float | None]] = field(default_factory=dict)
    unplaced: tuple[Lost, ...] = ()


def plan(whole: Whole, progress: Progress = lambda *_: True, elapsed: Elapsed = lambda: 0.0) -> WholePlan:
    """Place everything; what has no place is told with the reason."""
    on: dict[str, WideChannel] = {}
    lost: list[Lost] = []
    for wide in sorted(whole.wides, key=lambda w: w.priority):
        channel = _channel_for(whole, wide, on, progress, elapsed)
        if channel is None:
            lost.append((wide.id, "no channel is free of others and known"))
        else:
            on[wide.id] = channel
    narrow = coordinate(beside(whole, on), progress, elapsed)
    placed = {a.id: a.freq_hz for a in narrow.assignments}
    shareds, missing = _shareds(whole)
    margins = {w.id: _margin(whole, w, on[w.id], placed) for w in whole.wides if w.id in on}
    return WholePlan(
        narrow=narrow, wides={k: (c, margins[k]) for k, c in on.items()}, shareds=shareds,
        unplaced=(*lost, *missing),
    )  # fmt: skip


# -- wideband carriers -----------------------------------------------------------------------------------


def _hear(request: PlanRequest, zone: str, times: frozenset[str], item: Carrier | Request | Wide) -> bool:
    """Whether something in a zone at some times meets another, near or together."""
    return request.relation(zone, item.zone) in ("together", "near") and meet_in_time(times, item.times)


def _narrow(request: PlanRequest) -> list[Request | Carrier]:
    return [*request.requests, *request.carriers]


def _channel_for(
    whole: Whole, wide: Wide, on: Mapping[str, WideChannel], progress: Progress, elapsed: Elapsed
) -> WideChannel | None:
    """The best channel by interference in whole dB, then by the narrow links that a plan loses, then the lower."""
    free = [c for c in wide.channels if c.interference_dbm is not None and not _closed(whole, wide, c, on)]
    if not free:
        return None
    decibels = {c.name: math.floor((c.interference_dbm or 0.0) + 0.5) for c in free}
    least = min(decibels.values())
    tied = sorted((c for c in free if decibels[c.name] == least), key=lambda c: c.low_hz)[:_MOST_TIED]
    if len(tied) == 1 or not whole.narrow.requests:
        return tied[0]
    costs = {c.name: _lost(whole, wide, c, on, progress, elapsed) for c in tied}
    return min(tied, key=lambda c: (costs[c.name], c.low_hz))


def _closed(whole: Whole, wide: Wide, channel: WideChannel, on: Mapping[str, WideChannel]) -> bool:
    centre = channel.centre_hz
    odd = (channel.low_hz + channel.high_hz) % 2 == 1
    if odd or wide.width_hz > channel.high_hz - channel.low_hz:
        return True
    if any(b.low_hz <= centre < b.high_hz and (b.zones is None or wide.zone in b.zones) for b in whole.narrow.blocked):
        return True
    given = [c for c in whole.narrow.carriers if _hear(whole.narrow, wide.zone, wide.times, c)]
    if any(abs(c.freq_hz - centre) < wide.reach_hz for c in given):
        return True
    others = [w for w in whole.wides if w.id in on and _hear(whole.narrow, wide.zone, wide.times, w)]
    return any(2 * abs(on[w.id].centre_hz - centre) < w.width_hz + wide.width_hz for w in others)


def _lost(
    whole: Whole, wide: Wide, channel: WideChannel, on: Mapping[str, WideChannel], progress: Progress, elapsed: Elapsed
) -> int:
    """Narrow links without a place in a quick plan beside the carrier."""
    begun = elapsed()
    asked = replace(beside(whole, {**on, wide.id: channel}), effort=1, time_limit_s=_QUICK_S)
    return len(coordinate(asked, progress, lambda: elapsed() - begun).unplaced)


def beside(whole: Whole, on: Mapping[str, WideChannel]) -> PlanRequest:
    """The narrow links with what wideband carriers close to them taken out of what they may use."""
    placed = [(w, on[w.id].centre_hz) for w in whole.wides if w.id in on]
    requests = tuple(_beside(whole.narrow, r, placed) for r in whole.narrow.requests)
    return replace(whole.narrow, requests=requests)


def _beside(request: PlanRequest, wish: Request, placed: Sequence[tuple[Wide, int]]) -> Request:
    ranges = wish.allowed if wish.allowed is not None else wish.ranges
    for wide, centre in placed:
        reach = _reach(request, wish.zone, wish.times, wish.profile, wide)
        if reach > 0:
            ranges = _without(ranges, centre - reach, centre + reach)
    return wish if ranges == (wish.allowed or wish.ranges) else replace(wish, allowed=ranges or (_NOTHING,))


def _reach(request: PlanRequest, zone: str, times: frozenset[str], profile: str, wide: Wide) -> float:
    """How far from a carrier's centre a narrow link has to stay; 0 where they do not meet."""
    if not meet_in_time(times, wide.times):
        return 0.0
    relation = request.relation(zone, wide.zone)
    if relation == "far":
        return (wide.width_hz + request.profiles[profile].width_hz) / 2
    return wide.reach_hz if relation != "apart" else 0.0


def _without(ranges: tuple[Range, ...], low: float, high: float) -> tuple[Range, ...]:
    """Ranges without what lies between, the ends themselves allowed."""
    out = []
    for r in ranges:
        if r.low_hz <= low:
            out.append(Range(r.low_hz, min(r.high_hz, math.floor(low))))
        if r.high_hz >= high:
            out.append(Range(max(r.low_hz, math.ceil(high)), r.high_hz))
    return tuple(dict.fromkeys(r for r in out if r.low_hz <= r.high_hz))


def _margin(whole: Whole, wide: Wide, channel: WideChannel, placed: Mapping[str, int]) -> int | None:
    """What the nearest narrow link leaves beyond the guard [Hz]; None where none meets it."""
    gaps = []
    for item in _narrow(whole.narrow):
        freq = item.freq_hz if isinstance(item, Carrier) else placed.get(item.id)
        reach = _reach(whole.narrow, item.zone, item.times, item.profile, wide)
        if freq is not None and reach > 0:
            gaps.append(math.floor(abs(freq - channel.centre_hz) - reach))
    return min(gaps, default=None)


# -- shared bands ----------------------------------------------------------------------------------------


def _shareds(whole: Whole) -> tuple[dict[str, tuple[int, float | None]], list[Lost]]:
    out: dict[str, tuple[int, float | None]] = {}
    lost: list[Lost] = []
    earlier: list[tuple[Shared, Span]] = []
    for shared in sorted(whole.shareds, key=lambda s: s.request.priority):
        wish = shared.request
        steps = _steps(whole.narrow, wish)
        if not steps:
            lost.append((wish.id, "none of its steps is allowed"))
            continue
        heard = [f.other for f in whole.foreign if _is_heard(whole.narrow, f, wish.zone)]
        own = [Other(span, s.own_level_dbm) for s, span in earlier
               if whole.narrow.relation(s.request.zone, wish.zone) != "apart"
               and meet_in_time(s.request.times, wish.times)]  # fmt: skip
        spans = {str(f): Span(f, shared.width_hz) for f in steps}
        found = band24.best(spans, [*heard, *own], band_hz=(-math.inf, math.inf))
        out[wish.id] = int(found.id), found.interference_dbm[found.id]
        earlier.append((shared, spans[found.id]))
    return out, lost


def _is_heard(request: PlanRequest, foreign: Foreign, zone: str) -> bool:
    return foreign.zones is None or any(request.relation(z, zone) != "apart" for z in foreign.zones)


def _steps(request: PlanRequest, wish: Request) -> list[int]:
    blocked = [b for b in request.blocked if b.zones is None or wish.zone in b.zones]
    return [
        f for f in tunable(wish)[:_MOST_STEPS]
        if (wish.allowed is None or contains(wish.allowed, f)) and not any(b.low_hz <= f < b.high_hz for b in blocked)
    ]  # fmt: skip


# -- checking --------------------------------------------------------------------------------------------


def faults(whole: Whole, frequencies: Mapping[str, int]) -> list[str]:
    """What is wrong with frequencies [Hz] by id, a line each: rules among narrow links, wideband carriers off their
    channels or too close, links of shared bands off their steps."""
    narrow = {r.id for r in whole.narrow.requests}
    others = {w.id for w in whole.wides} | {s.request.id for s in whole.shareds}
    mine = {k: f for k, f in frequencies.items() if k not in others}
    out = [describe(f) for f in tuning_faults(whole.narrow, mine)]
    out += [describe(c) for c in conflicts(whole.narrow, {k: f for k, f in mine.items() if k in narrow})[0]]
    for wide in whole.wides:
        if wide.id in frequencies:
            out += _wide_faults(whole, wide, frequencies)
    for shared in whole.shareds:
        freq = frequencies.get(shared.request.id)
        if freq is not None and freq not in _steps(whole.narrow, shared.request):
            out.append(f"{shared.request.id}: {freq} Hz is none of its steps")
    return out


def _wide_faults(whole: Whole, wide: Wide, frequencies: Mapping[str, int]) -> list[str]:
    centre, request = frequencies[wide.id], whole.narrow
    channel = next((c for c in wide.channels if c.low_hz + c.high_hz == 2 * centre), None)
    out = []
    if channel is None or wide.width_hz > channel.high_hz - channel.low_hz:
        out.append(f"{wide.id}: {centre} Hz is the centre of no channel that holds it")
    for item in _narrow(request):
        freq = item.freq_hz if isinstance(item, Carrier) else frequencies.get(item.id)
        reach = _reach(request, item.zone, item.times, item.profile, wide)
        if freq is not None and reach > 0 and abs(freq - centre) < reach:
            out.append(f"{item.id} and {wide.id}: {abs(freq - centre) / 1e3:g} kHz apart, {reach / 1e3:g} kHz needed")
    for other in whole.wides:
        known = frequencies.get(other.id)
        if other.id <= wide.id or known is None or not _hear(request, wide.zone, wide.times, other):
            continue
        if 2 * abs(known - centre) < wide.width_hz + other.width_hz:
            out.append(f"{wide.id} and {other.id} overlap")
    return out
