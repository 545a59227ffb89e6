"""Carrying deeds out: asked once, sent with what was expected, read back, written down with what was before."""

from collections.abc import Callable, Iterable
from functools import partial

from azven.desk.session import Session
from azven.desk.watch.asking import Asking
from azven.desk.watch.desk import WatchDesk
from azven.gear.racks.calls import Call
from azven.work.watch import deeds
from azven.work.watch.cases import Case
from azven.work.watch.deeds import Channel, Deed


class Doing:
    """What can be done from the watch of a window, and doing it. `ordered` is called with what the person at a pack is
    to be told."""

    def __init__(self, session: Session, watch: WatchDesk, asking: Asking, ordered: Callable[[str], object]) -> None:
        self._session, self._watch, self._asking, self._ordered = session, watch, asking, ordered

    def channels(self, names: Iterable[str]) -> dict[int, Channel]:
        """Channels of some links that are heard, by link number."""
        here, now, watched = self._session.racks.here, self._session.racks.now, self._watch.live.seen.watched
        found = {}
        for name in names:
            link = watched.called(name)
            number, key = (link.id, now.keys.get(link.id)) if link is not None else (0, None)
            card = here.card(key) if key is not None else None
            if key is not None and card is not None and here.heard(key[0]):
                found[number] = Channel(key, card, here.settings(key), here.live.now(key))
        return found

    def offers(self, case: Case) -> list[Deed]:
        """What may be done about a case; nothing in a log that is played."""
        if self._watch.replay is not None:
            return []
        known = self.channels(case.links[:1])
        return deeds.offers(self._watch.seen.watched, case, known, self._session.racks.now.freq_hz)

    def ask(self, deed: Deed) -> None:
        """Ask once, then do it."""
        name = self._name(deed)
        caution = deed.caution or (f"Then: {deed.order}." if deed.order else "")
        words = f"{name}: {deed.title[:1].lower()}{deed.title[1:]}? {deed.effect[:1].upper()}{deed.effect[1:]}."
        self._asking.ask(words, deed.title, lambda _: self.do(deed), caution)

    def do(self, deed: Deed) -> None:
        """Send it; the answer is told."""
        if deed.method == "sync" and deed.order:
            self._ordered(deed.order)
        self._session.say(f"{self._name(deed)}: {deed.title} is sent …")
        self._session.racks.ask(deed.key, deed.method, partial(self._ended, deed), **deed.call)

    def _name(self, deed: Deed) -> str:
        lane = self._session.racks.now.lane(deed.link)
        return lane.link.name if lane is not None else f"channel {deed.key[1]}"

    def _ended(self, deed: Deed, call: Call) -> None:
        name = self._name(deed)
        there = call.result.get("values", {}) if call.outcome == "done" else {}
        left = {k: v for k, v in deed.values.items() if there.get(k) != v}
        self._watch.write(
            "deed", what=deed.title, link=name, channel=name, rack=deed.key[0], values=dict(deed.values),
            before=dict(deed.expect), outcome=call.outcome, by=self._session.racks.here.who,
        )  # fmt: skip
        if call.outcome != "done":
            why = call.message or call.outcome
            self._session.say(f"{name}: {deed.title} was not done: {why}", trouble=True)
        elif left:
            self._session.say(f"{name}: the unit answered, and has {left} not as it was asked to.", trouble=True)
        else:
            self._session.say(f"{name}: {deed.title}, done and read back.")
            if deed.order and deed.method == "set":
                self._ordered(deed.order)
            if deed.spare:
                self._exchange(deed)

    def _exchange(self, deed: Deed) -> None:
        self._session.do(lambda: deeds.exchanged(self._session.store, self._session.scope, deed))
