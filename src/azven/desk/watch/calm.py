"""Calm links: as two columns of ropes where they fit, else as a carpet of grains by room."""

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from azven.desk import theme as look
from azven.desk.marks import paint_pennant, paint_state, service_color
from azven.desk.session import Session
from azven.desk.stage import shortened, tip
from azven.desk.watch import ropes
from azven.desk.watch.carpet import HEAD, Carpet, laid_out
from azven.desk.watch.desk import WatchDesk
from azven.desk.watch.pictures import SHOWN_S, case_ink, drawn
from azven.work.watch import said
from azven.work.watch.batteries import Charge
from azven.work.watch.night import Seen
from azven.work.watch.watched import Watched
from azven.work.wording import figure

_ROW, _ROPE_H, _ROPE_W, _BETWEEN = 17, 13, 84, 20
_GRAIN_S = 60.0
_LEFT, _RIGHT, _V = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight, Qt.AlignmentFlag.AlignVCenter
_FIGURES_EVERY, _CARPET_EVERY = 3, 5
"""Figures change at most every so many repaints; with each one of so many grains is drawn anew."""


@dataclass(frozen=True)
class _Cell:
    """A link that can be pointed at: its place, and where it is shown."""

    place: int
    box: QRectF


class CalmLinks(QWidget):
    """One painted widget; a link is chosen by click, named where the pointer rests."""

    chosen = pyqtSignal(int)

    def __init__(self, session: Session, watch: WatchDesk) -> None:
        super().__init__()
        self._session, self._watch = session, watch
        self._cells: list[_Cell] = []
        self._words: dict[int, tuple[str, str, str, str, str]] = {}
        self._ticks = 0
        self._carpet_of: tuple[Watched, int, int, Carpet] | None = None
        self._shown: Carpet | None = None
        self._grains: ropes.Pixels | None = None
        self._woven_of: tuple[Carpet | None, ropes.Ink | None] = (None, None)
        self._missing: set[int] = set()
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(HEAD + 3 * _ROW)
        self.setAccessibleName("Calm links")

    def sizeHint(self) -> QSize:
        return QSize(800, 220)

    def tick(self) -> None:
        """Something new may be there to see."""
        self._ticks += 1
        if self._ticks % _FIGURES_EVERY == 1:
            self._words.clear()
        self.update()

    def calm(self, seen: Seen) -> list[int]:
        """Places of the links that are in no case."""
        return [i for i, name in enumerate(seen.watched.names) if name not in seen.case_of]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, seen = QPainter(self), self._watch.seen
        calm = self.calm(seen)
        rows = max((self.height() - HEAD) // _ROW, 1)
        grains = len(calm) > 2 * rows
        if not grains:
            self._cells, self._shown = [], None
        if not seen.watched.names:
            painter.setPen(self._session.theme.color("dim"))
            painter.drawText(
                self.rect(), int(Qt.AlignmentFlag.AlignCenter), "There are no links yet: make some in Kit."
            )
        elif not grains:
            self._paint_list(painter, seen, calm, rows)
        else:
            self._paint_carpet(painter, seen, len(calm))
        self.setAccessibleDescription(f"{len(calm)} of {len(seen.watched.names)} links are calm")

    # a list

    def _paint_list(self, painter: QPainter, seen: Seen, calm: list[int], rows: int) -> None:
        columns = 2 if len(calm) > rows or self.width() > 760 else 1
        per = min(rows, max(-(-len(calm) // columns), 1))
        wide = (self.width() - _BETWEEN * (columns - 1)) / columns
        self._heading(painter, f"{len(calm)} calm", "")
        dim = case_ink(self._session.theme, dim=True)
        pictures, _ = drawn(self._watch, calm, SHOWN_S, _ROPE_W, _ROPE_H, dim)
        for c in range(columns):
            part = calm[c * per : (c + 1) * per]
            left = c * (wide + _BETWEEN)
            if part:
                self._paint_titles(painter, left, wide)
            for k, i in enumerate(part):
                box = QRectF(left, HEAD + k * _ROW, wide, _ROW)
                self._cells.append(_Cell(i, box))
                self._paint_row(painter, seen, i, box, pictures[c * per + k], seen.charge_of.get(i))

    def _heading(self, painter: QPainter, strong: str, more: str) -> None:
        theme = self._session.theme
        painter.setFont(look.font(look.BODY_PX, bold=True))
        painter.setPen(theme.color("ink"))
        painter.drawText(QRectF(0, 0, 200, 18), int(_LEFT | _V), strong)
        wide = painter.fontMetrics().horizontalAdvance(strong)
        painter.setFont(look.font(look.SMALL_PX))
        painter.setPen(theme.color("dim"))
        painter.drawText(QRectF(wide + 12, 0, self.width() - wide, 18), int(_LEFT | _V), more)

    def _paint_titles(self, painter: QPainter, left: float, wide: float) -> None:
        painter.setFont(look.font(look.SMALL_PX))
        painter.setPen(self._session.theme.color("dim"))
        ends = self._ends(left, wide)
        painter.drawText(QRectF(ends[0], 17, _ROPE_W, 15), int(_LEFT | _V), "last 2 min")
        for x, words in zip(ends[1:], ("A", "B, dBm", "quality", "battery, min"), strict=True):
            painter.drawText(QRectF(x - 90, 17, 90, 15), int(_RIGHT | _V), words)

    @staticmethod
    def _ends(left: float, wide: float) -> tuple[float, float, float, float, float]:
        """Where the rope begins and where the columns of figures end."""
        right = left + wide
        return right - _ROPE_W - 204, right - 176, right - 134, right - 84, right - 2

    def _paint_row(
        self, painter: QPainter, seen: Seen, i: int, box: QRectF, picture: ropes.Pixels, charge: Charge | None
    ) -> None:  # fmt: skip
        theme, head = self._session.theme, seen.watched.head.links[i]
        color = service_color(theme, head.service)
        paint_pennant(painter, QPointF(box.left() + 1, box.top() + 2), head.service, color, outlined=head.spare)
        ends = self._ends(box.left(), box.width())
        painter.setFont(look.font(look.BODY_PX))
        painter.setPen(theme.color("ink"))
        room = ends[0] - box.left() - 26
        name = painter.fontMetrics().elidedText(head.name, Qt.TextElideMode.ElideMiddle, int(room))
        painter.drawText(QRectF(box.left() + 22, box.top(), room, _ROW), int(_LEFT | _V), name)
        painter.drawImage(QPointF(ends[0], box.top() + 2), ropes.image(picture))
        words = self._words.get(i)
        if words is None:
            words = self._words[i] = _figures(seen, i, charge)
        painter.setFont(look.font(look.SMALL_PX + 1))
        if words[4]:
            painter.setPen(theme.color("dim"))
            painter.drawText(
                QRectF(ends[0] + _ROPE_W, box.top(), ends[4] - ends[0] - _ROPE_W, _ROW), int(_RIGHT | _V), words[4]
            )
            return
        for x, text in zip(ends[1:], words[:4], strict=True):
            short = x == ends[4] and charge is not None and charge.lasts is False
            painter.setPen(theme.color("ochre_text" if short else "ink"))
            painter.drawText(QRectF(x - 90 - (14 if short else 0), box.top(), 90, _ROW), int(_RIGHT | _V), text)
            if short:
                paint_state(painter, QRectF(x - 10, box.top() + 4, 9, 9), "tight", theme)

    # a carpet

    def _paint_carpet(self, painter: QPainter, seen: Seen, calm: int) -> None:
        total = len(seen.watched.names)
        self._heading(painter, f"{calm} calm", f"of {total} · a grain is a link's last minute")
        laid = self._laid_out(seen)
        dim = case_ink(self._session.theme, dim=True)
        grains = self._woven(laid, total, dim)
        for block in laid.blocks:
            self._paint_room(painter, block.room, len(block.members), block.left, block.columns * laid.step[0])
        painter.drawImage(QPointF(0, HEAD), ropes.image(laid.picture(grains, self.width())))
        self._cells = [_Cell(i, box) for i, box in laid.boxes.items()] if laid is not self._shown else self._cells
        self._shown = laid
        self._paint_marks(painter, seen, laid)

    def _woven(self, laid: Carpet, total: int, colours: ropes.Ink) -> ropes.Pixels:
        """All grains, of which every so many are drawn anew: all at once would hold up the window."""
        if self._grains is None or self._woven_of[0] is not laid or self._woven_of[1] != colours:
            self._grains = np.zeros((total, laid.high, laid.wide), np.uint32)
            self._woven_of, self._missing = (laid, colours), set(range(_CARPET_EVERY))
        part = min(self._missing, default=self._ticks % _CARPET_EVERY)
        self._missing.discard(part)
        places = list(range(part, total, _CARPET_EVERY))
        self._grains[places], _ = drawn(self._watch, places, _GRAIN_S, laid.wide, laid.high, colours)
        if self._missing:
            self.update()
        return self._grains

    def _laid_out(self, seen: Seen) -> Carpet:
        """Where grains lie, as long as neither links nor room for them change."""
        key = seen.watched, self.width(), self.height()
        if self._carpet_of is None or self._carpet_of[0] is not key[0] or self._carpet_of[1:3] != key[1:]:
            self._carpet_of = (*key, laid_out(seen.watched.head.links, self.width(), self.height()))
        return self._carpet_of[3]

    def _paint_room(self, painter: QPainter, room: str, count: int, x: float, wide: float) -> None:
        painter.setFont(look.font(look.SMALL_PX))
        painter.setPen(self._session.theme.color("dim"))
        words = f"{room} {count}"
        shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideMiddle, int(max(wide - 4, 30)))
        painter.drawText(QRectF(x, 17, wide + 8, 15), int(_LEFT | _V), shown)

    def _paint_marks(self, painter: QPainter, seen: Seen, laid: Carpet) -> None:
        """A frame around every grain that is in a case, and the number of the case at its first."""
        theme = self._session.theme
        painter.setFont(look.font(look.SMALL_PX, bold=True))
        for case in (*seen.in_hand, *seen.open):
            color = theme.color("brick" if case.mark == "broken" else "ochre")
            boxes = [laid.boxes[seen.watched.places[n]] for n in case.links if n in seen.watched.places]
            painter.setPen(QPen(color, 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for box in boxes:
                painter.drawRect(box.adjusted(-1, -1, 1, 1))
            if boxes:
                words = str(case.number)
                wide = painter.fontMetrics().horizontalAdvance(words) + 6
                sign = QRectF(boxes[0].right() + 2, boxes[0].top() - 2, wide, 13)
                painter.fillRect(sign, color)
                painter.setPen(theme.color("ground"))
                painter.drawText(sign, int(Qt.AlignmentFlag.AlignCenter), words)

    # the pointer

    def _at(self, event: QMouseEvent | None) -> _Cell | None:
        if event is None:
            return None
        return next((c for c in self._cells if c.box.adjusted(-1, -1, 1, 1).contains(event.position())), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if (cell := self._at(event)) is not None:
            self.chosen.emit(cell.place)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        cell = self._at(event)
        self.setToolTip("" if cell is None else tip(self.sentence(cell.place)))

    def sentence(self, i: int) -> str:
        """A link in a line, as the pointer names it."""
        seen = self._watch.seen
        a, b, q, battery, else_said = _figures(seen, i, seen.charge_of.get(i))
        parts = [f"A {a} B {b}", f"quality {q}" if q else "", f"battery {battery} min" if battery else "", else_said]
        return f"{shortened(seen.watched.names[i], 60)}  {' · '.join(p for p in parts if p.strip('AB '))}"


def _figures(seen: Seen, i: int, charge: Charge | None) -> tuple[str, str, str, str, str]:
    """Levels, quality, minutes left for minutes needed, and what is said instead where there is nothing to tell."""
    told = seen.told(i)
    head = seen.watched.head.links[i]
    if not told:
        return "", "", "", "", "no receiver tells of it" if seen.watched.keys[i] is None else "nothing heard yet"
    if told.get("tx") == "off" and not head.is_ear:
        return "", "", "", "", "spare, off" if head.spare else "off"
    if all(told.get(k) is None for k in ("a", "b", "q")):
        return "", "", "", "", "spare" if head.spare else "its pack tells nothing"
    quality = "muted" if told.get("mute") else figure(told.get("q"))
    gauge = f"{charge.gauge:.0f} %" if charge is not None and charge.gauge is not None else ""
    return figure(told.get("a")), figure(told.get("b")), quality, said.minutes(charge) or gauge, ""
