"""Branches as strips of blocks, left to right, painted as one widget."""

from PyQt6.QtCore import QLineF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from azven.desk import theme as look
from azven.desk.session import Session
from azven.rf.chain.design import Design
from azven.rf.chain.graph import System, path
from azven.work import chain

_ROW, _GAP, _LEFT = 46, 8, 14
_ARROWS = {
    Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0),
}  # fmt: skip


class Strips(QWidget):
    """Each antenna's way to its receiver is a strip; what several go through stands once, at the end of the first."""

    picked = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._design: Design | None = None
        self._rows: list[list[str]] = []
        self.selected = ""
        self.troubled: set[str] = set()
        self.setAccessibleName("Blocks, branch by branch")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        session.themed.connect(self.update)

    def show_design(self, design: Design | None, troubled: set[str]) -> None:
        self._design, self.troubled = design, troubled
        self._rows = rows_of(design) if design is not None else []
        self.setMinimumHeight(max(len(self._rows), 1) * _ROW + 8)
        self.update()

    def boxes(self) -> dict[str, QRectF]:
        """Where every block stands."""
        out: dict[str, QRectF] = {}
        most = max((len(r) for r in self._rows), default=1)
        width = min(132.0, (self.width() - 2 * _LEFT - (most - 1) * _GAP) / most)
        for i, names in enumerate(self._rows):
            for j, name in enumerate(names):
                out[name] = QRectF(_LEFT + j * (width + _GAP), 4 + i * _ROW, width, _ROW - 10)
        return out

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._session.theme
        painter.fillRect(self.rect(), theme.color("ground"))
        if self._design is None:
            return
        boxes = self.boxes()
        painter.setPen(QPen(theme.color("dim"), 1))
        for a, b in self._design.edges:
            if a in boxes and b in boxes:
                start, end = boxes[a], boxes[b]
                painter.drawLine(QLineF(start.right(), start.center().y(), end.left(), end.center().y()))
        for name, box in boxes.items():
            self._paint_block(painter, theme, name, box)

    def _paint_block(self, painter: QPainter, theme: look.Theme, name: str, box: QRectF) -> None:
        assert self._design is not None
        block = self._design.blocks[name]
        painter.fillRect(box, theme.color("chosen" if name == self.selected else "field"))
        trouble = name in self.troubled
        style = Qt.PenStyle.DotLine if block.left_out else Qt.PenStyle.SolidLine
        painter.setPen(QPen(theme.color("brick" if trouble else "line"), 2 if trouble else 1, style))
        painter.drawRect(box)
        inside = box.adjusted(6, 2, -4, -2)
        painter.setFont(look.font(look.SMALL_PX))
        painter.setPen(theme.color("dim" if block.left_out else "ink"))
        text = chain.short_name(self._design, name)
        text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, int(inside.width()))
        painter.drawText(inside, Qt.AlignmentFlag.AlignTop, text)
        painter.setPen(theme.color("dim"))
        said = figure(self._design, name)
        if painter.fontMetrics().horizontalAdvance(said) > inside.width():
            said = figure(self._design, name, brief=True)
        painter.drawText(inside, Qt.AlignmentFlag.AlignBottom, said)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows walk along the blocks and from branch to branch."""
        step = _ARROWS.get(Qt.Key(event.key())) if event is not None else None
        if step is None or not any(self._rows):
            super().keyPressEvent(event)
            return
        at = next(((i, r.index(self.selected)) for i, r in enumerate(self._rows) if self.selected in r), (0, -1))
        filled = [i for i, r in enumerate(self._rows) if r]
        row = filled[min(max(filled.index(at[0]) + step[0], 0), len(filled) - 1)] if at[0] in filled else filled[0]
        self._choose(self._rows[row][min(max(at[1] + step[1], 0), len(self._rows[row]) - 1)])

    def _choose(self, name: str) -> None:
        self.selected = name
        self.picked.emit(name)
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            found = next((n for n, b in self.boxes().items() if b.contains(event.position())), "")
            if found:
                self._choose(found)


def rows_of(design: Design) -> list[list[str]]:
    """Blocks by row: each antenna's own ones, what is shared behind the first, transmitters in rows of their own."""
    system = System(blocks=design.blocks, edges=design.edges, freq_hz=design.freq_hz, bandwidth_hz=design.bandwidth_hz)
    seen: set[str] = set()
    rows: list[list[str]] = []
    starts = [n for n, b in design.blocks.items() if b.kind in ("antenna", "transmitter") and not system.inputs(n)]
    ends = [n for n in design.blocks if not system.outputs(n)]
    for start in starts:
        row: list[str] = []
        for end in ends:
            try:
                row = path(system, start, end)
                break
            except ValueError:
                continue
        fresh = [n for n in row if n not in seen] or ([start] if start not in seen else [])
        seen.update(fresh)
        rows.append(fresh)
    return rows


def figure(design: Design, name: str, brief: bool = False) -> str:
    """A block's one figure; of a cable its length too, unless there is room for one only."""
    block = design.blocks[name]
    if block.kind == "antenna":
        end = design.antennas.get(name)
        return f"{end.gain_dbi:g} dBi" if end else ""
    if block.kind == "transmitter":
        return f"{design.powers_dbm[name]:.1f} dBm"
    if block.kind == "receiver":
        return f"NF {block.nf_db:g} dB"
    if block.left_out:
        return "left out"
    value = block.gain_at(design.freq_hz)
    text = "0 dB" if abs(value) < 0.05 else f"{value:+.1f} dB".replace("-", "−")
    return f"{block.length_m:g} m {text[:-3]}" if block.kind == "cable" and not brief else text
