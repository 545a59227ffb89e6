"""Kit: links, persons, units, models, acts, the patch, and what gear to take."""

from functools import partial

from PyQt6.QtWidgets import QApplication, QMenu, QPushButton, QVBoxLayout

from azven.desk.actions import Action
from azven.desk.kit.intercom import IntercomPage
from azven.desk.kit.other_bands import OtherBandsPage
from azven.desk.kit.pages import ActsPage, KitPage, LinksPage, ModelsPage, UnitsPage
from azven.desk.kit.patch import PatchPage
from azven.desk.kit.persons import PersonsPage
from azven.desk.kit.take import TakePage
from azven.desk.kit.wide import WidebandPage
from azven.desk.session import Session
from azven.desk.stage import Stage, button, row
from azven.desk.tabs import Pages


class KitStage(Stage):
    """Pages under one row of names; what is pasted, removed and read from files goes by the page in view."""

    name, title = "kit", "Kit"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.links, self.persons, self.patch = LinksPage(session), PersonsPage(session), PatchPage(session)
        self.units, self.models, self.acts = UnitsPage(session), ModelsPage(session), ActsPage(session)
        self.take, self.wideband = TakePage(session), WidebandPage(session)
        self.other_bands, self.intercom = OtherBandsPage(session), IntercomPage(session)
        self.all: tuple[KitPage, ...] = (
            self.links, self.persons, self.wideband, self.other_bands, self.intercom, self.units, self.models,
            self.acts, self.patch, self.take,
        )  # fmt: skip
        self.pages = Pages([(p.title, p) for p in self.all])
        self.files = QPushButton("Files")
        self.files.setToolTip("Paste rows; read and write lists, labels, cards and catalogues")
        self.files.clicked.connect(self._show_files)
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 8, 12, 0)
        box.setSpacing(6)
        self.out = button("Remove", self.remove, "Take out the selected rows; undo brings them back")
        box.addLayout(row(self.pages.tabs, 1, self.files, self.out))
        box.addWidget(self.pages, 1)
        self.pages.tabs.chosen.connect(self._turned)

    @property
    def page(self) -> KitPage:
        """The page in view."""
        return self.all[self.pages.currentIndex()]

    def show_page(self, title: str) -> None:
        """Bring a page into view by its title."""
        self.pages.show_page([p.title for p in self.all].index(title))

    def show_rows(self, title: str, numbers: set[int]) -> None:
        """Bring a page into view with these rows chosen."""
        self.show_page(title)
        self.page.choose_rows(numbers)

    def take_focus(self) -> None:
        self.page.take_focus()

    def refresh(self) -> None:
        self.pages.refresh()

    def _turned(self) -> None:
        self.files.setVisible(bool(self.page.files()) or self.page.pastes)
        self.out.setVisible(self.page.has_rows)
        self.primary_changed.emit()

    def primary(self) -> tuple[str, bool]:
        return self.page.adds, True

    def run_primary(self) -> None:
        self.page.add()

    def actions_offered(self) -> list[Action]:
        deeds = [
            Action(f"kit-file-{i}-{j}", deed.title, deed.run)
            for i, page in enumerate(self.all) for j, deed in enumerate(page.files())
        ]  # fmt: skip
        return [
            *self.pages.tabs.as_actions("kit"),
            Action("paste-links", "Paste links from a spreadsheet", partial(self._paste_into, "Links")),
            Action("paste-persons", "Paste persons from a spreadsheet", partial(self._paste_into, "Persons")),
            Action("copy-model", "Copy a model to make it our own", partial(self.show_page, "Models")),
            *deeds,
        ]

    def _show_files(self) -> None:
        menu = QMenu(self)
        if self.page.pastes:
            menu.addAction("Paste rows from a spreadsheet", self.paste)
        for deed in self.page.files():
            menu.addAction(deed.title, lambda d=deed: d.run())
        menu.popup(self.files.mapToGlobal(self.files.rect().bottomLeft()))

    def _paste_into(self, title: str) -> None:
        self.show_page(title)
        self.paste()

    def paste(self) -> None:
        """Rows from the clipboard."""
        clipboard = QApplication.clipboard()
        self.page.paste_text(clipboard.text() if clipboard else "")

    def remove(self) -> None:
        """Take out the selected rows."""
        if self.page is self.persons:
            self.persons.take_off_or_remove()
            return
        if not self.page.has_rows:
            return
        found = self.page.table.chosen()
        if found:
            self.page.remove(found)
        else:
            self.session.say("Select the rows to remove first.")
