"""Why a link lost its sound in a rehearsal: here the physics is known, so diagnosis can be marked."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from azven.rf import bands
from azven.rf.diagnose.record import closed, runs
from azven.rf.rehearse.take import STEP_S, Take

Why = Literal["fade", "own", "product", "foreign", "noise", "battery"]
NAMES: Mapping[Why, frozenset[str]] = {
    "fade": frozenset({"shadow", "out-of-reach", "multipath", "crowd"}), "own": frozenset({"own"}),
    "product": frozenset({"product"}), "foreign": frozenset({"foreign"}), "noise": frozenset({"noise", "foreign"}),
    "battery": frozenset({"battery"}),
}  # fmt: skip
"""By what names diagnosis is right about each."""
_BY_PART: Mapping[str, Why] = {"own": "own", "product": "product", "foreign": "foreign", "noise": "noise"}
_JOINED_S, _MOST = 3.0, 6


@dataclass(frozen=True)
class Loss:
    """A link had no sound from a moment on [s of the evening] for so many seconds, and why."""

    link: int
    at_s: float
    seconds: float
    why: Why


def losses(take: Take) -> list[Loss]:
    """The longest losses of every link, by what the venue did."""
    out = []
    for i, row in enumerate(take.lost):
        parts = runs(closed(row, round(_JOINED_S / STEP_S)))
        for first, end in sorted(parts, key=lambda part: part[0] - part[1])[:_MOST]:
            middle = first + int(np.flatnonzero(row[first:end])[row[first:end].sum() // 2])
            at_s = float(take.record.at_s[first])
            ended = np.isfinite(take.ended_s[i]) and take.record.at_s[middle] >= take.ended_s[i]
            why: Why = "battery" if ended else _why(take, i, middle)
            out.append(Loss(i, at_s, float(row[first:end].sum() * STEP_S), why))
    return out


def _why(take: Take, i: int, k: int) -> Why:
    """What is strongest against a link at a moment, on its better side; a fade, where that is only the floor."""
    at_s, sides = float(take.record.at_s[k]), take.reception.receivers[i].sides
    levels = np.array([take.record.a[i, k], take.record.b[i, k]])[: len(sides)]
    side = sides[int(np.nanargmax(levels))] if np.isfinite(levels).any() else sides[0]
    carried = replace(take.carried, on=take.carried.on & ~(take.ended_s <= at_s))
    parts = take.reception.against(i, side, at_s, carried)
    strongest = max(parts, key=lambda part: parts[part])
    if strongest == "foreign" and bands.of(int(take.carried.freq_hz[i])).shared:
        return "noise"  # who sends there is wide, and nobody's own
    return _BY_PART.get(strongest, "fade")
