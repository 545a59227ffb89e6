"""Register: every unit, what it is planned for, and which links of other campuses matter."""

from PyQt6.QtWidgets import QVBoxLayout

from azven.desk.actions import Action
from azven.desk.register.across_page import AcrossPage
from azven.desk.register.bookings_page import BookingsPage
from azven.desk.register.list_page import ListPage
from azven.desk.register.page import RegisterPage
from azven.desk.session import Session
from azven.desk.stage import Stage, row
from azven.desk.tabs import Pages


class RegisterStage(Stage):
    """Its pages under a row of titles."""

    name, title = "register", "Register"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.list, self.bookings, self.across = ListPage(session), BookingsPage(session), AcrossPage(session)
        self.all: tuple[RegisterPage, ...] = (self.list, self.bookings, self.across)
        self.pages = Pages([(p.title, p) for p in self.all])
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 8, 12, 4)
        box.setSpacing(4)
        box.addLayout(row(self.pages.tabs, 1))
        box.addWidget(self.pages, 1)
        self.pages.tabs.chosen.connect(self.primary_changed)
        for page in self.all:
            page.primary_changed.connect(self.primary_changed)

    @property
    def page(self) -> RegisterPage:
        """The page in view."""
        return self.all[self.pages.currentIndex()]

    def primary(self) -> tuple[str, bool]:
        return self.page.primary()

    def run_primary(self) -> None:
        self.page.run_primary()

    def refresh(self) -> None:
        self.pages.refresh()

    def take_focus(self) -> None:
        self.page.take_focus()

    def actions_offered(self) -> list[Action]:
        return [*self.pages.tabs.as_actions("register"), *(a for p in self.all for a in p.actions_offered())]
