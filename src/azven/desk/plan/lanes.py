"""The lane chart: one lane per link, tinted where it cannot go, its pennant where it stands."""

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QBrush,
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QAbstractScrollArea, QScrollBar, QWidget

from azven.desk import theme as look
from azven.desk.axis import Axis, paint_mhz
from azven.desk.marks import NOT_ON, paint_pennant, service_color
from azven.desk.plan.lane_ends import MHZ_W, NAME_W, ROW, TAIL_W, paint_name, paint_tail
from azven.desk.plan.tints import LaneTint, pixel_row, tint_lanes
from azven.desk.session import Session
from azven.work import chosen, plan
from azven.work.plan import Board, Trial, Verdict
from azven.work.reasons import LANE_CAUSES
from azven.work.wording import mhz

HEAD = 33
_READABLE = 0.5
_GRAB_PX = 14
_BATCH = 36
_LABEL_PX = 18


class LaneChart(QAbstractScrollArea):
    """Painted from arrays. Selecting, dragging and nudging a pennant happen here; the rules are in `work.plan`."""

    moved = pyqtSignal(str, object)
    """A link by its id and where it went [Hz], which is more than Qt's whole numbers hold."""

    @property
    def _port(self) -> QWidget:
        """Where it is painted."""
        port = self.viewport()
        assert port is not None
        return port

    @property
    def _bar(self) -> QScrollBar:
        bar = self.verticalScrollBar()
        assert bar is not None
        return bar

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setFrameShape(self.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Lane chart: one lane per link, frequency to the right")
        self._port.setMouseTracking(True)
        self._session = session
        self._axis = Axis(session)
        self._board: Board | None = None
        self._rows: tuple[Verdict, ...] = ()
        """The links of the band in view."""
        self._tints: dict[str, LaneTint] = {}
        self._fresh: set[str] = set()
        self._strips: dict[str, tuple[float, float, QImage]] = {}
        self.trial: Trial | None = None
        self.dragged: str | None = None
        self._panning = False
        for signal in (session.selected, session.acted):
            signal.connect(self._repaint)
        session.view.changed.connect(self._show_rows)
        session.themed.connect(self._strips.clear)
        session.themed.connect(self._repaint)
        session.selected.connect(self._scroll_to_selected)

    # -- what is shown -------------------------------------------------------------------------------

    def show_board(self, board: Board) -> None:
        """Show another plan; tints are worked out off this thread, what is in view first."""
        if board is self._board:
            return
        self._board = board
        self._tints = {n: t for n, t in self._tints.items() if n in board.input.links}
        self._fresh.clear()
        self._show_rows()
        self._tint()

    def _show_rows(self) -> None:
        verdicts = self._board.verdicts if self._board else ()
        rows = tuple(v for v in verdicts if self._session.view.holds(v.link))
        if rows != self._rows:
            self._rows = rows
            self._range()
        self._repaint()

    def _tint(self) -> None:
        board = self._board
        if board is None:
            return
        first = self._bar.value() // ROW
        waiting = [v.id for v in board.verdicts if v.id not in self._fresh]
        in_view = [v.id for v in self._rows[first : first + _BATCH] if v.id not in self._fresh]
        batch = (in_view or waiting)[:_BATCH]
        if batch:
            self._session.jobs.quiet(
                "lanes",
                lambda progress: tint_lanes(board, batch, progress),
                lambda tints: self._tinted(board, tints),
            )

    def _tinted(self, board: Board, tints: dict[str, LaneTint]) -> None:
        if board is self._board:
            self._tints |= tints
            self._fresh |= set(tints)
            for key in tints:
                self._strips.pop(key, None)
            self._repaint()
            self._tint()

    def _repaint(self) -> None:
        self._port.update()

    def _range(self) -> None:
        rows = len(self._rows)
        fit = max((self._port.height() - HEAD) // ROW, 1)
        self._bar.setRange(0, max(rows - fit, 0) * ROW)
        self._bar.setPageStep(fit * ROW)
        self._bar.setSingleStep(ROW)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._axis.place(NAME_W, self._port.width() - NAME_W - TAIL_W)
        self._range()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        """Rows stay whole: wherever the bar is let go, the top lane begins under the head."""
        bar = self._bar
        if bar.value() % ROW:
            bar.setValue(round(bar.value() / ROW) * ROW)
        self._repaint()

    def _scroll_to_selected(self) -> None:
        row = self._row_of(self._session.link_id)
        if row is None:
            return
        bar = self._bar
        if row * ROW < bar.value():
            bar.setValue(row * ROW)
        elif (row + 1) * ROW > bar.value() + bar.pageStep():
            bar.setValue((row + 1) * ROW - bar.pageStep())

    def _row_of(self, link_id: str | None) -> int | None:
        return next((i for i, v in enumerate(self._rows) if v.id == link_id), None)

    def _row_at(self, y: float) -> int | None:
        row = int((y - HEAD + self._bar.value()) // ROW)
        return row if y >= HEAD and 0 <= row < len(self._rows) else None

    # -- painting ------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self._port)
        theme = self._session.theme
        painter.fillRect(self._port.rect(), theme.color("ground"))
        if self._board is not None:
            top = self._bar.value()
            last = min(len(self._rows), (top + self._port.height()) // ROW + 1)
            for i in range(top // ROW, last):
                self._paint_lane(painter, self._rows[i], HEAD + i * ROW - top)
        self._paint_head(painter)
        self._paint_trial(painter)

    def _paint_head(self, painter: QPainter) -> None:
        theme = self._session.theme
        width = self._port.width()
        painter.fillRect(QRectF(0, 0, width, HEAD), theme.color("ground"))
        painter.setPen(theme.color("line"))
        painter.drawLine(0, HEAD - 1, width, HEAD - 1)
        painter.setFont(look.font(look.SMALL_PX))
        painter.setPen(theme.color("dim"))
        painter.save()
        painter.setClipRect(QRectF(self._axis.left, 0, self._axis.width, HEAD))
        last_label = -1e9
        for decision in self._session.picture.cells("voice"):
            channel = decision.reading.channel
            left, right = self._axis.x(channel.low_hz), self._axis.x(channel.high_hz)
            middle_x = (left + right) / 2
            if middle_x - last_label >= _LABEL_PX:
                last_label = middle_x
                box = QRectF(middle_x - _LABEL_PX / 2, 0, _LABEL_PX, HEAD // 2)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, channel.name)
        axis = self._axis
        paint_mhz(painter, axis.left, axis.width, self._session.view.hz, HEAD // 2 + 1, HEAD // 2 - 2)
        painter.restore()
        tail = self._axis.left + self._axis.width
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(12, 0, NAME_W, HEAD), middle, "link")
        painter.drawText(QRectF(tail, 0, MHZ_W, HEAD), middle | Qt.AlignmentFlag.AlignRight, "MHz")
        painter.drawText(QRectF(tail + MHZ_W, 0, 78, HEAD), middle | Qt.AlignmentFlag.AlignRight, self._tail_word)

    def _paint_lane(self, painter: QPainter, verdict: Verdict, y: float) -> None:
        theme = self._session.theme
        width = self._port.width()
        if verdict.id == self._session.link_id:
            painter.fillRect(QRectF(0, y, width, ROW), theme.color("chosen"))
            if self.hasFocus():
                painter.fillRect(QRectF(0, y, 3, ROW), theme.color("accent"))
        lane = QRectF(self._axis.left, y + 1.5, self._axis.width, ROW - 3)
        shown = 1.0 if self._session.is_on(verdict.link) else NOT_ON
        painter.fillRect(lane, theme.color("shut"))
        painter.save()
        painter.setClipRect(lane)
        painter.setOpacity(shown)
        self._paint_tint(painter, verdict.id, lane)
        self._paint_place(painter, verdict, y)
        painter.restore()
        painter.setOpacity(max(shown, _READABLE))
        paint_name(painter, theme, self._name(verdict.id), verdict, y)
        paint_tail(painter, theme, verdict, self._axis.left + self._axis.width, y)
        painter.setOpacity(1.0)

    def _paint_tint(self, painter: QPainter, link_id: str, lane: QRectF) -> None:
        tint = self._tints.get(link_id)
        if tint is None or not len(tint.freq_hz):
            return
        low, high = self._session.view.hz
        strip = self._strips.get(link_id)
        if strip is None or strip[:2] != (low, high) or strip[2].width() != int(lane.width()):
            strip = (low, high, pixel_row(tint, low, high, int(lane.width()), self._session.theme))
            self._strips[link_id] = strip
        painter.drawImage(lane, strip[2])
        self._hatch_television(painter, tint, lane)

    def _hatch_television(self, painter: QPainter, tint: LaneTint, lane: QRectF) -> None:
        taken = tint.cause == LANE_CAUSES.index("television")
        edges = np.flatnonzero(np.diff(np.r_[False, taken, False].astype(np.int8)))
        hatch = QBrush(self._session.theme.color("slate", 110), Qt.BrushStyle.BDiagPattern)
        for start, stop in edges.reshape(-1, 2).tolist():
            left = self._axis.x(float(tint.freq_hz[start]))
            right = self._axis.x(float(tint.freq_hz[stop - 1]))
            if right > lane.left() and left < lane.right():
                painter.fillRect(QRectF(left, lane.top(), right - left, lane.height()), hatch)

    def _paint_place(self, painter: QPainter, verdict: Verdict, y: float) -> None:
        freq = verdict.freq_hz
        theme = self._session.theme
        color = service_color(theme, verdict.link.service)
        if self.dragged == verdict.id and self.trial is not None:
            freq = self.trial.freq_hz
            color = color if self.trial.clean else theme.color("brick")
        elif verdict.state == "broken":
            color = theme.color("brick")
        if freq is None:
            if verdict.settled:
                self._paint_wanderer(painter, verdict, color, y)
            return
        x = self._axis.x(freq)
        painter.setPen(QPen(color, 1.0))
        painter.drawLine(QLineF(x, y + 2, x, y + ROW - 2))
        paint_pennant(painter, QPointF(x, y + 3), verdict.link.service, color, outlined=verdict.link.spare)

    def _paint_wanderer(self, painter: QPainter, verdict: Verdict, color: QColor, y: float) -> None:
        """A line over all that a link may choose from by itself, its pennant at the beginning."""
        wish = self._board.input.wish(verdict.id).ranges[0] if self._board else None
        if wish is not None:
            left, right = self._axis.x(wish.low_hz), self._axis.x(wish.high_hz)
            painter.setPen(QPen(color, 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(QLineF(left, y + ROW / 2, right, y + ROW / 2))
            paint_pennant(painter, QPointF(left, y + 3), verdict.link.service, color, outlined=verdict.link.spare)

    @property
    def _tail_word(self) -> str:
        return "over need" if self._session.view.band.shared else "margin kHz"

    def _name(self, link_id: str) -> str:
        return self._board.input.name(link_id) if self._board else ""

    def _paint_trial(self, painter: QPainter) -> None:
        if self.trial is None or self.dragged is None:
            return
        row = self._row_of(self.dragged)
        if row is None:
            return
        theme = self._session.theme
        y = HEAD + row * ROW - self._bar.value()
        text = f"{mhz(self.trial.freq_hz)}   {self.trial.sentence()}"
        painter.setFont(look.font(bold=True))
        width = painter.fontMetrics().horizontalAdvance(text) + 20
        x = min(max(self._axis.x(self.trial.freq_hz) - width / 2, 4), self._port.width() - width - 4)
        below = y + ROW + 26 < self._port.height()
        box = QRectF(x, y + ROW + 2 if below else y - 26, width, 24)
        painter.fillRect(box, theme.color("field"))
        painter.setPen(QPen(theme.color("accent" if self.trial.clean else "brick"), 1.5))
        painter.drawRect(box)
        painter.setPen(theme.color("ink" if self.trial.clean else "brick_text"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    # -- mouse and keys ------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._board is None:
            return
        row = self._row_at(event.position().y())
        if row is None:
            return
        verdict = self._rows[row]
        self._session.select(chosen.Link(verdict.id))
        x = event.position().x()
        if verdict.freq_hz is not None and not verdict.locked:
            at = self._axis.x(verdict.freq_hz)
            if at - 4 <= x <= at + _GRAB_PX:
                self.dragged = verdict.id
                return
        if self._axis.inside(x):
            self._panning = True
            self._axis.press(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._board is None:
            return
        if self.dragged is not None:
            self.try_at(self.dragged, self._axis.hz(event.position().x()))
        elif self._panning:
            self._axis.drag(event)
        else:
            self._hint(event)

    def _hint(self, event: QMouseEvent) -> None:
        row = self._row_at(event.position().y())
        if row is None or self._board is None or not self._axis.inside(event.position().x()):
            self._session.hinted.emit(None)
            return
        key = self._rows[row].id
        tint, freq = self._tints.get(key), self._axis.hz(event.position().x())
        cause = "not tunable"
        if tint is not None and len(tint.freq_hz) and tint.freq_hz[0] <= freq <= tint.freq_hz[-1]:
            cause = LANE_CAUSES[tint.cause[int(np.argmin(np.abs(tint.freq_hz - freq)))]]
        bar = next((b.text for b in self._board.input.bars[key] if b.low_hz <= freq < b.high_hz), cause)
        self._session.hinted.emit(f"{self._name(key)} at {freq / 1e6:.3f} MHz: {bar}")

    def try_at(self, link_id: str, freq_hz: float) -> None:
        """Show what would happen if the link stood there."""
        assert self._board is not None
        freq = plan.nearest_step(self._board.input, link_id, freq_hz)
        if self.trial is None or self.trial.freq_hz != freq:
            self.trial = plan.try_at(self._board, link_id, freq)
            self._repaint()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        dragged, trial = self.dragged, self.trial
        self.dragged = self.trial = None
        self._panning = False
        self._axis.release()
        self._repaint()
        if dragged is None or trial is None or self._board is None:
            return
        if trial.freq_hz != self._board.frequencies.get(dragged):
            self.moved.emit(dragged, trial.freq_hz)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._axis.whole()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier and self._axis.inside(event.position().x()):
            self._axis.wheel(event)
        else:
            super().wheelEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self._board is None or not self._rows:
            return
        row = self._row_of(self._session.link_id)
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        nudge = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()))
        if step is not None:
            row = 0 if row is None else max(0, min(len(self._rows) - 1, row + step))
            self._session.select(chosen.Link(self._rows[row].id))
        elif nudge is not None and row is not None:
            self._nudge(self._rows[row], nudge)
        else:
            super().keyPressEvent(event)

    def _nudge(self, verdict: Verdict, steps: int) -> None:
        assert self._board is not None
        if verdict.freq_hz is not None and not verdict.locked:
            wish = self._board.input.wish(verdict.id)
            self.moved.emit(verdict.id, plan.nearest_step(
                self._board.input, verdict.id, verdict.freq_hz + steps * wish.step_hz))  # fmt: skip
