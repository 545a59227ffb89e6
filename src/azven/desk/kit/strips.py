"""Wideband carriers, painted: a strip of slots each, what packs send from the left, what they hear from the right."""

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QLineF, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QToolTip, QWidget

from azven.desk import marks
from azven.desk import theme as look
from azven.desk.session import Session
from azven.desk.stage import tip
from azven.work.kit.wide_antennas import ENOUGH_DB
from azven.work.kit.wideband import Block, Standing, WideView
from azven.work.wording import listed, one_line

_HEAD, _STRIP, _UNDER, _ROW, _LINE, _AIR, _EDGE = 26, 60, 17, 16, 17, 10, 2
_FIGURE_W = 40
_NAMED_W, _UPRIGHT_W = 34, 11
"""A name stands level in a part of so many pixels, upright in one of so many, and else in the tip alone."""
_VCENTER = Qt.AlignmentFlag.AlignVCenter
_LEFT, _RIGHT = Qt.AlignmentFlag.AlignLeft | _VCENTER, Qt.AlignmentFlag.AlignRight | _VCENTER
_DOTS = f"Full: {ENOUGH_DB:g} dB and more over need, ochre: less, ring: not heard."
STATES = {"muted": "starts muted", "active": "starts active", "last": "starts as it was last"}


class WideStrips(QWidget):
    """All carriers, one under the other; a press on a part chooses the packs in it."""

    picked = pyqtSignal(list)
    asked = pyqtSignal(int)
    """A press on the head of a carrier, by its number."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._view = WideView(standings=(), packs=(), loose=())
        self._chosen: frozenset[int] = frozenset()
        self.setAccessibleName("Wideband carriers and their slots")
        session.themed.connect(self.update)

    def show_view(self, view: WideView) -> None:
        self._view = view
        self.setMinimumHeight(int(sum(_height(s) for s in view.standings)) + _EDGE)
        self.update()

    def show_chosen(self, numbers: Sequence[int]) -> None:
        """Tint the parts of the packs that are chosen in the table."""
        self._chosen = frozenset(numbers)
        self.update()

    def chosen_parts(self) -> frozenset[int]:
        """Numbers of the packs whose parts are tinted."""
        return self._chosen

    # -- where everything is ---------------------------------------------------------------------------

    def blocks(self) -> list[tuple[QRectF, Block]]:
        """Every part of every strip with its box."""
        out, top = [], 0.0
        for standing in self._view.standings:
            out += self._parts(standing, top + _HEAD)
            top += _height(standing)
        return out

    def _parts(self, standing: Standing, top: float) -> list[tuple[QRectF, Block]]:
        width = self.width() - 2 * _EDGE
        each = width / max(standing.capacity, standing.slots, 1)
        left, right, out = float(_EDGE), float(_EDGE + width), []
        for block in standing.blocks:
            wide = block.slots * each
            if block.down:
                right -= wide
                out.append((QRectF(right, top, wide, _STRIP), block))
            else:
                out.append((QRectF(left, top, wide, _STRIP), block))
                left += wide
        return out

    # -- painting ------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, top = QPainter(self), 0.0
        for standing in self._view.standings:
            self._paint_head(painter, standing, top)
            self._paint_strip(painter, standing, top + _HEAD)
            self._paint_rows(painter, standing, top + _HEAD)
            self._paint_lines(painter, standing, top + _HEAD + _STRIP + _UNDER + _ROW * len(standing.rows))
            top += _height(standing)

    def _paint_head(self, painter: QPainter, standing: Standing, top: float) -> None:
        theme, carrier, model = self._session.theme, standing.carrier, standing.model
        marks.paint_banner(painter, QRectF(_EDGE, top + 6, 30, 13), theme.color("petrol"), carrier.spare)
        painter.setFont(look.font(look.TITLE_PX, bold=True))
        name = painter.fontMetrics().elidedText(one_line(carrier.name), Qt.TextElideMode.ElideRight, 200)
        painter.setPen(theme.color("ink"))
        x = 44.0
        painter.drawText(QRectF(x, top, 220, _HEAD), _LEFT, name)
        x += painter.fontMetrics().horizontalAdvance(name) + 12
        painter.setFont(look.font(look.TITLE_PX))
        where = "not placed"
        if standing.low_hz is not None:
            where = f"{standing.low_hz / 1e6:g}–{(standing.low_hz + model.bandwidth_hz) / 1e6:g} MHz"
        painter.drawText(QRectF(x, top, 220, _HEAD), _LEFT, where)
        x += painter.fontMetrics().horizontalAdvance(where) + 12
        painter.setFont(look.font(look.SMALL_PX))
        painter.setPen(theme.color("dim"))
        said = [f"channel {carrier.channel}"] if standing.channel is not None else []
        said += [f"{model.power_mw:g} mW over {model.bandwidth_hz / 1e6:g} MHz", STATES[carrier.state]]
        said += ["spare"] if carrier.spare else []
        text = " · ".join(said)
        room = self.width() - x - 190
        painter.drawText(QRectF(x, top, room, _HEAD), _LEFT,
                         painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(room)))  # fmt: skip
        painter.setFont(look.font(bold=True))
        free = standing.capacity - standing.slots
        painter.setPen(theme.color("ink" if free >= 0 else "brick_text"))
        words = f"{free} of {standing.capacity} slots free" if free >= 0 else f"{-free} slots too many"
        painter.drawText(QRectF(self.width() - 190, top, 188 - _EDGE, _HEAD), _RIGHT, words)

    def _paint_strip(self, painter: QPainter, standing: Standing, top: float) -> None:
        theme = self._session.theme
        whole = QRectF(_EDGE, top, self.width() - 2 * _EDGE, _STRIP)
        painter.fillRect(whole, theme.color("lane"))
        parts = self._parts(standing, top)
        for box, block in parts:
            self._paint_part(painter, box, block)
        left = max((b.right() for b, p in parts if not p.down), default=whole.left())
        right = min((b.left() for b, p in parts if p.down), default=whole.right())
        painter.setFont(look.font(look.SMALL_PX))
        painter.setPen(theme.color("dim"))
        if right - left > 60:
            painter.drawText(QRectF(left, top, right - left, _STRIP), Qt.AlignmentFlag.AlignCenter,
                             f"free · {_more(standing)}")  # fmt: skip
        under = QRectF(_EDGE, top + _STRIP + 1, whole.width(), _UNDER - 1)
        sent = sum(b.slots for b in standing.blocks if not b.down)
        heard = standing.slots - sent
        if standing.slots:
            painter.drawText(under, _LEFT, f"sent by packs: {sent} slots, {_percent(sent, standing)}")
            painter.drawText(under, _RIGHT, f"mixes that packs hear: {heard} slots, {_percent(heard, standing)}")
        painter.setPen(theme.color("line"))
        painter.drawRect(whole)

    def _paint_part(self, painter: QPainter, box: QRectF, block: Block) -> None:
        theme = self._session.theme
        color = theme.color("plum" if block.down else "petrol")
        if self._chosen & {p.id for p in block.packs}:
            painter.fillRect(box, theme.color("chosen"))
        painter.fillRect(QRectF(box.left(), box.bottom() - 3, box.width(), 3), color)
        painter.setPen(theme.color("ink"))
        painter.drawLine(box.topRight(), box.bottomRight())
        painter.drawLine(box.topLeft(), box.bottomLeft())
        painter.setFont(look.font(look.SMALL_PX))
        painter.setPen(theme.color("dim"))
        count = box.adjusted(1, 2, -2, 16 - _STRIP)
        painter.drawText(count, _RIGHT if box.width() >= _NAMED_W else Qt.AlignmentFlag.AlignCenter, str(block.slots))
        painter.setPen(theme.color("ink"))
        if box.width() >= _NAMED_W:
            self._say(painter, box.adjusted(4, 18, -3, -5), block.name)
        elif box.width() >= _UPRIGHT_W:
            painter.save()
            painter.translate(box.left(), box.bottom() - 5)
            painter.rotate(-90)
            self._say(painter, QRectF(1, 0, _STRIP - 22, box.width()), block.name)
            painter.restore()

    @staticmethod
    def _say(painter: QPainter, box: QRectF, name: str) -> None:
        shown = painter.fontMetrics().elidedText(one_line(name), Qt.TextElideMode.ElideRight, int(box.width()))
        painter.drawText(box, _LEFT, shown)

    def _paint_rows(self, painter: QPainter, standing: Standing, top: float) -> None:
        """Antennas under the same columns: a dot as large as what each hears over need."""
        theme = self._session.theme
        columns = [(box.center().x(), box.width(), block.packs[0].id)
                   for box, block in self._parts(standing, top) if not block.down]  # fmt: skip
        end = max((x + wide / 2 for x, wide, _ in columns), default=float(_EDGE))
        painter.setFont(look.font(look.SMALL_PX))
        for i, found in enumerate(standing.rows):
            y = top + _STRIP + _UNDER + _ROW * i + _ROW / 2
            painter.setPen(theme.color("line"))
            painter.drawLine(QLineF(_EDGE, y, end, y))
            best = found.best_for([r for r in standing.rows if r is not found])
            for x, wide, pack in columns:
                if pack in found.over_db:
                    self._paint_dot(painter, QPointF(x, y), wide, found.over_db[pack])
            painter.setPen(theme.color("dim"))
            text = f"{one_line(found.antenna.name)}, {one_line(found.room)} · best for {best}"
            box = QRectF(end + 8, y - _ROW / 2, self.width() - end - 10, _ROW)
            shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(box.width()))
            painter.drawText(box, _LEFT, shown)

    def _paint_dot(self, painter: QPainter, at: QPointF, wide: float, over_db: float) -> None:
        theme = self._session.theme
        size = min(max(over_db, 0.0) / 6, 6.0) + 1.5
        color = theme.color("petrol" if over_db >= ENOUGH_DB else "ochre" if over_db >= 0 else "brick")
        painter.setPen(QPen(color, 1.2))
        painter.setBrush(color if over_db >= 0 else Qt.BrushStyle.NoBrush)
        shift = -8.0 if wide >= _FIGURE_W else 0.0
        painter.drawEllipse(QPointF(at.x() + shift, at.y()), size, size)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if wide >= _FIGURE_W:
            painter.setPen(theme.color("ink"))
            painter.drawText(QRectF(at.x(), at.y() - 8, wide / 2, 16), _LEFT, f"{over_db:.0f}".replace("-", "−"))

    def _paint_lines(self, painter: QPainter, standing: Standing, top: float) -> None:
        theme = self._session.theme
        painter.setFont(look.font(12))
        for state, text in _lines(standing):
            marks.paint_state(painter, QRectF(_EDGE + 2, top + 3, 10, 10), state, theme)
            painter.setPen(theme.color({"broken": "brick_text", "tight": "ochre_text"}.get(state, "dim")))
            shown = painter.fontMetrics().elidedText(one_line(text), Qt.TextElideMode.ElideRight, self.width() - 24)
            painter.drawText(QRectF(20, top, self.width() - 22, _LINE), _LEFT, shown)
            top += _LINE

    # -- mouse ---------------------------------------------------------------------------------------

    def _block_at(self, at: QPointF) -> Block | None:
        return next((block for box, block in self.blocks() if box.contains(at)), None)

    def _told_row(self, at: QPointF) -> str:
        """What the antenna under the pointer hears of each pack, the least first."""
        top = 0.0
        for standing in self._view.standings:
            i = int((at.y() - top - _HEAD - _STRIP - _UNDER) // _ROW)
            if top <= at.y() < top + _height(standing) and 0 <= i < len(standing.rows):
                names = {p.id: p.name for b in standing.blocks for p in b.packs}
                over = sorted(standing.rows[i].over_db.items(), key=lambda item: item[1])
                said = [f"{names.get(n, '')} {level:.0f} dB".replace("-", "−") for n, level in over]
                return f"Over need, from 95 of 100 places: {listed(said, 8)}. {_DOTS}" if said else _DOTS
            top += _height(standing)
        return ""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        block = self._block_at(event.position())
        if block is not None:
            self.picked.emit([p.id for p in block.packs])
            return
        top = 0.0
        for standing in self._view.standings:
            if top <= event.position().y() < top + _height(standing):
                self.asked.emit(standing.carrier.id)
            top += _height(standing)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent):
            block = self._block_at(QPointF(event.pos()))
            said = _told(block) if block is not None else self._told_row(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), tip(said), self)
            return True
        return super().event(event)


def _lines(standing: Standing) -> list[tuple[str, str]]:
    """What is wrong with a carrier, what hangs on one antenna, then what its loss would mean."""
    lost = [(standing.lost_state, f"If it is lost: {standing.if_lost}")] if standing.if_lost else []
    return [("broken", text) for text in standing.wrong] + [("tight", text) for text in standing.hangs] + lost


def _height(standing: Standing) -> float:
    return _HEAD + _STRIP + _UNDER + _ROW * len(standing.rows) + _LINE * len(_lines(standing)) + _AIR


def _percent(slots: int, standing: Standing) -> str:
    return f"{standing.share(slots):.1f} %"


def _more(standing: Standing) -> str:
    """How many more packs could send, in the mode that most of the model's packs are in, else the first."""
    modes = {name: slots for name, slots, _, _ in standing.model.modes}
    used = [p.mode for b in standing.blocks if not b.down for p in b.packs if p.mode in modes]
    name = max(sorted(set(used)), key=used.count) if used else next(iter(modes))
    count = (standing.capacity - standing.slots) // modes[name]
    return f"{count} more in “{name}”"


def _told(block: Block) -> str:
    names = listed([p.name for p in block.packs], 8)
    if block.down:
        return f"Mix {block.name}: {block.slots} slots once for {names}"
    return f"{names} sends: {block.slots} slots"
