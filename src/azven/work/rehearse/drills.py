"""Drills: a seeded trouble in the hall of the demonstration, to be found and mended against the clock.

Truth is what was laid in; what diagnosis makes of it is told beside.
"""

import json
import random
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import Any

from azven.rf.diagnose.record import Incident, Record
from azven.rf.diagnose.weigh import diagnose
from azven.rf.rehearse import drill, take
from azven.rf.rehearse.drill import Upset
from azven.rf.rehearse.production import Act, Production
from azven.work.rehearse import ideas
from azven.work.rehearse.casting import production
from azven.work.scope import opening

CAUSES = (
    "own", "product", "foreign", "noise", "battery", "switched-off", "muted", "out-of-reach", "branch", "system",
)  # fmt: skip
"""What one can answer."""
_ROOM = "Rope Hall"
Progress = Callable[[int, int], bool]


@dataclass(frozen=True)
class Remedy:
    text: str
    right: bool
    why: str


@dataclass(frozen=True)
class Drill:
    """A drill as it ships: what the crew says, what is wrong, what could be done, and why it is so."""

    id: str
    title: str
    story: str
    seed: int
    upset: Upset
    remedies: tuple[Remedy, ...]
    because: str

    @property
    def offered(self) -> list[Remedy]:
        """Remedies in an order that says nothing and is the same every time."""
        out = list(self.remedies)
        random.Random(self.id).shuffle(out)
        return out


@dataclass(frozen=True)
class Drilled:
    """A drill that was played: what the racks told, from 0 s, whose trouble it is, and what diagnosis says of it."""

    drill: Drill
    record: Record
    whose: frozenset[str]
    found: tuple[Incident, ...]


@dataclass(frozen=True)
class Marks:
    """An answer marked: the cause, whether somebody was named who has the trouble and nobody who has not, and the
    remedy."""

    cause: bool
    links: bool
    remedy: bool

    @property
    def all(self) -> bool:
        return self.cause and self.links and self.remedy


@cache
def shipped() -> tuple[Drill, ...]:
    """The drills that ship, in their order."""
    return tuple(
        Drill(d["id"], d["title"], d["story"], d["seed"], _upset(d["upset"]),
              tuple(Remedy(**r) for r in d["remedies"]), d["because"])
        for d in _document()["drills"]
    )  # fmt: skip


@cache
def _document() -> dict[str, Any]:
    found: dict[str, Any] = json.loads((files("azven") / "data" / "drills.json").read_text("utf-8"))
    return found


def _upset(told: dict[str, Any]) -> Upset:
    return Upset(told["kind"], tuple(told["links"]), float(told["at_s"]), told.get("figures", {}))


@cache
def hall() -> tuple[Production, Act]:
    """The last act of the demonstration in its hall, with gains set and nobody else on the air."""
    from azven.work import demo, demo_story

    with tempfile.TemporaryDirectory(prefix="azven-drill-") as folder:
        store = demo.build(Path(folder))
        try:
            scope = opening(store)
            for idea in ideas.variants(store, scope):
                store.apply(idea.make(store))
            whole = production(store, scope, replace(demo_story.venue(), emitters=()))
        finally:
            store.close()
    act = whole.acts[-1]
    kept = [
        i for i, (p, h) in enumerate(zip(whole.players, whole.head.links, strict=True))
        if h.zone == _ROOM and p.plays(act.id)
    ]  # fmt: skip
    head = replace(whole.head, links=tuple(whole.head.links[i] for i in kept))
    return replace(whole, players=tuple(whole.players[i] for i in kept), head=head, acts=(act,)), act


def play(of: Drill, progress: Progress = lambda done, total: True) -> Drilled | None:
    """Play a drill; None when it was stopped."""
    show, act = hall()
    told = _document()
    begins_s = act.from_s + 60.0 * told["begins_min"]
    laid = drill.laid(show, act, begins_s, of.seed, of.upset)
    between = (begins_s, begins_s + told["lasts_s"])
    played = take.play(laid, act, of.seed, lambda share: progress(round(100 * share), 100), between)
    if played is None:
        return None
    record = _from_zero(drill.told(played, of.upset).record, begins_s)
    return Drilled(of, record, whose(of, record), tuple(diagnose(record)))


def _from_zero(record: Record, begins_s: float) -> Record:
    acts = {name: (begin - begins_s, end - begins_s) for name, (begin, end) in record.head.acts.items()}
    head = replace(record.head, acts=acts)
    return replace(record, head=head, at_s=record.at_s - begins_s, named_s=record.named_s - begins_s)


def whose(of: Drill, record: Record) -> frozenset[str]:
    """Who has the trouble: all links of the system, of the stretch, the two on one frequency, else the first named."""
    links = record.head.links
    first = next(x for x in links if x.name == of.upset.links[0])
    if of.upset.kind in ("branch", "system"):
        return frozenset(x.name for x in links if x.system == first.system and x.system is not None)
    if of.upset.kind == "noise":
        middle, half = of.upset.figures["freq_hz"], of.upset.figures["width_hz"] / 2
        return frozenset(x.name for x in links if x.freq_hz is not None and abs(x.freq_hz - middle) < half)
    return frozenset(of.upset.links[: 2 if of.upset.kind == "own" else 1])


def mark(done: Drilled, cause: str, links: frozenset[str], remedy: Remedy) -> Marks:
    """Mark an answer."""
    return Marks(cause == done.drill.upset.kind, bool(links) and links <= done.whose, remedy.right)
