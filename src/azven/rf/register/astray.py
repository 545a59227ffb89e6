"""What is heard against what is written: told once with both sides, until one of them changes (domain section 9)."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Literal

from azven.rf.register.deeds import AWAY, State

Code = Literal["campus", "frequency", "state"]
Side = str | int


@dataclass(frozen=True)
class Written:
    """What the register says of a unit: state, its own frequency [Hz] where it has one, and where it is."""

    state: State
    freq_hz: int | None
    where: str


@dataclass(frozen=True)
class Heard:
    """A unit heard at a moment, on a frequency [Hz], at a site."""

    at: datetime
    unit: str
    freq_hz: int
    site: str


@dataclass(frozen=True)
class Astray:
    """An exception: what is written of a unit and what was heard of it."""

    at: datetime
    unit: str
    code: Code
    written: Side
    heard: Side


@dataclass
class Telling:
    """Remembers what was told, so that the same is told once."""

    _told: dict[str, dict[Code, tuple[Side, Side]]] = field(default_factory=dict)

    def hear(self, heard: Heard, written: Written) -> list[Astray]:
        """What has to be told now; reports in the order of time."""
        found, before = sides(heard, written), self._told.get(heard.unit, {})
        self._told[heard.unit] = found
        return [Astray(heard.at, heard.unit, code, *pair) for code, pair in found.items() if before.get(code) != pair]


def sides(heard: Heard, written: Written) -> dict[Code, tuple[Side, Side]]:
    """By its code, what is written and what was heard where the two differ."""
    out: dict[Code, tuple[Side, Side]] = {}
    if heard.site != written.where:
        out["campus"] = written.where, heard.site
    if written.freq_hz is not None and heard.freq_hz != written.freq_hz:
        out["frequency"] = written.freq_hz, heard.freq_hz
    if written.state in AWAY:
        out["state"] = written.state, "on air"
    return out


def exceptions(reports: Iterable[Heard], units: Mapping[str, Written]) -> list[Astray]:
    """All exceptions of some reports, in the order of their time; of units that the register does not have, nothing."""
    telling, out = Telling(), list[Astray]()
    for heard in sorted(reports, key=lambda r: r.at):
        if heard.unit in units:
            out += telling.hear(heard, units[heard.unit])
    return out
