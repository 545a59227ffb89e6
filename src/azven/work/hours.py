"""Times as people type them: moments, and the hours of a neighbour with the acts of ours that they meet. All UTC."""

import re
from collections.abc import Sequence
from datetime import UTC, datetime

from azven.book.records import Act

_DAY = 24 * 60
_HOURS = re.compile(r"^\s*(\d{1,2})[:.](\d\d)\s*[-–]\s*(\d{1,2})[:.](\d\d)\s*$")
UNSET = "not set"
NEVER_WITH_US = "between our acts"
"""The time of a neighbour that is on during none of our acts: it meets only links that are always on."""


def moment(text: str) -> datetime | None:
    """A date and time such as 2026-08-14 19:30; None for an empty text; ValueError for anything else."""
    if text.strip() in ("", UNSET):
        return None
    try:
        found = datetime.fromisoformat(text.strip())
    except ValueError:
        raise ValueError(f"“{text}” is no date and time; write it like 2026-08-14 19:30.") from None
    return found.replace(tzinfo=UTC) if found.tzinfo is None else found


def said(at: datetime | None) -> str:
    """A moment as `moment` reads it."""
    return f"{at:%Y-%m-%d %H:%M}" if at else UNSET


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
        raise ValueError(f"“{text}” is no time of day; write it like 19:00–23:30 (UTC), or leave it empty for always.")
    return text.strip()


def acts_during(text: str, acts: Sequence[Act]) -> frozenset[str]:
    """Names of the acts that hours (UTC) meet. Empty means always on: hours that are not said or not read, or acts
    without times, are taken on the safe side."""
    hours = read(text)
    if hours is None or not acts:
        return frozenset()
    met = set()
    for act in acts:
        if act.starts_at is None or act.ends_at is None:
            return frozenset()
        if _meet(hours, (_minute(act.starts_at), (act.ends_at - act.starts_at).total_seconds() / 60)):
            met.add(act.name)
    return frozenset(met) or frozenset({NEVER_WITH_US})


def _minute(moment: datetime) -> int:
    return moment.hour * 60 + moment.minute


def _meet(a: tuple[float, float], b: tuple[float, float]) -> bool:
    """Whether two stretches (start, length) of a day that repeats overlap."""
    return (b[0] - a[0]) % _DAY < a[1] or (a[0] - b[0]) % _DAY < b[1]
