"""A plan request laid out on one raster of steps, with its members sorted into classes.

Everything the search asks repeatedly is answered here once: which classes meet, which mix, and how wide an exclusion is
in steps. A given carrier that lies off the raster keeps the distance to its nearest step, with its sign. A request
whose own steps lie off the raster widens the exclusions that it takes part in by as much as it may be moved.
"""

from collections.abc import Collection
from dataclasses import dataclass
from functools import lru_cache
from math import gcd

import numpy as np
from numpy.typing import ArrayLike, NDArray

from azven.rf.coordinate.relations import RELATIONS, Level, window
from azven.rf.request import Carrier, PlanRequest, Profile, Range, Request, apart_hz, meet_in_time

_FINEST_HZ = 5_000
_TUNABLE_KEPT = 200
"""Ways to be tuned whose steps are remembered."""
_MOST_WEIGHT = 10
"""The sum of the coefficients of any relation, without their signs, is at most this."""


@dataclass(frozen=True)
class Tag:
    """What a member is to others apart from its frequency; `offset_hz`: how far a given carrier lies off the raster;
    `error_hz`: how far a request may."""

    profile: str
    zone: str
    times: frozenset[str]
    radiates: bool
    error_hz: int
    offset_hz: int = 0


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
        self.shapes = list(dict.fromkeys((k.tag, k.open) for k in self.kinds))
        """Tag and open steps of links that are alike but for their importance."""
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

    def _tag_of(self, item: Request | Carrier, error: int, offset: int = 0) -> int:
        radiates = not isinstance(item, Carrier) or item.radiates
        tag = Tag(item.profile, item.zone, item.times, radiates, error, offset)
        if tag not in self._tag_index:
            self._tag_index[tag] = len(self.tags)
            self.tags.append(tag)
        return self._tag_index[tag]

    def _carrier_tag(self, carrier: Carrier) -> int:
        at = self.base + self.position(carrier.freq_hz) * self.unit
        return self._tag_of(carrier, 0, carrier.freq_hz - at)

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
        freq = _tunable(request.ranges, request.step_hz, request.origin_hz)
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

    def spacing_window(self, f: int, x: int) -> tuple[int, int]:
        """Whole steps f − x, (first, last), at which members of two tags stand too near; last below first for none."""
        a, b = self.tags[f], self.tags[x]
        wide = apart_hz(self.profile(f), self.profile(x), self.request.relation(a.zone, b.zone))
        if wide <= 0:
            return 0, -1
        off, within = a.offset_hz - b.offset_hz, wide - 1 + a.error_hz + b.error_hz
        return window(within, off, self.unit)

    def widest(self) -> int:
        """Steps that the window of any product rule can hold at most."""
        guards = [self.profile(t).guard(k) for t in range(len(self.tags)) for k in RELATIONS]
        errors = _MOST_WEIGHT * max((t.error_hz for t in self.tags), default=0)
        return 2 * (max(guards, default=0) + errors) // self.unit + 2

    def _group(self) -> None:
        """Sort tags by where and when they are on (groups) and by what they bring to product rules (levels)."""
        groups: dict[tuple[str, frozenset[str]], int] = {}
        levels: dict[Level, int] = {}
        self.group_of = [groups.setdefault((t.zone, t.times), len(groups)) for t in self.tags]
        self.level_of = [levels.setdefault(self._level(i), len(levels)) for i in range(len(self.tags))]
        self.levels = list(levels)
        one_of = [self.group_of.index(g) for g in range(len(groups))]
        self.group_mixes = [[self.mixes[a][b] for b in one_of] for a in one_of]

    def _level(self, tag: int) -> Level:
        guards = tuple((k, self.profile(tag).guard(k)) for k in RELATIONS if self.profile(tag).guard(k) > 0)
        found = self.tags[tag]
        return Level(guards, found.radiates, found.offset_hz, found.error_hz)

    def active(self, kind: str) -> bool:
        """Whether any profile in use guards against `kind`."""
        return any(self.profile(t).guard(kind) > 0 for t in range(len(self.tags)))


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
    found: list[int] = _tunable(request.ranges, request.step_hz, request.origin_hz).tolist()
    return found


@lru_cache(_TUNABLE_KEPT)
def _tunable(ranges: tuple[Range, ...], step_hz: int, origin_hz: int) -> NDArray[np.int64]:
    """The same for many links that are tuned alike; never changed."""
    parts = [
        np.arange(origin_hz - (origin_hz - r.low_hz) // step_hz * step_hz, r.high_hz + 1, step_hz, dtype=np.int64)
        for r in ranges
    ]
    found = np.unique(np.concatenate(parts)) if parts else np.zeros(0, np.int64)
    found.flags.writeable = False
    return found


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


def lowest(bits: int) -> int:
    """The lowest element of a bit set that is not empty."""
    return (bits & -bits).bit_length() - 1


def steps_of(bits: int) -> list[int]:
    """The elements of a bit set, ascending."""
    found: list[int] = np.flatnonzero(to_array(bits, bits.bit_length())).tolist()
    return found


def to_array(bits: int, width: int) -> NDArray[np.bool_]:
    """A bit set as a boolean array (width,)."""
    raw = np.frombuffer(bits.to_bytes((width + 7) // 8 + 1, "little"), np.uint8)
    return np.unpackbits(raw, bitorder="little")[:width].astype(bool)
