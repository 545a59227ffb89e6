"""The racks of a window: what they tell comes to the screens here, on the screens' thread."""

from collections.abc import Callable, Sequence
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from azven.desk import faults
from azven.desk.watch.desk import WatchDesk
from azven.gear.racks import tokens
from azven.gear.racks.adapters import schemes
from azven.gear.racks.address import address
from azven.gear.racks.calls import Call
from azven.gear.racks.discovery import Browsing
from azven.gear.racks.told import Told
from azven.refusal import Refusal
from azven.work.prove import network
from azven.work.prove.here import RacksHere, ShowNow, show_now
from azven.work.prove.sending import Difference, by_channel, call_for
from azven.work.prove.troubles import Ask, new_address
from azven.work.watch.traces import Key

if TYPE_CHECKING:
    from azven.desk.session import Session

_TICK_MS = 200
_CARD_MS = 600
"""After a band was set the card is read again."""
_LOUD = {"lost", "back", "refused", "same-id", "late", "closed"}


class RackDesk(QObject):
    """Made when it is first asked for, let go of with the window. `ticked` comes five times a second while racks are
    dialled."""

    ticked = pyqtSignal()
    told = pyqtSignal(object)
    """Events of racks that came since the last tick."""
    _answered = pyqtSignal(object, object)

    def __init__(self, session: "Session") -> None:
        super().__init__(session)
        self._session = session
        log = faults.log_file()
        self.here = RacksHere(session.store.author.who, log.parent / "racks.json" if log else None)
        self._now: ShowNow | None = None
        self._moving: dict[str, str] = {}
        self.browsing: Browsing | None = None
        """Looking for racks that announce themselves, while somebody wants it."""
        self._answered.connect(lambda call, then: then(call))
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._tick)
        self.watch = WatchDesk(session, self)
        self.dial()

    @property
    def now(self) -> ShowNow:
        """What the book says, read anew when it has changed."""
        if self._now is None:
            self._now = show_now(self._session.store, self._session.scope)
        return self._now

    def dial(self) -> None:
        """Keep links to the racks of the list."""
        listed = network.racks(self._session.store, self._session.scope)
        try:
            self.here.dial(listed)
        except Refusal as refusal:
            self._session.say(str(refusal), trouble=True)
        if any(r.address for r in listed):
            self.keep_ticking()

    def keep_ticking(self) -> None:
        """There is something to look at from now on."""
        self._timer.start(_TICK_MS)

    def ask(self, key: Key, method: str, then: Callable[[Call], None], **params: object) -> None:
        """Ask a rack; `then` is called here with the answer."""
        self.here.ask(key, method, lambda call: self._answered.emit(call, then), **params)

    def carry_out(self, asks: Sequence[Ask], then: Callable[[list[Call]], None]) -> None:
        """Make calls that somebody asked for; `then` is called here when all have ended. A rack that says it will
        answer elsewhere is dialled there too."""
        done: list[Call] = []

        def ended(rack: str, before: str | None, call: Call) -> None:
            done.append(call)
            if call.method == "network" and call.outcome == "done":
                self._follow(rack, before, call)
            if len(done) == len(asks):
                then(done)

        for ask in asks:
            call = Call(ask.method, dict(ask.params), self.here.who)
            after = partial(ended, ask.rack, self._control_ip(ask.rack))
            call.ended = lambda c, after=after: self._answered.emit(c, after)
            self.here.hub.call(ask.rack, call)

    def _control_ip(self, rack: str) -> str | None:
        link = self.here.hub.link(rack)
        port = link.card.network.control if link is not None and link.card is not None else None
        return port.ip if port is not None else None

    def _follow(self, rack: str, before: str | None, call: Call) -> None:
        link = self.here.hub.link(rack)
        there = new_address(link.address, before, call.result) if link is not None else None
        if there is not None:
            self._moving[rack] = there
            self.here.hub.add(address(there, schemes()), tokens.stored(there))

    def _moved(self) -> None:
        """Racks that answer where they said they would: the list says so too."""
        for rack, there in list(self._moving.items()):
            link = self.here.link_at(there)
            if link is None or not link.ready or link.id != rack:
                continue
            del self._moving[rack]
            listed = next((r for r in network.racks(self._session.store, self._session.scope) if r.rack == rack), None)
            if listed is not None:
                self._session.do(partial(network.move, listed, there))

    def send(self, rows: list[Difference], then: Callable[[list[Call]], None]) -> None:
        """Send what differs as one batch, a call a channel; one that does not answer does not hold up the rest."""
        bands = [d for d in rows if d.setting == "band"]
        if bands and len(bands) < len(rows):  # a frequency is judged by the band that a unit has
            shown = {(d.key, d.setting) for d in rows if d.setting != "band"}
            self.send(bands, lambda calls: QTimer.singleShot(_CARD_MS, partial(self._rest, shown, calls, then)))
            return
        parts = by_channel(rows)
        done: list[Call] = []

        def ended(call: Call) -> None:
            done.append(call)
            if len(done) == len(parts):
                then(done)

        for key, part in parts.items():
            call = call_for(part, self.here.who)
            call.ended = lambda c: self._answered.emit(c, ended)
            self.here.hub.call(key[0], call)
        if not parts:
            then([])

    def _rest(
        self, shown: set[tuple[Key, str]], before: list[Call], then: Callable[[list[Call]], None]
    ) -> None:  # fmt: skip
        """What was shown and still differs once bands are set."""
        rows = [d for d in self.here.differences(self.now) if (d.key, d.setting) in shown]
        self.send(rows, lambda calls: then([*before, *calls]))

    def stop(self) -> None:
        self._timer.stop()
        self.watch.stop()
        if self.browsing is not None:
            self.browsing.stop()
        self.here.stop()

    def forget(self) -> None:
        """The book has changed: it is read anew, and what is in the list now is dialled."""
        self._now = None
        self.watch.forget()
        listed = {r.address for r in network.racks(self._session.store, self._session.scope) if r.address}
        if listed != {x.address for x in self.here.hub.links} - set(self._moving.values()):
            self.dial()

    def move(self) -> None:
        """Another show is looked at."""
        self._now = None
        self.here.synced.clear()
        self.watch.move()
        self.dial()

    def _tick(self) -> None:
        news = self.here.live.news()
        for told in news:
            if told.kind in _LOUD:
                why = told.detail.get("why", "")
                self._session.say(f"{self._name(told)}: {told.kind}{f', {why}' if why else ''}", told.kind != "back")
        if news:
            self.told.emit(news)
        if self._moving:
            self._moved()
        self.ticked.emit()

    def _name(self, told: Told) -> str:
        link = self.here.hub.link(told.rack)
        return f"{link.card.name} ({told.rack})" if link and link.card else told.rack
