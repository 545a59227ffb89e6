"""A case as a picture of its own kind: a rope, many ropes, a battery against its act, two frequencies."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from azven.desk import theme as look
from azven.desk.session import Session
from azven.desk.theme import Theme
from azven.desk.watch import ropes
from azven.desk.watch.desk import WatchDesk
from azven.rf.diagnose.record import USUAL_THRESHOLD_DBM
from azven.work.watch import rings
from azven.work.watch.cases import Case
from azven.work.watch.rings import Readings
from azven.work.watch.watched import Watched
from azven.work.wording import figure, mhz

SHOWN_S, MOST_ROPES, PICTURE_W = 120.0, 8, 170
_LEAST_ROPE = 6
_LEFT, _RIGHT, _CENTRE = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight, Qt.AlignmentFlag.AlignHCenter


def _need_dbm(watched: Watched, places: list[int]) -> NDArray[np.float32]:
    """What each of some links needs at its receiver [dBm]."""
    told = (watched.head.links[i].threshold_dbm for i in places)
    return np.array([USUAL_THRESHOLD_DBM if x is None else x for x in told], np.float32)


def case_ink(theme: Theme, dim: bool = False) -> ropes.Ink:
    """Colours of a rope: in a case both antennas have theirs, a calm one is grey."""
    grey = theme.color("dim")
    a, b = (grey, grey) if dim else (theme.color("petrol"), theme.color("plum"))
    return ropes.ink(a, b, theme.color("field"), theme.color("brick"))


def drawn(
    watch: WatchDesk, places: list[int], seconds: float, columns: int, high: int, colours: ropes.Ink
) -> tuple[ropes.Pixels, Readings]:
    """The last seconds of some links as ropes (m, high, columns), and the readings that they were drawn from."""
    watched = watch.seen.watched
    readings, signs = watch.board.looks([watched.keys[i] for i in places], seconds, watch.now_s)
    rope = ropes.ropes(readings, signs, _need_dbm(watched, places), columns)
    return ropes.pixels(rope, high, colours), readings


def _about(case: Case) -> tuple[object, ...]:
    return case.links, case.incident.cause, case.incident.detail, case.ahead


class CasePicture(QWidget):
    """The last two minutes of the links of a case, or what is ahead of them."""

    def __init__(self, session: Session, watch: WatchDesk, height: int = 56) -> None:
        super().__init__()
        self._session, self._watch = session, watch
        self._case: Case | None = None
        self._high = height
        self.setFixedHeight(height + 18)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self._wide = PICTURE_W

    def widen(self, wide: int) -> None:
        """How wide the rope is; figures stand beside it."""
        if wide != self._wide:
            self._wide = wide
            self.updateGeometry()

    def sizeHint(self) -> QSize:
        return QSize(self._wide + 58, self._high + 18)

    def show_case(self, case: Case) -> None:
        """What it is about; it is painted anew where that has changed, else when its turn comes."""
        same, self._case = self._case is not None and _about(self._case) == _about(case), case
        if same:
            return
        self.setAccessibleName(f"The last two minutes of {', '.join(case.links[:3])}")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._case is not None:
            paint_case(QPainter(self), self._session, self._watch, self._case, QRectF(0, 0, self._wide, self._high))


def paint_case(
    painter: QPainter, session: Session, watch: WatchDesk, case: Case, box: QRectF, px: int = look.SMALL_PX
) -> None:  # fmt: skip
    """Paint the picture of a case into a box, figures to the right of it and times below."""
    detail = case.incident.detail
    if case.ahead and case.incident.cause == "battery" and detail.get("needed_min"):
        _paint_battery(painter, session.theme, detail["left_min"], detail["needed_min"], box, px)
    elif case.incident.cause == "frequency" and detail.get("transmitter_hz"):
        _paint_frequencies(painter, session.theme, detail["receiver_hz"], detail["transmitter_hz"], box, px)
    else:
        _paint_ropes(painter, session, watch, case, box, px)


def paint_stack(
    painter: QPainter, watch: WatchDesk, places: list[int], box: QRectF, colours: ropes.Ink
) -> Readings:  # fmt: skip
    """Paint the last two minutes of some links one under another, and give back their readings."""
    columns, high = max(int(box.width()), 8), max(int(box.height()) // len(places), 4)
    pictures, readings = drawn(watch, places, SHOWN_S, columns, high, colours)
    painter.drawImage(box.topLeft(), ropes.image(pictures.reshape(-1, columns)))
    return readings


def _paint_ropes(
    painter: QPainter, session: Session, watch: WatchDesk, case: Case, box: QRectF, px: int
) -> None:  # fmt: skip
    watched, theme = watch.seen.watched, session.theme
    most = min(MOST_ROPES, max(int(box.height() // _LEAST_ROPE), 1))
    places = [watched.places[n] for n in case.links if n in watched.places][:most]
    if not places:
        return
    readings = paint_stack(painter, watch, places, box, case_ink(theme))
    t = watch.night.t
    since = box.left() + box.width() * (1 - (t - case.since_s) / SHOWN_S)
    foot = QRectF(box.left(), box.bottom() + 1, box.width(), px + 5)
    painter.setFont(look.font(px))
    painter.setPen(theme.color("dim"))
    if box.height() > 30 and box.width() > 150:
        painter.drawText(foot, int(_LEFT), "2 min ago")
    if since > box.left():
        painter.setPen(QPen(theme.color("ink"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QLineF(since, box.top(), since, box.bottom()))
        painter.setFont(look.font(px, bold=True))
        words = f"{watch.moment(case.since_s):%H:%M:%S}"
        wide = painter.fontMetrics().horizontalAdvance(words)
        left = box.left() + (60 if box.width() > 150 else 0)
        at = min(max(since - wide / 2, left), box.right() - wide)
        painter.drawText(QRectF(at, foot.top(), wide + 2, foot.height()), int(_LEFT), words)
    _paint_figures(painter, theme, readings[-1], len(case.links), box, px)


def _paint_figures(
    painter: QPainter, theme: Theme, last: NDArray[np.float32], count: int, box: QRectF, px: int
) -> None:  # fmt: skip
    painter.setFont(look.font(px, bold=True))
    painter.setPen(theme.color("ink"))
    right = box.right() + 5
    if count > 1:
        painter.drawText(QRectF(right, box.center().y() - px, 8 * px, 2 * px), int(_LEFT), f"{count} ropes")
        return
    for k, (name, field) in enumerate((("A", rings.A), ("B", rings.B))):
        value = float(last[field, 0])
        words = f"{name} {figure(value)}" if np.isfinite(value) else ""
        painter.drawText(QPointF(right, box.top() + box.height() * (0.32 + 0.48 * k)), words)


def _paint_battery(painter: QPainter, theme: Theme, left_min: float, needed_min: float, box: QRectF, px: int) -> None:
    whole = max(left_min, needed_min) * 1.12
    end, ends = box.left() + box.width() * left_min / whole, box.left() + box.width() * needed_min / whole
    y = box.center().y()
    painter.fillRect(QRectF(box.left(), y - 4, end - box.left(), 8), theme.color("ochre"))
    painter.setPen(QPen(theme.color("line"), 1))
    painter.drawLine(QLineF(end, y, ends, y))
    painter.setPen(QPen(theme.color("ink"), 2))
    painter.drawLine(QLineF(ends, y - 12, ends, y + 8))
    painter.setFont(look.font(px))
    if box.height() > 30:
        painter.drawText(QPointF(box.left(), y - 9), f"{left_min:.0f} min left")
    painter.drawText(QPointF(ends + 5, y - 4), "act ends")
    painter.setFont(look.font(px, bold=True))
    painter.setPen(theme.color("ochre_text"))
    words = f"{needed_min - left_min:.0f} min short"
    wide = painter.fontMetrics().horizontalAdvance(words)
    painter.drawText(QPointF(max(min(end, ends - wide - 4), box.left()), y + px + 8), words)


def _paint_frequencies(painter: QPainter, theme: Theme, here_hz: int, there_hz: int, box: QRectF, px: int) -> None:
    y, middle = box.center().y(), box.center().x()
    apart = 12.0 if here_hz != there_hz else 0.0
    low_is_here = here_hz <= there_hz
    here, there = (middle - apart / 2, middle + apart / 2) if low_is_here else (middle + apart / 2, middle - apart / 2)
    painter.setPen(QPen(theme.color("line"), 1))
    painter.drawLine(QLineF(box.left(), y, box.right() + 40, y))
    for x, hz, role, above, words in (
        (here, here_hz, "ink", True, "receiver"),
        (there, there_hz, "brick", False, "pack"),
    ):
        painter.setPen(QPen(theme.color(role), 2))
        painter.drawLine(QLineF(x, y - 11, x, y + 11))
        painter.setPen(theme.color("ink" if role == "ink" else "brick_text"))
        painter.setFont(look.font(px, bold=not above))
        side = -1 if (x == here) == low_is_here else 1
        said = f"{words} {mhz(hz)}"
        wide = painter.fontMetrics().horizontalAdvance(said)
        at = x - wide - 5 if side < 0 else x + 5
        painter.drawText(QPointF(max(at, box.left()), y - 4 if above else y + px + 2), said)
