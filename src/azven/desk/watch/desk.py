"""The watch of a window: it begins when racks are dialled, and goes on whatever is in view."""

from collections import deque
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from azven.desk import faults
from azven.desk.watch.alarms import Alarms
from azven.gear.racks.told import Told
from azven.refusal import Refusal
from azven.work.diagnosing import as_dict
from azven.work.register.astray import worn_units
from azven.work.watch import swept, watched
from azven.work.watch.batteries import Charge
from azven.work.watch.board import Board
from azven.work.watch.cases import Alarm, Case
from azven.work.watch.hours import Hours
from azven.work.watch.keeping import Keeping, folder_of, logs
from azven.work.watch.night import Night, Seen
from azven.work.watch.recorder import Recorder
from azven.work.watch.replay import LOG, Replay, watched_of
from azven.work.watch.swaps import Swap, Swaps, history
from azven.work.watch.watched import Watched

if TYPE_CHECKING:
    from azven.desk.prove.racks import RackDesk
    from azven.desk.session import Session

_DIFFERENCES_EVERY = 25
"""Ticks between two looks at what differs between plan and units."""
_RENEWED_AFTER = 100
"""Ticks after the last edit that matters to a log, before it begins another file."""


_LINES = 2_000
_QUIET = frozenset({"bad", "late"})


@dataclass(frozen=True)
class Line:
    """Something that happened at a time of the watch [s]."""

    t: float
    kind: str
    detail: Mapping[str, Any]


