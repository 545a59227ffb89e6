"""Persons against the evening, painted: a line is a thing on a body, a curve is a thing handed on in a break."""

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from azven.book.records import Person
from azven.desk import marks
from azven.desk import theme as look
from azven.desk.rows import ChosenRows
from azven.desk.session import Session
from azven.desk.stage import scrolled
from azven.work.kit.evening import Finding, HandOn, Line
from azven.work.kit.views import PersonsView
from azven.work.wording import one_line

_HEAD, _LINE, _AIR, _LEAST = 40, 18, 10, 28
_PHONE_W, _BREAK_W, _SIDE_W = 132.0, 48.0, 178.0
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
KEY = "A line is a pack on a body; it runs while it is worn. A curve in a break: handed on. Tinted: breaks."


@dataclass(frozen=True)
class Across:
    """Where acts and the breaks between them lie from left to right [px]."""

    left: float
    act_w: float
    numbers: tuple[int, ...]

    @staticmethod
    def over(width: float, numbers: tuple[int, ...]) -> "Across":
        room = width - _SIDE_W - _PHONE_W - _BREAK_W * (len(numbers) - 1)
        return Across(_SIDE_W, max(room / max(len(numbers), 1), 40.0), numbers)

    def begins(self, act: int) -> float:
        return self.left + self.numbers.index(act) * (self.act_w + _BREAK_W)

    def ends(self, act: int) -> float:
        return self.begins(act) + self.act_w

    @property
    def right(self) -> float:
        return self.ends(self.numbers[-1]) if self.numbers else self.left


