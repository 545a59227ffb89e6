"""`azven-status-log` 1 as a record that diagnosis can look at."""

import gzip
import io
import json
import math
import zlib
from collections.abc import Generator, Mapping
from pathlib import Path
from typing import Any

import numpy as np

from azven.book.eventlog import FORMAT, VERSION
from azven.refusal import Refusal
from azven.rf.diagnose.record import CarrierHead, Head, LinkHead, Record, Sent, Sweep, SystemHead
from azven.rf.levels import Floats

_FLAGS: Mapping[Any, float] = {True: 1.0, False: 0.0, "on": 1.0, "off": 0.0}
_LEVELS = ("a", "b", "q", "af", "bat", "noise", "txf")
_SIGNS = ("tx", "mute", "clip", "hp")
_STEPS_S = (0.2, 0.5)
_TAIL = 1 << 20
_MOST_S, _MOST_CELLS, _LARGEST = 48 * 3600.0, 40_000_000, 10**15
"""Longer logs of more links are looked at in coarser steps."""


def opened(path: Path) -> gzip.GzipFile | io.BufferedReader:
    """The bytes of a log, plain or gzip. OSError when it cannot be opened."""
    return gzip.open(path, "rb") if path.suffix == ".gz" else path.open("rb")


def lines(path: Path) -> Generator[Any]:
    """The lines of a log, plain or gzip, None for one that is damaged; a last line that was cut off is left out.
    Refusal for a file that does not begin with a line, or cannot be read."""
    try:
        with opened(path) as plain, io.TextIOWrapper(plain, encoding="utf-8", errors="replace") as file:
            number = 0
            for number, line in enumerate(file, start=1):
                if not line.endswith("\n") and number > 1:
                    return  # whoever wrote it was stopped in the middle of this line
                try:
                    yield json.loads(line)
                except (ValueError, RecursionError):
                    if number == 1:
                        raise Refusal(f"{path.name} does not begin with the head of a log.") from None
                    yield None
            if not number:
                raise Refusal(f"{path.name} is empty.")
    except EOFError:
        return  # a gzip file whose end is missing: what came before it was read
    except (OSError, zlib.error) as error:
        raise Refusal(f"{path.name} cannot be read: {error}.") from None


def head_document(path: Path) -> dict[str, Any]:
    """The first line of a log. Refusal for a file that is none."""
    return _checked(path, next(lines(path), None))


def last_moment(path: Path) -> float:
    """The latest time in the end of a log [s], read without the rest; 0 where no line there has one. Refusal for a file
    that cannot be read."""
    end = bytearray()
    try:
        with opened(path) as file:
            if path.suffix != ".gz":
                file.seek(max(path.stat().st_size - _TAIL, 0))
            while block := file.read1(_TAIL):
                end += block
                if len(end) > 2 * _TAIL:
                    del end[:-_TAIL]
    except EOFError:
        pass  # a gzip file whose end is missing
    except (OSError, zlib.error) as error:
        raise Refusal(f"{path.name} cannot be read: {error}.") from None
    times = (_number(x, "t") for x in map(_parsed, bytes(end).split(b"\n")) if isinstance(x, dict))
    return max((t for t in times if t is not None), default=0.0)


def _parsed(line: bytes) -> Any:
    try:
        return json.loads(line)
    except (ValueError, RecursionError):
        return None


def _checked(path: Path, head: Any) -> dict[str, Any]:
    if not isinstance(head, dict) or head.get("format") != FORMAT:
        raise Refusal(f"{path.name} is no {FORMAT}.")
    if head.get("version") != VERSION:
        raise Refusal(f"{path.name} is version {head.get('version')} of {FORMAT}, Azven reads {VERSION}.")
    return head


def read(path: Path) -> Record:
    """A whole log; damaged lines are left out and counted. Refusal for a file that is none."""
    told = lines(path)
    head = _checked(path, next(told, None))
    gathered, damaged = _Gathered(head_of(head)), 0
    for line in told:
        gathered.take(line)
        damaged += not isinstance(line, dict)
    record = gathered.record()
    record.damaged = damaged
    return record


