"""Rehearse: its pages under a row of titles of their own."""

from PyQt6.QtWidgets import QStackedWidget, QVBoxLayout

from azven.desk.rehearse.drill_page import DrillPage
from azven.desk.rehearse.foretold_page import PARTS, ForetoldPage
from azven.desk.rehearse.staging_page import StagingPage
from azven.desk.session import Session
from azven.desk.stage import row
from azven.desk.tabs import Page, Tabs
from azven.desk.watch.desk import WatchDesk


class RehearsePages(Page):
    """What is foretold in several parts, who is where, and drills."""

    def __init__(self, session: Session, watch: WatchDesk) -> None:
        super().__init__()
        self.foretold = ForetoldPage(session, watch)
        self.staging, self.drill = StagingPage(session), DrillPage(session)
        self._others: list[tuple[str, Page]] = [("Who is where", self.staging), ("Drill", self.drill)]
        self.titles = (*PARTS, *(title for title, _ in self._others))
        self.tabs = Tabs(self.titles, self.show_page)
        self._stack = QStackedWidget()
        for page in (self.foretold, *(page for _, page in self._others)):
            self._stack.addWidget(page)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        box.addLayout(row(self.tabs, 1))
        box.addWidget(self._stack, 1)

    def show_page(self, number: int) -> None:
        """Bring a page, or a part of what is foretold, into view."""
        if number < len(PARTS):
            self.foretold.show_part(number)
        self._stack.setCurrentIndex(max(number - len(PARTS) + 1, 0))
        self.tabs.choose(number)
        self.refresh()

    def refresh(self) -> None:
        page = self._stack.currentWidget()
        if isinstance(page, Page):
            page.refresh()
