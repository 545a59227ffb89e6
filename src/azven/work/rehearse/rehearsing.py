"""Many takes of a show at once, each on a core of its own while there are some, and what they foretell together."""

import os
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from functools import cached_property
from multiprocessing.connection import Connection, wait
from multiprocessing.context import SpawnProcess
from typing import Any

from azven.rf.rehearse import foretold, take
from azven.rf.rehearse.foretold import Foretold, Outcome, Spread, Trouble
from azven.rf.rehearse.production import Production
from azven.work.diagnosing import as_dict
from azven.work.processes import begin

FORMAT, VERSION = "azven-rehearsal", 1
_TOLD_EVERY_S = 0.1
_PARTS = 100
Progress = Callable[[int, int], bool]
"""Told how much of how much is done, ten times a second; whether to go on."""


@dataclass(frozen=True)
class Rehearsal:
    """What a show is foretold. `named` of `asked` longer losses had the right cause in diagnosis; `stopped`: not all
    takes were played."""

    production: Production
    seeds: tuple[int, ...]
    outcomes: tuple[Outcome, ...]
    stopped: bool = False

    def links(self) -> dict[str, list[Foretold]]:
        """By the id of each act."""
        return self._links

    def troubles(self) -> list[Trouble]:
        return self._troubles

    @cached_property
    def _links(self) -> dict[str, list[Foretold]]:
        return {a.id: foretold.links(self.production, a, self.outcomes) for a in self.production.acts}

    @cached_property
    def _troubles(self) -> list[Trouble]:
        return foretold.troubles(self.outcomes)

    @property
    def named(self) -> int:
        return sum(x.named for x in self.outcomes)

    @property
    def asked(self) -> int:
        return sum(x.asked for x in self.outcomes)


def rehearse(
    production: Production, seeds: Sequence[int], progress: Progress = lambda done, total: True,
    cores: int | None = None,
) -> Rehearsal:  # fmt: skip
    """Play every act with every seed. One that is stopped holds what was played to its end until then."""
    takes = [(act, seed) for seed in seeds for act in range(len(production.acts))]
    crew = min(cores or os.cpu_count() or 1, len(takes))
    outcomes, stopped = _alone(production, takes, progress) if crew < 2 else _crew(production, takes, progress, crew)
    order = {a.id: k for k, a in enumerate(production.acts)}
    done = tuple(sorted(outcomes, key=lambda x: (order[x.act], x.seed)))
    return Rehearsal(production, tuple(seeds), done, stopped)


def _alone(production: Production, takes: Sequence[tuple[int, int]], progress: Progress) -> tuple[list[Outcome], bool]:
    outcomes: list[Outcome] = []
    for number, (act, seed) in enumerate(takes):

        def tell(share: float, number: int = number) -> bool:
            return progress(round(_PARTS * (number + share)), _PARTS * len(takes))

        played = take.play(production, production.acts[act], seed, tell)
        if played is None:
            return outcomes, True
        outcomes.append(foretold.outcome(played))
    progress(_PARTS * len(takes), _PARTS * len(takes))
    return outcomes, False


def _crew(
    production: Production, takes: Sequence[tuple[int, int]], progress: Progress, size: int
) -> tuple[list[Outcome], bool]:
    """The same by several processes; they are ended when it is stopped."""
    workers: dict[Connection, SpawnProcess] = {}
    try:
        for _ in range(size):
            here, worker = begin(_work, production)
            workers[here] = worker
        return _led(list(workers), list(takes), progress)
    finally:
        for pipe, worker in workers.items():
            pipe.close()
            worker.terminate()
            worker.join()


def _led(pipes: list[Connection], takes: list[tuple[int, int]], progress: Progress) -> tuple[list[Outcome], bool]:
    """Hand takes out as workers are free, and gather what comes."""
    total, outcomes = _PARTS * len(takes), list[Outcome]()
    shares = dict.fromkeys(pipes, 0.0)
    busy: set[Connection] = set()
    while takes or busy:
        for pipe in [p for p in pipes if p not in busy][: len(takes)]:
            pipe.send(takes.pop(0))
            busy.add(pipe)
        for ready in wait(list(busy), _TOLD_EVERY_S):
            assert isinstance(ready, Connection)
            kind, value = _received(ready)
            if kind == "share":
                shares[ready] = value
                continue
            if kind == "failed":
                raise value
            outcomes.append(value)
            busy.discard(ready)
            shares[ready] = 0.0
        if not progress(min(round(_PARTS * (len(outcomes) + sum(shares.values()))), total), total):
            return outcomes, True
    return outcomes, False


def _received(pipe: Connection) -> tuple[str, Any]:
    try:
        kind, value = pipe.recv()
    except (EOFError, OSError):
        return "failed", RuntimeError("A process that rehearses ended by itself: nothing of this rehearsal is kept.")
    return kind, value


def _work(pipe: Connection, production: Production) -> None:
    """The other side: plays what it is handed until nobody asks any more."""

    def tell(share: float) -> bool:
        pipe.send(("share", share))
        return True

    with suppress(EOFError, OSError, KeyboardInterrupt):
        while True:
            act, seed = pipe.recv()
            try:
                played = take.play(production, production.acts[act], seed, tell)
                assert played is not None
                pipe.send(("done", foretold.outcome(played)))
            except (EOFError, OSError):
                raise
            except Exception as error:  # carried over to whoever asked
                pipe.send(("failed", error))


def document(found: Rehearsal) -> dict[str, Any]:
    """A rehearsal as `azven-rehearsal` 1, with what is not known of the show and how often diagnosis was right."""
    by_act = found.links()
    return {
        "format": FORMAT, "version": VERSION, "seed": found.seeds[0] if found.seeds else 0, "runs": len(found.seeds),
        "acts": [{"name": a.name, "links": [_link(x) for x in by_act[a.id]]} for a in found.production.acts],
        "incidents": [
            {**as_dict(t.incident), "act": _name(found, t.act), "share": round(t.share, 3)} for t in found.troubles()
        ],
        "diagnosis": {"right": found.named, "of": found.asked}, "unknown": list(found.production.unknown),
        **({"stopped": True} if found.stopped else {}),
    }  # fmt: skip


def _name(found: Rehearsal, act: str) -> str:
    return next(a.name for a in found.production.acts if a.id == act)


def _link(x: Foretold) -> dict[str, Any]:
    worst = [{"at_s": w.at_s, "seconds": w.seconds, "cause": w.cause, "detail": w.detail, "seed": w.seed}
             for w in x.worst]  # fmt: skip
    return {"link": x.link, "dropout_s": _spread(x.dropout_s), "worst": worst,
            "battery_end_s": _spread(x.battery_end_s) if x.battery_end_s else None}  # fmt: skip


def _spread(x: Spread) -> dict[str, float]:
    return {"p10": x.p10, "p50": x.p50, "p90": x.p90}
