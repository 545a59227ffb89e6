"""Walk tests as a show keeps them: recorded, sorted, compared with what Reach reckons, reported."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import numpy as np

from azven.book.edits import Edit, add, remove
from azven.book.records import Link, WalkTest, Zone
from azven.book.store import Store
from azven.gear.racks.values import Fields
from azven.refusal import Refusal
from azven.rf import walks as rf
from azven.rf.walks import Dropout, Readings
from azven.work.prove.need import Need
from azven.work.scope import Scope

_MOST_S = 3600.0
_TX = {"on": 1.0, "off": 0.0}


@dataclass
class Recording:
    """A walk that goes on: readings by link id, marks as they are set."""

    zone: Zone
    links: tuple[int, ...]
    begun_s: float
    marks: list[tuple[float, float, float, str]] = field(default_factory=list)
    rows: dict[int, list[tuple[float | None, ...]]] = field(default_factory=dict)

    def take(self, now_s: float, link_id: int, status: Fields) -> None:
        """A reading of a link; nothing is known of one whose rack is not heard."""
        t = round(now_s - self.begun_s, 2)
        if t <= _MOST_S:
            tx = _TX.get(str(status.get("tx")))
            told = [status.get(k) for k in ("a", "b", "q", "bat")]
            self.rows.setdefault(link_id, []).append((t, *told, tx))

    def mark(self, now_s: float, x_m: float, y_m: float) -> str:
        """A place that was told, under the next letter."""
        letter = chr(ord("a") + len(self.marks) % 26)
        self.marks.append((round(now_s - self.begun_s, 2), round(x_m, 2), round(y_m, 2), letter))
        return letter


def keep(store: Store, scope: Scope, walk: Recording, name: str, now: datetime) -> Edit:
    """Keep a walk that has ended. Refusal when nothing was heard on it."""
    rows = {str(i): r for i, r in walk.rows.items() if any(v is not None for row in r for v in row[1:4])}
    if not rows:
        raise Refusal("Nothing was heard on this walk, so there is nothing to keep.")
    record = WalkTest(
        id=store.reserve(), show_id=scope.show, zone_id=walk.zone.id, name=name, made_by=store.author.who, made_at=now,
        marks=tuple(walk.marks), readings=rows,
    )  # fmt: skip
    return Edit(f"{name} in {walk.zone.name}", add(record))


def of_room(store: Store, scope: Scope, zone: Zone) -> list[WalkTest]:
    """Walks of a room, the newest first."""
    found = [w for w in store.all(WalkTest, show_id=scope.show) if w.zone_id == zone.id]
    return sorted(found, key=lambda w: (w.made_at, w.id), reverse=True)


def remove_walk(walk: WalkTest) -> Edit:
    return Edit(f"Remove {walk.name}", remove([walk]))


def readings(rows: Sequence[Sequence[float | None]]) -> Readings:
    """Rows (second, A, B, quality, battery, transmitter) as arrays."""
    table = np.array([[np.nan if v is None else v for v in row] for row in rows], float).reshape(-1, 6)
    return Readings(*table.T)


@dataclass(frozen=True)
class Told:
    """A walk of one link: readings, where each was (n, 2) [m], what was lost, and the share that was served."""

    readings: Readings
    place_m: Any
    dropouts: tuple[Dropout, ...]
    served: float
    need: Need


def told(rows: Sequence[Sequence[float | None]], marks: Sequence[Sequence[Any]], need: Need) -> Told:
    """What a walk says of one of its links."""
    found = readings(rows)
    place = rf.place_at([(float(m[0]), float(m[1]), float(m[2])) for m in marks], found.at_s)
    lost = tuple(rf.dropouts(found, need.level_dbm))
    return Told(found, place, lost, rf.served(found, need.level_dbm), need)


def verdict(found: Told) -> str:
    """A walk in one sentence."""
    if np.isnan(found.served):
        return "Nothing was heard."
    long = sum(max(d.to_s - d.from_s, 0.1) for d in found.dropouts)
    count = len(found.dropouts)
    lost = f"{count} dropout{'s' if count != 1 else ''}, {long:.1f} s in all" if count else "no dropout"
    return f"{found.served:.1%} of the way served, {lost}.".replace("%", " %")


def by_name(links: Mapping[int, Link], walk: WalkTest) -> list[tuple[int, str]]:
    """The links of a walk with their names; one that was removed since is called by its number."""
    numbers = [int(k) for k in walk.readings if k.isdigit()]
    return [(n, links[n].name if n in links else f"link {n}, removed since") for n in numbers]
