"""What would help: ideas against the worst incidents of a rehearsal, each tried with the same seeds."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from azven.book.edits import Edit
from azven.book.reading import Reading, Supposed
from azven.refusal import Refusal
from azven.rf.levels import Floats
from azven.rf.rehearse.foretold import Spread, Trouble
from azven.rf.rehearse.production import Production
from azven.work.plan import Board
from azven.work.processes import beside
from azven.work.rehearse import casting, ideas
from azven.work.rehearse.crew import Played, Progress, Task, play_all
from azven.work.rehearse.ideas import Idea
from azven.work.rehearse.rehearsing import Rehearsal
from azven.work.scope import Scope

WORST = 3
Worth = Literal["yes", "a little", "no", "others pay"]
AROUND_S = 300.0
"""An idea is tried from so long before an incident to so long after it."""
_THINKING, _THINKING_S = 20, 20.0
"""Of a hundred parts of the work, those in which ideas are looked for, and how long that takes at most, usually."""


@dataclass(frozen=True)
class Tried:
    """An idea with seconds without sound around the incident, before and with it: of the incident's links over the
    runs, and of all links in the middle of them."""

    idea: Idea
    before_s: Spread
    after_s: Spread
    all_before_s: float
    all_after_s: float

    @property
    def worth(self) -> Worth:
        """`yes`: half as much is lost and less, in nine runs of ten less than before in the middle, and nobody else
        pays for it."""
        if self.after_s.p50 >= self.before_s.p50:
            return "no"
        if self.all_after_s >= self.all_before_s:
            return "others pay"
        half = self.after_s.p50 <= self.before_s.p50 / 2
        return "yes" if half and self.after_s.p90 < self.before_s.p50 else "a little"

    @property
    def helps(self) -> bool:
        return self.worth in ("yes", "a little")


@dataclass(frozen=True)
class Helped:
    """An incident and what was tried against it, what helps most first; nothing where nobody knew an idea."""

    trouble: Trouble
    tried: tuple[Tried, ...]


def worst(found: Rehearsal) -> list[Trouble]:
    """The incidents that cost most sound; of those that share links in an act, the worst."""
    out: list[Trouble] = []
    for t in found.troubles():
        known = {name for x in out if x.act == t.act for name in x.incident.links}
        if t.lost_s > 0 and not known & set(t.incident.links):
            out.append(t)
    return out[:WORST]


def helped(
    store: Reading, scope: Scope, board: Board, found: Rehearsal, progress: Progress, cores: int | None = None
) -> list[Helped]:  # fmt: skip
    """Ideas for the worst incidents of a rehearsal, tried with its seeds. `store` may be a snapshot. One that is
    stopped has nothing."""
    troubles, thinking = worst(found), _Thinking(progress)
    known = beside(
        lambda: [
            ideas.against(t.incident, Supposed(store, Edit("")), scope, board, thinking.goes_on) for t in troubles
        ],
        thinking.share, _THINKING_S,
    )  # fmt: skip
    if known is None:
        return []
    shows, tasks, numbers = _to_play(store, scope, found, troubles, known)
    if not tasks:
        return [Helped(t, ()) for t in troubles]
    played, stopped = play_all(
        shows, tasks, lambda a, b: progress(round(_THINKING + (100 - _THINKING) * a / b), 100), cores
    )
    return [] if stopped else _compared(found, troubles, known, numbers, played)


class _Thinking:
    """The first part of the progress, by time; searches that go on beside it are told when it was stopped."""

    def __init__(self, progress: Progress) -> None:
        self._progress, self._over = progress, False

    def share(self, done: int, total: int) -> bool:
        self._over = not self._progress(_THINKING * done // max(total, 1), 100)
        return not self._over

    def goes_on(self, done: int, total: int) -> bool:
        return not self._over


def _to_play(
    store: Reading, scope: Scope, found: Rehearsal, troubles: Sequence[Trouble], known: Sequence[Sequence[Idea]]
) -> tuple[list[Production], list[Task], dict[str, int]]:  # fmt: skip
    """The productions, the one of the rehearsal first, for every incident the takes around it with each, and which
    production has which idea."""
    shows, numbers = [found.production], dict[str, int]()
    tasks: dict[Task, None] = {}
    for trouble, mine in zip(troubles, known, strict=True):
        act, around = _around(found, trouble)
        for idea in mine:
            if idea.title not in numbers:
                numbers[idea.title] = len(shows)
                shows.append(supposed(store, scope, found.production, idea))
        which = [0, *(numbers[idea.title] for idea in mine)] if mine else []
        tasks |= dict.fromkeys(Task(n, act, seed, around) for n in which for seed in found.seeds)
    return shows, list(tasks), numbers


def _around(found: Rehearsal, trouble: Trouble) -> tuple[int, tuple[float, float]]:
    """The act of an incident, and the whole minutes around it [s of the evening]."""
    act = next(k for k, a in enumerate(found.production.acts) if a.id == trouble.act)
    begun = found.production.acts[act].from_s
    first = np.floor((trouble.incident.from_s - AROUND_S) / 60) * 60
    last = np.ceil(min(trouble.incident.to_s, trouble.incident.from_s + AROUND_S) / 60) * 60 + AROUND_S
    return act, (float(begun + first), float(begun + last))


def supposed(store: Reading, scope: Scope, show: Production, idea: Idea) -> Production:
    """A production as it would be with an idea."""
    then = casting.production(Supposed(store, idea.make(Supposed(store, Edit("")))), scope, show.venue)
    return replace(then, acts=show.acts)


def _compared(
    found: Rehearsal, troubles: Sequence[Trouble], known: Sequence[Sequence[Idea]], numbers: Mapping[str, int],
    played: Played,
) -> list[Helped]:  # fmt: skip
    lost = {task: x.dropout_s for task, x in played}
    out = []
    for trouble, mine in zip(troubles, known, strict=True):
        act, around = _around(found, trouble)
        who = [i for i, p in enumerate(found.production.players) if p.name in trouble.incident.links]

        def seconds(which: int, act: int = act, around: tuple[float, float] = around) -> Floats:
            return np.array([lost[Task(which, act, seed, around)] for seed in found.seeds])

        tried = [_tried(idea, seconds(0), seconds(numbers[idea.title]), who) for idea in mine]
        out.append(Helped(trouble, tuple(sorted(tried, key=lambda x: (x.after_s.p50, x.all_after_s)))))
    return out


def _tried(idea: Idea, before: Floats, after: Floats, who: list[int]) -> Tried:
    """Seconds without sound (runs, links) with an idea beside those without."""
    mine, then = (Spread.of(x[:, who].sum(axis=1)) for x in (before, after))
    return Tried(idea, mine, then, *(round(float(np.median(x.sum(axis=1))), 2) for x in (before, after)))


def instead(store: Reading, scope: Scope, show: Production, idea: Idea) -> Production:
    """The show as one of its variants would have it; Refusal where that one can change nothing."""
    if not idea.make(Supposed(store, Edit(""))):
        raise Refusal(f"{idea.title}: the show is like that already.")
    return replace(supposed(store, scope, show, idea), unknown=show.unknown)