def head_of(told: Mapping[str, Any]) -> Head:
    """The head of a log; what is missing or of a wrong type is not known."""
    start = told.get("start")
    return Head(
        links=tuple(_link(x) for x in _dicts(told, "links") if isinstance(x.get("name"), str)),
        systems=tuple(_system(x) for x in _dicts(told, "systems") if isinstance(x.get("name"), str)),
        carriers=tuple(
            CarrierHead(name=str(x.get("name", "")), freq_hz=int(x["freq_hz"]),
                        bandwidth_hz=int(_number(x, "bandwidth_hz") or 100_000), hours=_text(x, "hours"))
            for x in _dicts(told, "carriers") if _number(x, "freq_hz") is not None
        ),
        acts={str(x["name"]): (_number(x, "from_s") or 0.0, _number(x, "to_s") or math.inf)
              for x in _dicts(told, "acts") if "name" in x},
        start=start if isinstance(start, str) else "",
    )  # fmt: skip


def _dicts(told: Mapping[str, Any], key: str) -> list[dict[str, Any]]:
    found = told.get(key)
    return [x for x in found if isinstance(x, dict)] if isinstance(found, list) else []


def _number(told: Mapping[str, Any], key: str) -> float | None:
    value = _plain(told.get(key))
    return None if math.isnan(value) else value


def _plain(value: Any) -> float:
    """A number as it is worked with; NaN for what is none, or none that a float holds."""
    if isinstance(value, bool) or not isinstance(value, int | float) or abs(value) > _LARGEST:
        return math.nan
    return float(value)


def _text(told: Mapping[str, Any], key: str) -> str | None:
    value = told.get(key)
    return value if isinstance(value, str) else None


def _link(told: Mapping[str, Any]) -> LinkHead:
    freq, acts = _number(told, "freq_hz"), told.get("acts")
    return LinkHead(
        name=told["name"], freq_hz=round(freq) if freq is not None else None,
        bandwidth_hz=round(_number(told, "bandwidth_hz") or 200_000), service=_service(told),
        zone=_text(told, "zone"), system=_text(told, "system"), rack=_text(told, "rack"),
        threshold_dbm=_number(told, "threshold_dbm"), needed_db=_number(told, "needed_db"),
        acts=tuple(x for x in acts if isinstance(x, str)) if isinstance(acts, list) else (),
        battery_min=_number(told, "battery_min"), group=_text(told, "group"), spare=told.get("spare") is True,
        map_margin_db=_number(told, "map_margin_db"), map_served=_number(told, "map_served"),
    )  # fmt: skip


def _service(told: Mapping[str, Any]) -> str:
    said = _text(told, "service") or "voice"
    return "in-ear" if said == "ear" else said


def _system(told: Mapping[str, Any]) -> SystemHead:
    sides = told.get("sides") if isinstance(told.get("sides"), dict) else {}
    return SystemHead(
        name=told["name"], zone=_text(told, "zone"), headroom_db=_number(told, "headroom_db"),
        sides={
            str(side): tuple((str(x.get("name", "")), str(x.get("kind", "")), _number(x, "gain_db") or 0.0)
                             for x in blocks if isinstance(x, dict))
            for side, blocks in (sides or {}).items() if isinstance(blocks, list)
        },
    )  # fmt: skip


