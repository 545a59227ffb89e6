"""What is foretold: acts played in simulation before load-in, links and incidents, two shows side by side, and what
would help."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QSpinBox, QStackedWidget, QVBoxLayout, QWidget

from azven.book.formats import status_log_writing
from azven.book.reading import Snapshot
from azven.desk.jobs import Progress
from azven.desk.rehearse.foretold_line import ForetoldLine
from azven.desk.rehearse.foretold_tables import (
    BESIDE,
    LinkRow,
    TroubleRow,
    link_columns,
    tried_columns,
    tried_rows,
    trouble_columns,
)
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, choice, fill, label, row, scrolled
from azven.desk.tables import RecordTable
from azven.desk.tabs import Page
from azven.desk.watch.desk import WatchDesk
from azven.refusal import Refusal
from azven.rf.rehearse import take
from azven.rf.rehearse.foretold import Trouble
from azven.rf.rehearse.production import Act, Production
from azven.rf.venue import Venue
from azven.work import chosen, kit, rehearse
from azven.work.processes import beside
from azven.work.rehearse import Rehearsal, helping, ideas
from azven.work.rehearse.helping import Helped
from azven.work.rehearse.ideas import Idea
from azven.work.scope import Scope

_RUNS, _MOST_RUNS, _BEFORE_S = 8, 200, 20.0
_NOTHING, _KEPT = "", "kept"
_IDEA_S = 5.0
"""So long it takes at most, usually, to see what an idea makes of the book."""
PARTS = ("Links", "What comes again", "What helps", "Not known")


class ForetoldPage(Page):
    """Runs many takes beside the window; one that is stopped shows what was played."""

    def __init__(self, session: Session, watch: WatchDesk) -> None:
        super().__init__()
        self._session, self._watch = session, watch
        self.found: Rehearsal | None = None
        self.other: Rehearsal | None = None
        """What is shown beside it: another plan, placement or antenna system, or one that was kept."""
        self._kept: Rehearsal | None = None
        self._of: Scope | None = None
        self._variants: dict[str, Idea] = {}
        self._said, self._stale = "", False
        self.runs = QSpinBox()
        self.runs.setRange(1, _MOST_RUNS)
        self.runs.setValue(_RUNS)
        self.runs.setSuffix(" runs")
        self.runs.setAccessibleName("How often each act is played")
        self.beside = choice([], "What is rehearsed beside it")
        self.go = button("Rehearse", self.rehearse, "Play every act, each run another evening", "primary")
        self.keep = button("Keep to compare", self.keep_it, "What is rehearsed next is shown beside this one", "flat")
        self.words = FittedLabel("dim")
        self.line = ForetoldLine(session)
        self.act, self.act_again = choice([], "Act of the links"), choice([], "Act of the incidents")
        self.links = RecordTable(link_columns(""), "What each link is foretold")
        self.troubles = RecordTable(trouble_columns(), "Incidents over the runs")
        self.see = button("Watch it", self.watch_it, "Play that moment with all views of Watch")
        self.help = button(
            "Find what helps", self.find_help, "Try what Plan, Chain and Reach offer against the three worst incidents"
        )
        self.tried = RecordTable(tried_columns(), "What was tried")
        self.do_it = button("Do it", self.do_chosen, "Change the book so; it can be undone like any edit")
        self.tried_words = FittedLabel("dim")
        self.unknown = label("", wrap=True)
        self.unknown.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._lay_out()
        for box in (self.act, self.act_again):
            box.activated.connect(lambda _, box=box: self._choose(str(box.currentData())))
        self.links.picked.connect(lambda r: session.select(chosen.Link(r.foretold.id)))
        self.troubles.picked.connect(lambda r: self._select(r.trouble))
        self.tried.picked.connect(lambda r: self._select(r.trouble))
        self.line.chosen.connect(self._choose)
        session.edited.connect(self._edited)

    def _lay_out(self) -> None:
        self.runs.setFixedWidth(96)
        self.go.setFixedWidth(110)
        self.act.setMinimumWidth(180)
        self.beside.keep_width(34)
        for table in (self.links, self.troubles, self.tried):
            table.theme = lambda: self._session.theme
        self.parts = QStackedWidget()
        parts: tuple[tuple[list[QWidget | int], QWidget], ...] = (
            ([label("in", "dim"), self.act, 1], self.links),
            ([label("in", "dim"), self.act_again, 1, self.see], self.troubles),
            ([self.tried_words, self.help, self.do_it], self.tried), ([], scrolled(self.unknown)),
        )  # fmt: skip
        for above, below in parts:
            part = QWidget()
            inside = QVBoxLayout(part)
            inside.setContentsMargins(0, 0, 0, 0)
            inside.setSpacing(4)
            if above:
                line = row(*above, spacing=6)
                line.setStretchFactor(self.tried_words, 1)
                inside.addLayout(line)
            inside.addWidget(below, 1)
            self.parts.addWidget(part)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 2, 0, 0)
        box.setSpacing(4)
        box.addLayout(row(self.runs, self.go, label("beside", "dim"), self.beside, 1, self.keep, spacing=8))
        box.addWidget(self.words)
        box.addWidget(self.line)
        box.addWidget(self.parts, 1)

    def show_part(self, number: int) -> None:
        """Bring one of the four parts into view, in the order of `PARTS`."""
        self.parts.setCurrentIndex(number)

    def refresh(self) -> None:
        if self._of != self._session.scope:
            self._forget()
        self._fill_beside()

    def _fill_beside(self) -> None:
        session = self._session
        self._variants = {x.title: x for x in ideas.variants(session.store, session.scope)}
        kept = [("the rehearsal that was kept", _KEPT)] if self._kept is not None else []
        fill(self.beside, [("nothing else", _NOTHING), *kept, *((title, title) for title in self._variants)])

    def _forget(self) -> None:
        """Another show is looked at: what was foretold is not of it."""
        self._of, self.found, self.other, self._kept = self._session.scope, None, None, None
        self._offer()
        for box in (self.act, self.act_again):
            box.clear()
        self.line.show_rehearsal(None)
        for table in (self.links, self.troubles):
            table.show_records([])
        self._forget_help()
        self._say_unknown(())
        self._say("Plays the show as it stands in the book, before anybody has unloaded.")

    def _say(self, text: str) -> None:
        self._said, self._stale = text, False
        self.words.setText(text)

    def _forget_help(self) -> None:
        self._helped: list[Helped] = []
        self.tried.show_records([])
        self.tried_words.setText("What Plan, Chain and Reach offer, tried over the same seeds.")

    def _say_unknown(self, known: Sequence[str]) -> None:
        self.unknown.setText("\n".join(f"· {x}" for x in known) or "Rehearse first.")

    def _edited(self) -> None:
        if self.found is not None and not self._stale:
            self._stale = True
            self.words.setText(f"The book has changed since. {self._said}")

    # playing

    def _venue(self) -> Venue | None:
        """Who else is on the air: the simulated venue's, where there is one."""
        there = self._session.surroundings
        if there is None:
            return None
        world = there.world
        return replace(world, emitters=tuple(e for e in world.emitters if not e.ours))

    def _snapshot(self) -> Snapshot:
        """The book as it is now, for work in another thread."""
        session = self._session
        return session.store.snapshot(kit.units(session.store, session.scope))

    def rehearse(self) -> None:
        """Play the show as it stands, and beside it what was chosen."""
        session = self._session
        idea = self._variants.get(str(self.beside.currentData()))
        try:
            cast = rehearse.production(session.store, session.scope, self._venue())
        except Refusal as refusal:
            session.say(str(refusal), trouble=True)
            return
        kept = self._kept if self.beside.currentData() == _KEPT else None
        work = partial(_both, self._snapshot(), session.scope, cast, idea, range(1, self.runs.value() + 1))
        job = session.jobs.start("Rehearsing", work, partial(self._show, session.scope, session.now(), kept),
                                 ended=lambda: self.go.setEnabled(True))  # fmt: skip
        self.go.setEnabled(job is None)

    def _show(self, of: Scope, when: datetime, kept: Rehearsal | None, both: Sequence[Rehearsal]) -> None:
        if of != self._session.scope:
            return
        found = both[0]
        if not found.outcomes:
            self._say("Stopped before an act was played to its end.")
            return
        self.found, self.other = found, both[1] if len(both) > 1 else kept
        self._forget_help()
        self._offer()
        acts = found.production.acts
        for box in (self.act, self.act_again):
            fill(box, [(a.name, a.id) for a in acts])
        self.line.show_rehearsal(found, self.other)
        self._say_unknown(found.production.unknown)
        right = f"; diagnosis named the cause of {found.named} of {found.asked} losses" if found.asked else ""
        stopped = ", stopped before the end" if found.stopped else ""
        at = f"{when.astimezone(self._session.clock.tz):%H:%M}"
        count = f"{len(found.outcomes)} acts played in {len(found.seeds)} evenings{stopped}"
        self._say(f"{count}, as the book stood at {at}{right}.")
        worst = max(acts, key=lambda a: sum(self.line.minutes(a)))
        self._choose(worst.id)

    def _offer(self) -> None:
        """Show what can be done, and the column of what is beside, when there is something."""
        there = self.found is not None
        for part in (self.keep, self.see, self.help, self.do_it, self.act, self.act_again):
            part.setVisible(there)
        self.do_it.setEnabled(False)
        self.links.setColumnHidden(BESIDE, self.other is None)

    def _choose(self, act: str) -> None:
        """Show an act."""
        if self.found is None:
            return
        self.line.choose(act)
        for box in (self.act, self.act_again):
            box.setCurrentIndex(box.findData(act))
        links = sorted(self.found.links()[act], key=lambda x: (-x.dropout_s.p50, -x.dropout_s.p90))
        beside = {x.id: x for x in self.other.links().get(act, ())} if self.other is not None else {}
        self.links.show_records([LinkRow(k, x, beside.get(x.id)) for k, x in enumerate(links)])
        mine = [t for t in self.found.troubles() if t.act == act]
        self.troubles.show_records([TroubleRow(k, t) for k, t in enumerate(mine)])
        if mine and not self.troubles.chosen():
            self.troubles.choose({0})

    def _select(self, trouble: Trouble) -> None:
        """Reasons tell what was heard, and what was tried against it."""
        if self.found is not None:
            tried = next((h.tried for h in self._helped if h.trouble == trouble), ())
            self._session.select(chosen.Foretold(trouble, len(self.found.seeds), tried))

    def keep_it(self) -> None:
        """Hold what is shown against what is rehearsed next: another plan, other antennas, other acts."""
        if self.found is None:
            return
        self.other = self._kept = self.found
        self._fill_beside()
        self.beside.setCurrentIndex(self.beside.findData(_KEPT))
        self._offer()
        self.line.show_rehearsal(self.found, self.other)
        self._choose(self.line.act)
        self._session.say("Kept. Change the plan, the antennas or the acts, and rehearse again: both are shown.")

    # what helps

    def find_help(self) -> None:
        """Try ideas against the worst incidents."""
        session, found = self._session, self.found
        if found is None:
            return
        if self._stale:
            session.say("The book has changed since this was rehearsed: rehearse again first.", trouble=True)
            return
        work = partial(helping.helped, self._snapshot(), session.scope, session.board, found)
        job = session.jobs.start("Trying what helps", work, partial(self._show_help, found),
                                 ended=lambda: self.help.setEnabled(True))  # fmt: skip
        self.help.setEnabled(job is None)

    def _show_help(self, of: Rehearsal, told: list[Helped]) -> None:
        if of is not self.found:
            return
        if not told:
            self._session.say("Stopped; nothing was tried to its end." if helping.worst(of)
                              else "Nobody loses sound: there is nothing to help against.")  # fmt: skip
            return
        self._helped = told
        self.tried.show_records(tried_rows(told))
        self.tried.choose({0})
        self.tried_words.setText("Five minutes before to five minutes after each of the three that cost most sound.")
        self.do_it.setEnabled(True)

    def do_chosen(self) -> None:
        """Change the book as the chosen idea says."""
        rows = self.tried.chosen()
        tried = rows[0].tried if rows else None
        if tried is None:
            self._session.say("Choose what is to be done first.", trouble=True)
            return
        store = self._session.store
        if self._session.do(lambda: tried.idea.make(store)):
            self._session.say(f"{tried.idea.title}: done. Rehearse again to see the whole evening with it.")

    # watching a moment

    def watch_it(self) -> None:
        """Play the act of the chosen incident again and show it from shortly before."""
        rows = self.troubles.chosen()
        if self.found is None or not rows:
            self._session.say("Choose an incident first.", trouble=True)
            return
        trouble: Trouble = rows[0].trouble
        production = self.found.production
        act = next(a for a in production.acts if a.id == trouble.act)
        at_s = max(trouble.incident.from_s - _BEFORE_S, 0.0)
        path = self._watch.scratch / f"run-{trouble.seeds[0]}-{act.id.replace(':', '-')}.jsonl"
        self._session.jobs.start(
            f"Playing {act.name} again", partial(_played, production, act, trouble.seeds[0], path),
            partial(self._watch_log, path, at_s),
        )  # fmt: skip

    def _watch_log(self, path: Path, at_s: float, written: bool) -> None:
        if not written:
            self._session.say("Stopped; nothing is played.")
            return
        self._watch.play(path)
        self._watch.jump(at_s)
        self._watch.set_speed(1.0)
        self._session.say("A rehearsal is played, not the show: what is live goes on.")


def _both(
    book: Snapshot, scope: Scope, cast: Production, idea: Idea | None, seeds: Sequence[int], progress: Progress
) -> list[Rehearsal]:  # fmt: skip
    """The show, and beside it as an idea would have it."""
    shows = [cast]
    if idea is not None:
        other = beside(lambda: helping.instead(book, scope, cast, idea), progress, _IDEA_S)
        if other is None:
            return [Rehearsal(cast, tuple(seeds), (), stopped=True)]
        shows.append(other)
    return rehearse.side_by_side(shows, seeds, progress)


def _played(production: Production, act: Act, seed: int, path: Path, progress: Progress) -> bool:
    """Play an act again and keep it as a log; whether it was not stopped."""
    played = take.play(production, act, seed, lambda share: progress(round(90 * share), 100))
    if played is None:
        return False
    names = {a.id: a.name for a in production.acts}
    return status_log_writing.write(path, status_log_writing.since(played.record, act.from_s, names))
