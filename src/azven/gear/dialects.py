"""How an analyser is spoken to, as data: what is sent to set it up, to sweep and to read, and what its answers mean.

A dialect is a JSON file (`azven-dialect` 1, docs/instrument-link.md). Nothing in it is executed: names in braces are
filled with figures, everything else is sent as it stands.
"""

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from fnmatch import fnmatchcase
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import Any

from azven.refusal import Refusal
from azven.rf.sweep import SweepSettings

FORMAT, VERSION = "azven-dialect", 1
_NAMES = re.compile(r"\{([a-z_]+)\}")
_SCALES = {"hz": 1.0, "khz": 1e3, "mhz": 1e6}
_FREQUENCIES = ("start", "stop", "rbw", "centre", "span")
_PLAIN = ("points", "detector", "attenuation_db")
FILLED = frozenset({*(f"{n}_{u}" for n in _FREQUENCIES for u in _SCALES), *_PLAIN})
LEVELS: Mapping[str, float] = {"dbm": 0.0, "dbuv-50": -106.99, "dbuv-75": -108.75, "dbmv-75": -48.75}
"""What is added to a reading to have dBm: P = U²/R at 50 or 75 Ω."""
TYPES: Mapping[str, str] = {"f4be": ">f4", "f4le": "<f4", "f8be": ">f8", "f8le": "<f8"}


class DialectError(Refusal):
    """A dialect file that cannot be used; the message says where."""


@dataclass(frozen=True, kw_only=True)
class Dialect:
    """One way to speak to analysers. `ask` are the questions for what the instrument made of a setting, by its name
    with its unit; `level` is the unit of readings; `kind` how they come: a block, a list, or lines."""

    name: str
    matches: tuple[str, ...]
    identify: str
    setup: tuple[str, ...]
    sweep: tuple[str, ...]
    kind: str
    detectors: Mapping[str, str]
    ask: Mapping[str, str] = field(default_factory=dict)
    result: str = ""
    number_type: str = "f4be"
    separator: str = ","
    frequency: str | None = None
    end: str | None = None
    level: str = "dbm"
    wait_ask: str = ""
    wait_until: str = ""
    error_begins: tuple[str, ...] = ()
    error_ask: str = ""
    error_none: tuple[str, ...] = ()

    def lines(self, settings: SweepSettings) -> list[str]:
        """What is sent to set the instrument up."""
        return [filled(line, settings, self.detectors) for line in self.setup]

    def suits(self, identity: str) -> bool:
        """Whether an instrument that calls itself so speaks this dialect."""
        return any(fnmatchcase(identity.casefold(), pattern.casefold()) for pattern in self.matches)


def filled(line: str, settings: SweepSettings, detectors: Mapping[str, str]) -> str:
    """A line with the figures of a sweep in it."""
    low, high = settings.start_hz, settings.stop_hz
    hz = {"start": low, "stop": high, "rbw": settings.rbw_hz, "centre": (low + high) / 2, "span": high - low}
    values = {f"{n}_{unit}": f"{hz[n] / scale:.12g}" for n in hz for unit, scale in _SCALES.items()}
    values |= {"points": str(settings.points), "attenuation_db": f"{settings.attenuation_db:g}",
               "detector": detectors.get(settings.detector, "")}  # fmt: skip
    return _NAMES.sub(lambda m: values[m[1]], line)


def in_hertz(name: str, value: float) -> tuple[str, float]:
    """A setting that was asked for, without its unit: `start_khz` 470000 is `start` 470 MHz."""
    stem, _, unit = name.rpartition("_")
    return (stem, value * _SCALES[unit]) if stem and unit in _SCALES else (name, value)


