"""Pairs page: every carrier against every other, painted as one matrix."""

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from azven.desk import files
from azven.desk import theme as look
from azven.desk.session import Session
from azven.desk.stage import button, label, row
from azven.work import chosen, ids
from azven.work.plan import TIGHT_HZ, Board, pairs
from azven.work.plan.pairs import Matrix

_NAMES, _SMALLEST, _LARGEST = 128, 8, 22
_KEY = "Above the diagonal: products both make close to a link. Below: spacing left. Blank: the pair never meets."


class PairsPage(QWidget):
    """The matrix with its key; a click selects the link of the row."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._board: Board | None = None
        self.grid = PairGrid(session)
        self.words = label(_KEY, "dim")
        scroll = QScrollArea()
        scroll.setWidget(self.grid)
        scroll.setWidgetResizable(False)
        viewport = scroll.viewport()
        assert viewport is not None
        viewport.setAutoFillBackground(False)
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 6, 12, 0)
        box.addLayout(row(self.words, 1, button("Export", self.export, "Spacing left, pair by pair, as CSV")))
        box.addWidget(scroll, 1)
        self.grid.explained = lambda text: self.words.setText(text or _KEY)

    def show_board(self, board: Board) -> None:
        if board is not self._board:
            self._board = board
            self._session.jobs.quiet("pairs", lambda _: pairs.matrix(board), self.grid.show_matrix)

    def export(self) -> None:
        path = files.ask_where(self, "Pairs as CSV", "pairs.csv", "CSV (*.csv)")
        if path and self.grid.shown is not None:
            files.write_text(self._session, path, pairs.csv_text(self.grid.shown), f"{len(self.grid.shown.names)} rows")


class PairGrid(QWidget):
    """Names down the left in order of frequency, one square a pair."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.shown: Matrix | None = None
        self.explained: Callable[[str], object] = lambda text: None
        self.setMouseTracking(True)
        self.setAccessibleName("Pairs of carriers")
        session.themed.connect(self.update)
        session.selected.connect(self.update)

    def show_matrix(self, found: Matrix) -> None:
        self.shown = found
        n = len(found.names)
        self._cell = max(_SMALLEST, min(_LARGEST, 700 // max(n, 1)))
        self.resize(_NAMES + n * self._cell + 12, n * self._cell + 12)
        self.update()

    def cell_at(self, x: float, y: float) -> tuple[int, int] | None:
        """Row and column under a point; None outside."""
        if self.shown is None:
            return None
        i, j = int(y // self._cell), int((x - _NAMES) // self._cell)
        n = len(self.shown.names)
        return (i, j) if 0 <= i < n and 0 <= j < n and x >= _NAMES else None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.shown is None or event is None:
            return
        painter, theme, cell = QPainter(self), self._session.theme, self._cell
        painter.fillRect(event.rect(), theme.color("ground"))
        painter.setFont(look.font(11 if cell < 16 else 12))
        first, last = event.rect().top() // cell, event.rect().bottom() // cell
        for i in range(first, min(last + 1, len(self.shown.names))):
            self._paint_row(painter, i, theme)

    def _paint_row(self, painter: QPainter, i: int, theme: look.Theme) -> None:
        found, cell = self.shown, self._cell
        assert found is not None
        top = i * cell
        chosen = found.ids[i] == self._session.link_id
        if cell >= 12 or chosen:
            painter.setPen(theme.color("ink" if chosen else "dim"))
            middle = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
            name = painter.fontMetrics().elidedText(found.names[i], Qt.TextElideMode.ElideMiddle, _NAMES - 12)
            painter.drawText(QRectF(0, top, _NAMES - 8, cell), middle, name)
        for j in range(len(found.names)):
            square = QRectF(_NAMES + j * cell, top, cell - 1, cell - 1)
            if i == j:
                painter.fillRect(square, theme.color("dim"))
            elif j > i:
                self._paint_products(painter, square, int(found.products[i, j]), theme)
            elif found.meets[i, j]:
                self._paint_spacing(painter, square, int(found.slack_hz[i, j]), theme)

    def _paint_products(self, painter: QPainter, square: QRectF, count: int, theme: look.Theme) -> None:
        if count:
            painter.fillRect(square, theme.color("plum", min(51 + 41 * count, 255)))
            if self._cell >= 18 and count > 1:
                painter.setPen(theme.color("ink" if count < 4 else "ground"))
                painter.drawText(square, Qt.AlignmentFlag.AlignCenter, str(min(count, 99)))

    def _paint_spacing(self, painter: QPainter, square: QRectF, slack_hz: int, theme: look.Theme) -> None:
        """Room to spare: a corner dot; tight: half filled; broken: barred."""
        if slack_hz < 0:
            painter.fillRect(square, theme.color("brick"))
            painter.setPen(theme.color("ground"))
            painter.drawLine(
                QPointF(square.left() + 2, square.center().y()), QPointF(square.right() - 2, square.center().y())
            )
        elif slack_hz < TIGHT_HZ:
            painter.fillRect(square.adjusted(0, square.height() / 2, 0, 0), theme.color("ochre"))
        else:
            painter.fillRect(square, theme.color("line"))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        at = self.cell_at(event.position().x(), event.position().y()) if event else None
        text = self.shown.words(at[0], at[1]) + "." if at and self.shown and at[0] != at[1] else ""
        self.explained(text)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        at = self.cell_at(event.position().x(), event.position().y()) if event else None
        if at and self.shown:
            self._session.select(_chosen(self.shown.ids[at[0]]))


def _chosen(member: str) -> chosen.Chosen:
    """What a row of the matrix is."""
    is_wide = member.startswith("wideband-")
    return chosen.Wideband(ids.number(member)) if is_wide else chosen.Link(member)
