"""The switch beside the spine: names of the bands there is something in, the one in view marked."""

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QVBoxLayout, QWidget

from azven.desk.session import Session
from azven.desk.stage import button

SWITCH_W = 78


class BandSwitch(QWidget):
    """Hidden where there is one band only. `changed` tells that there are other bands than before."""

    changed = pyqtSignal()

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self._session = session
        self._names: tuple[str, ...] = ()
        self._group = QButtonGroup(self)
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(4, 0, 0, 0)
        self._box.setSpacing(0)
        for signal in (session.edited, session.moved, session.view.changed):
            signal.connect(self.refresh)
        self.refresh()

    @property
    def several(self) -> bool:
        """Whether there is a choice."""
        return len(self._names) > 1

    def refresh(self) -> None:
        """Name the bands as they are now."""
        found = self._session.view.bands
        names = tuple(b.band.name for b in found)
        if names != self._names:
            self._names = names
            self._make()
            self.setVisible(self.several)
            self.changed.emit()
        for made in self._group.buttons():
            here = next(b for b in found if b.band.name == made.text())
            made.setChecked(here.band is self._session.view.band)
            links = f"{here.links} link{'' if here.links == 1 else 's'}"
            made.setToolTip(f"Show {here.band.name} on spine and lanes: {links}")

    def _make(self) -> None:
        for old in self._group.buttons():
            self._group.removeButton(old)
            old.hide()
            old.deleteLater()
        while self._box.takeAt(0) is not None:
            pass
        self._box.addStretch(1)
        for name in self._names:
            made = button(name, partial(self._session.view.choose, name), name="band")
            made.setCheckable(True)
            self._group.addButton(made)
            self._box.addWidget(made)
        self._box.addStretch(1)
