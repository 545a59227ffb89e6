"""Register: every unit, what it is planned for, and which links of other campuses matter."""

from PyQt6.QtWidgets import QVBoxLayout

from azven.desk.actions import Action
from azven.desk.register.across_page import AcrossPage
from azven.desk.register.board_page import BoardPage
from azven.desk.register.bookings_page import BookingsPage
from azven.desk.register.due_page import DuePage
from azven.desk.register.handover_page import HandoverPage
from azven.desk.register.list_page import ListPage
from azven.desk.register.page import RegisterPage
from azven.desk.register.reports_page import ReportsPage
from azven.desk.register.table_page import TablePage
from azven.desk.register.tour_page import TourPage
from azven.desk.register.trails_page import TrailsPage
from azven.desk.session import Session
from azven.desk.stage import Stage, row
from azven.desk.tabs import Pages
from azven.work.register import Question


class RegisterStage(Stage):
    """Its pages under a row of titles."""

    name, title = "register", "Register"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.board, self.list = BoardPage(session), ListPage(session)
        self.bookings, self.across, self.due = BookingsPage(session), AcrossPage(session), DuePage(session)
        self.tour, self.trails = TourPage(session), TrailsPage(session)
        self.reports = ReportsPage(session)
        self.handover, self.table = HandoverPage(session), TablePage(session)
        self.all: tuple[RegisterPage, ...] = (
            self.board, self.list, self.due, self.bookings, self.across, self.tour, self.trails,
            self.reports, self.handover, self.table,
        )  # fmt: skip
        self.pages = Pages([(p.title, p) for p in self.all])
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 8, 12, 4)
        box.setSpacing(4)
        box.addLayout(row(self.pages.tabs, 1))
        box.addWidget(self.pages, 1)
        self.pages.tabs.chosen.connect(self.primary_changed)
        self.board.asked.connect(self._list)
        self.board.went.connect(self._go)
        for page in self.all:
            page.primary_changed.connect(self.primary_changed)

    def _list(self, asked: Question) -> None:
        """The units that are like that, as a list."""
        self.list.ask(asked)
        self.pages.show_page(self.all.index(self.list))

    def _go(self, where: str) -> None:
        """Another page of the register by its title, or another stage by its name."""
        page = next((k for k, p in enumerate(self.all) if p.title == where), None)
        if page is not None:
            self.pages.show_page(page)
        else:
            self.window().show_stage(where)  # type: ignore[union-attr]

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
