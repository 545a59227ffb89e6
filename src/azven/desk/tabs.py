"""A row of titles of which one is chosen, and the pages that they bring into view."""

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QStackedWidget, QWidget

from azven.desk.actions import Action
from azven.desk.stage import button


class Tabs(QWidget):
    """Calls `show(number)` when a title is chosen; `chosen` tells afterwards."""

    chosen = pyqtSignal()

    def __init__(self, titles: Sequence[str], show: Callable[[int], None]) -> None:
        super().__init__()
        self._titles, self._show = list(titles), show
        self._group = QButtonGroup(self)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        for i, title in enumerate(self._titles):
            made = button(title, partial(show, i), name="flat")
            made.setCheckable(True)
            made.setChecked(i == 0)
            self._group.addButton(made, i)
            line.addWidget(made)
        self._one_stop()

    def choose(self, number: int) -> None:
        """Mark a title as chosen."""
        made = self._group.button(number)
        if made is not None:
            made.setChecked(True)
        self._one_stop()
        self.chosen.emit()

    def _one_stop(self) -> None:
        """The Tab key comes to the title that is chosen; arrow keys go on from there."""
        for made in self._group.buttons():
            strong, clicked = Qt.FocusPolicy.StrongFocus, Qt.FocusPolicy.ClickFocus
            made.setFocusPolicy(strong if made.isChecked() else clicked)

    def as_actions(self, stage: str) -> list[Action]:
        """The pages for keys and palette, named `stage-number`."""
        return [
            Action(f"{stage}-{i}", f"{stage.capitalize()}: {title.lower()}", partial(self._show, i))
            for i, title in enumerate(self._titles)
        ]


class Page(QWidget):
    """A page that shows something of the book: it reads all that it shows at once, then shows that."""

    def read(self) -> Any:
        """What it shows as the book is now, which never changes; nothing where it is all painted."""
        return None

    def show_view(self, view: Any) -> None:
        """Show what was read."""
        self.update()

    def refresh(self) -> None:
        """Read the book anew."""
        self.show_view(self.read())


class Pages(QStackedWidget):
    """Pages under a row of titles, `tabs`; the page in view reads the book when it comes and when it is asked to."""

    def __init__(self, pages: Sequence[tuple[str, QWidget]]) -> None:
        super().__init__()
        self.tabs = Tabs([title for title, _ in pages], self.show_page)
        for _, page in pages:
            self.addWidget(page)

    def show_page(self, number: int) -> None:
        """Bring a page into view."""
        self.setCurrentIndex(number)
        self.tabs.choose(number)
        self.refresh()

    def refresh(self) -> None:
        """The page in view reads the book anew."""
        page = self.currentWidget()
        if isinstance(page, Page):
            page.refresh()
        elif page is not None:
            page.update()
