"""The walk test: a rope along the way through a room, what was lost on it, and what Reach reckons there."""

import math
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QVBoxLayout

from azven.book.records import WalkTest, Zone
from azven.desk.prove.rope import RopeGraph, RopePlan
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, choice, fill, label, row
from azven.desk.tables import Column, RecordTable
from azven.desk.tabs import Page
from azven.rf import reach as rf
from azven.rf.levels import Floats
from azven.rf.reach import Wearer
from azven.work import ground, ids, reach
from azven.work.ground import places
from azven.work.prove import walks
from azven.work.prove.walks import Recording, Told

_ADVICE = {
    "battery": "its battery was empty", "interference": "something else is on its frequency: look who",
    "signal fell": "both antennas lost it: shadow, distance or body", "multipath": "one branch: its antenna or cable",
    "unknown": "nothing fits clearly",
}  # fmt: skip


class LostRow:
    """A dropout as a row."""

    def __init__(self, number: int, told: Told, k: int) -> None:
        self.id, self.lost = number, told.dropouts[k]
        i = int(np.argmin(np.abs(told.readings.at_s - self.lost.from_s)))
        self.place = told.place_m[i]
        off = told.readings.tx[i] == 0 and self.lost.sort == "signal fell"
        self.advice = "its transmitter was off" if off else _ADVICE[self.lost.sort]


