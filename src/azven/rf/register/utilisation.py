"""How long units were in which state: what of a stock is at work, and what never leaves its case."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime

from azven.rf.register.deeds import State


@dataclass(frozen=True)
class Turn:
    """From when on a unit is in a state; `until`: when its show loads out, after which it is in its case."""

    at: datetime
    state: State
    until: datetime | None = None


def stretches(turns: Iterable[Turn], begins: datetime, ends: datetime) -> Iterator[tuple[State, float]]:
    """States of a unit with how long it was in each [s] within a period; `turns` in the order of their time. Before the
    first of them it is in its case."""
    state: State = "in case"
    since, until = begins, None
    for turn in [*turns, Turn(ends, "in case")]:
        here = min(max(turn.at, begins), ends)
        if until is not None and until < here:
            yield state, max((until - since).total_seconds(), 0.0)
            state, since = "in case", max(until, since)
        yield state, max((here - since).total_seconds(), 0.0)
        state, since, until = turn.state, max(here, since), turn.until


def shares(turns: Iterable[Turn], begins: datetime, ends: datetime) -> dict[State, float]:
    """Which share of a period a unit was in each state; ValueError for a period that does not last."""
    whole = (ends - begins).total_seconds()
    if whole <= 0:
        raise ValueError("a period begins before it ends")
    out: dict[State, float] = {}
    for state, seconds in stretches(turns, begins, ends):
        if seconds:
            out[state] = out.get(state, 0.0) + seconds / whole
    return out
