"""Drill: one trouble is played, found and mended against the clock; afterwards it is told why it was so."""

import time
from functools import partial

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QVBoxLayout, QWidget

from azven.desk.rehearse.drill_ropes import DrillRopes
from azven.desk.remembered import Remembered
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, choice, fill, label, row, scrolled
from azven.desk.tabs import Page
from azven.work.rehearse import drills
from azven.work.rehearse.drills import Drill, Drilled, Marks
from azven.work.watch import said
from azven.work.wording import listed

_TICK_MS, _SHOWN = 200, 3
_SPEEDS: list[tuple[str, object]] = [("four times as fast", 4.0), ("as fast as it was", 1.0)]


class DrillPage(Page):
    """Ten drills in the hall of the demonstration; the racks tell what they would tell, and diagnosis is silent."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.played: Drilled | None = None
        self.marks: Marks | None = None
        self._remembered = Remembered()
        self.best = self._remembered.drills
        self._began = self._taken = 0.0
        self.drill = choice([], "Drill")
        self.speed = choice(_SPEEDS, "How fast it is played")
        self.go = button("Begin", self.begin, "The clock runs from then on", "primary")
        self.clock = label("", "figure")
        self.story = label("", wrap=True)
        self.ropes = DrillRopes(session)
        self.cause = choice([], "What it is")
        self.whose = FittedLabel("dim")
        self.remedies = QListWidget()
        self.remedies.setWordWrap(True)
        self.remedies.setAccessibleName("What is to be done")
        self.answer = button("That is it", self.give_answer, "Stops the clock and tells what it was")
        self.told = label("", wrap=True)
        self.told.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self._tick)
        self._lay_out()
        self.drill.activated.connect(lambda _: self._forget())
        self.ropes.changed.connect(self._say_whose)

    def _lay_out(self) -> None:
        self.go.setFixedWidth(100)
        self.asked = QWidget()
        asked = QVBoxLayout(self.asked)
        asked.setContentsMargins(0, 0, 0, 0)
        asked.setSpacing(5)
        asked.addWidget(label("What is it?", "section"))
        asked.addWidget(self.cause)
        asked.addWidget(label("Whose? Choose rows on the left.", "section"))
        asked.addWidget(self.whose)
        asked.addWidget(label("What is to be done?", "section"))
        asked.addWidget(self.remedies, 1)
        asked.addLayout(row(self.answer, 1))
        self.reasons = scrolled(self.told)
        side = QVBoxLayout()
        side.addWidget(self.asked, 1)
        side.addWidget(self.reasons, 1)
        both = QHBoxLayout()
        both.setSpacing(14)
        both.addWidget(self.ropes, 5)
        both.addLayout(side, 2)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(5)
        box.addLayout(row(self.drill, self.speed, self.go, 1, self.clock, spacing=8))
        box.addWidget(self.story)
        box.addLayout(both, 1)

    def refresh(self) -> None:
        known = {d.id: d for d in drills.shipped()}
        fill(self.drill, [(self._title(k, d), d.id) for k, d in enumerate(known.values(), start=1)])
        if self.cause.count() == 0:
            fill(self.cause, [("not said yet", ""), *((said.of_cause(c), c) for c in drills.CAUSES)])
        if self.played is None:
            self._forget()

    def _title(self, number: int, of: Drill) -> str:
        done = f", best {self.best[of.id]:.0f} s" if of.id in self.best else ""
        return f"{number}. {of.title}{done}"

    def _chosen(self) -> Drill:
        return next(d for d in drills.shipped() if d.id == self.drill.currentData())

    def _forget(self) -> None:
        """Nothing is played; the story is told already."""
        self._timer.stop()
        self.played, self.marks = None, None
        self.clock.setText("")
        self.story.setText(self._chosen().story)
        self.asked.hide()
        self.reasons.hide()

    # playing

    def begin(self) -> None:
        """Play the chosen drill."""
        of = self._chosen()
        job = self._session.jobs.start(f"Drill: {of.title}", partial(drills.play, of), self._show,
                                       ended=lambda: self.go.setEnabled(True))  # fmt: skip
        self.go.setEnabled(job is None)

    def _show(self, played: Drilled | None) -> None:
        if played is None:
            self._session.say("Stopped; the drill has not begun.")
            return
        self.played, self.marks, self._began = played, None, time.monotonic()
        self.story.setText(played.drill.story)
        self.ropes.show_record(played.record)
        self.cause.setCurrentIndex(0)
        self.remedies.clear()
        self.remedies.addItems([r.text for r in played.drill.offered])
        self._say_whose()
        self.asked.show()
        self.reasons.hide()
        self._timer.start()
        self.ropes.setFocus()

    def _tick(self) -> None:
        """The clock goes on until somebody has answered, the drill to its end."""
        if self.played is None:
            return
        taken = time.monotonic() - self._began
        self.clock.setText(f"{int(taken // 60)}:{int(taken % 60):02d}")
        self.ropes.go_to(min(taken * float(self.speed.currentData()), float(self.played.record.at_s[-1])))

    def _say_whose(self) -> None:
        chosen = sorted(self.ropes.chosen)
        self.whose.setText(listed(chosen, _SHOWN) if chosen else "nobody yet")

    # answering

    def give_answer(self) -> None:
        """Mark what was said, and tell why."""
        played, k = self.played, self.remedies.currentRow()
        if played is None:
            return
        missing = [
            what for what, there in (("what it is", self.cause.currentData()), ("whose it is", self.ropes.chosen),
                                     ("what is to be done", k >= 0)) if not there
        ]  # fmt: skip
        if missing:
            self._session.say(f"Say {', '.join(missing)} first; the clock runs.", trouble=True)
            return
        self._taken = time.monotonic() - self._began
        self._timer.stop()
        remedy = played.drill.offered[k]
        self.marks = drills.mark(played, str(self.cause.currentData()), frozenset(self.ropes.chosen), remedy)
        if self.marks.all:
            of = played.drill.id
            self.best[of] = round(min(self._taken, self.best.get(of, self._taken)), 1)
            self._remembered.drills = self.best
        self.ropes.go_to(float(played.record.at_s[-1]))
        self.ropes.tell(played.whose)
        self.told.setText(self._reasoning(played, self.marks))
        self.asked.hide()
        self.reasons.show()
        self.refresh()

    def _reasoning(self, played: Drilled, marks: Marks) -> str:
        of = played.drill
        right = [(marks.cause, "the cause"), (marks.links, "whose it is"), (marks.remedy, "what is to be done")]
        good = [what for hit, what in right if hit]
        head = f"All right, in {self._taken:.0f} s." if marks.all else (
            f"Right: {listed(good)}." if good else "None of it was right."
        )  # fmt: skip
        wrong = [f"Not right: {listed([what for hit, what in right if not hit])}."] if not marks.all else []
        chose = of.offered[self.remedies.currentRow()]
        done = next(r for r in of.remedies if r.right)
        yours = [] if chose.right else [f"You would: {chose.text} {chose.why}"]
        found = next((x for x in played.found if x.cause == of.upset.kind), None)
        heard = [f"Diagnosis: {' '.join(found.evidence)}"] if found is not None else [
            "Diagnosis did not name it in this drill."
        ]  # fmt: skip
        parts = [
            head, *wrong, f"It was: {said.of_cause(of.upset.kind)} {listed(sorted(played.whose), _SHOWN)}.", of.because,
            f"Do this: {done.text} {done.why}", *yours, *heard,
        ]  # fmt: skip
        return "\n\n".join(parts)
