"""Every link on its way through the fixed order: a lane each, its pennant at the step where it stands."""

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QFont, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from azven.book.records import PROOF_STEPS, Outcome, Proof, ProofStep
from azven.desk import theme as look
from azven.desk.marks import NOT_ON, paint_pennant, paint_state, service_color
from azven.desk.rows import ChosenRows
from azven.desk.session import Session
from azven.work.prove.proofs import Lane
from azven.work.prove.steps import TITLES, TOGETHER

ROW, HEAD, NAME_W, TAIL_W = 23.0, 50.0, 148.0, 232.0
_STATES: Mapping[Outcome, str] = {"held": "sound", "remark": "tight", "failed": "broken", "left open": "unknown"}
_MIDDLE = Qt.AlignmentFlag.AlignVCenter


def columns(width: float) -> dict[ProofStep, float]:
    """Where each step stands across [px]."""
    first, last = NAME_W + 14, width - TAIL_W
    apart = (last - first) / (len(PROOF_STEPS) - 1)
    return {step: first + i * apart for i, step in enumerate(PROOF_STEPS)}


class StepHeads(QWidget):
    """The names of the steps, in two rows, and what may go together."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._due: ProofStep | None = None
        self.setFixedHeight(int(HEAD))

    def show_due(self, step: ProofStep | None) -> None:
        self._due = step
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._session.theme
        font = painter.font()
        font.setPixelSize(look.SMALL_PX)
        at = columns(self.width())
        self._bracket(painter, at, TOGETHER, "may go together", font)
        self._bracket(painter, at, PROOF_STEPS[len(TOGETHER) :], "one transmitter at a time", font)
        for i, (step, x) in enumerate(at.items()):
            font.setBold(step == self._due)
            painter.setFont(font)
            painter.setPen(theme.color("ink" if step == self._due else "dim"))
            y = 18.0 if i % 2 == 0 else 32.0
            painter.drawText(QRectF(x - 40, y, 80, 14), int(Qt.AlignmentFlag.AlignCenter), TITLES[step])
            painter.setPen(theme.color("line"))
            painter.drawLine(QLineF(x, y + 15, x, HEAD))
        font.setBold(False)
        painter.setFont(font)
        painter.setPen(theme.color("dim"))
        tail = QRectF(self.width() - TAIL_W + 16, 32, TAIL_W - 22, 14)
        painter.drawText(tail, int(Qt.AlignmentFlag.AlignLeft), "measured")
        painter.drawText(tail, int(Qt.AlignmentFlag.AlignRight), "by, at")

    def _bracket(
        self, painter: QPainter, at: Mapping[ProofStep, float], steps: Sequence[ProofStep], words: str, font: QFont
    ) -> None:
        theme, left, right = self._session.theme, at[steps[0]], at[steps[-1]]
        painter.setFont(font)
        painter.setPen(theme.color("dim"))
        painter.drawText(QRectF(left - 20, 0, right - left + 40, 13), int(Qt.AlignmentFlag.AlignCenter), words)
        painter.drawPolyline(QPolygonF([QPointF(left, 17), QPointF(left, 14), QPointF(right, 14), QPointF(right, 17)]))


class LanesView(ChosenRows):
    """Lanes are chosen like rows of a list; a step is chosen by pointing at it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._lanes: tuple[Lane, ...] = ()
        self._due: tuple[int, ProofStep] | None = None
        self.step: ProofStep | None = None
        self.setAccessibleName("Links on their way through the bring-up")

    def show_lanes(self, ways: Sequence[Lane], due: tuple[int, ProofStep] | None) -> None:
        self._lanes, self._due = tuple(ways), due
        self.show_rows([x.link.id for x in ways], [ROW] * len(ways))

    def point_at(self, link_id: int, step: ProofStep) -> None:
        """What is looked at, and its lane in view."""
        self._due = link_id, step
        self.update()
        self.bring_into_view(link_id)

    def bring_into_view(self, link_id: int) -> None:
        """Scroll to a lane."""
        at = next((i for i, x in enumerate(self._lanes) if x.link.id == link_id), None)
        if at is not None and self.within is not None:
            self.within.ensureVisible(0, round(self.tops[at] + ROW / 2), 0, round(ROW))

    def sentence(self, at: int) -> str:
        if at >= len(self._lanes):
            return ""
        lane = self._lanes[at]
        if lane.proven:
            return f"{lane.link.name}: proven"
        said = [f"{TITLES[p.step]} {p.outcome}{f': {p.note}' if p.note else ''}" for p in lane.open]
        stands = f"stands before “{TITLES[lane.at]}”" if lane.at else "has gone through"
        return f"{lane.link.name}: {'; '.join([stands, *said])}"

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            x = event.position().x()
            near = min(columns(self.width()).items(), key=lambda c: abs(c[1] - x))
            self.step = near[0] if abs(near[1] - x) < 14 else None
        super().mousePressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if event is None:
            return
        painter, theme = QPainter(self), self._session.theme
        at = columns(self.width())
        if self._due is not None:
            painter.fillRect(QRectF(at[self._due[1]] - 17, 0, 34, self.tops[-1]), theme.color("side"))
        for i, lane in enumerate(self._lanes):
            top = self.tops[i]
            if top + ROW >= event.rect().top() and top <= event.rect().bottom():
                self._paint_lane(painter, lane, QRectF(0, top, self.width(), ROW), at)

    def _paint_lane(self, painter: QPainter, lane: Lane, box: QRectF, at: Mapping[ProofStep, float]) -> None:
        theme, is_due = self._session.theme, self._due is not None and self._due[0] == lane.link.id
        if self.is_chosen(lane.link.id):
            painter.fillRect(box, theme.color("chosen"))
        if is_due:
            painter.fillRect(QRectF(0, box.top(), 3, ROW), theme.color("accent"))
        painter.setOpacity(1.0 if self._session.is_on(lane.link) else NOT_ON + 0.25)
        font = painter.font()
        font.setPixelSize(look.BODY_PX)
        font.setBold(is_due)
        painter.setFont(font)
        painter.setPen(theme.color("ink"))
        name = painter.fontMetrics().elidedText(lane.link.name, Qt.TextElideMode.ElideMiddle, int(NAME_W) - 18)
        painter.drawText(QRectF(10, box.top(), NAME_W - 10, ROW), int(_MIDDLE), name)
        font.setBold(False)
        self._paint_way(painter, lane, box.center().y(), at)
        font.setPixelSize(look.SMALL_PX)
        painter.setFont(font)
        self._paint_tail(painter, lane, box)
        painter.setOpacity(1.0)

    def _paint_way(self, painter: QPainter, lane: Lane, y: float, at: Mapping[ProofStep, float]) -> None:
        theme, stands = self._session.theme, lane.at
        done = [s for s in lane.steps if s in lane.ended]
        painter.setPen(QPen(theme.color("dim"), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QLineF(at[lane.steps[0]], y, at[lane.steps[-1]], y))
        if done:
            painter.setPen(QPen(theme.color("petrol"), 1.4))
            painter.drawLine(QLineF(at[lane.steps[0]], y, at[done[-1]], y))
        for step in lane.steps:
            x = at[step]
            if step in lane.ended:
                painter.setBrush(QBrush(theme.color("ground")))
                paint_state(painter, QRectF(x - 4.5, y - 4.5, 9, 9), _STATES[lane.ended[step].outcome], theme)
            elif step != stands:
                painter.setPen(QPen(theme.color("dim"), 1))
                painter.setBrush(QBrush(theme.color("ground")))
                painter.drawEllipse(QPointF(x, y), 2.4, 2.4)
        if stands is not None:
            x, service = at[stands], lane.link.service
            color = service_color(theme, service)
            painter.setPen(QPen(color, 1.4))
            painter.drawLine(QLineF(x, y - 8, x, y + 8))
            paint_pennant(painter, QPointF(x, y - 8), service, color, lane.link.spare)

    def _paint_tail(self, painter: QPainter, lane: Lane, box: QRectF) -> None:
        theme = self._session.theme
        last = self._last(lane)
        if last is None:
            return
        who = f"{last.made_by} {last.made_at.astimezone(self._session.clock.tz):%H:%M}"
        room = painter.fontMetrics().horizontalAdvance(who) + 14
        tail = QRectF(self.width() - TAIL_W + 16, box.top(), TAIL_W - 22, ROW)
        painter.setPen(theme.color("dim"))
        painter.drawText(tail, int(_MIDDLE | Qt.AlignmentFlag.AlignRight), who)
        painter.setPen(theme.color("brick_text" if last.outcome not in ("held", "remark") else "ink"))
        said = last.note if last.outcome != "held" and last.note else str(last.measured.get("said", last.outcome))
        shown = painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideRight, int(tail.width()) - room)
        painter.drawText(tail, int(_MIDDLE | Qt.AlignmentFlag.AlignLeft), shown)

    @staticmethod
    def _last(lane: Lane) -> Proof | None:
        """What is told of a lane: its first open step, else the last one that ended."""
        if lane.open:
            return lane.open[0]
        ended = [lane.ended[s] for s in lane.steps if s in lane.ended]
        return ended[-1] if ended else None
