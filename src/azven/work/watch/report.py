"""After the show: what went wrong and why, how long whom one did not hear, batteries, what to change for tomorrow."""

import csv
import gzip
from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from azven.book.formats import status_log
from azven.book.formats.rows import as_csv, harmless
from azven.book.formats.whole import written_whole
from azven.rf.diagnose.record import Incident, Record
from azven.rf.diagnose.weigh import diagnose
from azven.work.diagnosing import sure_in_words
from azven.work.rendering import render
from azven.work.watch.swaps import history
from azven.work.wording import listed

_COLUMNS = (
    "t",
    "link",
    "a",
    "b",
    "use",
    "q",
    "af",
    "clip",
    "tx",
    "txf",
    "bat",
    "left_min",
    "mute",
    "hp",
    "enc",
    "noise",
)


_BLOCK = 1 << 18
Progress = Callable[[int, int], bool]


def _never_stopped(done: int, total: int) -> bool:
    return True


@dataclass(frozen=True, kw_only=True)
class Report:
    """A finished log: incidents, seconds of dropout by link and act (empty name: whatever act), advice for tomorrow."""

    site: str
    show: str
    start: str
    end_s: float
    incidents: tuple[Incident, ...]
    acts: tuple[str, ...]
    dropouts: Mapping[str, Mapping[str, float]]
    batteries: tuple[str, ...]
    tomorrow: tuple[str, ...]
    damaged: int = 0
    notes: tuple[str, ...] = field(default_factory=tuple)


def of_log(path: Path) -> Report:
    """Read and diagnose a log. Refusal for a file that is none."""
    document, record = status_log.head_document(path), status_log.read(path)
    found = diagnose(record)
    return Report(
        site=str(document.get("site", "")), show=str(document.get("show", "")), start=record.head.start,
        end_s=float(record.at_s[-1]) if len(record.at_s) else 0.0, incidents=tuple(found), acts=_acts(record),
        dropouts=dropouts(record), batteries=tuple(history([path], _never_stopped)),
        tomorrow=tuple(tomorrow(found)), damaged=record.damaged,
    )  # fmt: skip


def _acts(record: Record) -> tuple[str, ...]:
    timed = [(a, name) for name, (a, b) in record.head.acts.items() if b > a >= -1]
    return tuple(name for _, name in sorted(timed)) or ("",)


def dropouts(record: Record) -> dict[str, dict[str, float]]:
    """Seconds in which a link was not heard well though it plays, by link and act."""
    out: dict[str, dict[str, float]] = {}
    for act in _acts(record):
        begin, end = record.head.acts.get(act, (-np.inf, np.inf))
        during = (record.at_s >= begin) & (record.at_s <= end)
        for i, link in enumerate(record.head.links):
            seconds = float((record.missed[i] & during).sum() * record.step_s)
            if seconds > 0 and not link.spare:
                out.setdefault(link.name, {})[act] = round(seconds, 1)
    return out


def tomorrow(found: list[Incident]) -> list[str]:
    """What to change, the most frequent first: what the next steps of the incidents have in common."""
    count: Counter[str] = Counter()
    for it in found:
        for step in it.next[-1:]:
            count[step] += 1
    return [f"{step}{f' ({times} times)' if times > 1 else ''}" for step, times in count.most_common(12)]


def page(report: Report, moment: Callable[[float], str]) -> str:
    """The report as a page; `moment` says a time [s] as people read it."""
    rows = [
        {
            "at": moment(it.from_s), "for": _lasting(it.to_s - it.from_s), "who": listed(list(it.links), 4),
            "cause": it.cause, "sure": sure_in_words(it.sure), "evidence": " ".join(it.evidence),
        }
        for it in report.incidents
    ]  # fmt: skip
    lost = [
        {"link": name, "by_act": [by_act.get(a, 0.0) for a in report.acts], "all": sum(by_act.values())}
        for name, by_act in sorted(report.dropouts.items(), key=lambda kv: -sum(kv[1].values()))
    ]
    return render("watch", report=report, rows=rows, lost=lost, acts=[a or "all" for a in report.acts],
                    until=moment(report.end_s), since=moment(0.0))  # fmt: skip


def _lasting(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 120 else f"{seconds / 60:.0f} min"


def export_gzip(log: Path, to: Path, progress: Progress = _never_stopped) -> bool:
    """A log as `azven-status-log`, gzip. False when it was stopped: what stood there stays. OSError where it cannot be
    written."""
    size = max(log.stat().st_size, 1)

    def write(fresh: Path) -> bool:
        packed: Any = fresh.open("wb")
        with log.open("rb") as source, packed, packed if log.suffix == ".gz" else _gzip(packed) as out:
            while block := source.read(_BLOCK):
                if not progress(source.tell(), size):
                    return False
                out.write(block)
        return True

    return _whole(to, write)


def _gzip(into: Any) -> gzip.GzipFile:
    return gzip.GzipFile("", "wb", compresslevel=6, fileobj=into, mtime=0)


def export_csv(log: Path, to: Path, progress: Progress = _never_stopped) -> bool:
    """A log as a table, a row for every link that a frame names, with all that is known of it then. False when it was
    stopped: what stood there stays. OSError where it cannot be written."""
    end_s = status_log.last_moment(log)

    def write(fresh: Path) -> bool:
        known: dict[str, dict[str, Any]] = {}
        with fresh.open("w", encoding="utf-8", newline="") as file:
            out = csv.writer(file)
            out.writerow(_COLUMNS)
            for line in status_log.lines(log):
                if not isinstance(line, dict) or not isinstance(line.get("c"), dict):
                    continue
                if not progress(int(line["t"]), int(end_s) + 1):
                    return False
                for name, fields in line["c"].items():
                    if isinstance(fields, dict):
                        told = known.setdefault(name, {})
                        told.update(fields)
                        out.writerow([line["t"], harmless(name), *(_cell(told.get(k)) for k in _COLUMNS[2:])])
        return True

    return _whole(to, write)


class _StoppedError(Exception):
    """Somebody stopped the writing."""


def _whole(to: Path, write: Callable[[Path], bool]) -> bool:
    try:
        with written_whole(to) as fresh:
            if not write(fresh):
                raise _StoppedError
    except _StoppedError:
        return False
    return True


def _cell(value: Any) -> Any:
    return "" if value is None else {True: "yes", False: "no"}[value] if isinstance(value, bool) else value


def incidents_csv(report: Report, moment: Callable[[float], str]) -> str:
    """Incidents as a table."""
    return as_csv(("from", "to", "from_s", "to_s", "cause", "sure", "links", "evidence", "next"), (
        (moment(it.from_s), moment(it.to_s), round(it.from_s, 1), round(it.to_s, 1), it.cause, round(it.sure, 2),
         "; ".join(it.links), " ".join(it.evidence), " ".join(it.next))
        for it in report.incidents
    ))  # fmt: skip
