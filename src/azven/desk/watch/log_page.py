"""The log: what happened in this watch, and every log that is kept: played again, diagnosed anew, written out."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from azven.desk import files
from azven.desk.jobs import Progress
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, label, row
from azven.desk.tables import Column, RecordTable
from azven.desk.tabs import Page
from azven.desk.watch.desk import Line, WatchDesk
from azven.refusal import Refusal
from azven.work.processes import beside
from azven.work.watch import report
from azven.work.watch.keeping import logs
from azven.work.watch.report import Report
from azven.work.wording import listed, one_line

_EVERY = 5
_BYTES_A_SECOND = 3e6
"""So fast a plain log is read and diagnosed at least; one of many bytes takes long, and cannot be stopped by itself."""
_KINDS = "Status logs (*.jsonl *.jsonl.gz)"


@dataclass(frozen=True)
class _Happened:
    id: int
    at: str
    line: Line


@dataclass(frozen=True)
class _Kept:
    id: int
    path: Path
    size: int


class LogPage(Page):
    """Two tables: lines of this watch, files of all."""

    def __init__(self, session: Session, watch: WatchDesk) -> None:
        super().__init__()
        self._session, self._watch, self._ticks = session, watch, 0
        self.happened = RecordTable(_lines(), "What happened")
        self.kept = RecordTable(_kept(), "Logs that are kept")
        self.where = FittedLabel("small")
        self._lay_out()

    def _lay_out(self) -> None:
        play = button("Play it again", self.play, "Watch it with all views; what is live goes on", "primary")
        again = button("Diagnose anew", self.diagnose, "Incidents of the whole log, as a table")
        pdf = button("Report, PDF …", self.write_report)
        packed = button("Export, gzip …", self.export, "As azven-status-log, for another desk")
        table = button("Export, CSV …", self.export_csv)
        other = button("Another file …", self.play_other, "A log from anywhere", "flat")
        left = QVBoxLayout()
        left.addWidget(label("This watch", "section"))
        left.addWidget(self.happened, 1)
        right = QVBoxLayout()
        right.setSpacing(4)
        right.addLayout(row(label("Logs that are kept", "section"), 1, other))
        right.addWidget(self.kept, 1)
        right.addLayout(row(play, again, spacing=4))
        right.addLayout(row(pdf, packed, table, spacing=4))
        right.addWidget(self.where)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 4, 0, 0)
        whole.setSpacing(12)
        whole.addLayout(left, 3)
        whole.addLayout(right, 2)

    def tick(self) -> None:
        self._ticks += 1
        if self._ticks % _EVERY == 0 and self.isVisible():
            self._show_lines()

    def refresh(self) -> None:
        self._show_lines()
        found = logs(self._watch.folder)
        self.kept.show_live([_Kept(i, p, p.stat().st_size) for i, p in enumerate(found)])
        if found and not self.kept.chosen():
            self.kept.choose({0})
        self.where.setText(f"In {self._watch.folder}" if self._watch.folder else "No folder for logs is known.")

    def _show_lines(self) -> None:
        lines = list(self._watch.lines)
        began = self._watch.start.astimezone(self._session.clock.tz)
        rows = [
            _Happened(len(lines) - k, f"{began + timedelta(seconds=x.t):%H:%M:%S}", x)
            for k, x in enumerate(reversed(lines))
        ]
        if rows and (not self.happened.records.records or rows[0].id != self.happened.records.records[0].id):
            self.happened.show_records(rows)

    # what is done with a log

    def _chosen(self) -> Path | None:
        rows = self.kept.chosen()
        if not rows:
            self._session.say("Choose a log first.", trouble=True)
        return rows[0].path if rows else None

    def play(self) -> None:
        if (path := self._chosen()) is not None:
            self.play_file(path)

    def play_other(self) -> None:
        if (path := files.ask_which(self, "Play a log", _KINDS)) is not None:
            self.play_file(path)

    def play_file(self, path: Path) -> None:
        """Watch a log; a file that is none is told."""
        try:
            self._watch.play(path)
        except Refusal as refusal:
            self._session.say(str(refusal), trouble=True)

    def diagnose(self) -> None:
        self._read("Diagnosing the log", self._ask_csv)

    def write_report(self) -> None:
        self._read("Reading the log", self._ask_pdf)

    def _read(self, title: str, then: Any) -> None:
        path = self._chosen()
        if path is not None:
            at_most_s = 1 + path.stat().st_size / _BYTES_A_SECOND
            self._session.jobs.start(
                title, lambda progress: beside(partial(report.of_log, path), progress, at_most_s), partial(then, path)
            )

    def _ask_csv(self, path: Path, found: Report | None) -> None:
        if found is None:
            return
        named = {c: sum(x.cause == c for x in found.incidents) for c in sorted({x.cause for x in found.incidents})}
        words = listed([f"{n} {c}" for c, n in named.items()]) if named else "nothing went wrong"
        self._session.say(f"{path.name}: {words}.")
        if named:
            where = files.ask_where(self, "Incidents as a table", f"{path.stem}-incidents.csv", "CSV (*.csv)")
            if where is not None:
                text = report.incidents_csv(found, self._moment(found.start))
                files.write_text(self._session, where, text, f"{len(found.incidents)} incidents")

    def _ask_pdf(self, path: Path, found: Report | None) -> None:
        if found is None:
            return
        where = files.ask_where(self, "After-show report", f"{path.stem}-report.pdf", "PDF (*.pdf)")
        if where is not None:
            html = report.page(found, self._moment(found.start))
            files.write_pages(self._session, where, html, "Azven after the show")

    def _moment(self, start: str) -> Any:
        try:
            began = datetime.fromisoformat(start)
        except ValueError:
            began = datetime(2000, 1, 1, tzinfo=UTC)
        tz = self._session.clock.tz
        return lambda s: f"{(began + timedelta(seconds=s)).astimezone(tz):%H:%M:%S}"

    def export(self) -> None:
        path = self._chosen()
        if path is not None:
            name = f"{path.name.removesuffix('.gz').removesuffix('.jsonl')}.jsonl.gz"
            where = files.ask_where(self, "Export the log", name, _KINDS)
            if where is not None:
                self._write(where, lambda progress: report.export_gzip(path, where, progress))

    def export_csv(self) -> None:
        path = self._chosen()
        if path is not None:
            where = files.ask_where(self, "Export the log as a table", f"{path.stem}.csv", "CSV (*.csv)")
            if where is not None:
                self._write(where, lambda progress: report.export_csv(path, where, progress))

    def _write(self, where: Path, work: Any) -> None:
        def guarded(progress: Progress) -> str:
            try:
                return "was stopped; nothing was written" if work(progress) is False else "was written"
            except OSError as error:
                return f"could not be written: {error.strerror or error}"

        def told(said: str) -> None:
            self._session.say(f"{where.name} {said}.", trouble=not said.startswith("was written"))

        self._session.jobs.start(f"Writing {where.name}", guarded, told)


def _lines() -> list[Column]:
    return [
        Column(title="At", width=82, show=lambda r: r.at),
        Column(title="What", width=74, show=lambda r: r.line.kind),
        Column(title="", width=160, show=lambda r: in_words(r.line.detail), prose=True),
    ]  # fmt: skip


def _kept() -> list[Column]:
    return [
        Column(title="Begun, UTC", width=180, show=lambda r: r.path.name.split(".")[0].replace("T", "  ").rstrip("Z")),
        Column(title="Size", width=70, show=lambda r: f"{r.size / 1e6:.1f} MB", right=True),
    ]  # fmt: skip


_PLAIN = frozenset({"rack", "channel", "link", "links", "cause", "why", "say", "what", "evidence"})
"""What needs no name before it."""


def in_words(detail: Mapping[str, Any]) -> str:
    """What an event says, without what only a program needs."""
    parts = []
    for key, value in detail.items():
        if value in (None, "", {}, []) or key in ("from_s", "to_s", "sure", "next", "count"):
            continue
        if isinstance(value, Mapping):
            value = ", ".join(f"{k} {v}" for k, v in value.items())
        elif isinstance(value, list | tuple):
            value = listed([str(v) for v in value], 3) if value else ""
        parts.append(str(value) if key in _PLAIN else f"{key} {value}")
    return one_line(" · ".join(parts))
