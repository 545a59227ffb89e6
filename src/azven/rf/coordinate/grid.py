"""A plan request laid out on one raster of steps, with its members sorted into classes.

Everything the search asks repeatedly is answered here once: which classes meet, which mix, and how
wide an exclusion is in steps. Rounding is to the safe side: a carrier that is off the raster widens
the exclusions it takes part in by the distance it was moved.
"""

from collections.abc import Collection
from dataclasses import dataclass
from math import gcd

import numpy as np
from numpy.typing import ArrayLike, NDArray

from azven.rf.request import Carrier, PlanRequest, Profile, Request, meet_in_time

_FINEST_HZ = 5_000
Level = tuple[int, bool, int]
"""Guard against a+b-c [Hz], whether it radiates, distance off the raster [Hz]."""
_TWO_SIGNAL = {"2a-b": (2, 1), "3a-2b": (3, 2), "4a-3b": (4, 3), "5a-4b": (5, 4)}


@dataclass(frozen=True)
class Tag:
    """What a member is to others apart from its frequency; `error_hz`: how far it may lie off the raster."""

    profile: str
    zone: str
    times: frozenset[str]
    radiates: bool
    error_hz: int


@dataclass(frozen=True)
class Kind:
    """Requests that are interchangeable: same tag, same open steps (a bit set), same priority."""

    tag: int
    open: int
    priority: int
    members: tuple[int, ...]


