"""Reports: one is chosen and read on the screen as it will be printed; as PDF, as a table, labels and cards."""

from contextlib import closing
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QTextBrowser, QVBoxLayout

from azven.book.store import Store
from azven.desk import files
from azven.desk.actions import Action
from azven.desk.register.page import RegisterPage
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, choice, pick, row
from azven.work import ground, kit
from azven.work.kit import printed
from azven.work.register import reports
from azven.work.register.astray import astray
from azven.work.register.reports import REPORTS, Asking, Kind, Report

_SHOWN = 2_000
"""So many rows are shown on the screen; paper and table have them all."""


class ReportsPage(RegisterPage):
    """A report is made when it is asked for, and stays as it was until it is asked for again."""

    title = "Reports"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.report: Report | None = None
        self._kind: Kind = REPORTS[0]
        self.which = choice([(k.title, k.name) for k in REPORTS], "Which report")
        self.words = FittedLabel("dim")
        self.pdf = button("PDF …", self.save_pdf, "The report on paper")
        self.csv = button("Table …", self.save_csv, "The report as CSV", "flat")
        self.labels = button("Rack labels …", self.save_labels, "Labels of the racks of this show, with codes", "flat")
        self.cards = button("Cards …", self.save_cards, "A card for each person with what is worn", "flat")
        self.text = QTextBrowser()
        self.text.setAccessibleName("The report")
        self.text.setOpenLinks(False)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(6)
        box.addLayout(row(self.which, self.pdf, self.csv, 1, self.labels, self.cards, spacing=6))
        box.addWidget(self.words)
        box.addWidget(self.text, 1)
        self.which.activated.connect(lambda _: self.make())
        session.themed.connect(self._show)

    def show_now(self) -> None:
        if self.report is None:
            self.make()

    def make(self) -> None:
        """Make the chosen report, with progress, stoppable."""
        session = self.session
        kind = next(k for k in REPORTS if k.name == self.which.currentData())
        where, scope, now = session.store.place, session.scope, session.now()
        heard = tuple(astray(session.store, scope, session.live, now))

        def work(progress: reports.Progress) -> Report:
            with closing(Store.open(where)) as store:
                return kind.make(Asking(store, scope, now, heard, progress))

        session.jobs.start(f"Making {kind.title.lower()}", work, lambda report: self._made(kind, report))

    def _made(self, kind: Kind, report: Report) -> None:
        self._kind, self.report = kind, report
        self._show()

    def _show(self) -> None:
        report = self.report
        for each in (self.pdf, self.csv):
            each.setEnabled(report is not None)
        if report is None:
            return
        said = f"{self._kind.words}. {report.count} row{'' if report.count == 1 else 's'}"
        more = f", the first {_SHOWN} are shown" if report.count > _SHOWN else ""
        self.words.setText(f"{said}{more}, as of {self.session.clock.said(self.session.now())}.")
        document = self.text.document()
        assert document is not None
        theme = self.session.theme
        document.setDefaultStyleSheet(
            f"th {{ color: {theme.dim}; }} p.where, span.count, p.advice {{ color: {theme.dim}; }}"
            f" p.warning {{ color: {theme.brick_text}; font-weight: bold; }} h1 {{ font-size: 18px; }}"
            " h2 { font-size: 15px; }"
        )
        self.text.setHtml(self._html(reports.shortened(report, _SHOWN)))

    def _html(self, report: Report) -> str:
        session = self.session
        return reports.html(report, session.store, session.scope, session.now())

    # out

    def _ask(self, title: str, ending: str, kinds: str) -> Path | None:
        show = ground.here(self.session.store, self.session.scope).show.name
        path = files.ask_where(self, title, f"{show} {title.lower()}{ending}", kinds)
        return path.with_suffix(ending) if path is not None else None

    def save_pdf(self) -> None:
        """Ask where the report goes as PDF."""
        path = self._ask(self._kind.title, ".pdf", "PDF (*.pdf)")
        if path is not None:
            self.write_pdf(path)

    def write_pdf(self, path: Path) -> None:
        """The report as PDF, whole or not at all."""
        if self.report is not None:
            files.write_pages(self.session, path, self._html(self.report), f"Azven, {self._kind.title.lower()}")

    def save_csv(self) -> None:
        """Ask where the report goes as a table."""
        path = self._ask(self._kind.title, ".csv", "Tables (*.csv)")
        if path is not None:
            self.write_csv(path)

    def write_csv(self, path: Path) -> None:
        """The report as CSV, whole or not at all."""
        if self.report is not None:
            files.write_text(self.session, path, reports.csv_text(self.report), self._kind.title.lower())

    def save_labels(self) -> None:
        """Ask where labels of the racks go."""
        path = self._ask("Rack labels", ".pdf", "PDF (*.pdf)")
        if path is not None:
            self.write_labels(path)

    def write_labels(self, path: Path) -> None:
        """Labels of the rack units that hear links of the show, with what they hear."""
        from azven.desk.labels import write_labels

        session = self.session
        racks = {u.id for u in kit.units(session.store, session.scope) if not u.carried}
        found = [x for x in printed.labels(session.store, session.scope) if x.unit_id in racks]
        if not found:
            session.say("No link of this show is on a rack; give links their racks in Kit.", trouble=True)
            return
        files.draw_pages(session, path, lambda: write_labels(found, path))

    def save_cards(self) -> None:
        """Ask where the cards of persons go."""
        path = self._ask("Cards", ".pdf", "PDF (*.pdf)")
        if path is not None:
            self.write_cards(path)

    def write_cards(self, path: Path) -> None:
        """A card for each person."""
        session = self.session
        html = printed.cards(session.store, session.scope)
        files.write_pages(session, path, html, "Azven cards", "A5 across")

    def actions_offered(self) -> list[Action]:
        return [Action(f"report-{k.name}", f"Report: {k.title.lower()}", partial(self.ask, k.name)) for k in REPORTS]

    def ask(self, name: str) -> None:
        """Make the report of a name."""
        pick(self.which, name)
        self.make()

    def take_focus(self) -> None:
        self.which.setFocus()