class EveningChart(QWidget):
    """The heads of the acts, which stay, and the persons under them, which scroll."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.rows = PersonRows(session)
        self.head = _Head(session, self.rows)
        scroll = scrolled(self.rows)
        scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOn)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.rows.within = scroll
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.head)
        box.addWidget(scroll, 1)

    def show_view(self, view: PersonsView, clock: Sequence[str]) -> None:
        """Show the evening; `clock` says when each act begins."""
        self.rows.show_view(view)
        self.head.show_view(view, clock)


class _Head(QWidget):
    def __init__(self, session: Session, rows: "PersonRows") -> None:
        super().__init__()
        self._session, self._rows = session, rows
        self._view: PersonsView | None = None
        self._clock: tuple[str, ...] = ()
        self.setFixedHeight(_HEAD)
        session.themed.connect(self.update)

    def show_view(self, view: PersonsView, clock: Sequence[str]) -> None:
        self._view, self._clock = view, tuple(clock)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._view is None:
            return
        painter, theme, found = QPainter(self), self._session.theme, self._view.evening
        across = Across.over(self._rows.width(), found.numbers)
        self._say(painter, QRectF(0, 20, _SIDE_W, 18), "person", theme.color("dim"))
        for i, number in enumerate(found.numbers):
            begins = across.begins(number)
            painter.setFont(look.font(13, bold=True))
            name = one_line(found.act_name(number)) if found.acts else "The show"
            width = across.act_w + (_BREAK_W if i + 1 < len(found.numbers) else 0) - 6
            self._say(painter, QRectF(begins, 2, width, 18), name, theme.color("ink"))
            painter.setFont(look.font(11))
            if i < len(self._clock):
                self._say(painter, QRectF(begins, 20, across.act_w, 18), self._clock[i], theme.color("dim"))
            if i + 1 < len(found.numbers):
                minutes = found.breaks.get(number)
                words = "no times" if minutes is None else f"{minutes:.0f} min".replace("-", "−")
                box = QRectF(across.ends(number), 20, _BREAK_W - 4, 18)
                painter.setPen(theme.color("ochre_text"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
        self._say(painter, QRectF(across.right + 16, 20, _PHONE_W, 18), "phone", theme.color("dim"))
        painter.setPen(theme.color("line"))
        painter.drawLine(0, _HEAD - 1, self.width(), _HEAD - 1)

    @staticmethod
    def _say(painter: QPainter, box: QRectF, text: str, color: QColor) -> None:
        painter.setPen(color)
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, int(box.width()))
        painter.drawText(box, _LEFT, shown)


class PersonRows(ChosenRows):
    """One row a person."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._view: PersonsView | None = None
        self.setAccessibleName("Persons and the evening")
        session.themed.connect(self.update)

    def show_view(self, view: PersonsView) -> None:
        self._view = view
        lines = view.evening.lines
        heights = [max(_LEAST, _AIR + _LINE * len(lines[p.id])) for p in view.evening.persons]
        self.show_rows([p.id for p in view.evening.persons], heights)

    def persons(self) -> list[Person]:
        """The persons chosen, in their order."""
        chosen = set(self.chosen())
        return [p for p in self._persons if p.id in chosen]

    @property
    def _persons(self) -> tuple[Person, ...]:
        return self._view.evening.persons if self._view else ()

    # -- painting ----------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._view is None or event is None:
            return
        painter, theme = QPainter(self), self._session.theme
        painter.fillRect(event.rect(), theme.color("ground"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        across = Across.over(self.width(), self._view.evening.numbers)
        self._paint_breaks(painter, across, theme)
        for i, person in enumerate(self._persons):
            if self.tops[i + 1] >= event.rect().top() and self.tops[i] <= event.rect().bottom():
                self._paint_person(painter, across, i, person, theme)
        for found in self._view.evening.handed_on:
            self._paint_hand_on(painter, across, found, theme)
        for finding in self._view.evening.findings:
            if finding.kind == "promised twice" and len(finding.persons) > 1:
                self._paint_clash(painter, across, finding, theme)

    def _paint_breaks(self, painter: QPainter, across: Across, theme: look.Theme) -> None:
        for number in across.numbers[:-1]:
            box = QRectF(across.ends(number), 0, _BREAK_W - 4, self.tops[-1] if self.tops else 0)
            painter.fillRect(box, theme.color("shut"))

    def _paint_person(self, painter: QPainter, across: Across, i: int, person: Person, theme: look.Theme) -> None:
        view, top, height = self._view, self.tops[i], self.tops[i + 1] - self.tops[i]
        assert view is not None
        if self.is_chosen(person.id):
            painter.fillRect(QRectF(0, top, self.width(), height - 1), theme.color("chosen"))
            painter.fillRect(QRectF(0, top, 4, height - 1), theme.color("accent"))
        painter.setPen(QPen(theme.color("line"), 1))
        painter.drawLine(QPointF(0, top + height - 0.5), QPointF(self.width(), top + height - 0.5))
        if self.hasFocus() and i == self.current:
            painter.setPen(QPen(theme.color("accent"), 1, Qt.PenStyle.DotLine))
            painter.drawRect(QRectF(1, top + 1, self.width() - 3, height - 3))
        self._paint_name(painter, person, QRectF(12, top, _SIDE_W - 18, height - 1), theme)
        lines = view.evening.lines[person.id]
        begin = top + (height - _LINE * len(lines)) / 2
        for k, line in enumerate(lines):
            self._paint_line(painter, across, line, begin + k * _LINE, theme)
        bare = next((f for f in view.evening.of(person.id) if f.kind == "nothing to wear"), None)
        if bare:
            self._paint_bare(painter, across, bare, top + height / 2 + (9 * len(lines) if lines else 0), theme)
        self._paint_phone(painter, across, person, QRectF(across.right + 16, top, _PHONE_W - 20, height - 1), theme)

    def _paint_name(self, painter: QPainter, person: Person, box: QRectF, theme: look.Theme) -> None:
        assert self._view is not None
        body = self._view.bodies[person.id]
        wrong = any(f.wrong for f in self._view.evening.of(person.id)) or body.state == "broken"
        tight = body.state == "tight" or bool(self._view.evening.of(person.id))
        if wrong or tight:
            state = "broken" if wrong else "tight"
            marks.paint_state(painter, QRectF(box.right() - 10, box.center().y() - 5, 10, 10), state, theme)
            box = box.adjusted(0, 0, -14, 0)
        painter.setPen(theme.color("ink"))
        painter.setFont(look.font(13, bold=True))
        name = one_line(person.name)
        two = box.height() >= 34
        upper = QRectF(box.left(), box.center().y() - 17, box.width(), 18) if two and person.role else box
        metrics = painter.fontMetrics()
        painter.drawText(upper, _LEFT, metrics.elidedText(name, Qt.TextElideMode.ElideMiddle, int(upper.width())))
        used = metrics.horizontalAdvance(name) + 10
        painter.setFont(look.font(11))
        painter.setPen(theme.color("dim"))
        lower = QRectF(box.left(), box.center().y(), box.width(), 16) if two else box.adjusted(used, 1, 0, 1)
        if lower.width() > 24:
            role = painter.fontMetrics().elidedText(
                one_line(person.role), Qt.TextElideMode.ElideRight, int(lower.width())
            )
            painter.drawText(lower, _LEFT, role)

    def _paint_line(self, painter: QPainter, across: Across, line: Line, top: float, theme: look.Theme) -> None:
        assert self._view is not None
        clash = next((f for f in self._view.evening.findings if f.wrong and line.worn.id in f.worn), None)
        color = theme.color("brick") if clash else marks.service_color(theme, line.link.service)
        for run in _runs(line.acts, across.numbers):
            begins, ends = across.begins(run[0]), across.ends(run[-1])
            middle = top + _LINE / 2
            marks.paint_pennant(painter, QPointF(begins + 2, middle - 6), line.link.service, color)
            painter.setFont(look.font(12, bold=clash is not None))
            painter.setPen(theme.color("brick_text" if clash else "ink"))
            words = f"{line.name} · {line.pack}" if line.pack else line.name
            if line.voice:
                words = f"{words}, one voice with {line.voice}"
            room = ends - begins - 32
            shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideMiddle, int(room))
            painter.drawText(QRectF(begins + 20, top, room + 2, _LINE), _LEFT, shown)
            painter.setPen(QPen(color, 2.4))
            from_x = begins + 24 + painter.fontMetrics().horizontalAdvance(shown)
            painter.drawLine(QPointF(from_x, middle), QPointF(ends - 2, middle))
            painter.drawLine(QPointF(ends - 2, middle - 5), QPointF(ends - 2, middle + 5))

    def _paint_bare(self, painter: QPainter, across: Across, bare: Finding, y: float, theme: look.Theme) -> None:
        """Dotted where somebody is on with nothing to wear."""
        color = theme.color("brick")
        for run in _runs(bare.acts, across.numbers):
            begins, ends = across.begins(run[0]), across.ends(run[-1])
            marks.paint_state(painter, QRectF(begins + 1, y - 6, 12, 12), "broken", theme)
            painter.setPen(QPen(color, 1.2, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(begins + 16, y), QPointF(ends - 2, y))
            painter.setFont(look.font(12, bold=True))
            words = painter.fontMetrics().elidedText(
                "nothing to wear", Qt.TextElideMode.ElideRight, int(ends - begins - 30)
            )
            width = painter.fontMetrics().horizontalAdvance(words) + 12
            box = QRectF((begins + ends - width) / 2, y - 9, width, 18)
            painter.fillRect(box, theme.color("ground"))
            painter.setPen(theme.color("brick_text"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _paint_phone(self, painter: QPainter, across: Across, person: Person, box: QRectF, theme: look.Theme) -> None:
        near = person.phone == "on, in a pocket"
        if near:
            marks.paint_state(painter, QRectF(box.left(), box.center().y() - 5, 10, 10), "tight", theme)
            box = box.adjusted(15, 0, 0, 0)
        painter.setFont(look.font(12, bold=near))
        painter.setPen(theme.color("ochre_text" if near else "dim"))
        words = {"on, away from the packs": "on, kept away"}.get(person.phone, person.phone)
        painter.drawText(
            box, _LEFT, painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(box.width()))
        )

    def _where(self, line: Line) -> float:
        """The middle of a line from the top."""
        assert self._view is not None
        at = next(i for i, p in enumerate(self._persons) if p.id == line.worn.person_id)
        lines = self._view.evening.lines[line.worn.person_id]
        height = self.tops[at + 1] - self.tops[at]
        return self.tops[at] + (height - _LINE * len(lines)) / 2 + lines.index(line) * _LINE + _LINE / 2

    def _paint_hand_on(self, painter: QPainter, across: Across, found: HandOn, theme: look.Theme) -> None:
        begin = QPointF(across.ends(found.from_act) - 2, self._where(found.before))
        end = QPointF(across.begins(found.to_act) + 2, self._where(found.after))
        reach = max((end.x() - begin.x()) * 0.5, 20.0)
        path = QPainterPath(begin)
        path.cubicTo(begin + QPointF(reach, 0), end - QPointF(reach, 0), end)
        color = marks.service_color(theme, found.before.link.service)
        short = found.minutes is not None and found.minutes <= 0
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("brick") if short else color, 2.4))
        painter.drawPath(path)

    def _paint_clash(self, painter: QPainter, across: Across, finding: Finding, theme: look.Theme) -> None:
        """A dashed line between two that are promised one thing."""
        assert self._view is not None
        lines = [x for p in finding.persons for x in self._view.evening.lines[p] if x.worn.id in finding.worn]
        if len(lines) < 2 or not finding.acts:
            return
        x = across.ends(finding.acts[-1]) - 22
        a, b = sorted(self._where(line) for line in lines[:2])
        painter.setPen(QPen(theme.color("brick"), 1.4, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(x, a), QPointF(x, b))
        marks.paint_state(painter, QRectF(x - 6, (a + b) / 2 - 6, 12, 12), "broken", theme)

    def sentence(self, at: int) -> str:
        assert self._view is not None
        person = self._persons[at]
        found = [f.text for f in self._view.evening.of(person.id)]
        return "\n".join([f"{one_line(person.name)}, {one_line(person.role)}".rstrip(", "), *found])


def _cut(painter: QPainter, text: str, width: float) -> str:
    """The text as far as it fits, losing its end."""
    return painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(width))


def _runs(acts: Sequence[int], numbers: Sequence[int]) -> list[list[int]]:
    """Acts that follow one another in the evening, together."""
    out: list[list[int]] = []
    for number in (n for n in numbers if n in acts):
        at = numbers.index(number)
        if out and numbers.index(out[-1][-1]) == at - 1:
            out[-1].append(number)
        else:
            out.append([number])
    return out
