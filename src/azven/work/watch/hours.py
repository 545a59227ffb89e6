"""What is kept of status in the book: an hour of a link in a line. What was told every second stays in log files."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta

import sqlalchemy as sa

from azven.book.edits import BookError
from azven.book.records import Hour, Unit
from azven.book.store import Store
from azven.book.tables import TABLES
from azven.gear.racks.values import Fields
from azven.work.scope import Scope
from azven.work.watch.night import Seen

_MOST_S = 5.0
"""A look that comes later than so long after the last one says nothing of the time between."""
_SHOWN, _EVENING = 500, timedelta(hours=2)


@dataclass
class _Running:
    """An hour of a link so far."""

    heard_s: float = 0.0
    muted_s: float = 0.0
    worst_dbm: float | None = None
    battery: float | None = None

    def take(self, told: Fields, seconds: float) -> None:
        self.heard_s += seconds
        self.muted_s += seconds if told.get("mute") else 0.0
        levels = [float(v) for v in (told.get("a"), told.get("b")) if isinstance(v, int | float)]
        if levels:
            self.worst_dbm = min(max(levels), self.worst_dbm if self.worst_dbm is not None else 1e9)
        if isinstance(left := told.get("bat"), int | float):
            self.battery = min(float(left), self.battery if self.battery is not None else 1e9)


class Hours:
    """Adds up what is seen, link by link; `due` gives the hours that are over."""

    def __init__(self, scope: Scope) -> None:
        self._scope = scope
        self._running: dict[int, _Running] = {}
        self._units: Mapping[int, int] = {}
        self._hour: datetime | None = None
        self._last: datetime | None = None
        self._kept: list[Hour] = []

    def take(self, seen: Seen, moment: datetime, units: Mapping[int, int]) -> None:
        """How it stands at a moment; `units` by their links."""
        hour = moment.astimezone(UTC).replace(minute=0, second=0, microsecond=0)
        if self._hour is not None and hour != self._hour:
            self._end()
        self._units = units
        passed = (moment - self._last).total_seconds() if self._last is not None else 0.0
        self._hour, self._last = hour, moment
        if not 0.0 < passed <= _MOST_S:
            return
        for i, link in enumerate(seen.watched.links):
            told = seen.told(i)
            if link is not None and told.get("tx") == "on":
                self._running.setdefault(link.id, _Running()).take(told, passed)

    def _end(self) -> None:
        assert self._hour is not None
        self._kept += [
            Hour(show=self._scope.show, site=self._scope.site, link=link, unit=self._units.get(link, 0), at=self._hour,
                 heard_s=round(x.heard_s, 1), muted_s=round(x.muted_s, 1), worst_dbm=x.worst_dbm, battery=x.battery)
            for link, x in self._running.items() if x.heard_s
        ]  # fmt: skip
        self._running = {}

    def end(self) -> None:
        """The watch ends, or goes to another show: the hour ends with it."""
        if self._hour is not None:
            self._end()
        self._hour = self._last = None

    def move(self, scope: Scope) -> None:
        """Another show is looked at from here on."""
        self._scope = scope

    def write(self, store: Store) -> None:
        """Write the hours that are over, all at once; while the server is away they wait. They are no edits: nobody
        takes them back, and the history does not have them. A desk that may only read keeps none."""
        if store.rights.right == "read":
            self._kept = []
        if not self._kept:
            return
        try:
            first = store.reserve(len(self._kept))
            with store.told(), store.engine.writing() as connection:
                rows = [vars(replace(h, id=first + k)) for k, h in enumerate(self._kept)]
                connection.execute(sa.insert(TABLES[Hour]), rows)
        except BookError:
            return
        self._kept = []


def of_unit(store: Store, unit: Unit, since: datetime | None = None) -> list[Hour]:
    """The newest hours in which a unit was heard, newest first."""
    mark = store.engine.mark
    condition, values = f'"unit" = {mark}', [unit.id]
    if since is not None:
        condition, values = f'{condition} AND "at" >= {mark}', [unit.id, store.engine.moment(since)]
    return store.where(Hour, condition, values, f'ORDER BY "at" DESC, id DESC LIMIT {_SHOWN}')


def together(hours: Iterable[Hour]) -> list[Hour]:
    """Hours of one evening as one: those that follow one another without a whole hour between, newest first. What
    several desks kept of one hour counts once, as it was heard longest."""
    longest: dict[tuple[datetime, int, int], Hour] = {}
    for hour in hours:
        key = hour.at, hour.show, hour.link
        if key not in longest or longest[key].heard_s < hour.heard_s:
            longest[key] = hour
    out: list[Hour] = []
    for hour in longest.values():
        last = out[-1] if out else None
        if (
            last is not None
            and last.show == hour.show
            and last.link == hour.link
            and last.at - hour.at <= timedelta(hours=2)
        ):
            out[-1] = replace(
                hour, heard_s=last.heard_s + hour.heard_s, muted_s=last.muted_s + hour.muted_s,
                worst_dbm=_least(last.worst_dbm, hour.worst_dbm), battery=_least(last.battery, hour.battery),
            )  # fmt: skip
        else:
            out.append(hour)
    return out


def _least(a: float | None, b: float | None) -> float | None:
    known = [x for x in (a, b) if x is not None]
    return min(known, default=None)


def in_words(hour: Hour) -> str:
    """What was heard, in a line."""
    minutes = hour.heard_s / 60
    parts = [f"heard for {minutes:.0f} min" if minutes >= 1 else "heard for less than a minute"]
    if hour.worst_dbm is not None:
        parts.append(f"at worst {hour.worst_dbm:.0f} dBm".replace("-", "−"))
    if hour.muted_s >= 60:
        parts.append(f"muted for {hour.muted_s / 60:.0f} min")
    if hour.battery is not None:
        parts.append(f"battery down to {hour.battery:.0f} %")
    return ", ".join(parts)
