"""The demonstration: the Marrowby Lantern Regatta, a fresh copy in a temporary place each time.

It ships as a book; `demo_story` makes that from the story.
"""

import json
import tempfile
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING, Any

from azven.book.edits import Change, Edit, replace_record
from azven.book.records import (
    Act,
    KeptPlan,
    Show,
    Site,
    Sweep,
)
from azven.book.store import Store
from azven.work.ground import hours

if TYPE_CHECKING:
    from azven.work.surroundings import Surroundings

PREPARED = "lantern-regatta.azven"


@cache
def script() -> dict[str, Any]:
    """The story as data: rooms, gear, links, what is on the air, and a plan that was adopted."""
    text = (files("azven") / "data" / "demo" / "regatta.json").read_text("utf-8")
    found: dict[str, Any] = json.loads(text)
    return found


def build(folder: Path | None = None) -> Store:
    """A fresh copy of the demonstration book in `folder`, a new temporary one by default, as if made today."""
    place = (folder or Path(tempfile.mkdtemp(prefix="azven-demo-"))) / PREPARED
    place.write_bytes((files("azven") / "data" / "demo" / PREPARED).read_bytes())
    store = Store.open(place)
    store.apply(_dated(store, datetime.now(UTC)))
    return store


def surroundings(store: Store) -> "Surroundings":
    """The venue of the demonstration, its stand-in instruments switched on."""
    from azven.work.scope import opening
    from azven.work.simulation import SimulatedVenue

    return SimulatedVenue(store, opening(store)).start()


def _dated(store: Store, now: datetime) -> Edit:
    """Sweeps a few hours old, acts this evening."""
    zone = hours.zone_of(store.all(Site)[0].time_zone)
    ago = {s["place"]: s["hours_ago"] for s in script()["sweeps"]}
    opening = now.astimezone(zone).replace(hour=18, minute=0, second=0, microsecond=0)
    changes: tuple[Change, ...] = ()
    for sweep in store.all(Sweep):
        changes += replace_record(sweep, replace(sweep, taken_at=now - timedelta(hours=ago[sweep.place])))
    for kept in store.all(KeptPlan):
        changes += replace_record(kept, replace(kept, made_at=now))
    weeks = {s["show"]: s["weeks_ago"] for s in script()["elsewhere"] if "show" in s}
    over = {s.id: timedelta(weeks=weeks.get(s.name, 0)) for s in store.all(Show)}
    for act in store.all(Act):
        start = opening + timedelta(hours=1.5 * act.position) - over[act.show_id]
        changes += replace_record(act, replace(act, starts_at=start, ends_at=start + timedelta(hours=1.25)))
    return Edit("Tonight", changes)
