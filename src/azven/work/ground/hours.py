"""Times as people read and type them: local times of the site, and the hours of a neighbour with our acts they meet.

Moments are kept in UTC. What is typed or shown is the site's own time, by the zone database, so that summer time is
right on every day (zoneinfo, the tz database of IANA).
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta, tzinfo
from functools import cache
from pathlib import Path
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError, available_timezones

from azven.book.records import Act
from azven.refusal import Refusal
from azven.work import ids

_DAY = 24 * 60
_HOURS = re.compile(r"^\s*(\d{1,2})[:.](\d\d)\s*[-–]\s*(\d{1,2})[:.](\d\d)\s*$")
UNSET = "not set"
NEVER_WITH_US = "between our acts"
"""The time of a neighbour that is on during none of our acts: it meets only links that are always on."""


@cache
def zone_of(name: str) -> tzinfo:
    """A time zone by its name in the zone database; UTC for a name it does not have."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        return UTC


def zone_names() -> list[str]:
    """The zones to choose from: UTC first, then all others by name."""
    return ["UTC", *sorted(n for n in available_timezones() if n not in ("UTC", "localtime", "Factory"))]


def zone_here() -> str:
    """The zone that this machine is set to, UTC where it does not say."""
    try:
        found = str(Path("/etc/localtime").resolve()).partition("zoneinfo/")[2]
    except OSError:
        found = ""
    return found if found in available_timezones() else "UTC"


@dataclass(frozen=True)
class Clock:
    """The wall clock of a place, by the name of its zone."""

    zone: str

    @property
    def tz(self) -> tzinfo:
        return zone_of(self.zone)

    def abbreviation(self, at: datetime) -> str:
        """What the zone is called at a moment, such as CET or CEST."""
        return at.astimezone(self.tz).strftime("%Z") or self.zone

    def moment(self, text: str) -> datetime | None:
        """A local date and time such as 2026-08-14 19:30, in UTC; None for an empty text; Refusal for anything else,
        or for a time that the clock leaves out when it is put forward."""
        if text.strip() in ("", UNSET):
            return None
        try:
            found = datetime.fromisoformat(text.strip())
        except ValueError:
            raise Refusal(f"“{text[:80]}” is no date and time; write it like 2026-08-14 19:30.") from None
        if found.tzinfo is not None:
            return found.astimezone(UTC)
        there = found.replace(tzinfo=self.tz).astimezone(UTC)
        if there.astimezone(self.tz).replace(tzinfo=None) != found:
            raise Refusal(f"{found:%Y-%m-%d %H:%M} does not exist in {self.zone}: the clock is put forward then.")
        return there

    @staticmethod
    def day(text: str) -> date | None:
        """A day such as 2026-09-30; None for an empty text; Refusal for anything else."""
        if not text.strip():
            return None
        try:
            return date.fromisoformat(text.strip())
        except ValueError:
            raise Refusal(f"“{text[:80]}” is no day: write it as 2026-09-30.") from None

    def day_said(self, at: datetime | None) -> str:
        """The day here of a moment, as `day` reads it; empty for none."""
        return f"{at.astimezone(self.tz):%Y-%m-%d}" if at is not None else ""

    def begin_of(self, day: date) -> datetime:
        """The first moment of a day here, in UTC."""
        return datetime.combine(day, time(), self.tz).astimezone(UTC)

    def end_of(self, day: date) -> datetime:
        """The last second of a day here, in UTC."""
        return datetime.combine(day, time(23, 59, 59), self.tz).astimezone(UTC)

    def said(self, at: datetime | None, with_zone: bool = False) -> str:
        """A moment in local time, as `moment` reads it, or with the zone's name behind it."""
        if at is None:
            return UNSET
        return f"{at.astimezone(self.tz):%Y-%m-%d %H:%M}" + (f" {self.abbreviation(at)}" if with_zone else "")

    def acts_during(self, text: str, acts: Sequence[Act]) -> frozenset[str]:
        """Ids of the acts that local hours meet. Empty means always on: hours that are not said or not read, or acts
        without times, are taken on the safe side."""
        found = read(text)
        if found is None or not acts:
            return frozenset()
        met = set()
        for act in acts:
            if act.starts_at is None or act.ends_at is None:
                return frozenset()
            if self._meet(found, act.starts_at, act.ends_at):
                met.add(ids.of(act))
        return frozenset(met) or frozenset({NEVER_WITH_US})

    def _meet(self, daily: tuple[int, int], start: datetime, end: datetime) -> bool:
        """Whether local hours (start, length) [min], every day, share a moment with the time from `start` to `end`.

        Where the clock is put back, a time that comes twice opens at the first and closes at the second."""
        begins, length = daily
        end = max(end, start + timedelta(minutes=1))
        midnight = datetime.combine(start.astimezone(self.tz).date() - timedelta(days=1), time())
        while True:
            opens = (midnight + timedelta(minutes=begins)).replace(tzinfo=self.tz)
            closes = (midnight + timedelta(minutes=begins + length)).replace(tzinfo=self.tz, fold=1)
            if opens.astimezone(UTC) >= end:
                return False
            if closes.astimezone(UTC) > start:
                return True
            midnight += timedelta(days=1)


def read(text: str) -> tuple[int, int] | None:
    """Start and length [min] of hours such as 19:00–23:30, over midnight too; None for anything else."""
    found = _HOURS.match(text)
    if found is None:
        return None
    h1, m1, h2, m2 = map(int, found.groups())
    if h1 > 24 or h2 > 24 or m1 > 59 or m2 > 59:
        return None
    start, end = (h1 * 60 + m1) % _DAY, (h2 * 60 + m2) % _DAY
    return start, (end - start) % _DAY or _DAY


def checked(text: str) -> str:
    """The text if it can be read or is empty; ValueError otherwise."""
    if text.strip() and read(text) is None:
        raise Refusal(f"“{text[:80]}” is no time of day; write it like 19:00–23:30, or leave it empty for always.")
    return text.strip()
