"""The survey of an intercom: marks at places, *none, some, good, best*, compared with what the map reckons (domain,
section 7)."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from azven.book.reading import Reading
from azven.book.records import Zone
from azven.rf import intercom as rf
from azven.rf.levels import Floats
from azven.work.kit import intercom, intercom_book
from azven.work.scope import Scope

MARKS = ("none", "some", "good", "best")
GOOD_DB, BEST_DB = 6.0, 20.0
"""By how much the better antenna is over need where the map calls a place good, and best."""


@dataclass(frozen=True)
class Surveyed:
    """A mark: its letter and place [m], what was heard there, what the map says, None for a mark without either."""

    letter: str
    x_m: float
    y_m: float
    heard: str
    reckoned: str

    @property
    def apart(self) -> int:
        """By how many steps it was heard worse than reckoned; below 0 better, 0 where either is not known."""
        if self.heard not in MARKS or self.reckoned not in MARKS:
            return 0
        return MARKS.index(self.reckoned) - MARKS.index(self.heard)


def mark_of(over_need_db: float) -> str:
    """What a place is called by the level over need [dB]; empty where that is not known."""
    if not np.isfinite(over_need_db):
        return ""
    return MARKS[int(np.searchsorted((0.0, GOOD_DB, BEST_DB), over_need_db, side="right"))]


def by_transceivers(store: Reading, scope: Scope, zone: Zone, at_m: Floats) -> list[str]:
    """The map's word at places (n, 2) [m] of a room: whether the radius of a transceiver of the intercom that stands on
    the site reaches them, walls counted (domain, section 7); empty while none is placed."""
    asked = intercom_book.kept(store, scope)
    there = intercom_book.placed(store, scope, asked.band)
    if not there or not len(at_m) or asked.band not in intercom.BANDS_HZ:
        return []
    places = [
        rf.Place(id=str(a.id), at_m=(a.x_m, a.y_m), where="outdoor" if a.zone_id in asked.outdoor else "indoor")
        for a in there
    ]
    walls = intercom.walls_at(store, scope, intercom.BANDS_HZ[asked.band])
    radius: dict[rf.Where, float] = {"indoor": asked.indoor_m, "outdoor": asked.outdoor_m}
    outdoor = np.full(len(at_m), zone.id in asked.outdoor)
    covered = np.any([rf.covered_by(p, at_m, outdoor, radius, walls) for p in places], axis=0)
    return ["good" if c else "none" for c in covered]


def surveyed(marks: Sequence[Sequence[Any]], reckoned: Sequence[str]) -> list[Surveyed]:
    """Marks that say what was heard, each beside the map's word for its place; empty where there is no map."""
    words = [*reckoned, *[""] * (len(marks) - len(reckoned))]
    return [
        Surveyed(str(mark[3]), float(mark[1]), float(mark[2]), str(mark[4]), word)
        for mark, word in zip(marks, words, strict=True)
        if len(mark) > 4 and mark[4]
    ]


def verdict(found: Sequence[Surveyed]) -> str:
    """A survey in one sentence; what is worse than the map is said first."""
    if not found:
        return ""
    bad = [s for s in found if s.heard in ("none", "some")]
    worse = [s.letter for s in bad if s.apart > 0]
    said = f"{len(found)} mark{'s' if len(found) != 1 else ''}, {len(bad)} none or some"
    if worse:
        return f"{said}; worse than the map at {', '.join(worse[:6])}: a wall or a body that it does not know."
    if not any(s.reckoned for s in found):
        return f"{said}; the map does not reach them: no antenna or transceiver is placed that it could reckon with."
    known = all(s.reckoned for s in found)
    return f"{said}; the map says no better." if known else f"{said}; the map does not reach all of them."
