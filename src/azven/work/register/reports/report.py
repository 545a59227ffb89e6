"""A report of the register: rows under headings, one style for the screen, for paper and for a table."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from azven.book.formats.rows import as_csv
from azven.book.store import Store
from azven.work import ground
from azven.work.register.astray import Astray
from azven.work.rendering import render
from azven.work.scope import Scope

Progress = Callable[[int, int], bool]
Row = tuple[str, ...]


@dataclass(frozen=True)
class Asking:
    """What a report is made from: a book, a site and a show, the moment, what is heard otherwise than written, and how
    it is stopped."""

    store: Store
    scope: Scope
    now: datetime
    astray: Sequence[Astray] = ()
    progress: Progress = lambda done, total: True


@dataclass(frozen=True)
class Section:
    """Rows under a heading, with a note above them."""

    heading: str
    rows: tuple[Row, ...]
    note: str = ""


@dataclass(frozen=True)
class Report:
    """A report: columns (those in `right` hold figures), sections, and sentences that stand above all of them; those in
    `wrong` are warnings."""

    title: str
    columns: Row
    sections: tuple[Section, ...]
    right: frozenset[str] = frozenset()
    notes: tuple[str, ...] = ()
    wrong: tuple[str, ...] = ()
    advice: str = ""

    @property
    def count(self) -> int:
        """How many rows it has."""
        return sum(len(s.rows) for s in self.sections)


def html(report: Report, store: Store, scope: Scope, moment: datetime) -> str:
    """The report as HTML for Qt's document."""
    place = ground.here(store, scope)
    return render(
        "report", title=report.title, show=place.show.name, site=place.site.name, made=place.clock.said(moment),
        zone=place.clock.abbreviation(moment), notes=report.notes, wrong=report.wrong, advice=report.advice,
        columns=[(name, "right" if name in report.right else "left") for name in report.columns],
        sections=[(s.heading, s.note, s.rows) for s in report.sections], empty=not report.count,
    )  # fmt: skip


def shortened(report: Report, most: int) -> Report:
    """The report with so many rows at most, the first ones."""
    left, sections = most, []
    for section in report.sections:
        sections.append(replace(section, rows=section.rows[: max(left, 0)]))
        left -= len(section.rows)
    return replace(report, sections=tuple(sections))


def csv_text(report: Report) -> str:
    """The report as CSV (RFC 4180), the heading of its section before each row."""
    rows = ((section.heading, *row) for section in report.sections for row in section.rows)
    return as_csv(("Section", *report.columns), rows)
