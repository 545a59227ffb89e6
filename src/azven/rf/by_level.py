"""Coordination by school: by spacing, by level, or by spacing with what is harmless here excused."""

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from azven.rf.coordinate import Plan, carriers_of, coordinate, finish, lane
from azven.rf.coordinate.plan import Stats
from azven.rf.radios import Radio, Rooms
from azven.rf.request import PlanRequest, Request
from azven.rf.schools import LEVEL_KINDS, LevelJudge, School, broken

Progress = Callable[[int, int], bool]
_CANDIDATES = 60
_SEARCH_SHARE = 0.6


@dataclass(frozen=True)
class Levels:
    """What the level school needs beside the request: radios by link, and the rooms."""

    radios: Mapping[str, Radio]
    rooms: Rooms


def plan_by(
    request: PlanRequest, levels: Levels, school: School, progress: Progress, elapsed: Callable[[], float],
    current: Mapping[str, int] | None = None,
) -> Plan:  # fmt: skip
    """Place the requests so that no placed link has a conflict in the `school`.

    The spacing search goes first; the level schools then move what levels find in danger and place what found no
    room by distance alone, each link at the first of up to 60 steps that breaks nobody. The level school also starts
    from a plan that keeps every third-order product out of every channel, and the plan with more links counts. With
    `current` (id → Hz) the search is left out and those links stay unless they are in danger.
    """
    if current is not None:
        stats = finish(request, dict(current), coordinate(replace(request, requests=())).stats).stats
        work = _Work(request, levels, school, progress, elapsed)
        return _finished(request, work, work.mended(current), stats)
    if school == "spacing":
        return coordinate(request, progress, elapsed)
    starts = [_out_of_channels(request, levels), request] if school == "level" else [request]
    best: Plan | None = None
    for i, start in enumerate(starts, start=1):
        until = request.time_limit_s * i / len(starts)
        placing_s = (1 - _SEARCH_SHARE) * request.time_limit_s / len(starts)
        first = coordinate(replace(start, time_limit_s=until - placing_s), progress, elapsed)
        work = _Work(replace(request, time_limit_s=until), levels, school, progress, elapsed)
        found = _finished(request, work, work.mended({a.id: a.freq_hz for a in first.assignments}), first.stats)
        best = found if best is None or _worth(request, found) > _worth(request, best) else best
        if not found.unplaced or not progress(0, 1):
            break
    assert best is not None
    return best


def _out_of_channels(request: PlanRequest, levels: Levels) -> PlanRequest:
    """The request with third-order guards as wide as the widest channel: products then fall beside every channel."""
    widest = max((r.bandwidth_hz for r in levels.radios.values()), default=Radio().bandwidth_hz)
    profiles = {
        name: replace(p, guard_hz={**p.guard_hz, **{k: max(widest, p.guard(k)) for k in LEVEL_KINDS}})
        if any(p.guard_hz.values()) else p
        for name, p in request.profiles.items()
    }  # fmt: skip
    return replace(request, profiles=profiles)


def _finished(request: PlanRequest, work: "_Work", frequencies: Mapping[str, int], stats: Stats) -> Plan:
    done = replace(stats, elapsed_s=work.elapsed(), timed_out=work.timed_out)
    return finish(request, dict(frequencies), done)


def _worth(request: PlanRequest, plan: Plan) -> tuple[int, ...]:
    """How many links of each priority are placed, the most important first."""
    placed = {a.id for a in plan.assignments}
    counts = Counter(r.priority for r in request.requests if r.id in placed)
    return tuple(counts[p] for p in sorted({r.priority for r in request.requests}))


