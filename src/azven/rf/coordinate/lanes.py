"""Where one link could stand and what keeps it from the rest: its lane, cause by cause."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from azven.rf.coordinate.grid import Grid, permitted, to_array, tunable
from azven.rf.coordinate.state import Rules, build
from azven.rf.request import KINDS, Carrier, PlanRequest, Profile, Request

FREE = "free"
RANGE = "range"
CAUSES = (FREE, RANGE, "spacing", *KINDS)


@dataclass(frozen=True)
class Lane:
    """Tunable steps of a link `freq_hz` (n,) and, for each, `cause` (n,), an index into `CAUSES`.

    The first cause in the order of `CAUSES` is named where several apply. Rounding of carriers
    that are off the raster is to the safe side.
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
    freq = np.array(tunable(link), np.int64)
    cause = np.zeros(len(freq), np.int8)
    for i, f in enumerate(freq.tolist()):
        if not permitted(plan, link, f):
            cause[i] = CAUSES.index(RANGE)
    others = [c for c in others if c.id != link.id]
    alone = replace(plan, requests=(link,), carriers=tuple(others), blocked=())
    for name in ("spacing", *KINDS):
        profiles = {k: _only(p, name) for k, p in plan.profiles.items()}
        if not any(p.spacing_hz or p.guard_hz for p in profiles.values()):
            continue
        grid = Grid(replace(alone, profiles=profiles))
        state = build(Rules(grid), grid.given)
        closed = to_array(state.closed[grid.request_tag[0]], grid.width)
        at = np.array([grid.position(f) for f in freq.tolist()], np.intp)
        cause[(cause == 0) & closed[at]] = CAUSES.index(name)
    return Lane(freq, cause)


def _only(profile: Profile, cause: str) -> Profile:
    """The profile with every rule but `cause` switched off."""
    if cause == "spacing":
        return Profile(profile.spacing_hz, {})
    guard = profile.guard(cause)
    return Profile(0, {cause: guard} if guard else {})
