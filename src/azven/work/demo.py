"""The demonstration: the Marrowby Lantern Regatta, a fresh copy in a temporary place each time.

It ships as a book; `demo_story` makes that from the story.
"""

import json
import math
import sqlite3
import tempfile
from contextlib import closing
from datetime import UTC, datetime, timedelta
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING, Any

from azven.book.place import File
from azven.book.store import Store
from azven.work.ground import hours

if TYPE_CHECKING:
    from azven.work.surroundings import Surroundings

PREPARED = "lantern-regatta.azven"
_EVENING = timedelta(hours=4)
"""Late at night the evening of the story is tomorrow's: a show that is over is nothing to look at."""
DAY = datetime(2026, 1, 1, tzinfo=UTC)
"""The day on which what is in the prepared book was last touched; a copy has it today."""


@cache
def script() -> dict[str, Any]:
    """The story as data: rooms, gear, links, what is on the air, and a plan that was adopted."""
    text = (files("azven") / "data" / "demo" / "regatta.json").read_text("utf-8")
    found: dict[str, Any] = json.loads(text)
    return found


def build(folder: Path | None = None, now: datetime | None = None) -> Store:
    """A fresh copy of the demonstration book in `folder`, a new temporary one by default, as if made now, or at the
    moment that is given."""
    place = (folder or Path(tempfile.mkdtemp(prefix="azven-demo-"))) / PREPARED
    place.write_bytes((files("azven") / "data" / "demo" / PREPARED).read_bytes())
    with closing(sqlite3.connect(place)) as copied, copied:
        _date(copied, now or datetime.now(UTC))
    return Store.open(File(place))


def surroundings(store: Store) -> "Surroundings":
    """The venue of the demonstration, its stand-in instruments switched on."""
    from azven.work.scope import opening
    from azven.work.simulation import SimulatedVenue

    return SimulatedVenue(store, opening(store)).start()


def _date(book: sqlite3.Connection, now: datetime) -> None:
    """Sweeps a few hours old, plans an hour, acts this evening. It is done to the copy before anybody has it open as
    a book."""
    for sweep in script()["sweeps"]:
        taken = _moment(now - timedelta(hours=sweep["hours_ago"]))
        book.execute("UPDATE sweep SET taken_at = ? WHERE place = ?", (taken, sweep["place"]))
    (newest,) = book.execute("SELECT max(id) FROM history").fetchone()
    for (number,) in book.execute("SELECT id FROM history").fetchall():
        made = now - timedelta(hours=3, minutes=7 * (newest - number))
        book.execute("UPDATE history SET at = ? WHERE id = ?", (_moment(made), number))
    (name,) = book.execute("SELECT time_zone FROM site ORDER BY id").fetchone()
    opening = now.astimezone(hours.zone_of(name)).replace(hour=18, minute=0, second=0, microsecond=0)
    if now >= opening + _EVENING:
        opening += timedelta(days=1)
    weeks = {s["show"]: s["weeks_ago"] for s in (*script()["elsewhere"], *script()["shows"]) if "show" in s}
    acts = book.execute("SELECT a.id, a.position, s.name FROM act a JOIN show s ON s.id = a.show_id").fetchall()
    for number, position, show in acts:
        start = opening + timedelta(hours=1.5 * position) - timedelta(weeks=weeks.get(show, 0))
        times = (_moment(start), _moment(start + timedelta(hours=1.25)), number)
        book.execute("UPDATE act SET starts_at = ?, ends_at = ? WHERE id = ?", times)
    for number, show in book.execute("SELECT id, name FROM show").fetchall():
        planned = _moment(now - timedelta(hours=1, weeks=weeks.get(show, 0)))
        for table in ("plan", "kept_plan"):
            book.execute(f"UPDATE {table} SET made_at = ? WHERE show_id = ?", (planned, number))
    for show, days in script()["loads"].items():
        loads = [_moment((opening + timedelta(days=d)).replace(hour=h)) for d, h in zip(days, (8, 2), strict=True)]
        book.execute("UPDATE show SET load_in = ?, load_out = ? WHERE name = ?", (*loads, show))
    _to_today(book, now)


def _to_today(book: sqlite3.Connection, now: datetime) -> None:
    """What was done with the stock happened so many days before today; what would still be to come today, just now."""
    book.execute("UPDATE inquiry SET asked_at = ?", (_moment(now - timedelta(minutes=100)),))
    days = (now - DAY).days
    for table, columns in (("deed", ("at", "ends_at", "until")), ("unit", ("since", "until", "seen", "cells_since"))):
        moved = ", ".join(f"\"{c}\" = strftime('%Y-%m-%d %H:%M:%f000', \"{c}\", '+{days} days')" for c in columns)
        book.execute(f"UPDATE {table} SET {moved}")
    (newest,) = book.execute("SELECT max(at) FROM deed").fetchone()
    ahead_s = math.ceil((datetime.fromisoformat(newest).replace(tzinfo=UTC) - now).total_seconds())
    for table, column in (("deed", "at"), ("unit", "since")):
        earlier = f"strftime('%Y-%m-%d %H:%M:%f000', {column}, '-{ahead_s} seconds')"
        book.execute(f"UPDATE {table} SET {column} = {earlier} WHERE {column} > ?", (_moment(now),))


def _moment(when: datetime) -> str:
    """A moment as a book in a file keeps it: in UTC."""
    return when.astimezone(UTC).strftime("%Y-%m-%d %H:%M:%S.%f")
