"""Everything that can be done by name: one table that feeds keys, buttons and the palette."""

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QWidget


@dataclass(frozen=True)
class Action:
    """A deed with its title, key and when it is possible."""

    id: str
    title: str
    run: Callable[[], object]
    key: str = ""
    enabled: Callable[[], bool] = lambda: True


class Actions:
    """The table. Actions with a key work everywhere in the window; one that is added again takes the place of the one
    with its id."""

    def __init__(self, window: QWidget) -> None:
        self._window = window
        self._all: dict[str, Action] = {}

    def add(self, *actions: Action) -> None:
        for action in actions:
            known = self._all.get(action.id)
            self._all[action.id] = action
            if action.key and known is None:
                shortcut = QAction(action.title, self._window)
                shortcut.setShortcut(QKeySequence(action.key))
                shortcut.triggered.connect(lambda _=False, name=action.id: self.run(name))
                self._window.addAction(shortcut)

    def all(self) -> list[Action]:
        return list(self._all.values())

    def get(self, action_id: str) -> Action:
        return self._all[action_id]

    def run(self, action_id: str) -> None:
        self._run(self._all[action_id])

    @staticmethod
    def _run(action: Action) -> None:
        if action.enabled():
            action.run()
