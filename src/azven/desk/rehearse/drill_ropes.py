"""What the racks tell in a drill: a rope and figures for every link, up to the moment that is played."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from azven.desk import theme as look
from azven.desk.session import Session
from azven.desk.watch import ropes
from azven.desk.watch.pictures import case_ink
from azven.rf.diagnose.record import LOW_OVER_THRESHOLD_DB, USUAL_THRESHOLD_DBM, Record
from azven.work.watch import rings
from azven.work.wording import mhz

_LEAST_ROW, _MOST_ROW, _HEAD = 13, 18, 16
_NAME_W, _FIGURES_W = 96, 214
_V, _LEFT, _RIGHT = Qt.AlignmentFlag.AlignVCenter, Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
_HEADINGS = (
    ("MHz", 0.0, 54.0),
    ("A", 56.0, 34.0),
    ("B", 92.0, 34.0),
    ("quality", 128.0, 42.0),
    ("battery", 170.0, 42.0),
)


class DrillRopes(QWidget):
    """A row of a link is chosen by click, or by arrow keys and the space bar; several may be."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._record: Record | None = None
        self._rope: ropes.Rope | None = None
        self._pixels: ropes.Pixels | None = None
        self._t, self._at = 0.0, 0
        self.chosen: set[str] = set()
        self.told: frozenset[str] = frozenset()
        """Whose trouble it was, once that is told."""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("What the racks tell, a row for each link")
        session.themed.connect(self._redraw)

    def sizeHint(self) -> QSize:
        return QSize(520, 360)

    def show_record(self, record: Record) -> None:
        """Begin with a record, from its first moment."""
        readings, signs = _as_rings(record)
        need = [(x.threshold_dbm or USUAL_THRESHOLD_DBM) + LOW_OVER_THRESHOLD_DB for x in record.head.links]
        self._record, self._t, self._at = record, 0.0, 0
        self._rope = ropes.ropes(readings, signs, np.array(need, np.float32), len(record.at_s))
        self.chosen, self.told = set(), frozenset()
        self._redraw()

    def go_to(self, t: float) -> None:
        """Show what is known at a moment [s]."""
        self._t = t
        self.update()

    def tell(self, whose: frozenset[str]) -> None:
        """Mark whose trouble it was."""
        self.told = whose
        self.update()

    def _redraw(self) -> None:
        self._pixels = None
        self.update()

    def _row_px(self) -> int:
        count = len(self._record.head.links) if self._record is not None else 1
        return int(min(max((self.height() - _HEAD) // max(count, 1), _LEAST_ROW), _MOST_ROW))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme, record = QPainter(self), self._session.theme, self._record
        painter.setFont(look.font(look.SMALL_PX))
        if record is None or self._rope is None:
            painter.setPen(theme.color("dim"))
            painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter), "Begin a drill: its links appear here.")
            return
        row = self._row_px()
        if self._pixels is None or self._pixels.shape[1] != row - 3:
            self._pixels = ropes.pixels(self._rope, row - 3, case_ink(theme))
        k = min(int(self._t / record.step_s) + 1, len(record.at_s))
        left = self.width() - _FIGURES_W
        painter.setPen(theme.color("dim"))
        for title, x, wide in _HEADINGS:
            painter.drawText(QRectF(left + x, 0, wide, _HEAD), int(_RIGHT | _V), title)
        for i in range(len(record.head.links)):
            self._paint_row(painter, record, i, k, QRectF(0, _HEAD + i * row, self.width(), row))

    def _paint_row(self, painter: QPainter, record: Record, i: int, k: int, box: QRectF) -> None:
        theme, name = self._session.theme, record.head.links[i].name
        if name in self.chosen:
            painter.fillRect(box, theme.color("chosen"))
        if name in self.told:
            painter.fillRect(QRectF(box.left(), box.top() + 2, 3, box.height() - 4), theme.color("brick"))
        if self.hasFocus() and i == self._at:
            painter.setPen(QPen(theme.color("accent"), 1))
            painter.drawRect(box.adjusted(0, 0, -1, -1))
        painter.setPen(theme.color("ink"))
        words = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, _NAME_W - 10)
        painter.drawText(QRectF(8, box.top(), _NAME_W, box.height()), int(_LEFT | _V), words)
        assert self._pixels is not None
        wide = self.width() - _NAME_W - _FIGURES_W - 16
        picture = ropes.image(np.ascontiguousarray(self._pixels[i][:, :k]))
        painter.drawImage(QRectF(_NAME_W, box.top() + 1, wide * k / len(record.at_s), box.height() - 3), picture)
        for (_, x, w), text in zip(_HEADINGS, figures(record, i, k - 1), strict=True):
            at = QRectF(self.width() - _FIGURES_W + x, box.top(), w, box.height())
            painter.drawText(at, int(_RIGHT | _V), text)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._record is not None:
            i = int((event.position().y() - _HEAD) // self._row_px())
            if 0 <= i < len(self._record.head.links):
                self._at = i
                self._turn()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self._record is None:
            return
        steps = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        if event.key() in steps:
            self._at = max(0, min(self._at + steps[Qt.Key(event.key())], len(self._record.head.links) - 1))
            self.update()
        elif event.key() == Qt.Key.Key_Space:
            self._turn()
        else:
            super().keyPressEvent(event)

    def _turn(self) -> None:
        """Choose the row, or no longer."""
        assert self._record is not None
        self.chosen ^= {self._record.head.links[self._at].name}
        self.changed.emit()
        self.update()

    def row_at(self, name: str) -> QPointF:
        """The middle of the row of a link."""
        assert self._record is not None
        i = [x.name for x in self._record.head.links].index(name)
        return QPointF(_NAME_W / 2, _HEAD + (i + 0.5) * self._row_px())


def figures(record: Record, i: int, k: int) -> tuple[str, str, str, str, str]:
    """Frequency [MHz], levels [dBm], quality [%] or what the pack says of itself, and the battery [%] of a link at a
    moment."""

    def level(value: float) -> str:
        return f"{value:.0f}".replace("-", "−") if np.isfinite(value) else ""

    a, b, quality, battery = (float(x[i, k]) for x in (record.a, record.b, record.q, record.bat))
    state = "off" if record.tx[i, k] == 0 else "muted" if record.mute[i, k] == 1 else f"{quality:.0f} %"
    freq_hz = record.head.links[i].freq_hz
    charge = f"{battery:.0f} %" if np.isfinite(battery) else ""
    return mhz(freq_hz) if freq_hz else "", level(a), level(b), state, charge


def _as_rings(record: Record) -> tuple[rings.Readings, rings.Signs]:
    """A record as readings (n, fields, m) and signs (n, m)."""
    fields = (record.a, record.b, record.q, record.af, record.bat, record.noise)
    readings = np.stack(fields, axis=0).transpose(2, 0, 1).astype(np.float32)
    signs = np.zeros(record.mute.T.shape, np.uint8)
    signs[record.mute.T == 1] |= rings.MUTED
    return readings, signs