class _Work:
    def __init__(
        self, request: PlanRequest, levels: Levels, school: School, progress: Progress, elapsed: Callable[[], float]
    ) -> None:
        self.request, self.levels, self.school = request, levels, school
        self._progress, self.elapsed = progress, elapsed
        self.timed_out = False
        profiles = {
            name: replace(p, guard_hz={k: g for k, g in p.guard_hz.items() if k not in LEVEL_KINDS})
            for name, p in request.profiles.items()
        }
        self._without_third = replace(request, profiles=profiles)
        self._given = {c.id for c in request.carriers}

    def _broken(self, frequencies: Mapping[str, int], judge: LevelJudge | None = None) -> set[str]:
        carriers = carriers_of(self.request, dict(frequencies))
        radios, rooms = self.levels.radios, self.levels.rooms
        return broken(self.request, carriers, radios, rooms, self.school, by_frequency=True, judge=judge)

    def _going_on(self, done: int, total: int) -> bool:
        self.timed_out = self.timed_out or self.elapsed() > self.request.time_limit_s
        return not self.timed_out and self._progress(done, total)

    def mended(self, frequencies: Mapping[str, int]) -> dict[str, int]:
        """The frequencies without what is in danger, and with everything that then finds room."""
        out = dict(frequencies)
        self.clear_danger(out)
        self.fill(out)
        return out

    def clear_danger(self, frequencies: dict[str, int]) -> None:
        """Take out, least important first, what is in danger or brings others into it."""
        rank = {r.id: (r.priority, i) for i, r in enumerate(self.request.requests)}
        lost = self._given & self._broken({})
        while frequencies:
            judge = _judge(self.request, frequencies, self.levels)
            danger = self._broken(frequencies, judge) - lost
            movable = (danger | judge.strongest_sources(danger)) & frequencies.keys()
            if not movable:
                return
            if not self._going_on(0, 1):  # no time to choose
                for name in movable:
                    del frequencies[name]
                return
            del frequencies[max(movable, key=lambda m: rank[m])]

    def fill(self, frequencies: dict[str, int]) -> None:
        """Place what is missing, most important first."""
        missing = sorted((r for r in self.request.requests if r.id not in frequencies), key=lambda r: r.priority)
        if not missing or not self._going_on(0, len(missing)):
            return
        before = self._broken(frequencies)
        full: set[Request] = set()
        for done, wish in enumerate(missing):
            alike = replace(wish, id="", priority=0)
            if alike in full:
                continue
            if not self._going_on(done, len(missing)):
                return
            at = self._place(wish, frequencies, before)
            if at is None:
                full.add(alike)
            else:
                frequencies[wish.id] = at

    def _place(self, wish: Request, frequencies: Mapping[str, int], before: set[str]) -> int | None:
        free = lane(self._without_third, wish, carriers_of(self.request, dict(frequencies))).free
        if not len(free):
            return None
        chosen = free[np.unique(np.linspace(0, len(free) - 1, _CANDIDATES).round().astype(int))]
        for step in chosen.tolist():
            if not self._broken({**frequencies, wish.id: step}) - before:
                return int(step)
            if not self._going_on(0, 1):
                return None
        return None


def _judge(request: PlanRequest, frequencies: Mapping[str, int], levels: Levels) -> LevelJudge:
    return LevelJudge(request, carriers_of(request, dict(frequencies)), levels.radios, levels.rooms)


def excused(
    request: PlanRequest, frequencies: Mapping[str, int], levels: Levels, only: Sequence[str] = ()
) -> dict[str, str]:
    """Links whose third-order guards are broken while their level ratio holds, with the sentence that excuses them."""
    carriers = carriers_of(request, dict(frequencies))
    by_spacing = broken(request, carriers, levels.radios, levels.rooms, "spacing")
    judge = LevelJudge(request, carriers, levels.radios, levels.rooms)
    still = broken(request, carriers, levels.radios, levels.rooms, "both", judge=judge)
    out = {}
    for name in sorted(by_spacing - still):
        if name in frequencies and (not only or name in only):
            found = judge.standing(name)
            out[name] = (
                f"{found.ratio_db:.0f} dB over products and noise, {found.needed_db:.0f} dB needed: harmless here"
            )
    return out