class _Gathered:
    """Changes as they come, put on a grid at the end."""

    def __init__(self, head: Head) -> None:
        self._head = head
        self._links = {x.name: i for i, x in enumerate(head.links)}
        self._more: list[LinkHead] = []
        self._told: dict[str, tuple[list[int], list[float], list[float]]] = {
            k: ([], [], []) for k in (*_LEVELS, *_SIGNS, "differs", "named")
        }
        self._frames: list[float] = []
        self._sweeps: list[Sweep] = []
        self._sent: list[Sent] = []
        self._last_s = 0.0

    def take(self, line: Any) -> None:
        if not isinstance(line, dict):
            return
        t = _number(line, "t")
        if t is None or not 0 <= t <= _MOST_S:
            return
        self._last_s = max(self._last_s, t)
        if isinstance(line.get("c"), dict):
            self._frames.append(t)
            for name, fields in line["c"].items():
                if isinstance(fields, dict):
                    self._take_link(t, str(name), fields)
        elif isinstance(line.get("event"), dict):
            self._take_event(t, line["event"])

    def _take_link(self, t: float, name: str, fields: Mapping[str, Any]) -> None:
        i = self._links.get(name)
        if i is None:
            i = self._links[name] = len(self._links)
            self._more.append(LinkHead(name=name))
        self._add("named", i, t, t)
        for key, value in fields.items():
            if key in _LEVELS:
                self._add(key, i, t, _plain(value))
            elif key in _SIGNS:
                self._add(key, i, t, _FLAGS.get(value, math.nan) if isinstance(value, bool | str) else math.nan)
            elif key == "enc":
                self._add("differs", i, t, 1.0 if value == "differs" else 0.0)

    def _add(self, key: str, i: int, t: float, value: float) -> None:
        where, when, what = self._told[key]
        where.append(i)
        when.append(t)
        what.append(value)

    def _take_event(self, t: float, event: Mapping[str, Any]) -> None:
        kind = event.get("kind")
        if kind == "sweep":
            low, step, levels = _number(event, "low_hz"), _number(event, "step_hz"), event.get("levels")
            if low is not None and step and isinstance(levels, list):
                row = np.array([_plain(x) for x in levels], float)
                self._sweeps.append(Sweep(t, _text(event, "zone"), round(low), round(step), row))
        elif kind == "sent" and isinstance(event.get("values"), dict):
            self._sent.append(Sent(t, str(event.get("channel")), event["values"]))

    def record(self) -> Record:
        head = Head(links=(*self._head.links, *self._more), systems=self._head.systems, carriers=self._head.carriers,
                    acts=self._head.acts, start=self._head.start)  # fmt: skip
        apart = float(np.median(np.diff(self._frames))) if len(self._frames) > 2 else 0.5
        step = next((s for s in _STEPS_S if s >= 0.8 * apart), 1.0)
        while self._last_s / step * max(len(head.links), 1) > _MOST_CELLS:
            step *= 2
        at = np.arange(0.0, self._last_s + step, step)
        grid = {k: self._grid(k, at, step, len(head.links)) for k in self._told}
        differs, named = grid.pop("differs") == 1, np.nan_to_num(grid.pop("named"), nan=-math.inf)
        return Record(
            head=head, at_s=at, a=grid["a"], b=grid["b"], q=grid["q"], af=grid["af"], bat=grid["bat"],
            noise=grid["noise"], tx=grid["tx"], mute=grid["mute"], clip=grid["clip"], hp=grid["hp"], txf=grid["txf"],
            differs=differs, named_s=named, sweeps=self._sweeps, sent=self._sent,
        )  # fmt: skip

    def _grid(self, key: str, at: Floats, step: float, m: int) -> Floats:
        """Each value from when it was told until the next; several in one step: the least quality, the loudest audio,
        else the last."""
        where, when, what = (np.array(x) for x in self._told[key])
        out = np.full((m, len(at)), math.nan)
        if not len(where):
            return out
        column = np.minimum(np.ceil(np.round(when / step, 6)).astype(int), len(at) - 1)
        known = np.zeros((m, len(at)), bool)
        out[where, column] = what
        known[where, column] = True
        last = np.where(known, np.arange(len(at)), 0)
        np.maximum.accumulate(last, axis=1, out=last)
        filled = np.take_along_axis(out, last, axis=1)
        if key in ("q", "af", "clip"):
            order = np.argsort(-what if key == "q" else what, kind="stable")
            filled[where[order], column[order]] = what[order]
        return np.asarray(filled)
