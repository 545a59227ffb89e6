"""Both ends of a lane: the name of its link, where that stands and what it has left."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter

from azven.desk import theme as look
from azven.desk.marks import paint_lock, paint_state
from azven.desk.theme import Theme
from azven.work.plan import Verdict
from azven.work.wording import mhz, over_need

ROW, NAME_W, TAIL_W, MHZ_W = 21, 152, 154, 66
_CHOICE_W, _MARGIN_W, _STATE_AT = 126, 60, 134
_RIGHT = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight


def paint_name(painter: QPainter, theme: Theme, name: str, verdict: Verdict, y: float) -> None:
    """The name, bold where the link is important, and a lock where it is held."""
    painter.setFont(look.font(bold=verdict.link.priority <= 2 and not verdict.link.spare))
    painter.setPen(theme.color("ink"))
    text = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, NAME_W - 34)
    painter.drawText(QRectF(12, y, NAME_W - 20, ROW), Qt.AlignmentFlag.AlignVCenter, text)
    if verdict.locked:
        paint_lock(painter, QPointF(NAME_W - 17, y + 6), theme.color("dim"))


def paint_tail(painter: QPainter, theme: Theme, verdict: Verdict, left: float, y: float) -> None:
    """Frequency and margin, or what a link has that needs no frequency, and its state."""
    painter.setFont(look.font())
    role = {"broken": "brick_text", "tight": "ochre_text"}.get(verdict.state, "ink")
    if verdict.freq_hz is None:
        painter.setPen(theme.color(role if verdict.settled else "brick_text"))
        painter.drawText(QRectF(left, y, _CHOICE_W, ROW), _RIGHT, _own_choice(verdict))
    else:
        painter.setPen(theme.color("ink"))
        painter.drawText(QRectF(left, y, MHZ_W, ROW), _RIGHT, mhz(verdict.freq_hz))
        painter.setPen(theme.color(role))
        painter.drawText(QRectF(left + MHZ_W, y, _MARGIN_W, ROW), _RIGHT, _margin_text(verdict))
    paint_state(painter, QRectF(left + _STATE_AT, y + 5.5, 10, 10), verdict.state, theme)


def _own_choice(verdict: Verdict) -> str:
    """What a link without a frequency has: time slots, or decibels on the mean of its band."""
    if verdict.slots is not None:
        return f"slots {verdict.slots.taken} of {verdict.slots.there_are}"
    if verdict.shared is not None:
        return f"hops, {over_need(verdict.shared.spare_db)}"
    return "no frequency"


def _margin_text(verdict: Verdict) -> str:
    """What the last column says; decibels in bands that everybody shares."""
    if verdict.fault:
        return "blocked"
    if verdict.shared is not None:
        return over_need(verdict.shared.spare_db)
    if verdict.excused:
        return "excused"
    return "free" if verdict.margin_hz is None else f"{verdict.margin_hz / 1e3:g}".replace("-", "−")
