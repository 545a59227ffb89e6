"""Watch: the evening as a line, what is wrong and what is calm, batteries, the log."""

from functools import partial

from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QMenu, QVBoxLayout, QWidget

from azven.book.records import Act
from azven.desk.actions import Action
from azven.desk.rehearse.pages import RehearsePages
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, Stage, button, row
from azven.desk.tabs import Pages
from azven.desk.watch.alarms import AlarmsDialog
from azven.desk.watch.batteries_page import BatteriesPage
from azven.desk.watch.evening_line import EveningLine
from azven.desk.watch.far import FarView
from azven.desk.watch.links_page import LinksPage
from azven.desk.watch.log_page import LogPage
from azven.desk.watch.now_page import NowPage
from azven.desk.watch.playing import Playing
from azven.desk.watch.restoring import put_back
from azven.work import chosen, kit
from azven.work.watch import evening
from azven.work.watch.cases import Case
from azven.work.watch.night import Seen

NOW, LINKS, BATTERIES, LOG, REHEARSE = range(5)


class WatchStage(Stage):
    """Four pages under the evening; racks and cases go on while others are in view."""

    name, title = "watch", "Watch"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.watch = session.racks.watch
        self.evening = EveningLine(session, self.watch)
        self.now = NowPage(session, self.watch)
        self.links = LinksPage(session, self.watch)
        self.batteries, self.log = BatteriesPage(session, self.watch), LogPage(session, self.watch)
        self.rehearsal = RehearsePages(session, self.watch)
        self.playing = Playing(session, self.watch)
        self.pages = Pages([
            ("Now", self.now), ("All links", self.links), ("Batteries", self.batteries), ("Log", self.log),
            ("Rehearse", self.rehearsal),
        ])  # fmt: skip
        self.stands = FittedLabel("dim")
        self._could_take = False
        self._said: Seen | None = None
        self.alarming = button("Alarms …", self.show_alarms, "Sound, notes of the desktop, OSC", "flat")
        self.far = button("Far view", self.far_view, "A window to be read from across the room", "flat")
        self.runs = button(
            "Runs now …", self._choose_act, "Say which act begins now; those after it move with it", "flat"
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 6, 12, 4)
        box.setSpacing(3)
        box.addWidget(self.playing)
        box.addWidget(self.evening)
        line = row(self.pages.tabs, spacing=14)
        line.addWidget(self.stands, 1)
        line.addWidget(self.runs)
        line.addWidget(self.alarming)
        line.addWidget(self.far)
        box.addLayout(line)
        box.addWidget(self.pages, 1)
        self.pages.tabs.chosen.connect(self.primary_changed)
        self.pages.tabs.chosen.connect(self._make_room)
        self.watch.looked.connect(self._tick)
        session.themed.connect(self.update)
        session.racks.keep_ticking()  # the clock goes on without racks too

    def primary(self) -> tuple[str, bool]:
        return "I have it", self._first() is not None

    def run_primary(self) -> None:
        first = self._first()
        if first is not None:
            self.watch.take(first)
            self.now.refresh()
        self.primary_changed.emit()

    def _first(self) -> Case | None:
        """The case that is selected, else the gravest."""
        cases, picked = self.watch.seen.open, self.session.selection
        mine = next((c for c in cases if isinstance(picked, chosen.Case) and c.number == picked.number), None)
        return mine or next(iter(cases), None)

    def _make_room(self) -> None:
        """A rehearsal has an evening of its own."""
        self.evening.setVisible(self.pages.currentIndex() != REHEARSE)

    def rehearse(self, number: int) -> None:
        """Bring a page of Rehearse into view."""
        self.pages.show_page(REHEARSE)
        self.rehearsal.show_page(number)

    def put_back(self) -> None:
        """All units as they were when the show was signed off."""
        put_back(self.session, self.watch, self)

    def show_alarms(self) -> None:
        """Choose what tells."""
        AlarmsDialog(self.watch.alarms, self.window() or self).show()

    def far_view(self) -> None:
        """Open the far view, or bring it to the front."""
        known = self.window().findChildren(FarView)  # type: ignore[union-attr]
        view = known[0] if known else FarView(self.session, self.watch, self.window() or self)
        view.show()
        view.activateWindow()

    def actions_offered(self) -> list[Action]:
        return [
            *self.pages.tabs.as_actions("watch"),
            *(
                Action(f"rehearse-{i}", f"Rehearse: {title.lower()}", partial(self.rehearse, i))
                for i, title in enumerate(self.rehearsal.titles)
            ),
            Action("put-back", "Put all units back as they were at the sign-off", self.put_back),
            Action("far-view", "Far view, to be read from across the room", self.far_view),
            Action("alarms", "Alarms: sound, notes of the desktop, OSC", self.show_alarms),
            Action("take-case", "I have it: take the gravest case", self.run_primary),
            *(Action(f"runs-{a.id}", f"{a.name} runs now", partial(self._runs_now, a)) for a in self._acts()),
        ]

    def refresh(self) -> None:
        self.pages.refresh()
        self._say()

    def take_focus(self) -> None:
        fields: dict[int, QWidget] = {
            NOW: self.now.calm, LINKS: self.links.table, BATTERIES: self.batteries.table, LOG: self.log.kept,
            REHEARSE: self.rehearsal.foretold.go,
        }  # fmt: skip
        fields.get(self.pages.currentIndex(), self).setFocus()

    def _acts(self) -> list[Act]:
        return kit.acts(self.session.store, self.session.scope)

    def _choose_act(self) -> None:
        menu = QMenu(self)
        for act in self._acts():
            entry = menu.addAction(act.name)
            if entry is not None:
                entry.triggered.connect(partial(self._runs_now, act))
        menu.popup(QCursor.pos() if self.runs.underMouse() else self.runs.mapToGlobal(self.runs.rect().bottomLeft()))

    def _runs_now(self, act: Act, *_: object) -> None:
        session = self.session
        session.do(
            lambda: evening.runs_now(session.store, session.scope, session.store.get(Act, act.id), session.now())
        )

    def _tick(self) -> None:
        if self.isVisible():
            self.evening.tick()
            self.playing.tick()
            for page in (self.now, self.links, self.batteries, self.log):
                if page.isVisible():
                    page.tick()
            if self.watch.seen is not self._said:
                self._say()
            if (now := self._first() is not None) != self._could_take:
                self._could_take = now
                self.primary_changed.emit()

    def _say(self) -> None:
        seen = self._said = self.watch.seen
        touched, count = len({n for c in seen.open for n in c.links}), len(seen.open)
        hand = f" · {len(seen.in_hand)} in hand" if seen.in_hand else ""
        touch = "1 case touches" if count == 1 else f"{count} cases touch"
        cases = f"{touch} {touched} of {len(seen.watched.names)} links" if count else "no case"
        self.stands.setText(f"{cases}{hand} · {len(self.now.calm.calm(seen))} calm")