class WalkPage(Page):
    """While a walk is recorded every link of the room that is heard is written down."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.recording: Recording | None = None
        self.zone, self.walk = choice([], "Room"), choice([], "Walk")
        self.link = choice([], "Link")
        self.walk.keep_width(24)
        self.link.keep_width(16)
        self.plan, self.graph = RopePlan(session), RopeGraph(session)
        self.words = FittedLabel("strong")
        self.start = button("Start a walk", self.run_primary, "Everything that will be on is on. Walk the whole area.")
        self.end = button("End walk", self.end_walk, "Keep what was recorded")
        self.remove = button("Remove", self.remove_walk, "Take this walk out", "flat")
        self.lost = RecordTable(_columns(), "Dropouts")
        self.lost.theme = lambda: session.theme
        self._lay_out()
        for box in (self.zone, self.walk, self.link):
            box.activated.connect(self.refresh)
        self.plan.pointed.connect(self._pointed)

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(5)
        box.addLayout(row(self.zone, self.walk, self.link, 1, self.start, self.end, self.remove, spacing=6))
        box.addWidget(self.words)
        box.addWidget(self.plan, 3)
        hint = "Left of the way A, right B; thicker is more over need. Letters: places told. Numbers: dropouts."
        box.addWidget(label(f"{hint} Dashed: what Reach reckons for the better antenna.", "small"))
        box.addWidget(self.graph)
        box.addWidget(self.lost, 2)

    # -- showing -------------------------------------------------------------------------------------

    def zone_record(self) -> Zone | None:
        zones = ground.zones(self._session.store, self._session.scope)
        return next((z for z in zones if z.id == self.zone.currentData()), None)

    def read(self) -> Any:
        session = self._session
        fill(self.zone, ids.choices_of(ground.zones(session.store, session.scope)))
        zone = self.zone_record()
        if zone is None:
            return None
        kept = walks.of_room(session.store, session.scope, zone)
        fill(self.walk, [(_title(session, w), w.id) for w in kept])
        walk = next((w for w in kept if w.id == self.walk.currentData()), None)
        links = {x.link.id: x.link for x in session.racks.now.lanes}
        named = walks.by_name(links, walk) if walk is not None and self.recording is None else self._heard_here(zone)
        fill(self.link, [(name, number) for number, name in named])
        return zone, walk, reach.room(session.store, session.scope, zone, places.PLACEMENT, session.picture)

    def show_view(self, view: Any) -> None:
        recording = self.recording is not None
        self.end.setVisible(recording)
        self.start.setText("Mark this place" if recording else "Start a walk")
        self.remove.setVisible(not recording and self.walk.currentData() is not None)
        for box in (self.zone, self.walk):
            box.setEnabled(not recording)
        if view is None:
            self.words.setText("There is no room yet; add one in Ground.")
            return
        zone, walk, drawn = view
        marks = self.recording.marks if self.recording else list(walk.marks) if walk else []
        told = self._told(zone, walk, marks)
        self.plan.show_room(drawn, None, [])
        self.plan.show_rope(told, marks)
        self.graph.show_walk(told, marks, self._reckoned(drawn, told) if told else None)
        self.lost.show_records([LostRow(k + 1, told, k) for k in range(len(told.dropouts))] if told else [])
        self._say(walk, told, zone)

    def _say(self, walk: WalkTest | None, told: Told | None, zone: Zone) -> None:
        if self.recording is not None:
            seconds = self._session.racks.here.hub.now() - self.recording.begun_s
            heard = len(self.recording.rows)
            self.words.setText(f"Recording {heard} links, {int(seconds // 60)}:{int(seconds % 60):02d}. "
                               "Click where the walker is, or press Mark at the next corner.")  # fmt: skip
        elif walk is None:
            self.words.setText(f"No walk of {zone.name} yet. Start one when everything that will be on is on.")
        else:
            self.words.setText(walks.verdict(told) if told else "Nothing was heard of this link on this walk.")

    def _told(self, zone: Zone, walk: WalkTest | None, marks: list[Any]) -> Told | None:
        number = self.link.currentData()
        lane = self._session.racks.now.lane(number) if number is not None else None
        rows = self.recording.rows.get(number, []) if self.recording else (
            walk.readings.get(str(number), ()) if walk else ()
        )  # fmt: skip
        if lane is None or not rows:
            return None
        now = self._session.racks.now
        return walks.told(rows, marks, now.needs.of(lane.model, now.zones[zone.id]))

    def _reckoned(self, drawn: reach.Room, told: Told) -> Floats | None:
        """The better antenna over need (n,) [dB] where the walker was, as Reach has it."""
        lane = self._session.racks.now.lane(self.link.currentData())
        heard = reach.receive(drawn)
        if lane is None or not heard or not np.isfinite(told.place_m).any():
            return None
        freq = self._session.racks.now.freq_hz.get(lane.link.id, 600_000_000)
        who = Wearer(power_dbm=10 * math.log10(lane.model.power_mw), gain_dbi=lane.model.gain_dbi,
                     body_db=lane.model.body_db, freq_hz=float(freq))  # fmt: skip
        at = np.column_stack([told.place_m, np.full(len(told.place_m), who.height_m)])
        levels = [rf.level_dbm(at, places.as_end(a), who, reach.surroundings(drawn)) for a in heard]
        return np.asarray(np.max(levels, axis=0) - drawn.threshold.level_dbm)

    def _heard_here(self, zone: Zone) -> list[tuple[int, str]]:
        racks = self._session.racks
        return [
            (x.link.id, x.link.name) for x in racks.now.lanes
            if x.link.zone_id == zone.id and x.link.id in racks.now.keys
        ]  # fmt: skip

    # -- walking -------------------------------------------------------------------------------------

    def primary(self) -> tuple[str, bool]:
        return ("Mark this place" if self.recording else "Start a walk"), True

    def held(self) -> str:
        return "A walk" if self.recording else ""

    def run_primary(self) -> None:
        """Begin a walk; while one goes on, tell that the next corner of the usual way is reached."""
        if self.recording is not None:
            self._mark_next()
            return
        session, zone = self._session, self.zone_record()
        numbers = tuple(n for n, _ in self._heard_here(zone)) if zone else ()
        heard = [n for n in numbers if session.racks.here.heard(session.racks.now.keys[n][0])]
        if zone is None or not heard:
            session.say("No link of this room is heard by a rack; there is nothing to walk with.", trouble=True)
            return
        self.recording = Recording(zone, tuple(heard), session.racks.here.hub.now())
        self.refresh()

    def end_walk(self) -> None:
        recording, session = self.recording, self._session
        if recording is None:
            return
        self.recording = None
        name = f"Walk {len(walks.of_room(session.store, session.scope, recording.zone)) + 1}"
        session.do(lambda: walks.keep(session.store, session.scope, recording, name, session.now()))
        self.refresh()

    def remove_walk(self) -> None:
        session, zone = self._session, self.zone_record()
        kept = walks.of_room(session.store, session.scope, zone) if zone else []
        walk = next((w for w in kept if w.id == self.walk.currentData()), None)
        if walk is not None:
            session.do(lambda: walks.remove_walk(walk))

    def _mark_next(self) -> None:
        assert self.recording is not None
        drawn = reach.room(self._session.store, self._session.scope, self.recording.zone, places.PLACEMENT)
        way = reach.usual_walk(drawn)
        x, y = way[len(self.recording.marks) % len(way)]
        self._pointed(x, y)

    def _pointed(self, x: float, y: float) -> None:
        if self.recording is not None:
            letter = self.recording.mark(self._session.racks.here.hub.now(), x, y)
            self._session.say(f"{letter}: {x:.0f}, {y:.0f} m")
            self.refresh()

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


def _title(session: Session, walk: WalkTest) -> str:
    return f"{walk.name}, {walk.made_at.astimezone(session.clock.tz):%d %b %H:%M}, {walk.made_by}"


def _columns() -> list[Column]:
    return [
        Column(title="No.", width=40, show=lambda r: str(r.id), right=True),
        Column(title="At", width=76, show=lambda r: f"{int(r.lost.from_s // 60)}:{r.lost.from_s % 60:04.1f}"),
        Column(title="For", width=70, show=lambda r: f"{max(r.lost.to_s - r.lost.from_s, 0.1):.1f} s", right=True),
        Column(title="Place", width=100, show=lambda r: f"{r.place[0]:.0f}, {r.place[1]:.0f} m"
               if np.isfinite(r.place).all() else "not told"),
        Column(title="Sorted as", width=100, show=lambda r: r.lost.sort),
        Column(title="What that says", width=300, show=lambda r: r.advice, prose=True),
    ]  # fmt: skip
