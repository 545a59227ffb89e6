"""Batteries: minutes left for minutes needed, who is changed in which break, what was swapped."""

from dataclasses import dataclass

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QVBoxLayout

from azven.desk.session import Session
from azven.desk.stage import button, label, row
from azven.desk.tables import Column, RecordTable
from azven.desk.tabs import Page
from azven.desk.watch.desk import WatchDesk
from azven.work.watch.batteries import RESERVE_MIN, Charge
from azven.work.watch.swaps import bays_for
from azven.work.wording import figure

_EVERY = 10
_CAUTION = (
    "Change both cells of a pack together, of one kind and age. Cells that are hot, swollen or leak are taken out of "
    "use and not charged."
)


@dataclass(frozen=True)
class ChargeRow:
    """A battery; `id` is the place of its link."""

    id: int
    charge: Charge


class BatteriesPage(Page):
    """A table and, beside it, the plan of changes by break with the swaps of this evening."""

    def __init__(self, session: Session, watch: WatchDesk) -> None:
        super().__init__()
        self._session, self._watch, self._ticks = session, watch, 0
        self.table = RecordTable(_columns(), "Batteries")
        self.table.theme = lambda: session.theme
        self.plan, self.swapped = QListWidget(), QListWidget()
        self.plan.setAccessibleName("Changes by break")
        self.swapped.setAccessibleName("Batteries that were swapped")
        for listed in (self.plan, self.swapped):
            listed.setWordWrap(True)
            listed.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.words = label("", "dim", wrap=True)
        history = button("All evenings", self._history, "Swaps of every log that is kept beside this book", "flat")
        side = QVBoxLayout()
        side.setSpacing(4)
        side.addWidget(label("Changes", "section"))
        side.addWidget(self.words)
        side.addWidget(self.plan, 3)
        side.addLayout(row(label("Swapped", "section"), 1, history))
        side.addWidget(self.swapped, 2)
        side.addWidget(label(_CAUTION, "small", wrap=True))
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 4, 0, 0)
        whole.setSpacing(12)
        whole.addWidget(self.table, 3)
        whole.addLayout(side, 2)

    def tick(self) -> None:
        self._ticks += 1
        if self._ticks % _EVERY == 0 and self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        seen = self._watch.seen
        gravest = sorted(seen.charges, key=lambda c: (c.lasts is not False, c.left.minutes or 0.0))
        self.table.show_live([ChargeRow(c.link, c) for c in gravest])
        _put(self.plan, self._plan())
        _put(self.swapped, [s.said(self._watch.moment(s.t)) for s in reversed(self._watch.swaps)])
        self.words.setText(self._words())

    def _words(self) -> str:
        seen = self._watch.seen
        if not seen.charges:
            return "No pack tells of its battery yet."
        if not seen.watched.spans:
            return "Set times for the acts, or say which runs now: then changes are planned into the breaks."
        if unknown := len(seen.changes.unknown):
            return f"Of {unknown} batteries nobody can tell yet how long they last: look at them before the act."
        if not seen.changes.breaks and not seen.changes.too_late:
            return f"Nothing has to be changed: everything lasts, with {RESERVE_MIN:.0f} min to spare."
        return f"As few changes as may be, {RESERVE_MIN:.0f} min left at the end of every act."

    def _plan(self) -> list[str]:
        seen, here = self._watch.seen, self._session.racks.here
        lines = [f"Now, no break comes in time: {_who(c)}" for c in seen.changes.too_late]
        for change in seen.changes.breaks:
            at = self._watch.moment(max(change.from_s, seen.t))
            lines.append(f"Break {at:%H:%M}, before {change.before.name}: change {len(change.charges)}")
            bays = bays_for(here.known(), here.live.now, [c.name for c in change.charges])
            lines += [f"    {_who(c)}{f' · {bays[c.name]}' if c.name in bays else ''}" for c in change.charges]
        if seen.changes.unknown:
            lines.append(f"Not known how long: {', '.join(c.name for c in seen.changes.unknown)}")
        return lines

    def _history(self) -> None:
        watch = self._watch
        self._session.jobs.start(
            "Reading logs", watch.read_history, lambda lines: _put(self.swapped, lines or ["No swap is in any log."])
        )


def _who(charge: Charge) -> str:
    parts = [charge.name, charge.who, charge.cell]
    left = f"{charge.left.minutes:.0f} min left" if charge.left.minutes is not None else ""
    return " · ".join(p for p in (*parts, left) if p)


def _put(listed: QListWidget, lines: list[str]) -> None:
    if [listed.item(i).text() for i in range(listed.count())] != lines:  # type: ignore[union-attr]
        listed.clear()
        listed.addItems(lines)


def _columns() -> list[Column]:
    return [
        Column(title="Link", width=126, show=lambda r: r.charge.name),
        Column(title="Worn by", width=84, show=lambda r: r.charge.who),
        Column(title="Gauge, %", width=62, show=lambda r: figure(r.charge.gauge), right=True),
        Column(title="Left, min", width=66, show=lambda r: figure(r.charge.left.minutes), right=True,
               mark=lambda r: {True: "sound", False: "tight", None: "unknown"}[r.charge.lasts]
               if r.charge.short_min is None else "broken"),
        Column(title="Needed, min", width=66, show=lambda r: figure(r.charge.needed_min), right=True),
        Column(title="By", width=54, show=lambda r: r.charge.left.by or "", 
               hint="Who says so: the unit, or the slope of its gauge"),
        Column(title="Cell", width=80, show=lambda r: r.charge.cell),
    ]  # fmt: skip
