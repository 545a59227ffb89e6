"""Rehearse: the acts played in simulation before load-in, what is foretold of each link, and worst moments to watch."""

from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QHBoxLayout, QSpinBox, QVBoxLayout

from azven.book.formats import status_log_writing
from azven.desk.jobs import Progress
from azven.desk.session import Session
from azven.desk.stage import Choice, FittedLabel, button, fill, label, row
from azven.desk.tables import Column, RecordTable
from azven.desk.tabs import Page
from azven.desk.watch.desk import WatchDesk
from azven.desk.watch.foretold_line import ForetoldLine
from azven.refusal import Refusal
from azven.rf.rehearse import take
from azven.rf.rehearse.foretold import Foretold, Trouble
from azven.rf.rehearse.production import Act, Production
from azven.rf.venue import Venue
from azven.work import rehearse
from azven.work.rehearse import Rehearsal
from azven.work.scope import Scope
from azven.work.watch import said

_RUNS, _MOST_RUNS, _BEFORE_S, _KEPT = 8, 200, 20.0, 2


@dataclass(frozen=True)
class _Link:
    id: int
    foretold: Foretold
    kept: Foretold | None = None


@dataclass(frozen=True)
class _Trouble:
    id: int
    trouble: Trouble


class RehearsePage(Page):
    """Runs many takes beside the window; one that is stopped shows what was played."""

    def __init__(self, session: Session, watch: WatchDesk) -> None:
        super().__init__()
        self._session, self._watch = session, watch
        self.found: Rehearsal | None = None
        self._of: Scope | None = None
        self.runs = QSpinBox()
        self.runs.setRange(1, _MOST_RUNS)
        self.runs.setValue(_RUNS)
        self.runs.setSuffix(" runs")
        self.runs.setAccessibleName("How often each act is played")
        self.go = button("Rehearse", self.rehearse, "Play every act, each run another evening", "primary")
        self.keep = button("Keep to compare", self.keep_it, "What is rehearsed next is shown beside this one", "flat")
        self.kept: Rehearsal | None = None
        self.words = FittedLabel("dim")
        self.line = ForetoldLine(session)
        self.act = Choice()
        self.act.setAccessibleName("Act")
        self.links = RecordTable(_links(), "What each link is foretold")
        self.troubles = RecordTable(_troubles(), "Incidents over the runs")
        self.see = button("Watch it", self.watch_it, "Play that moment with all views of Watch")
        self.unknown = label("", "small", wrap=True)
        self._lay_out()
        self.act.activated.connect(lambda _: self._choose(str(self.act.currentData())))
        self.line.chosen.connect(self._choose)

    def _lay_out(self) -> None:
        self.runs.setFixedWidth(96)
        self.go.setFixedWidth(120)
        self.act.setMinimumWidth(180)
        for table in (self.links, self.troubles):
            table.theme = lambda: self._session.theme
        left, right = QVBoxLayout(), QVBoxLayout()
        left.addLayout(row(label("Links in", "section"), self.act, 1, spacing=6))
        left.addWidget(self.links, 1)
        right.addLayout(row(label("What comes again", "section"), 1, self.see, spacing=6))
        right.addWidget(self.troubles, 1)
        tables = QHBoxLayout()
        tables.setSpacing(12)
        tables.addLayout(left, 1)
        tables.addLayout(right, 1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(4)
        line = row(self.runs, self.go, spacing=8)
        line.addWidget(self.words, 1)
        line.addWidget(self.keep)
        box.addLayout(line)
        box.addWidget(self.line)
        box.addLayout(tables, 1)
        box.addWidget(self.unknown)

    def refresh(self) -> None:
        if self._of != self._session.scope:
            self._forget()

    def _forget(self) -> None:
        """Another show is looked at: what was foretold is not of it."""
        self._of, self.found, self.kept = self._session.scope, None, None
        self._offer()
        self.act.clear()
        self.line.show_rehearsal(None)
        for table in (self.links, self.troubles):
            table.show_records([])
        self.unknown.setText("")
        self.words.setText("Plays the show as it stands in the book, before anybody has unloaded.")

    # playing

    def _venue(self) -> Venue | None:
        """Who else is on the air: the simulated venue's, where there is one."""
        there = self._session.surroundings
        if there is None:
            return None
        world = there.world
        return replace(world, emitters=tuple(e for e in world.emitters if not e.ours))

    def rehearse(self) -> None:
        """Play the show as it stands."""
        session = self._session
        try:
            cast = rehearse.production(session.store, session.scope, self._venue())
        except Refusal as refusal:
            session.say(str(refusal), trouble=True)
            return
        seeds = range(1, self.runs.value() + 1)
        self.go.setEnabled(False)
        work = partial(rehearse.rehearse, cast, seeds)
        session.jobs.start("Rehearsing", work, partial(self._show, session.scope, session.now()))

    def _show(self, of: Scope, when: datetime, found: Rehearsal) -> None:
        self.go.setEnabled(True)
        if of != self._session.scope:
            return
        if not found.outcomes:
            self.words.setText("Stopped before an act was played to its end.")
            return
        self.found = found
        self._offer()
        acts = found.production.acts
        fill(self.act, [(a.name, a.id) for a in acts])
        self.line.show_rehearsal(found, self.kept)
        self.unknown.setText("Not known: " + " ".join(found.production.unknown))
        right = f"; diagnosis named the cause of {found.named} of {found.asked} losses" if found.asked else ""
        stopped = ", stopped before the end" if found.stopped else ""
        at = f"{when.astimezone(self._session.clock.tz):%H:%M}"
        count = f"{len(found.outcomes)} acts played in {len(found.seeds)} evenings{stopped}"
        self.words.setText(f"{count}, as the book stood at {at}{right}.")
        worst = max(acts, key=lambda a: sum(self.line.minutes(a)))
        self._choose(worst.id)

    def _offer(self) -> None:
        """Show what can be done, and the column of what was kept, when there is something."""
        there = self.found is not None
        for part in (self.keep, self.see, self.act):
            part.setVisible(there)
        self.links.setColumnHidden(_KEPT, self.kept is None)

    def _choose(self, act: str) -> None:
        """Show an act."""
        if self.found is None:
            return
        self.line.choose(act)
        self.act.setCurrentIndex(self.act.findData(act))
        links = sorted(self.found.links()[act], key=lambda x: (-x.dropout_s.p50, -x.dropout_s.p90))
        kept = {x.link: x for x in self.kept.links().get(act, ())} if self.kept is not None else {}
        self.links.show_records([_Link(k, x, kept.get(x.link)) for k, x in enumerate(links)])
        mine = [t for t in self.found.troubles() if t.act == act]
        self.troubles.show_records([_Trouble(k, t) for k, t in enumerate(mine)])
        if mine and not self.troubles.chosen():
            self.troubles.choose({0})

    def keep_it(self) -> None:
        """Hold what is shown against what is rehearsed next: another plan, other antennas, other acts."""
        if self.found is not None:
            self.kept = self.found
            self._offer()
            self.line.show_rehearsal(self.found, self.kept)
            self._choose(self.line.act)
            self._session.say("Kept. Change the plan, the antennas or the acts, and rehearse again: both are shown.")

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


def _played(production: Production, act: Act, seed: int, path: Path, progress: Progress) -> bool:
    """Play an act again and keep it as a log; whether it was not stopped."""
    played = take.play(production, act, seed, lambda share: progress(round(90 * share), 100))
    if played is None:
        return False
    names = {a.id: a.name for a in production.acts}
    return status_log_writing.write(path, status_log_writing.since(played.record, act.from_s, names))


def _links() -> list[Column]:
    return [
        Column(title="Link", width=118, show=lambda r: r.foretold.link),
        Column(title="Lost, s", width=46, show=lambda r: _seconds(r.foretold.dropout_s.p50), right=True,
               hint="Seconds without sound in the act, in the middle of the runs"),
        Column(title="Kept, s", width=48, show=_kept, right=True, mark=_better,
               hint="The same in the rehearsal that was kept; marked where it has got worse since"),
        Column(title="from … to", width=76, show=_spread, right=True,
               hint="Leaving out the best and the worst tenth of the runs"),
        Column(title="Worst", width=80, show=_worst, prose=True,
               hint="The longest loss of all runs; before it, when its battery ends and in how many runs"),
    ]  # fmt: skip


def _seconds(value: float) -> str:
    return "0" if value == 0 else f"{value:.1f}" if value < 10 else f"{value:.0f}"


def _kept(row: _Link) -> str:
    return _seconds(row.kept.dropout_s.p50) if row.kept is not None else ""


def _better(row: _Link) -> str:
    """Worse beyond what runs differ by anyhow."""
    if row.kept is None:
        return ""
    return "tight" if row.foretold.dropout_s.p50 > row.kept.dropout_s.p90 else ""


def _spread(row: _Link) -> str:
    spread = row.foretold.dropout_s
    return f"{_seconds(spread.p10)} … {_seconds(spread.p90)}" if spread.p90 > 0 else ""


def _worst(row: _Link) -> str:
    ends, parts = row.foretold.battery_end_s, []
    if ends is not None:
        parts.append(f"battery ends at {_minute(ends.p50)} in {100 * row.foretold.battery_share:.0f} %")
    if row.foretold.worst:
        worst = row.foretold.worst[0]
        parts.append(f"{_seconds(worst.seconds)} s at {_minute(worst.at_s)}: {said.of_cause(worst.cause)}")
    return " · ".join(parts)


def _minute(at_s: float) -> str:
    return f"{int(at_s // 60)}:{int(at_s % 60):02d}"


def _troubles() -> list[Column]:
    return [
        Column(title="Runs", width=54, show=lambda r: f"{100 * r.trouble.share:.0f} %", right=True,
               hint="In so many of the runs it came"),
        Column(title="At", width=56, show=lambda r: _minute(r.trouble.incident.from_s), right=True,
               hint="Minutes and seconds of the act"),
        Column(title="Who", width=116, show=lambda r: said.who_of(r.trouble.incident)),
        Column(title="What", width=90, show=lambda r: said.what_of(r.trouble.incident), prose=True),
    ]  # fmt: skip
