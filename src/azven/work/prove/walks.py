"""Walk tests as a show keeps them: recorded, sorted, compared with what Reach reckons, reported."""

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import TYPE_CHECKING, Any

import numpy as np
from scipy.spatial import cKDTree

from azven.book.edits import Edit, add, remove
from azven.book.records import Link, WalkTest, Zone
from azven.book.store import Store
from azven.gear.racks.values import Fields
from azven.refusal import Refusal
from azven.rf import walks as rf
from azven.rf.levels import Floats
from azven.rf.walks import Dropout, Readings
from azven.work.prove.need import Need
from azven.work.scope import Scope

if TYPE_CHECKING:
    from azven.work.prove.here import ShowNow

Mark = tuple[float, float, float, str, str]
"""Second, x and y [m], letter, and what was heard there where somebody said so."""
_MOST_S, _SAME_PLACE_M = 3600.0, 3.0
_TX = {"on": 1.0, "off": 0.0}


@dataclass
class Recording:
    """A walk that goes on: readings by link id, marks as they are set."""

    zone: Zone
    links: tuple[int, ...]
    begun_s: float
    marks: list[Mark] = field(default_factory=list)
    rows: dict[int, list[tuple[float | None, ...]]] = field(default_factory=dict)

    def take(self, now_s: float, link_id: int, status: Fields) -> None:
        """A reading of a link; nothing is known of one whose rack is not heard."""
        t = round(now_s - self.begun_s, 2)
        if t <= _MOST_S:
            tx = _TX.get(str(status.get("tx")))
            told = [status.get(k) for k in ("a", "b", "q", "bat")]
            self.rows.setdefault(link_id, []).append((t, *told, tx))

    def mark(self, now_s: float, x_m: float, y_m: float, letter: str = "") -> str:
        """A place that was told, under its letter or the next one."""
        letter = letter or chr(ord("a") + len(self.marks) % 26)
        self.marks.append((round(now_s - self.begun_s, 2), round(x_m, 2), round(y_m, 2), letter, ""))
        return letter

    def say(self, heard: str) -> None:
        """What is heard at the place that was told last. Refusal before any was."""
        if not self.marks:
            raise Refusal("Tell first where you are.")
        self.marks[-1] = (*self.marks[-1][:4], heard)

    def walked(self, now_s: float, way: Sequence[tuple[float, float]]) -> None:
        """The whole of a way was walked evenly since the beginning: its corners are marks at the times that fit."""
        legs = [math.dist(a, b) for a, b in itertools.pairwise(way)]
        at, whole = 0.0, max(sum(legs), 1e-9)
        for (x, y), leg in zip(way, [*legs, 0.0], strict=True):
            self.mark(self.begun_s + (now_s - self.begun_s) * at / whole, x, y)
            at += leg


def keep(store: Store, scope: Scope, walk: Recording, name: str, now: datetime) -> Edit:
    """Keep a walk that has ended. Refusal when nothing was heard and nothing said on it."""
    rows = {str(i): r for i, r in walk.rows.items() if any(v is not None for row in r for v in row[1:4])}
    if not rows and not any(m[4] for m in walk.marks):
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


def letters(low: tuple[float, float], high: tuple[float, float]) -> list[tuple[str, float, float]]:
    """Places all over a room under letters, as a walker says them aloud: rows from the front, each from the left."""
    (x0, y0), (x1, y1) = low, high
    columns = 4 if x1 - x0 >= 0.75 * (y1 - y0) else 3
    rows = 12 // columns
    return [
        (chr(ord("A") + r * columns + c), x0 + (c + 0.5) * (x1 - x0) / columns, y0 + (r + 0.5) * (y1 - y0) / rows)
        for r in range(rows) for c in range(columns)
    ]  # fmt: skip


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


def of_link(now: "ShowNow", walk: WalkTest, zone: Zone, link_id: int) -> Told | None:
    """A walk of one of its links; None for one that is gone, or was not heard."""
    lane, rows = now.lane(link_id), walk.readings.get(str(link_id), ())
    return told(rows, walk.marks, now.needs.of(lane.model, zone)) if lane is not None and rows else None


def over_need(found: Told) -> Floats:
    """The better antenna over need (n,) [dB], NaN where nothing is told."""
    return np.asarray(np.fmax(found.readings.a, found.readings.b) - found.need.level_dbm)


def beside(found: Told, before: Told) -> Floats:
    """What an earlier walk had (n,) [dB over need] at the places of this one: nearest reading within three metres,
    NaN where it did not come by."""
    here, there = np.asarray(found.place_m, float), np.asarray(before.place_m, float)
    level, out = over_need(before), np.full(len(here), np.nan)
    known = np.flatnonzero(np.isfinite(there).all(axis=1) & np.isfinite(level))
    mine = np.flatnonzero(np.isfinite(here).all(axis=1))
    if len(known) and len(mine):
        away, nearest = cKDTree(there[known]).query(here[mine])
        out[mine] = np.where(away <= _SAME_PLACE_M, level[known][nearest], np.nan)
    return out


def compared(found: Told, before: Told) -> str:
    """What has changed since an earlier walk, in one sentence."""
    apart = over_need(found) - beside(found, before)
    known = apart[np.isfinite(apart)]
    if not len(known):
        return "The earlier walk did not come by here."
    more = float(np.median(known))
    way = "stronger" if more > 0 else "weaker"
    level = f"{abs(more):.0f} dB {way} in the middle" if abs(more) >= 1 else "as strong in the middle"
    lost = len(found.dropouts) - len(before.dropouts)
    word = f"{abs(lost)} dropout{'s' if abs(lost) != 1 else ''} {'more' if lost > 0 else 'fewer'}"
    return f"Than then: {level}, {word if lost else 'as many dropouts'}."


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
