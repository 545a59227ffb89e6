"""5 GHz with radar duty: channels, listening, what a radar event costs, who takes which channel (domain, section 7)."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from random import Random

from azven.rf.levels import dbm, milliwatts

_LOWER, _MIDDLE, _MAIN, _UPPER = range(36, 49, 4), range(52, 65, 4), range(100, 145, 4), range(149, 166, 4)
_WEATHER = (120, 124, 128)
"""They overlap 5600 to 5650 MHz, where weather radars are."""
LISTEN_S, CLOSED_S, REJOIN_S = 60.0, 1800.0, 5.0
EXACT_TO = 12
_STARTS = 60
_FINE = 10**30
Worth = tuple[int, int, float]
"""Interference in parts of 10⁻³⁰ mW, transceivers on duty, seconds that events cost."""


@dataclass(frozen=True)
class Region:
    """What a territory makes of these channels: closed ones, seconds of listening on weather channels, and whether the
    upper ones are free."""

    closed: frozenset[int] = frozenset()
    weather_s: float = 600.0
    upper_free: bool = False

    def allows(self, channel: int) -> bool:
        """ValueError where there is no such channel."""
        if not any(channel in band for band in (_LOWER, _MIDDLE, _MAIN, _UPPER)):
            raise ValueError(f"there is no channel {channel}")
        return channel not in self.closed and (channel not in _UPPER or self.upper_free)

    def listen_s(self, channel: int) -> float:
        """Seconds of listening before use; 0 without duty."""
        if channel in _LOWER or channel in _UPPER:
            return 0.0
        return self.weather_s if channel in _WEATHER else LISTEN_S


def centre_hz(channel: int) -> int:
    return (5_000 + 5 * channel) * 1_000_000


def silence_s(
    region: Region, to: int, events: Sequence[tuple[int, float]], at_s: float, listened_s: float = 0.0,
    rejoin_s: float = REJOIN_S,
) -> float:  # fmt: skip
    """How long a transceiver is silent that goes to a channel at a time [s]: the listening there, less what its second
    radio has listened, and joining again. `events` are (channel, time [s]). ValueError where the channel is closed."""
    if not region.allows(to):
        raise ValueError(f"channel {to} is closed in this region")
    if any(channel == to and 0 <= at_s - when < CLOSED_S for channel, when in events):
        raise ValueError(f"channel {to} is closed for 30 min after a radar event")
    return max(region.listen_s(to) - listened_s, 0.0) + rejoin_s


@dataclass(frozen=True, kw_only=True)
class Transceiver:
    """A transceiver with the channels that it can use, in their order."""

    id: str
    channels: tuple[int, ...]
    rejoin_s: float = REJOIN_S
    second_radio: bool = False


@dataclass(frozen=True, kw_only=True)
class Assigned:
    """Channels by transceiver; interference together [dBm], None for none; how many are on duty; what an event on each
    of them would cost in all [s]; where each of those goes then, None for nowhere."""

    channels: Mapping[str, int]
    interference_dbm: float | None
    on_duty: int
    event_cost_s: float
    fallbacks: Mapping[str, int | None]


def assign(
    region: Region, transceivers: Sequence[Transceiver], hears: Sequence[tuple[str, str, float]],
    foreign: Sequence[tuple[str, int, float]] = (),
) -> Assigned:  # fmt: skip
    """Least interference on shared channels (`hears`: pairs and level [dBm]; `foreign`: transceiver, channel, level),
    then fewest on duty, then least cost of events, then the channels that come first. Exact. ValueError where somebody
    has no channel that is allowed, and for more than twelve."""
    if len(transceivers) > EXACT_TO:
        raise ValueError(f"too many: an exact answer is given for up to {EXACT_TO} transceivers")
    return _Search(region, transceivers, hears, foreign).answer()


@dataclass
class _Search:
    region: Region
    transceivers: Sequence[Transceiver]
    hears: Sequence[tuple[str, str, float]]
    foreign: Sequence[tuple[str, int, float]]
    best: Worth | None = None

    def __post_init__(self) -> None:
        index = {t.id: i for i, t in enumerate(self.transceivers)}
        self.ways = []
        for t in self.transceivers:
            allowed = tuple(dict.fromkeys(c for c in t.channels if self.region.allows(c)))
            if not allowed:
                raise ValueError(f"no channel: {t.id} has none that is allowed here")
            self.ways.append(allowed)
        size = len(self.transceivers)
        self.between = [[0] * size for _ in range(size)]
        for a, b, level in self.hears:
            i, j = index[a], index[b]
            power = _whole_mw(level)
            self.between[i][j] = self.between[j][i] = max(self.between[i][j], power)
        self.alone: list[dict[int, int]] = [{} for _ in range(size)]
        for name, channel, level in self.foreign:
            found = self.alone[index[name]]
            found[channel] = found.get(channel, 0) + _whole_mw(level)
        self.costs = [{c: self._event(i, c)[0] for c in way} for i, way in enumerate(self.ways)]

    def _event(self, i: int, channel: int) -> tuple[float, int | None]:
        """What an event on a channel costs a transceiver, and where it goes; nothing without duty."""
        if not self.region.listen_s(channel):
            return 0.0, None
        t = self.transceivers[i]

        def silent(to: int) -> float:
            return (0.0 if t.second_radio else self.region.listen_s(to)) + t.rejoin_s

        others = [c for c in self.ways[i] if c != channel]
        if not others:
            return CLOSED_S + silent(channel), None
        to = min(sorted(others), key=silent)
        return silent(to), to

    def answer(self) -> Assigned:
        order = sorted(range(len(self.transceivers)), key=lambda i: -sum(self.between[i]))
        self.best = min(self._settled(order, seed) for seed in range(_STARTS))
        self._descend(order, 0, {}, (0, 0, 0.0))
        goal = self.best
        on = self._first(order, goal)
        names = [t.id for t in self.transceivers]
        fallbacks = {
            n: self._event(i, c)[1]
            for i, (n, c) in enumerate(zip(names, on, strict=True)) if self.region.listen_s(c)
        }  # fmt: skip
        interference = float(dbm(goal[0] / _FINE)) if goal[0] else None
        return Assigned(
            channels=dict(zip(names, on, strict=True)), interference_dbm=interference, on_duty=goal[1],
            event_cost_s=goal[2], fallbacks=fallbacks,
        )  # fmt: skip

    def _settled(self, order: Sequence[int], seed: int) -> Worth:
        """A good answer to begin with: channels at random, each changed to its best until none gets better."""
        chance = Random(seed)
        taken = {i: chance.choice(self.ways[i]) for i in order}
        better = True
        while better:
            better = False
            for i in order:
                others = {j: c for j, c in taken.items() if j != i}
                now = self._step(i, taken[i], others, (0, 0, 0.0))
                step, channel = min((self._step(i, c, others, (0, 0, 0.0)), c) for c in self.ways[i])
                if step < now:
                    taken[i], better = channel, True
        return self._worth(taken)

    def _worth(self, taken: Mapping[int, int]) -> Worth:
        worth: Worth = (0, 0, 0.0)
        so_far: dict[int, int] = {}
        for i, channel in taken.items():
            worth = self._step(i, channel, so_far, worth)
            so_far[i] = channel
        return worth

    def _step(self, i: int, channel: int, taken: Mapping[int, int], so_far: Worth) -> Worth:
        new = self.alone[i].get(channel, 0) + sum(self.between[i][j] for j, c in taken.items() if c == channel)
        duty = self.region.listen_s(channel) > 0
        return so_far[0] + new, so_far[1] + duty, round(so_far[2] + self.costs[i][channel], 6)

    def _least(self, left: Sequence[int], taken: Mapping[int, int], so_far: Worth) -> Worth:
        """No way on can be better than this."""
        interference, duty, cost = so_far
        for i in left:
            steps = [self._step(i, c, taken, (0, 0, 0.0)) for c in self.ways[i]]
            interference += min(s[0] for s in steps)
            duty += min(s[1] for s in steps)
            cost += min(s[2] for s in steps)
        return interference, duty, round(cost, 6)

    def _descend(self, order: Sequence[int], at: int, taken: dict[int, int], so_far: Worth) -> None:
        """The best by depth first, those who hear most first; of unused channels that nothing tells apart one is
        tried."""
        if at == len(order):
            self.best = so_far if self.best is None else min(self.best, so_far)
            return
        if self.best is not None and self._least(order[at:], taken, so_far) >= self.best:
            return
        i, tried = order[at], set()
        used = set(taken.values())
        steps = sorted((self._step(i, c, taken, so_far), c) for c in self.ways[i])
        for step, channel in steps:
            kind = self._kind(channel)
            if channel not in used and kind in tried:
                continue
            if channel not in used:
                tried.add(kind)
            taken[i] = channel
            self._descend(order, at + 1, taken, step)
            del taken[i]

    def _kind(self, channel: int) -> object:
        """What tells an unused channel apart: who may use it, at what cost, and what others do there."""
        return tuple((c.get(channel), a.get(channel, 0)) for c, a in zip(self.costs, self.alone, strict=True)), (
            self.region.listen_s(channel) > 0
        )

    def _first(self, order: Sequence[int], goal: Worth) -> list[int]:
        """The first assignment, in the order of the list and of the channels, that is as good as the best: channel by
        channel the first from which that can still be reached."""
        fixed: dict[int, int] = {}
        for i, ways in enumerate(self.ways):
            failed: set[object] = set()
            for channel in sorted(ways):
                kind = self._kind(channel) if channel not in fixed.values() else channel
                if kind in failed:
                    continue
                trial = {**fixed, i: channel}
                if self._reaches([j for j in order if j not in trial], trial, self._worth(trial), goal):
                    fixed = trial
                    break
                failed.add(kind)
        return [fixed[i] for i in range(len(self.ways))]

    def _reaches(self, left: Sequence[int], taken: dict[int, int], so_far: Worth, goal: Worth) -> bool:
        """Whether what is left can be assigned so that all of it is as good as the best."""
        if not left:
            return so_far == goal
        if self._least(left, taken, so_far) > goal:
            return False
        i, tried, used = left[0], set(), set(taken.values())
        for step, channel in sorted((self._step(i, c, taken, so_far), c) for c in self.ways[i]):
            kind = self._kind(channel)
            if channel not in used and kind in tried:
                continue
            if channel not in used:
                tried.add(kind)
            if self._reaches(left[1:], {**taken, i: channel}, step, goal):
                return True
        return False


def _whole_mw(level_dbm: float) -> int:
    """Power in whole parts of 10⁻³⁰ mW, so that sums do not hang on their order."""
    return round(float(milliwatts(level_dbm)) * _FINE)
