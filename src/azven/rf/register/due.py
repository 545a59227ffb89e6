"""What is due: batteries, loans, repairs, firmware, licences (domain section 9)."""

import re
from calendar import monthrange
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from typing import Literal

from azven.rf.register.deeds import Span, State

Code = Literal["battery-age", "battery-run", "loan", "repair", "firmware", "licence"]
REPAIR_DAYS, RUN_SHARE = 30, 0.8


@dataclass(frozen=True, kw_only=True)
class Battery:
    """A battery: in use since a day, how many months it may be, how long it ran and should run [min]; None: not
    known."""

    since: date | None = None
    limit_months: int | None = None
    measured_min: float | None = None
    model_min: float | None = None


@dataclass(frozen=True, kw_only=True)
class Kept:
    """A unit as far as something of it may be due; `since` it is in its state, `until` it is lent."""

    id: str
    model: str = ""
    state: State = "in case"
    since: date | None = None
    until: date | None = None
    firmware: str = ""
    battery: Battery | None = None


@dataclass(frozen=True)
class Licence:
    """A licence, its last day, and the shows that it is for."""

    name: str
    until: date
    shows: tuple[str, ...]


@dataclass(frozen=True)
class Due:
    """Something due: of which units, of which model, or which licence for which show."""

    code: Code
    units: tuple[str, ...] = ()
    model: str = ""
    licence: str = ""
    show: str = ""


def due(
    units: Iterable[Kept], licences: Iterable[Licence], shows: Mapping[str, Span], now: datetime,
    repair_days: int = REPAIR_DAYS,
) -> list[Due]:  # fmt: skip
    """All that is due at a moment; nothing of retired units. Days are those of the zone of `now`."""
    kept, today = [u for u in units if u.state != "retired"], now.date()
    tests = (
        ("battery-age", lambda u: _too_old(u.battery, today)), ("battery-run", lambda u: _runs_short(u.battery)),
        ("loan", lambda u: u.state == "on loan" and u.until is not None and today > u.until),
        ("repair", lambda u: u.state == "in repair" and u.since is not None and (today - u.since).days > repair_days),
    )  # fmt: skip
    out: list[Due] = []
    for code, is_due in tests:
        if mine := tuple(u.id for u in kept if is_due(u)):
            out.append(Due(code, mine))  # type: ignore[arg-type]
    return [*out, *_firmware(kept), *_licences(licences, shows)]


def age_ends(since: date, months: int) -> date:
    """The day on which so many calendar months are full; where a month is too short, its last."""
    year, month = divmod(since.year * 12 + since.month - 1 + months, 12)
    return date(year, month + 1, min(since.day, monthrange(year, month + 1)[1]))


def _too_old(battery: Battery | None, today: date) -> bool:
    if battery is None or battery.since is None or battery.limit_months is None:
        return False
    return today >= age_ends(battery.since, battery.limit_months)


def _runs_short(battery: Battery | None) -> bool:
    if battery is None or battery.measured_min is None or battery.model_min is None:
        return False
    return battery.measured_min < RUN_SHARE * battery.model_min


def version(firmware: str) -> tuple[int, ...]:
    """The numbers of a version, to be compared."""
    return tuple(int(part) for part in re.findall(r"\d+", firmware))


def _firmware(units: Sequence[Kept]) -> list[Due]:
    """Units that are behind the newest of their model."""
    by_model: dict[str, list[Kept]] = {}
    for unit in units:
        if unit.firmware:
            by_model.setdefault(unit.model, []).append(unit)
    out = []
    for model, mine in sorted(by_model.items()):
        newest = max(version(u.firmware) for u in mine)
        if behind := tuple(u.id for u in mine if version(u.firmware) < newest):
            out.append(Due("firmware", behind, model))
    return out


def _licences(licences: Iterable[Licence], shows: Mapping[str, Span]) -> list[Due]:
    """Licences whose last day is over before a show of theirs has loaded out."""
    return [
        Due("licence", (), "", x.name, show) for x in licences for show in x.shows
        if show in shows and datetime.combine(x.until + timedelta(days=1), time(), UTC) < shows[show].load_out
    ]  # fmt: skip