class WatchDesk(QObject):
    """Made when it is first asked for, let go of with the window. `looked` comes when there is something new to see,
    five times a second at most; `rang` with what somebody should look at."""

    looked = pyqtSignal()
    rang = pyqtSignal(object)
    _alarmed = pyqtSignal(object, float)
    _disk = pyqtSignal(str)
    _fault = pyqtSignal(object)

    def __init__(self, session: "Session", racks: "RackDesk") -> None:
        super().__init__(racks)
        self._session, self._racks = session, racks
        self.start = datetime.now(UTC)
        self._start_s = racks.here.hub.now()
        self.keeping: Keeping | None = None
        self._recorder: Recorder | None = None
        self._swept: set[int] = set()
        self.swaps: list[Swap] = []
        self._hours = Hours(session.scope)
        self._swapping = Swaps()
        self._charges: Sequence[Charge] = ()
        self.lines: deque[Line] = deque(maxlen=_LINES)
        """What happened in this watch, the last at the end."""
        self._ticks = self._renew_at = 0
        self._counted: tuple[int, bool] = (0, False)
        self._shown: Seen | None = None
        self._alarmed.connect(self._ring)
        self._disk.connect(lambda text: session.say(text, trouble=True))
        self._fault.connect(self._failed)
        self._faults: set[str] = set()
        self.live = self.night = Night(
            racks.here.live,
            self._watched(),
            racks.here.hub.now,
            self._start_s,
            self._alarmed.emit,
            self._fault.emit,
            beside=True,
        )
        self.replay: Replay | None = None
        self._scratch: TemporaryDirectory[str] | None = None
        self.alarms = Alarms(session, self)
        self._stale = False
        self.live.start()
        racks.ticked.connect(self._tick)
        racks.told.connect(self._told)

    # what is watched

    def _watched(self) -> Watched:
        session = self._session
        return watched.of_show(session.store, session.scope, self._racks.now.keys, self.start)

    @property
    def seen(self) -> Seen:
        """How it stands, live or in the log that is played."""
        return self.night.seen

    @property
    def board(self) -> Board:
        return self.night.board

    @property
    def now_s(self) -> float:
        """The time of the board in view."""
        return self.night.read_clock()

    def moment(self, t: float) -> datetime:
        """The moment of a time of the watch in view, by the clock of the site."""
        began = self.seen.watched.start if self.replay is not None else self.start
        return (began + timedelta(seconds=t)).astimezone(self._session.clock.tz)

    def forget(self) -> None:
        """The book has changed: it is read again with the next tick."""
        self._stale = True

    def move(self) -> None:
        """Another show is looked at: its cases are others."""
        self.end_replay()
        self._hours.end()
        self._hours.move(self._session.scope)
        self.live.begin_again()
        self._stale = True

    def _read(self) -> None:
        """Watch what the book says now; the log begins a new file where that matters."""
        self._stale = False
        self._take_sweeps()
        found = self._watched()
        if found != self.live.seen.watched:
            before = self.live.seen.watched.document
            self.live.show(found)
            if found.document != before and self.keeping is not None:
                self._renew_at = self._ticks + _RENEWED_AFTER

    def _take_sweeps(self) -> None:
        """Sweeps that came since: they tell of strangers and noise."""
        session = self._session
        for number, sweep in swept.since(session.store, session.scope, self.start, self._swept):
            self._swept.add(number)
            self.live.swept(sweep)
            levels = [None if value != value else round(float(value), 1) for value in sweep.levels]
            if self.keeping is not None:
                self.keeping.event(self.live.t, {"kind": "sweep", "zone": sweep.zone, "low_hz": sweep.low_hz,
                                                 "step_hz": sweep.step_hz, "levels": levels})  # fmt: skip

    # the log

    def _begin_log(self) -> None:
        where = self.folder
        if where is None:
            return
        self._renew_at = 0
        self.keeping = self.keeping or Keeping(where, self._disk.emit)
        head = watched.of_show(
            self._session.store, self._session.scope, self._racks.now.keys, datetime.now(UTC)
        ).document  # fmt: skip
        try:
            self.keeping.begin(self.live.t, head)
        except (Refusal, OSError) as error:
            self._session.say(f"Nothing of this watch can be written to {where}: {error}", trouble=True)
            return
        ears = self._racks.here.ears
        if self._recorder is not None:
            ears.remove(self._recorder)
        names = {key: name for key, name in zip(self.seen.watched.keys, self.seen.watched.names, strict=True) if key}
        self._recorder = Recorder(
            [self.keeping], self._start_s, lambda rack, channel: names.get((rack, channel), f"{rack}/{channel}")
        )  # fmt: skip
        ears.add(self._recorder)

    @property
    def folder(self) -> Path | None:
        """Where the logs of this book are."""
        log = faults.log_file()
        return folder_of(self._session.store.place, log.parent if log else None)

    def write(self, kind: str, **detail: Any) -> None:
        """Write an event of ours into the log."""
        self.lines.append(Line(self.live.t, kind, detail))
        if self.keeping is not None:
            self.keeping.event(self.live.t, {"kind": kind, **detail})

    # what comes

    def _told(self, news: Sequence[Told]) -> None:
        for told in news:
            if told.kind not in _QUIET:
                self.lines.append(Line(told.at_s - self._start_s, told.kind, {"rack": told.rack, **told.detail}))
            self.live.told(told)

    def _tick(self) -> None:
        self._ticks += 1
        if self._stale:
            self._read()
        if self.keeping is None and any(x.state == "live" for x in self._racks.here.hub.links):
            self._begin_log()
        if self._ticks % _DIFFERENCES_EVERY == 0:
            self._compare()
            if self.keeping is not None and (self.keeping.full or 0 < self._renew_at <= self._ticks):
                self._begin_log()
        if self.live.seen is not self._shown:
            self._add_up()
            self._shown = self.live.seen
            self._count()
            self._look_for_swaps()
        self.looked.emit()

    def _add_up(self) -> None:
        """An hour of a link becomes a line of the book."""
        self._hours.take(self.live.seen, datetime.now(UTC), worn_units(self._session.store, self._session.scope))
        self._hours.write(self._session.store)

    def _look_for_swaps(self) -> None:
        if self.live.seen.charges is self._charges:
            return
        self._charges = self.live.seen.charges
        for swap in self._swapping.look(self._charges, self.live.t):
            self.swaps.append(swap)
            self.write("battery", link=swap.link, before=swap.before, after=swap.after, ran_min=swap.ran_min)

    def read_history(self, progress: Callable[[int, int], bool]) -> list[str]:
        """Swaps of every evening that is kept; to be called beside the window."""
        return history(logs(self.folder), progress)

    def _compare(self) -> None:
        found: dict[str, list[str]] = {}
        watched = self.live.seen.watched
        names = {x.id: n for i, n in enumerate(watched.names) if (x := watched.record(i)) is not None}
        for d in self._racks.here.differences(self._racks.now):
            if d.link.id in names and not d.link.spare:
                found.setdefault(names[d.link.id], []).append(f"{d.setting} is {d.there}, planned {d.wanted}")
        self.live.unsent = found

    def _count(self) -> None:
        now = len(self.live.seen.open), any(c.mark == "broken" for c in self.live.seen.open)
        if now != self._counted:
            self._counted = now
            self._session.counted.emit()

    def _failed(self, error: Exception) -> None:
        """A look went wrong: told once for each kind, every one is in the log of faults."""
        said = faults.sentence(error)
        if said not in self._faults:
            self._faults.add(said)
            self._session.say(said, trouble=True)

    def _ring(self, alarms: Sequence[Alarm], t: float) -> None:
        for alarm in alarms:
            self.write("case", number=alarm.case.number, why=alarm.why, **as_dict(alarm.case.incident))
        self.rang.emit(alarms)

    # what people do

    def take(self, case: Case) -> None:
        """Somebody here has it."""
        self._do(lambda cases, t: cases.take(case.number, self._racks.here.who, t), "taken", case)

    def hush(self, case: Case, seconds: float) -> None:
        """Not to be heard of for a while."""
        self._do(lambda cases, t: cases.hush(case.number, self._racks.here.who, t, seconds), "hushed", case)

    def open_again(self, case: Case) -> None:
        self._do(lambda cases, t: cases.open_again(case.number), "open again", case)

    def close(self, case: Case, what: str) -> None:
        """It is over, and this is what it was."""
        self._do(lambda cases, t: cases.close(case.number, what), "closed", case, what=what)

    def note(self, case: Case, text: str) -> None:
        self._do(lambda cases, t: cases.note(case.number, self._racks.here.who, text, t), "note", case, text=text)

    def _do(self, deed: Any, why: str, case: Case, **detail: Any) -> None:
        self.night.do(deed)
        if self.replay is None:
            self.write("case", number=case.number, why=why, by=self._racks.here.who, **detail)
        self._count()
        self.looked.emit()

    # playing a log

    def play(self, path: Path) -> None:
        """Watch a log instead of what is live, which goes on being watched. Refusal for a file that is none."""
        self.end_replay()
        found = watched_of(path)
        self.replay = Replay(path, self._played_event)
        replay = self.replay
        self.night = Night(
            replay, found, replay.clock, 0.0, failed=self._fault.emit, read=lambda: replay.t
        ).start()  # fmt: skip
        self._racks.keep_ticking()
        self.looked.emit()

    def _played_event(self, t: float, event: Mapping[str, Any]) -> None:
        values = event.get("values")
        if event.get("kind") == "sent" and isinstance(values, Mapping) and self.night is not self.live:
            self.night.sent((LOG, str(event.get("channel"))), values, t)

    def set_speed(self, speed: float) -> None:
        """How fast the log is played; 0 stands still."""
        if self.replay is not None:
            self.replay.speed = speed

    def jump(self, t: float) -> None:
        """Go to a time of the log, forwards or back; what lies between is taken in on the thread of its watch."""
        if self.replay is not None:
            self.replay.jump(t)
            if t < self.night.seen.t:
                self.night.begin_again()

    @property
    def scratch(self) -> Path:
        """Where logs of rehearsals are kept as long as this window is open."""
        self._scratch = self._scratch or TemporaryDirectory(prefix="azven-rehearsal-")
        return Path(self._scratch.name)

    def end_replay(self) -> None:
        """Back to what is live."""
        if self.replay is not None:
            self.night.stop()
            self.replay.close()
            self.night, self.replay = self.live, None
            self.looked.emit()

    def stop(self) -> None:
        """Let go of it; safe to call twice."""
        self.end_replay()
        self._hours.end()
        self._hours.write(self._session.store)
        self.live.stop()
        self.alarms.stop()
        if self.keeping is not None:
            self.keeping.close()
        if self._scratch is not None:
            self._scratch.cleanup()
            self._scratch = None
