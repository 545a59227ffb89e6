"""Where one link could stand and what keeps it from the rest: its lane, cause by cause."""

from collections.abc import Callable, Iterator, Mapping, Sequence, Set
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from azven.rf.coordinate.grid import Grid, permitted, to_array, tunable
from azven.rf.coordinate.rules import Rules
from azven.rf.coordinate.state import State, build
from azven.rf.request import KINDS, Carrier, PlanRequest, Profile, Request

FREE = "free"
RANGE = "range"
CAUSES = (FREE, RANGE, "spacing", *KINDS)


@dataclass(frozen=True)
class Lane:
    """Tunable steps of a link `freq_hz` (n,) and, for each, `cause` (n,), an index into `CAUSES`.

    The first cause in the order of `CAUSES` is named where several apply. Carriers that are off the raster count where
    they are; a request whose own steps are off the common raster is rounded to the safe side.
    """

    freq_hz: NDArray[np.int64]
    cause: NDArray[np.int8]

    @property
    def free(self) -> NDArray[np.int64]:
        """Frequencies [Hz] where nothing stands against the link."""
        return np.asarray(self.freq_hz[self.cause == 0])

    def shares(self) -> tuple[tuple[str, float], ...]:
        """Share of the tunable steps that each cause takes, largest first, without the free ones."""
        counts = np.bincount(self.cause, minlength=len(CAUSES))
        total = max(len(self.cause), 1)
        found = [(CAUSES[i], float(counts[i] / total)) for i in range(1, len(CAUSES)) if counts[i]]
        return tuple(sorted(found, key=lambda item: -item[1]))


def lane(plan: PlanRequest, link: Request, others: Sequence[Carrier]) -> Lane:
    """The lane of `link` while `others` stand where they are; carriers named like the link are left out."""
    found = lane_unless(plan, link, others, lambda: True)
    assert found is not None
    return found


def lane_unless(
    plan: PlanRequest, link: Request, others: Sequence[Carrier], going_on: Callable[[], bool]
) -> Lane | None:
    """The same, None when `going_on` says no before it is known."""
    if not going_on():
        return None
    alone = replace(plan, requests=(link,), carriers=tuple(c for c in others if c.id != link.id))
    return lanes(alone, {}, [link.id], lambda done, total: going_on()).get(link.id)


def lanes(
    plan: PlanRequest,
    frequencies: Mapping[str, int],
    wanted: Sequence[str],
    progress: Callable[[int, int], bool] = lambda done, total: True,
) -> dict[str, Lane]:
    """The lanes of the `wanted` links, each with every other link at its frequency [Hz] (id → Hz).

    `progress` returning False ends the work; what is missing then is left out of the answer.
    """
    links = {r.id: r for r in plan.requests}
    found: dict[str, Lane] = {}
    for name in wanted:
        freq = np.array(tunable(links[name]), np.int64)
        found[name] = Lane(freq, np.where(permitted(plan, links[name], freq), 0, CAUSES.index(RANGE)).astype(np.int8))
    causes = [c for c in ("spacing", *KINDS) if _guarded(plan, c)]
    steps, total = 0, len(causes) * len(wanted)

    def going_on() -> bool:
        return progress(steps, total)

    for cause in causes:
        profiles = {k: _only(p, cause) for k, p in plan.profiles.items()}
        for part, names in _parts(replace(plan, profiles=profiles, blocked=()), frequencies, wanted):
            grid = Grid(part, frequencies.values())
            done = 0
            for name, closed in _all_but_one(grid, frequencies, names, going_on):
                done += 1
                freq, codes = found[name].freq_hz, found[name].cause
                at = closed[grid.positions(freq)]
                codes[(codes == 0) & at] = CAUSES.index(cause)
                steps += 1
                if not progress(steps, total):
                    return {}
            if done < len(names):
                return {}
    return found


def _parts(
    plan: PlanRequest, frequencies: Mapping[str, int], wanted: Sequence[str]
) -> Iterator[tuple[PlanRequest, Sequence[str]]]:
    """Requests that are looked at together. A link that stands between its steps is a given carrier to all others, so
    that how far off it is counts, and has its own lane looked at alone."""
    off = {r.id for r in plan.requests if (frequencies.get(r.id, r.origin_hz) - r.origin_hz) % r.step_hz}

    def part(without: Set[str]) -> PlanRequest:
        given = tuple(r.at(frequencies[r.id]) for r in plan.requests if r.id in without)
        links = tuple(r for r in plan.requests if r.id not in without)
        return replace(plan, requests=links, carriers=(*plan.carriers, *given))

    if together := [n for n in wanted if n not in off]:
        yield part(off), together
    for name in (n for n in wanted if n in off):
        yield part(off - {name}), [name]


def _all_but_one(
    grid: Grid, frequencies: Mapping[str, int], wanted: Sequence[str], going_on: Callable[[], bool]
) -> Iterator[tuple[str, NDArray[np.bool_]]]:
    """For each wanted link the steps closed by all the others, (width,).

    Halving: the state of one half of the links is built once and serves all links of the other half,
    so n links take n·log n placements instead of n². Ends early when `going_on` says no.
    """
    index = {r.id: i for i, r in enumerate(grid.request.requests)}
    members = {n: (grid.request_tag[index[n]], grid.position(f)) for n, f in frequencies.items() if n in index}
    rest = [m for n, m in members.items() if n not in set(wanted)]

    def asking(names: Sequence[str]) -> frozenset[int]:
        return frozenset(grid.request_tag[index[n]] for n in names)

    root = build(Rules(grid), grid.given).copy(asking(wanted))
    for member in rest:
        if not going_on():
            return
        root.add(*member)
    root = root.settle()

    def halve(state: State, names: Sequence[str]) -> Iterator[tuple[str, NDArray[np.bool_]]]:
        if len(names) == 1:
            yield names[0], to_array(state.closed[grid.request_tag[index[names[0]]]], grid.width)
            return
        middle = len(names) // 2
        for inside, outside in ((names[:middle], names[middle:]), (names[middle:], names[:middle])):
            fuller = state.copy(asking(inside))
            for name in outside:
                if name in members:
                    fuller.add(*members[name])
            yield from halve(fuller, inside)

    if wanted:
        yield from halve(root, list(wanted))


def _guarded(plan: PlanRequest, cause: str) -> bool:
    if cause == "spacing" and "far" in plan.relations.values():
        return True
    return any(p.spacing_hz if cause == "spacing" else p.guard(cause) for p in plan.profiles.values())


def _only(profile: Profile, cause: str) -> Profile:
    """The profile with every rule but `cause` switched off."""
    if cause == "spacing":
        return replace(profile, guard_hz={})
    guard = profile.guard(cause)
    return replace(profile, spacing_hz=0, guard_hz={cause: guard} if guard else {}, width_hz=0)
