"""Rehearse: its pages under a row of titles of their own."""

from PyQt6.QtWidgets import QVBoxLayout

from azven.desk.rehearse.foretold_page import ForetoldPage
from azven.desk.session import Session
from azven.desk.tabs import Page, Pages
from azven.desk.watch.desk import WatchDesk


class RehearsePages(Page):
    """What is foretold, who is where, and drills."""

    def __init__(self, session: Session, watch: WatchDesk) -> None:
        super().__init__()
        self.foretold = ForetoldPage(session, watch)
        self.pages = Pages([("Foretold", self.foretold)])
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        box.addWidget(self.pages.tabs)
        box.addWidget(self.pages, 1)

    def refresh(self) -> None:
        self.pages.refresh()