def read(document: Any, where: str) -> Dialect:
    """A dialect from its document; DialectError with the path of what is wrong."""
    if not isinstance(document, Mapping) or document.get("format") != FORMAT:
        raise DialectError(f"{where}: format: this is no {FORMAT}.")
    if document.get("version") != VERSION:
        raise DialectError(f"{where}: version: {document.get('version')!r}, this Azven reads {VERSION}.")
    reader = _Reader(document, where)
    shape, wait, errors = (reader.inner(k) for k in ("read", "wait", "errors"))
    found = Dialect(
        name=reader.text("name"), matches=reader.texts("matches", ()), identify=reader.text("identify"),
        setup=reader.texts("setup"), sweep=reader.texts("sweep"), ask=reader.table("ask", {}),
        detectors=reader.table("detectors"), result=reader.text("result", ""), level=reader.text("level", "dbm"),
        kind=shape.text("kind"), number_type=shape.text("type", "f4be"), separator=shape.text("separator", ","),
        frequency=shape.text("frequency", "") or None, end=shape.text("end", "") or None,
        wait_ask=wait.text("ask", ""), wait_until=wait.text("until", ""), error_begins=errors.texts("begins", ()),
        error_ask=errors.text("ask", ""), error_none=errors.texts("none", ()),
    )  # fmt: skip
    _judge(found, where)
    return found


def _judge(found: Dialect, where: str) -> None:
    for path, value, known in (
        ("read.kind", found.kind, ("block", "list", "lines")), ("read.type", found.number_type, TYPES),
        ("read.frequency", found.frequency or "hz", _SCALES), ("level", found.level, LEVELS),
    ):  # fmt: skip
        if value not in known:
            raise DialectError(f"{where}: {path}: {value!r} is none of {', '.join(known)}.")
    used = {name for line in (*found.setup, *found.sweep) for name in _NAMES.findall(line)}
    if unknown := (used | set(found.ask)) - FILLED:
        raise DialectError(f"{where}: {min(unknown)} is none of {', '.join(sorted(FILLED))}.")
    if found.error_ask and not found.error_none:
        raise DialectError(f"{where}: errors.none: what is answered when there is no error is needed.")
    if not found.separator:
        raise DialectError(f"{where}: read.separator: it may not be empty.")


class _Reader:
    """Members of a document, with their paths in what is said about them."""

    def __init__(self, document: Mapping[str, Any], where: str, path: str = "") -> None:
        self._document, self._where, self._path = document, where, path

    def inner(self, name: str) -> "_Reader":
        found = self._document.get(name, {})
        if not isinstance(found, Mapping):
            raise self._wrong(name, "an object")
        return _Reader(found, self._where, f"{name}.")

    def text(self, name: str, *default: str) -> str:
        found = self._get(name, *default)
        if not isinstance(found, str):
            raise self._wrong(name, "a text")
        return found

    def texts(self, name: str, *default: tuple[str, ...]) -> tuple[str, ...]:
        found = self._get(name, *default)
        if not isinstance(found, list | tuple) or not all(isinstance(x, str) for x in found):
            raise self._wrong(name, "a list of texts")
        return tuple(found)

    def table(self, name: str, *default: dict[str, str]) -> dict[str, str]:
        found = self._get(name, *default)
        if not isinstance(found, Mapping) or not all(isinstance(x, str) for x in found.values()):
            raise self._wrong(name, "an object of texts")
        return dict(found)

    def _get(self, name: str, *default: Any) -> Any:
        if name not in self._document and not default:
            raise DialectError(f"{self._where}: {self._path}{name}: it is missing.")
        return self._document.get(name, *default)

    def _wrong(self, name: str, wanted: str) -> DialectError:
        return DialectError(f"{self._where}: {self._path}{name}: {wanted} is needed.")


def load(path: Path) -> Dialect:
    """A dialect from a file of the user's."""
    try:
        return read(json.loads(path.read_text(encoding="utf-8")), path.name)
    except (OSError, ValueError) as error:
        raise DialectError(f"{path.name} cannot be read: {error}.") from error


@cache
def shipped() -> tuple[Dialect, ...]:
    """The dialects that come with Azven, those that suit few instruments first."""
    folder = files("azven") / "data" / "dialects"
    found = [read(json.loads(p.read_text("utf-8")), p.name) for p in folder.iterdir() if p.name.endswith(".json")]
    return tuple(sorted(found, key=lambda d: (d.matches == ("*",), d.name)))


def block() -> Dialect:
    """The dialect that is tried first: SCPI with a binary block."""
    return next(d for d in shipped() if d.matches == ("*",))


def chosen(identity: str) -> Dialect:
    """The dialect for what an instrument calls itself."""
    return next(d for d in shipped() if d.suits(identity))
