"""A row of titles of which one is chosen: the pages of a stage."""

from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QWidget

from azven.desk.actions import Action
from azven.desk.stage import button


class Tabs(QWidget):
    """Calls `show(number)` when a title is chosen."""

    def __init__(self, titles: Sequence[str], show: Callable[[int], None]) -> None:
        super().__init__()
        self._titles, self._show = list(titles), show
        self._group = QButtonGroup(self)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(4)
        for i, title in enumerate(self._titles):
            made = button(title, lambda n=i: show(n), name="flat")
            made.setCheckable(True)
            made.setChecked(i == 0)
            self._group.addButton(made, i)
            line.addWidget(made)

    def choose(self, number: int) -> None:
        """Mark a title as chosen."""
        made = self._group.button(number)
        if made is not None:
            made.setChecked(True)

    def as_actions(self, stage: str) -> list[Action]:
        """The pages for keys and palette, named `stage-number`."""
        return [
            Action(f"{stage}-{i}", f"{stage.capitalize()}: {title.lower()}", lambda n=i: self._show(n))
            for i, title in enumerate(self._titles)
        ]
