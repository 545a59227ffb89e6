"""The walk test: a rope along the way through a room, what was lost on it, and what Reach reckons there."""

from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from azven.book.records import WalkTest, Zone
from azven.desk import files
from azven.desk.prove.rope import RopeGraph, RopePlan
from azven.desk.prove.walk_tables import LinkRow, LostRow, link_columns, lost_columns
from azven.desk.session import Session
from azven.desk.stage import button, choice, fill, label, pick, row
from azven.desk.tables import RecordTable
from azven.desk.tabs import Page
from azven.refusal import Refusal
from azven.rf.levels import Floats
from azven.work import ground, ids, reach
from azven.work.ground import places
from azven.work.prove import papers, survey, walks
from azven.work.prove.survey import MARKS, Surveyed
from azven.work.prove.walks import Recording, Told

_WAYS: list[tuple[str, object]] = [
    ("places by click", "click"), ("places by letters said aloud", "letters"), ("the usual way, evenly", "timed"),
]  # fmt: skip
_HINT = "Left A, right B, over need · letters: places · numbers: dropouts · dashed: Reach · dotted: the earlier walk"


class WalkPage(Page):
    """While a walk is recorded every link of the room that is heard is written down."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.recording: Recording | None = None
        self.zone, self.walk = choice([], "Room"), choice([], "Walk")
        self.earlier, self.link = choice([], "Compared with"), choice([], "Link")
        self.ways = choice(_WAYS, "How places are told")
        for box, width in ((self.walk, 20), (self.earlier, 20), (self.link, 14)):
            box.keep_width(width)
        self.plan, self.graph = RopePlan(session), RopeGraph(session)
        self.words = label("", "strong", wrap=True)
        self.start = button("Start a walk", self.run_primary, "Everything that will be on is on. Walk the whole area.")
        self.end = button("End walk", self.end_walk, "Keep what was recorded")
        self.report = button("Report …", self.save_report, "This walk as PDF", "flat")
        self.remove = button("Remove", self.remove_walk, "Take this walk out", "flat")
        self.heard = QWidget()
        self.links = RecordTable(link_columns(), "Links of this walk")
        self.lost = RecordTable(lost_columns(), "Dropouts")
        for table in (self.links, self.lost):
            table.theme = lambda: session.theme
        self._lay_out()
        for box in (self.zone, self.walk, self.earlier, self.link, self.ways):
            box.activated.connect(self.refresh)
        self.plan.pointed.connect(self._pointed)
        self.links.picked.connect(self._link_picked)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(5)
        box.addLayout(row(self.zone, self.walk, self.earlier, self.link, 1, self.report, self.remove, spacing=6))
        says = [button(word, partial(self.say, word), f"{word} is heard at the place told last") for word in MARKS]
        self.heard.setLayout(row(label("Survey, heard here:", "dim"), *says, spacing=4))
        box.addLayout(row(self.ways, self.start, self.end, self.heard, 1, spacing=6))
        box.addWidget(self.words)
        box.addWidget(self.plan, 3)
        box.addWidget(label(_HINT, "small"))
        box.addWidget(self.graph)
        both = QHBoxLayout()
        both.setSpacing(10)
        both.addWidget(self.links, 4)
        both.addWidget(self.lost, 6)
        box.addLayout(both, 2)

    # -- showing -------------------------------------------------------------------------------------

    def zone_record(self) -> Zone | None:
        zones = ground.zones(self._session.store, self._session.scope)
        return next((z for z in zones if z.id == self.zone.currentData()), None)

    def _kept(self) -> list[WalkTest]:
        zone = self.zone_record()
        return walks.of_room(self._session.store, self._session.scope, zone) if zone else []

    def _walk(self, box: Any) -> WalkTest | None:
        return next((w for w in self._kept() if w.id == box.currentData()), None)

    def read(self) -> Any:
        session = self._session
        fill(self.zone, ids.choices_of(ground.zones(session.store, session.scope)))
        zone = self.zone_record()
        if zone is None:
            return None
        kept = self._kept()
        fill(self.walk, [(_title(session, w), w.id) for w in kept])
        walk = self._walk(self.walk)
        older = [w for w in kept if walk is not None and w.made_at < walk.made_at]
        fill(self.earlier, [("compare with no walk", 0), *((f"beside {_title(session, w)}", w.id) for w in older)])
        links = {x.link.id: x.link for x in session.racks.now.lanes}
        named = walks.by_name(links, walk) if walk is not None and self.recording is None else self._heard_here(zone)
        fill(self.link, [(name, number) for number, name in named])
        return zone, walk, reach.room(session.store, session.scope, zone, places.PLACEMENT, session.picture), named

    def show_view(self, view: Any) -> None:
        recording = self.recording is not None
        walk_there = not recording and self.walk.currentData() is not None
        for part in (self.end, self.heard):
            part.setVisible(recording)
        for part in (self.remove, self.report):
            part.setVisible(walk_there)
        self.earlier.setVisible(not recording and self.earlier.count() > 1)
        self.start.setText("Mark this place" if recording else "Start a walk")
        self.start.setVisible(not (recording and self.ways.currentData() != "click"))
        for box in (self.zone, self.walk, self.ways):
            box.setEnabled(not recording)
        if view is None:
            self.words.setText("There is no room yet; add one in Ground.")
            return
        zone, walk, drawn, named = view
        marks = self.recording.marks if self.recording else list(walk.marks) if walk else []
        told, before = self._told(zone, walk, marks), self._told_before(zone)
        self.plan.show_room(drawn, None, [])
        letters = walks.letters(drawn.low, drawn.high) if recording and self.ways.currentData() == "letters" else []
        self.plan.show_rope(told, marks, letters)
        then = walks.beside(told, before) if told and before else None
        self.graph.show_walk(told, marks, self._reckoned(zone, told) if told else None, then)
        self.lost.show_records([LostRow(k + 1, told, k) for k in range(len(told.dropouts))] if told else [])
        if not recording:
            self.links.show_records(self._rows(zone, walk, named))
        self._say(walk, told, before, zone)

    def _rows(self, zone: Zone, walk: WalkTest | None, named: list[tuple[int, str]]) -> list[LinkRow]:
        now, before = self._session.racks.now, self._walk(self.earlier)
        if walk is None:
            return []
        return [
            LinkRow(n, name, walks.of_link(now, walk, zone, n), walks.of_link(now, before, zone, n) if before else None)
            for n, name in named
        ]  # fmt: skip

    def _say(self, walk: WalkTest | None, told: Told | None, before: Told | None, zone: Zone) -> None:
        if self.recording is not None:
            seconds = self._session.racks.here.hub.now() - self.recording.begun_s
            how = {
                "click": "Click where the walker is, or press Mark at the next corner.",
                "letters": "Press the letter that the walker says.",
                "timed": "End the walk where the usual way ends.",
            }[str(self.ways.currentData())]
            self.words.setText(
                f"Recording {len(self.recording.links)} links, {int(seconds // 60)}:{int(seconds % 60):02d}. {how}"
            )
        elif walk is None:
            self.words.setText(f"No walk of {zone.name} yet. Start one when everything that will be on is on.")
        else:
            said = walks.verdict(told) if told else "" if walk.readings else "Marks only: no rack was heard."
            then = walks.compared(told, before) if told and before else ""
            parts = (said, then, survey.verdict(self.surveyed(zone, walk)))
            self.words.setText(" ".join(filter(None, parts)) or "Nothing was heard of this link on this walk.")

    def _told(self, zone: Zone, walk: WalkTest | None, marks: list[Any]) -> Told | None:
        number = self.link.currentData()
        if number is None:
            return None
        now = self._session.racks.now
        if self.recording is None:
            return walks.of_link(now, walk, zone, number) if walk is not None else None
        lane, rows = now.lane(number), self.recording.rows.get(number, [])
        return walks.told(rows, marks, now.needs.of(lane.model, now.zones[zone.id])) if lane and rows else None

    def _told_before(self, zone: Zone) -> Told | None:
        before, number = self._walk(self.earlier), self.link.currentData()
        if before is None or number is None or self.recording is not None:
            return None
        return walks.of_link(self._session.racks.now, before, zone, number)

    def _reckoned(self, zone: Zone, told: Told) -> Floats | None:
        """The better antenna over need (n,) [dB] where the walker was, as Reach has it."""
        now = self._session.racks.now
        lane = now.lane(self.link.currentData())
        if lane is None or now.reckoning is None or not np.isfinite(told.place_m).any():
            return None
        return now.reckoning.over_need(zone, lane.model, now.freq_hz.get(lane.link.id), np.asarray(told.place_m))

    def surveyed(self, zone: Zone, walk: WalkTest) -> list[Surveyed]:
        """Marks that say what was heard, beside the map: of the intercom's transceivers, or of the antennas for a link
        that is no intercom."""
        session, now = self._session, self._session.racks.now
        at = np.array([m[1:3] for m in walk.marks], float).reshape(-1, 2)
        lane = now.lane(self.link.currentData()) if self.link.currentData() is not None else None
        words: list[str] = []
        if lane is not None and lane.model.service != "intercom" and now.reckoning is not None:
            over = now.reckoning.over_need(zone, lane.model, now.freq_hz.get(lane.link.id), at)
            words = [survey.mark_of(float(v)) for v in over] if over is not None else []
        else:
            words = survey.by_transceivers(session.store, session.scope, zone, at)
        return survey.surveyed(walk.marks, words)

    def _heard_here(self, zone: Zone) -> list[tuple[int, str]]:
        racks = self._session.racks
        return [
            (x.link.id, x.link.name) for x in racks.now.lanes
            if x.link.zone_id == zone.id and x.link.id in racks.now.keys
        ]  # fmt: skip

    def _link_picked(self, picked: LinkRow) -> None:
        if picked.id != self.link.currentData():
            pick(self.link, picked.id)
            self.refresh()

    # -- walking -------------------------------------------------------------------------------------

    def primary(self) -> tuple[str, bool]:
        if self.recording is None:
            return "Start a walk", True
        return ("Mark this place", True) if self.ways.currentData() == "click" else ("End walk", True)

    def held(self) -> str:
        return "A walk" if self.recording else ""

    def run_primary(self) -> None:
        """Begin a walk; while one goes on, tell that the next corner of the usual way is reached, or end it."""
        if self.recording is not None:
            if self.ways.currentData() == "click":
                self._mark_next()
            else:
                self.end_walk()
            return
        session, zone = self._session, self.zone_record()
        if zone is None:
            session.say("There is no room to walk through; add one in Ground.", trouble=True)
            return
        numbers = [n for n, _ in self._heard_here(zone)]
        heard = [n for n in numbers if session.racks.here.heard(session.racks.now.keys[n][0])]
        if not heard:
            session.say("No link of this room is heard by a rack: only marks of a survey will be kept.", trouble=True)
        self.recording = Recording(zone, tuple(heard), session.racks.here.hub.now())
        self.refresh()
        self.setFocus()

    def end_walk(self) -> None:
        recording, session = self.recording, self._session
        if recording is None:
            return
        if self.ways.currentData() == "timed":
            recording.walked(session.racks.here.hub.now(), self._usual_way())
        self.recording = None
        name = f"Walk {len(walks.of_room(session.store, session.scope, recording.zone)) + 1}"
        session.do(lambda: walks.keep(session.store, session.scope, recording, name, session.now()))
        self.refresh()
        if self.walk.count():
            self.walk.setCurrentIndex(0)  # the newest
            self.refresh()

    def remove_walk(self) -> None:
        walk = self._walk(self.walk)
        if walk is not None:
            self._session.do(lambda: walks.remove_walk(walk))

    def _usual_way(self) -> list[tuple[float, float]]:
        assert self.recording is not None
        session = self._session
        return reach.usual_walk(reach.room(session.store, session.scope, self.recording.zone, places.PLACEMENT))

    def _mark_next(self) -> None:
        assert self.recording is not None
        way = self._usual_way()
        self._pointed(*way[len(self.recording.marks) % len(way)])

    def _pointed(self, x: float, y: float, letter: str = "") -> None:
        if self.recording is not None:
            letter = self.recording.mark(self._session.racks.here.hub.now(), x, y, letter)
            self._session.say(f"{letter}: {x:.0f}, {y:.0f} m")
            self.refresh()

    def say(self, heard: str) -> None:
        """Write down what is heard at the place that was told last."""
        if self.recording is None:
            return
        try:
            self.recording.say(heard)
        except Refusal as refusal:
            self._session.say(str(refusal), trouble=True)
        self.refresh()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """A letter that the walker says: the place under it."""
        if event is None or self.recording is None or self.ways.currentData() != "letters" or not self._take(event):
            super().keyPressEvent(event)

    def _take(self, event: QKeyEvent) -> bool:
        assert self.recording is not None
        drawn = reach.room(self._session.store, self._session.scope, self.recording.zone, places.PLACEMENT)
        known = {letter: (x, y) for letter, x, y in walks.letters(drawn.low, drawn.high)}
        letter = event.text().upper()
        if letter not in known:
            return False
        self._pointed(*known[letter], letter)
        return True

    def tick(self) -> None:
        """Write down what is heard."""
        recording, racks = self.recording, self._session.racks
        if recording is None:
            return
        now_s = racks.here.hub.now()
        for number in recording.links:
            key = racks.now.keys.get(number)
            heard = key is not None and racks.here.heard(key[0])
            recording.take(now_s, number, racks.here.live.now(key) if key and heard else {})
        if self.isVisible():
            self.refresh()

    # -- reporting -----------------------------------------------------------------------------------

    def save_report(self) -> None:
        walk, zone = self._walk(self.walk), self.zone_record()
        if walk is not None and zone is not None:
            path = files.ask_where(self, "Walk report", f"{zone.name} {walk.name}.pdf", "PDF (*.pdf)")
            if path is not None:
                self.write_report(path)

    def write_report(self, path: Path) -> None:
        """The chosen walk with all its links, beside the earlier one where one is chosen."""
        session, walk, zone = self._session, self._walk(self.walk), self.zone_record()
        if walk is None or zone is None:
            return
        clock = ground.here(session.store, session.scope).clock
        html = papers.walk_report(
            session.store, session.scope, session.racks.now, walk, zone, self._walk(self.earlier),
            self.surveyed(zone, walk), self._drawing(), clock.abbreviation(walk.made_at),
        )  # fmt: skip
        files.write_pages(session, path.with_suffix(".pdf"), html, "Azven walk test")

    def _drawing(self) -> bytes:
        """The room with the rope, as PNG."""
        data = QByteArray()
        buffer = QBuffer(data)
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        self.plan.grab().save(buffer, "PNG")
        return bytes(data.data())


def _title(session: Session, walk: WalkTest) -> str:
    return f"{walk.name}, {walk.made_at.astimezone(session.clock.tz):%d %b %H:%M}, {walk.made_by}"
