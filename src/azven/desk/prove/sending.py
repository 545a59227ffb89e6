"""What a batch will change, shown before it is sent."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from azven.desk.session import Session
from azven.desk.stage import button, label, row
from azven.desk.tables import Column, RecordTable
from azven.work.prove.sending import Difference
from azven.work.prove.wanted import KEPT
from azven.work.wording import mhz

_TITLES = {"freq_hz": "frequency", "name": "name", **{s.key: s.title for s in KEPT}}


@dataclass(frozen=True)
class _Row:
    id: int
    what: Difference


class SendingDialog(QDialog):
    """Lists what differs; units that were changed meanwhile are left as they are."""

    def __init__(self, session: Session, rows: Sequence[Difference], send: Callable[[], None], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("What will be sent")
        self.resize(620, 460)
        self.table = RecordTable(_columns(), "What will be sent")
        self.table.theme = lambda: session.theme
        self.table.show_records([_Row(i + 1, d) for i, d in enumerate(rows)])
        count = len({d.key for d in rows})
        words = (
            f"{len(rows)} settings of {count} units. A unit that was changed meanwhile, or does not answer, is told "
            "and left as it is; the rest goes on. Afterwards each is read back and compared."
        )
        self.send_button = button("Send", self.accept, name="primary")
        box = QVBoxLayout(self)
        box.addWidget(label(words, wrap=True))
        box.addWidget(self.table, 1)
        box.addLayout(row(1, button("Never mind", self.reject), self.send_button))
        self.accepted.connect(send)
        self.send_button.setFocus()


def _columns() -> list[Column]:
    return [
        Column(title="Link", width=180, show=lambda r: r.what.link.name),
        Column(title="Setting", width=120, show=lambda r: _TITLES.get(r.what.setting, r.what.setting)),
        Column(title="Unit has", width=120, show=lambda r: _said(r.what.setting, r.what.there), right=True),
        Column(title="Will be", width=140, show=lambda r: _said(r.what.setting, r.what.wanted), right=True),
    ]  # fmt: skip


def _said(setting: str, value: object) -> str:
    if value is None:
        return "not told"
    if setting == "freq_hz" and isinstance(value, int):
        return mhz(value)
    return {True: "on", False: "off"}[value] if isinstance(value, bool) else str(value)