class Grid:
    """The raster, the tags and the kinds of a plan request; `also_hz` are frequencies that it has to hold as well, such
    as those of links that stand where they may not be tuned to any more."""

    def __init__(self, request: PlanRequest, also_hz: Collection[int] = ()) -> None:
        self.request = request
        self.unit, self.base = _raster(request, also_hz)
        self.tags: list[Tag] = []
        self._tag_index: dict[Tag, int] = {}
        self.request_tag = [self._tag_of(r, self._raster_error(r)) for r in request.requests]
        self.given = [(self._carrier_tag(c), self.position(c.freq_hz)) for c in request.carriers]
        highest = max([r.high_hz for q in request.requests for r in q.ranges], default=self.base)
        highest = max([highest, *(c.freq_hz for c in request.carriers), *also_hz])
        self.width = self.position(highest) + 2
        self.kinds = self._sort_into_kinds()
        self.searched = sorted(set(self.request_tag))
        self._relate()

    def position(self, freq_hz: int) -> int:
        """Nearest step of the raster to a frequency [Hz]."""
        return (2 * (freq_hz - self.base) + self.unit) // (2 * self.unit)

    def positions(self, freq_hz: NDArray[np.int64]) -> NDArray[np.int64]:
        """The same for frequencies (n,) [Hz]."""
        return (2 * (freq_hz - self.base) + self.unit) // (2 * self.unit)

    def frequency(self, request: Request, position: int) -> int:
        """The frequency [Hz] to which `request` is tuned when it stands at `position`."""
        at = self.base + position * self.unit
        return (
            request.origin_hz
            + (2 * (at - request.origin_hz) + request.step_hz) // (2 * request.step_hz) * request.step_hz
        )

    def _raster_error(self, request: Request) -> int:
        on_raster = request.step_hz % self.unit == 0 and (request.origin_hz - self.base) % self.unit == 0
        return 0 if on_raster else (self.unit + 1) // 2

    def _tag_of(self, item: Request | Carrier, error: int) -> int:
        radiates = not isinstance(item, Carrier) or item.radiates
        tag = Tag(item.profile, item.zone, item.times, radiates, error)
        if tag not in self._tag_index:
            self._tag_index[tag] = len(self.tags)
            self.tags.append(tag)
        return self._tag_index[tag]

    def _carrier_tag(self, carrier: Carrier) -> int:
        error = 0 if (carrier.freq_hz - self.base) % self.unit == 0 else (self.unit + 1) // 2
        return self._tag_of(carrier, error)

    def _sort_into_kinds(self) -> list[Kind]:
        groups: dict[tuple[object, ...], list[int]] = {}
        for i, r in enumerate(self.request.requests):
            key = (self.request_tag[i], r.priority, r.ranges, r.allowed, r.step_hz, r.origin_hz % r.step_hz)
            groups.setdefault(key, []).append(i)
        return [
            Kind(
                self.request_tag[m[0]],
                self._open_steps(self.request.requests[m[0]]),
                self.request.requests[m[0]].priority,
                tuple(m),
            )
            for m in groups.values()
        ]

    def _open_steps(self, request: Request) -> int:
        freq = np.array(tunable(request), np.int64)
        is_open = np.zeros(self.width, np.uint8)
        is_open[self.positions(freq[permitted(self.request, request, freq)])] = 1
        return int.from_bytes(np.packbits(is_open, bitorder="little").tobytes(), "little")

    def _relate(self) -> None:
        n = len(self.tags)
        self.meets = [[False] * n for _ in range(n)]
        self.mixes = [[False] * n for _ in range(n)]
        for i, a in enumerate(self.tags):
            for j, b in enumerate(self.tags):
                if meet_in_time(a.times, b.times):
                    relation = self.request.relation(a.zone, b.zone)
                    self.meets[i][j] = relation != "apart" and (a.radiates or b.radiates)
                    self.mixes[i][j] = relation == "together"
        self._group()

    def profile(self, tag: int) -> Profile:
        return self.request.profiles[self.tags[tag].profile]

    def reach(self, distance_hz: int, error_hz: int) -> int:
        """Steps on either side that a strict distance excludes; -1 when the rule is off."""
        return (distance_hz - 1 + error_hz) // self.unit if distance_hz > 0 else -1

    def widest_reach(self) -> int:
        """Steps that any product rule can reach at most, rounding included."""
        guards = [self.profile(t).guard(k) for t in range(len(self.tags)) for k in (*_TWO_SIGNAL, "a+b-c")]
        errors = 4 * max((t.error_hz for t in self.tags), default=0)
        return max(0, self.reach(max(guards, default=0), errors)) + 1

    def spacing_reach(self, a: int, b: int) -> int:
        wide = max(self.profile(a).spacing_hz, self.profile(b).spacing_hz)
        return self.reach(wide, self.tags[a].error_hz + self.tags[b].error_hz)

    def _group(self) -> None:
        """Sort tags by where and when they are on (groups) and by what they ask of three-signal products (levels)."""
        groups: dict[tuple[str, frozenset[str]], int] = {}
        levels: dict[Level, int] = {}
        self.group_of = [groups.setdefault((t.zone, t.times), len(groups)) for t in self.tags]
        self.level_of = [
            levels.setdefault((self.profile(i).guard("a+b-c"), t.radiates, t.error_hz), len(levels))
            for i, t in enumerate(self.tags)
        ]
        self._levels = list(levels)
        needs: dict[tuple[object, ...], int] = {}
        self.need_of = [
            needs.setdefault((*(self.profile(i).guard(k) for k in _TWO_SIGNAL), t.radiates, t.error_hz), len(needs))
            for i, t in enumerate(self.tags)
        ]
        self._tag_with_need = [self.need_of.index(n) for n in range(len(needs))]
        one_of = [self.group_of.index(g) for g in range(len(groups))]
        self.group_mixes = [[self.mixes[a][b] for b in one_of] for a in one_of]
        self._reaches: dict[tuple[int, ...], int] = {}

    def three_signal(self, f: int, x: int, j: int, k: int) -> int:
        """Reach of the rule f + z = x + y for members of four levels: any of them may be the victim of the others."""
        key = (f, x, j, k)
        if key not in self._reaches:
            self._reaches[key] = self._quad_reach([self._levels[i] for i in key])
        return self._reaches[key]

    def _quad_reach(self, levels: list[Level]) -> int:
        listeners = [level for level in levels if not level[1]]
        if len(listeners) > 1:
            return -1
        guard = max(guard for guard, _, _ in (listeners or levels))
        return self.reach(guard, sum(error for _, _, error in levels))

    def active(self, kind: str) -> bool:
        """Whether any profile in use guards against `kind`."""
        return any(self.profile(t).guard(kind) > 0 for t in range(len(self.tags)))

    def pair_rule(self, f: int, x: int, y: int) -> tuple[tuple[int, int, int] | None, bool]:
        """For three needs: reaches of 2a-b at 2x − y, 2y − x and the middle when all radiate on the raster, else None;
        and whether any other two-signal kind, or 2a-b itself, has to be looked up as a pattern."""
        tags = [self._tag_with_need[n] for n in (f, x, y)]
        others = any(self.profile(t).guard(k) > 0 for t in tags for k in _TWO_SIGNAL if k != "2a-b")
        third = [self.reach(self.profile(t).guard("2a-b"), 0) for t in tags]
        if any(not self.tags[t].radiates or self.tags[t].error_hz for t in tags):
            return None, others or max(third) >= 0
        r_f, r_x, r_y = third
        return (max(r_f, r_y), max(r_f, r_x), max(r_x, r_y)), others

    def two_signal_pattern(self, f: int, x: int, y: int, d: int) -> tuple[int, int]:
        """Steps closed to f by x at 0 and y at `d`, all two-signal kinds and all roles; members by their needs.

        Returns a bit set and the position of its bit 0 relative to x.
        """
        f, x, y = (self._tag_with_need[n] for n in (f, x, y))
        spans: list[tuple[int, int]] = []
        by_shifts = self.pair_rule(*(self.need_of[t] for t in (f, x, y)))[0] is not None
        for kind, (m, n) in _TWO_SIGNAL.items():
            if kind == "2a-b" and by_shifts:
                continue
            roles = (
                (f, x, y, 1, -n * d), (f, y, x, 1, m * d),
                (y, f, x, m, d), (x, f, y, m, n * d),
                (y, x, f, n, -d), (x, y, f, n, m * d),
            )  # fmt: skip
            for victim, plus, minus, factor, centre in roles:
                if not (self.tags[plus].radiates and self.tags[minus].radiates):
                    continue
                error = m * self.tags[plus].error_hz + n * self.tags[minus].error_hz + self.tags[victim].error_hz
                r = self.reach(self.profile(victim).guard(kind), error)
                if r >= 0:
                    spans.append((-((r - centre) // factor), (centre + r) // factor))
        spans = [(max(a, -self.width), min(b, self.width)) for a, b in spans]
        spans = [s for s in spans if s[0] <= s[1]]
        if not spans:
            return 0, 0
        low = min(a for a, _ in spans)
        bits = 0
        for a, b in spans:
            bits |= ((1 << (b - a + 1)) - 1) << (a - low)
        return bits, low


def _raster(request: PlanRequest, also_hz: Collection[int]) -> tuple[int, int]:
    """Unit and base [Hz]: the coarsest raster that holds every request, and given carriers if not too fine."""
    requests = request.requests
    if not requests:
        return 25_000, min([c.freq_hz for c in request.carriers], default=0)
    origin = requests[0].origin_hz
    unit = gcd(*(r.step_hz for r in requests), *(r.origin_hz - origin for r in requests))
    unit = unit if unit >= 1_000 else _FINEST_HZ
    fine = gcd(unit, *(c.freq_hz - origin for c in request.carriers))
    unit = fine if fine >= _FINEST_HZ or 2 * fine >= unit else unit
    lowest = min([*(r.low_hz for q in requests for r in q.ranges), *(c.freq_hz for c in request.carriers), *also_hz])
    return unit, origin + (lowest - origin) // unit * unit - unit


def tunable(request: Request) -> list[int]:
    """The frequencies [Hz] of a request's steps inside its ranges, ascending, each once."""
    out: set[int] = set()
    for r in request.ranges:
        first = request.origin_hz - (request.origin_hz - r.low_hz) // request.step_hz * request.step_hz
        out.update(range(first, r.high_hz + 1, request.step_hz))
    return sorted(out)


def permitted(plan: PlanRequest, request: Request, freq_hz: ArrayLike) -> NDArray[np.bool_]:
    """Whether steps [Hz] are inside `allowed` and outside everything blocked for the request's zone; any shape."""
    freq = np.asarray(freq_hz)
    inside = np.full(freq.shape, request.allowed is None)
    for r in request.allowed or ():
        inside |= (freq >= r.low_hz) & (freq <= r.high_hz)
    for b in plan.blocked:
        if b.zones is None or request.zone in b.zones:
            inside &= (freq < b.low_hz) | (freq >= b.high_hz)
    return inside


def to_array(bits: int, width: int) -> NDArray[np.bool_]:
    """A bit set as a boolean array (width,)."""
    raw = np.frombuffer(bits.to_bytes((width + 7) // 8 + 1, "little"), np.uint8)
    return np.unpackbits(raw, bitorder="little")[:width].astype(bool)
