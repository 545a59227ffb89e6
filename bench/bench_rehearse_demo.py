"""The demonstration rehearsed: a broken plan and the mended one, gains as they are and as they would be set, two
placements, and what is foretold against another evening; by figures over many seeds."""

import sys
import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np

from azven.book.edits import Edit
from azven.book.reading import Supposed
from azven.rf.rehearse.production import Production
from azven.work import demo, demo_story, ground, ids, kit, plan, reach, rehearse
from azven.work.ground import places
from azven.work.rehearse import Rehearsal, helping
from azven.work.rehearse.ideas import Idea, variants
from azven.work.scope import opening

SEEDS, MINUTES, ROOM = 20, 10.0, "Rope Hall"
PAIR = ("Lamp Choir 4", "Lamp Choir 5")


def main(argv: list[str] | None = None) -> None:
    """Run it; a number says with how many seeds."""
    seeds = range(1, int((argv or [SEEDS])[0]) + 1)
    store = demo.build(Path(tempfile.mkdtemp()))
    scope = opening(store)
    cast = _short(rehearse.production(store, scope, demo_story.venue()))
    book = store.snapshot(kit.units(store, scope))
    links = {x.name: x for x in kit.links(store, scope)}
    there = plan.assignments(store, scope)[links[PAIR[1]].id].freq_hz
    hall = next(z for z in ground.zones(store, scope) if z.name == ROOM)
    drawn = reach.room(store, scope, hall, places.PLACEMENT)
    best = reach.suggest(drawn, "pack, facing away", packed=True)
    ideas = [
        Idea("Plan", f"{PAIR[0]} on the frequency of {PAIR[1]}",
             lambda s: plan.moved(s, scope, {ids.of(links[PAIR[0]]): there}, "Both")),
        next(x for x in variants(store, scope) if x.source == "Chain"),
        Idea("Reach", "antennas where Reach suggests them", lambda s: reach.adopt(s, drawn, places.PLACEMENT, best)),
    ]  # fmt: skip
    shows = [cast, *(helping.instead(book, scope, cast, x) for x in ideas)]
    broken = Supposed(book, ideas[0].make(Supposed(book, Edit(""))))
    mended = plan.moved(broken, scope, {ids.of(links[PAIR[0]]): int(_freq(cast, PAIR[0]))}, "Mended")
    shows.append(replace(rehearse.production(Supposed(broken, mended), scope, cast.venue), acts=cast.acts))
    found = rehearse.side_by_side(shows, seeds)
    for title, one in zip(["as it stands", *(x.title for x in ideas), "mended again"], found, strict=True):
        _print(title, one)
    _agreement(found[0])


def _short(cast: Production) -> Production:
    return replace(cast, acts=tuple(replace(a, to_s=a.from_s + 60 * MINUTES) for a in cast.acts))


def _freq(cast: Production, name: str) -> float:
    return next(p.freq_hz for p in cast.players if p.name == name)


def _print(title: str, found: Rehearsal) -> None:
    """Seconds without sound over all runs of an act, in the middle: of the pair, of the room, of all."""
    names = [p.name for p in found.production.players]
    pair = [names.index(n) for n in PAIR]
    room = [i for i, x in enumerate(found.production.head.links) if x.zone == ROOM]
    parts = []
    for act in found.production.acts:
        lost = np.array([x.dropout_s for x in found.outcomes if x.act == act.id])
        two, hall, everybody = (
            np.percentile(lost[:, who].sum(axis=1), (10, 50, 90)) for who in (pair, room, slice(None))
        )
        parts.append(f"{act.name}: the two {_of(two)}, {ROOM} {_of(hall)}, all {_of(everybody)}")
    print(f"  {title}\n    " + "\n    ".join(parts))


def _of(x: np.ndarray) -> str:
    return f"{x[1]:.0f} s ({x[0]:.0f} to {x[2]:.0f})"


def _agreement(found: Rehearsal) -> None:
    """Each evening held against the spread of the others, link by link and act by act."""
    inside = asked = 0
    for act in found.production.acts:
        plays = [i for i, p in enumerate(found.production.players) if p.plays(act.id)]
        lost = np.array([x.dropout_s for x in found.outcomes if x.act == act.id])[:, plays]
        for k in range(len(lost)):
            low, high = np.percentile(np.delete(lost, k, axis=0), (10, 90), axis=0)
            inside += int(((lost[k] >= np.floor(low)) & (lost[k] <= np.ceil(high))).sum())
            asked += len(plays)
    print(f"  {inside} of {asked} ({inside / asked:.1%}) links of an evening lie within the spread of the others "
          f"(wanted 9 of 10); {found.named} of {found.asked} causes named right")  # fmt: skip


if __name__ == "__main__":
    main(sys.argv[1:])
