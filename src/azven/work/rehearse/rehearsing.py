"""What many takes of a show foretell together, of one production or of several side by side."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from azven.rf.rehearse import foretold
from azven.rf.rehearse.foretold import Foretold, Outcome, Spread, Trouble
from azven.rf.rehearse.production import Production
from azven.work.diagnosing import as_dict
from azven.work.rehearse.crew import Progress, Task, play_all

FORMAT, VERSION = "azven-rehearsal", 1


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
        return foretold.troubles(self.outcomes, [p.name for p in self.production.players])

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
    return side_by_side([production], seeds, progress, cores)[0]


def side_by_side(
    productions: Sequence[Production], seeds: Sequence[int], progress: Progress = lambda done, total: True,
    cores: int | None = None,
) -> list[Rehearsal]:  # fmt: skip
    """The same of several productions, with the same seeds."""
    tasks = [
        Task(which, act, seed)
        for seed in seeds for which, of in enumerate(productions) for act in range(len(of.acts))
    ]  # fmt: skip
    played, stopped = play_all(productions, tasks, progress, cores)
    played.sort(key=lambda done: (done[0].act, done[0].seed))
    return [
        Rehearsal(of, tuple(seeds), tuple(x for task, x in played if task.production == which), stopped)
        for which, of in enumerate(productions)
    ]


def document(found: Rehearsal) -> dict[str, Any]:
    """A rehearsal as `azven-rehearsal` 1, with what is not known of the show and how often diagnosis was right."""
    by_act = found.links()
    return {
        "format": FORMAT, "version": VERSION, "seed": found.seeds[0] if found.seeds else 0, "runs": len(found.seeds),
        "acts": [{"name": a.name, "links": [_link(x) for x in by_act[a.id]]} for a in found.production.acts],
        "incidents": [
            {**as_dict(t.incident), "act": _name(found, t.act), "share": round(t.share, 3),
             "lost_s": round(t.lost_s, 2)} for t in found.troubles()
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
