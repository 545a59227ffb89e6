"""Now: cases in the order in which they matter, those that somebody has, and the calm links under them."""

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from azven.desk.session import Session
from azven.desk.stage import FittedLabel, scrolled
from azven.desk.tabs import Page
from azven.desk.watch.asking import Asking, Order
from azven.desk.watch.calm import CalmLinks
from azven.desk.watch.case_row import CaseRow, TakenRow
from azven.desk.watch.desk import WatchDesk
from azven.desk.watch.doing import Doing
from azven.work import chosen, ids
from azven.work.watch import said
from azven.work.watch.cases import Case
from azven.work.watch.deeds import Deed

_TURN = 3
"""Words and small pictures have another turn than the calm links: together they would hold up the window."""
_LARGE, _MOST_ROWS, _AT_ONCE, _WORDS_EVERY, _MOST_SHARE, _NARROW, _LEAST = 2, 8, 1, 5, 0.62, 780, 60
"""So many cases are shown large, so many at all, so many made at once; words change once a second; cases take at most
so much of the page; under that width pictures are narrow."""


class NowPage(Page):
    """Rows are made when cases come and go, never moved while the pointer is on them."""

    def __init__(self, session: Session, watch: WatchDesk) -> None:
        super().__init__()
        self._session, self._watch = session, watch
        self.asking = Asking()
        self.order = Order()
        self.doing = Doing(session, watch, self.asking, self.order.show_order)
        self.calm = CalmLinks(session, watch)
        self.empty = FittedLabel("dim")
        self.more = FittedLabel("dim")
        self.more.setContentsMargins(12, 4, 0, 4)
        self.rows: dict[int, CaseRow] = {}
        self.taken: dict[int, TakenRow] = {}
        self._order: tuple[tuple[int, ...], tuple[int, ...]] = ((), ())
        self._ticks = 0
        self._lay_out()
        self.calm.chosen.connect(self._choose)

    def _lay_out(self) -> None:
        self._inner = QWidget()
        self._list = QVBoxLayout(self._inner)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(0)
        self.area = scrolled(self._inner)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 2, 0, 0)
        box.setSpacing(4)
        for part in (self.order, self.asking, self.empty, self.area):
            box.addWidget(part)
        box.addWidget(self.calm, 1)

    def tick(self) -> None:
        """Five times a second: pictures; once a second: words and order."""
        self._ticks += 1
        order = self._wanted()
        if order != self._order and (set(order[0]) != set(self._order[0]) or not self._inner.underMouse()):
            self._arrange(order)
        if self._ticks % _WORDS_EVERY == _TURN or order != self._order:
            self.refresh()
        else:
            for k, shown in enumerate(self.rows.values()):
                if shown.large or (k + self._ticks) % _WORDS_EVERY == 0:
                    shown.picture.update()
        self.calm.tick()

    def _wanted(self) -> tuple[tuple[int, ...], tuple[int, ...]]:
        seen = self._watch.seen
        return tuple(c.number for c in seen.open), tuple(c.number for c in seen.in_hand)

    def refresh(self) -> None:
        """Show how everything stands."""
        seen, order = self._watch.seen, self._wanted()
        if set(order[0][:_MOST_ROWS]) != set(self.rows) or set(order[1]) != set(self.taken):
            self._arrange(order)
        for case in seen.open:
            if case.number in self.rows:
                self._fill(case)
        for case in seen.in_hand:
            if case.number in self.taken:
                self.taken[case.number].show_case(case)
        self._say_nothing_wrong()
        self._fit()

    def _fill(self, case: Case) -> None:
        offered = self.doing.offers(case)
        self.rows[case.number].show_case(case, offered[0] if offered else None, self._watch.night.t)

    def _say_nothing_wrong(self) -> None:
        seen = self._watch.seen
        heard = any(x.state == "live" for x in self._session.racks.here.hub.links) or self._watch.replay is not None
        if not seen.watched.names or seen.open or seen.in_hand:
            words = ""
        elif not heard:
            words = "No rack is heard: take them in on Prove's page Racks, or play a log from the page Log."
        else:
            words = (
                "Nothing is wrong. Cases come up here, the gravest first; nothing that comes up will stand in your way."
            )
        self.empty.setText(words)
        self.empty.setVisible(bool(words))

    def _arrange(self, order: tuple[tuple[int, ...], tuple[int, ...]]) -> None:
        """Put the rows into their order; rows of cases that stay are kept, and few are made at once: the window must
        not stand still when much goes wrong together."""
        shown, large = order[0][:_MOST_ROWS], set(order[0][:_LARGE])
        for number in [n for n, r in self.rows.items() if n not in shown or r.large != (n in large)]:
            self._drop(self.rows.pop(number))
        for number in [n for n in self.taken if n not in order[1]]:
            self._drop(self.taken.pop(number))
        while self._list.count():
            self._list.takeAt(0)
        missing, known = [n for n in shown if n not in self.rows], self._watch.seen
        for number in missing[:_AT_ONCE]:
            made = self.rows[number] = CaseRow(self._session, self._watch, number in large)
            made.asked.connect(self._asked)
            self._fill(next(c for c in known.open if c.number == number))
        for number in [n for n in order[1] if n not in self.taken]:
            line = self.taken[number] = TakenRow(self._session, self._watch)
            line.asked.connect(self._asked)
            line.show_case(next(c for c in known.in_hand if c.number == number))
        for part in (*(self.rows[n] for n in shown if n in self.rows), self.more, *(self.taken[n] for n in order[1])):
            self._list.addWidget(part)
        self._list.addStretch(1)
        self._order = order if len(missing) <= _AT_ONCE else ((), ())
        rest = len(order[0]) - _MOST_ROWS
        self.more.setVisible(rest > 0)
        self.more.setText(f"{rest} more cases, less grave: their links are framed below")

    def _drop(self, gone: QWidget) -> None:
        self._list.removeWidget(gone)
        gone.hide()
        gone.deleteLater()

    def _fit(self) -> None:
        """Cases take what they need, and leave the calm links some room."""
        for shown in self.rows.values():
            shown.fit(self.width() < _NARROW)
        wanted = sum(w.sizeHint().height() for w in (*self.rows.values(), *self.taken.values()))
        strips = sum(w.height() + 4 for w in (self.order, self.asking, self.empty) if w.isVisible())
        room = self.height() - strips - self.calm.minimumHeight() - 10
        self.area.setVisible(wanted > 0)
        self.area.setFixedHeight(max(min(wanted + 2, int(_MOST_SHARE * self.height()), room), _LEAST))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    # what is asked for

    def _asked(self, what: str, about: object) -> None:
        if isinstance(about, Deed):
            self.doing.ask(about)
        elif isinstance(about, Case):
            deeds = {
                "take": self.take, "open": self._watch.open_again, "close": self.close_case, "see": self.see,
                "hush": self.hush, "note": self.note,
            }  # fmt: skip
            deeds[what](about)
            self.refresh()

    def take(self, case: Case) -> None:
        self._watch.take(case)

    def hush(self, case: Case) -> None:
        """It is known: nobody wants to hear of it for a while."""
        self._watch.hush(case, self._watch.night.cases.again_s)

    def note(self, case: Case) -> None:
        """Ask what is to be written to it."""
        words = f"A note to case {case.number}, {said.who(case)}"
        self.asking.ask(words, "Write", partial(self._watch.note, case), field="for whoever looks at it next")

    def see(self, case: Case) -> None:
        """Select what a case is about."""
        self._session.select(chosen.Case(case.number))

    def close_case(self, case: Case) -> None:
        """Ask what it was, and close it."""
        words = f"{said.who(case)}: what was it?"
        self.asking.ask(words, "Close", partial(self._watch.close, case), field="what it was, for the log")

    def _choose(self, place: int) -> None:
        if (link := self._watch.seen.watched.record(place)) is not None:
            self._session.select(chosen.Link(ids.of(link)))
