"""What-if page: suppose something, see who breaks and what mending costs, keep it or drop it."""

import time
from collections.abc import Callable
from itertools import combinations

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from azven.desk.session import Session
from azven.desk.stage import button, choice, fill, label, row
from azven.desk.tables import Column, RecordTable
from azven.refusal import Refusal
from azven.rf.coordinate import Move
from azven.work import ground, kit
from azven.work.plan import Board, Progress, what_if
from azven.work.plan.what_if import Outcome, Supposition
from azven.work.wording import mhz, why_moved

_KINDS = [
    ("a neighbour appears", "neighbour"),
    ("a multiplex comes on air", "multiplex"),
    ("a door opens", "door"),
    ("more links come", "links"),
]
_EXPLAIN = "Suppose something and try it. Nothing in the book changes until you keep it."


class WhatIfPage(QWidget):
    """One supposition at a time, tried on a copy."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.outcome: Outcome | None = None
        self.kind = choice(_KINDS, "What might happen")
        self.freq, self.count = QLineEdit(), QLineEdit("2")
        self.freq.setPlaceholderText("MHz")
        self.freq.setAccessibleName("Frequency in MHz")
        self.count.setAccessibleName("How many")
        for field in (self.freq, self.count):
            field.setFixedWidth(84)
            field.returnPressed.connect(self.try_it)
        self.room, self.channel = choice([], "Room"), choice([], "Channel")
        self.door, self.like = choice([], "Between"), choice([], "Like")
        self.mixes = choice([("is too weak to mix", False), ("mixes with ours", True)], "Whether it mixes")
        self.try_button = button("Try it", self.try_it, "Work out who would break and what mending would cost")
        self.keep_button = button("Keep", self.keep, "Apply the change and the mended plan; one undo reverses both")
        self.drop_button = button("Drop", self.drop, "Discard it; nothing was changed")
        self.harm, self.cost = label(_EXPLAIN, wrap=True), label(name="dim", wrap=True)
        self.moves = RecordTable(_columns(), "Links that would move")
        self._lay_out()
        self.kind.currentIndexChanged.connect(self._show_fields)
        self._show_fields()

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 6, 12, 0)
        fields = (self.freq, self.room, self.mixes, self.channel, self.door, self.count, self.like)
        box.addLayout(row(label("What if", "section"), self.kind, *fields, self.try_button, 1))
        found = QHBoxLayout()
        found.addWidget(self.harm, 1)
        found.addWidget(self.keep_button)
        found.addWidget(self.drop_button)
        box.addLayout(found)
        box.addWidget(self.cost)
        box.addWidget(self.moves, 1)

    def _show_fields(self) -> None:
        shown = {
            "neighbour": (self.freq, self.room, self.mixes), "multiplex": (self.channel,), "door": (self.door,),
            "links": (self.count, self.like),
        }[self.kind.currentData()]  # fmt: skip
        for field in (self.freq, self.room, self.mixes, self.channel, self.door, self.count, self.like):
            field.setVisible(field in shown)

    def show_board(self, board: Board) -> None:
        store, scope = self._session.store, self._session.scope
        zones = ground.zones(store, scope)
        fill(self.room, [("everywhere", None), *((f"in {z.name}", z) for z in zones)])
        fill(self.channel, [(f"channel {c.name}", c) for c in ground.here(store, scope).channels()])
        fill(self.door, [(f"{a.name} – {b.name}", (a, b)) for a, b in combinations(zones, 2)])
        fill(self.like, [(f"like {x.name}", x) for x in kit.links(store, scope) if not x.set_aside])
        if self.outcome is not None and self.outcome.before is not board:
            self.drop()
        self._refresh_buttons()

    def _refresh_buttons(self) -> None:
        for made in (self.keep_button, self.drop_button):
            made.setVisible(self.outcome is not None)

    def _supposition(self) -> Supposition:
        """What the fields say; Refusal when they say nothing."""
        store, scope, kind = self._session.store, self._session.scope, self.kind.currentData()
        if kind == "neighbour":
            freq = ground.hertz(self.freq.text())
            return what_if.neighbour_appears(
                store, scope, freq, self.room.currentData(), bool(self.mixes.currentData())
            )
        if kind == "multiplex":
            if self.channel.currentData() is None:
                raise Refusal("Choose a region in Ground first: it says which channels there are.")
            return what_if.multiplex_comes(store, scope, self.channel.currentData())
        if kind == "door":
            if self.door.currentData() is None:
                raise Refusal("A door needs two rooms; add another room in Ground.")
            return what_if.door_opens(*self.door.currentData())
        if self.like.currentData() is None:
            raise Refusal("There is no link yet that more could be like.")
        count = int(self.count.text()) if self.count.text().strip().isdigit() else 0
        return what_if.links_come(store, scope, self.like.currentData(), count)

    def try_it(self) -> None:
        session = self._session
        if not session.ready():
            return
        try:
            supposed = self._supposition()
            asked = supposed.input(session.store, session.scope, session.picture)
        except ValueError as error:
            session.say(str(error), trouble=True)
            return
        board, started = session.board, time.monotonic()

        def work(progress: Progress) -> Outcome:
            return what_if.try_out(supposed, asked, board, progress, lambda: time.monotonic() - started)

        session.jobs.start(f"What if: {supposed.title}", work, self._show)

    def _show(self, outcome: Outcome) -> None:
        self.outcome = outcome
        self.harm.setText(f"{outcome.supposition.title}. {outcome.harm()}")
        self.cost.setText(outcome.cost())
        self.moves.show_records([_Row(m, outcome.after.input.name) for m in outcome.mended.moves])
        self._refresh_buttons()

    def keep(self) -> None:
        outcome, session = self.outcome, self._session
        if outcome is None:
            return
        if not session.board.asks_the_same(outcome.before):
            session.say("The book changed meanwhile; try it again before keeping it.", trouble=True)
            return
        if session.do(lambda: what_if.keep(session.store, session.scope, outcome)):
            session.say(f"Kept: {outcome.supposition.title}. Undo takes all of it back.")
        self.drop()

    def drop(self) -> None:
        self.outcome = None
        self.harm.setText(_EXPLAIN)
        self.cost.setText("")
        self.moves.show_records([])
        self._refresh_buttons()


class _Row:
    """A move in words."""

    def __init__(self, move: Move, name: Callable[[str], str]) -> None:
        self.id, self.name, self.why = move.id, name(move.id), why_moved(move, name)
        self.from_mhz = mhz(move.from_hz)
        self.to_mhz = "no place" if move.to_hz is None else mhz(move.to_hz)


def _columns() -> list[Column]:
    return [
        Column(title="Link", width=150, show=lambda r: r.name),
        Column(title="From MHz", width=92, show=lambda r: r.from_mhz, right=True),
        Column(title="To MHz", width=92, show=lambda r: r.to_mhz, right=True),
        Column(title="Why", width=420, show=lambda r: r.why, prose=True),
    ]
