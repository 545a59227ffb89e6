"""Watching racks without a window: events and incidents are told as they come, everything is kept in a log."""

import threading
from collections.abc import Callable, Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from azven.book.eventlog import StatusLog
from azven.gear.racks.address import Address
from azven.gear.racks.hub import Hub
from azven.work.diagnosing import as_dict, sure_in_words
from azven.work.watch.cases import Alarm
from azven.work.watch.ears import Ears
from azven.work.watch.live import LiveBoard
from azven.work.watch.night import Night
from azven.work.watch.recorder import Recorder, Sink
from azven.work.watch.watched import Watched
from azven.work.wording import listed

_EACH_S = 1.0
_WATCHED = ("voice", "in-ear", "intercom", "data")
Tell = Callable[[float, Mapping[str, Any]], None]


class _Telling:
    """Passes events on to whoever reads along; frames are not told."""

    def __init__(self, tell: Tell) -> None:
        self._tell = tell

    def frame(self, t: float, links: Mapping[str, Any]) -> None:
        """Frames are for the log."""

    def event(self, t: float, event: Mapping[str, Any]) -> None:
        if event.get("kind") != "links":
            self._tell(max(round(t, 3), 0.0), event)


class _Cards:
    """Shows the night which links there are, as cards and settings come in."""

    def __init__(self, hub: Hub, start: datetime) -> None:
        self._hub, self._start = hub, start
        self._known: object = None

    def watched(self) -> Watched:
        """What racks tell of their links: without a book that is all that is known."""
        links, keys = [], []
        for rack in self._hub.links:
            for channel in rack.card.channels if rack.card else ():
                if channel.service not in _WATCHED:
                    continue
                freq = rack.settings.get(channel.id, {}).get("freq_hz")
                known = {
                    "name": f"{rack.id}/{channel.id}",
                    "service": channel.service,
                    "rack": rack.id,
                    "freq_hz": freq,
                }
                links.append({k: v for k, v in known.items() if v is not None})
                keys.append((rack.id or rack.address, channel.id))
        return Watched(document={"links": links}, start=self._start, keys=tuple(keys))

    def look(self, night: Night) -> None:
        """Take over what is new."""
        found = self.watched()
        if found.document != self._known:
            self._known = found.document
            night.show(found)


def watch(
    addresses: Sequence[Address], tell: Tell, over: threading.Event, for_s: float | None = None,
    log: Path | None = None, token: str | None = None,
) -> int:  # fmt: skip
    """Watch racks until `over`, or for so long; the number of racks that were reached. Refusal when the log cannot be
    written."""
    sinks: list[Sink] = [_Telling(tell)]
    kept = StatusLog(log, {}, lambda say: tell(0.0, {"kind": "log", "say": say})) if log else None
    if kept:
        sinks.append(kept)
    board = LiveBoard()
    ears = Ears(board)
    hub = Hub(ears)
    start_s, cards = hub.now(), _Cards(hub, datetime.now(UTC))
    recorder = Recorder(sinks, start_s)
    ears.add(recorder)
    night = Night(board, cards.watched(), hub.now, start_s, lambda alarms, t: _ring(alarms, t, tell))
    try:
        for address in addresses:
            hub.add(address, token)
        _look_on(night, cards, board, tell, over, for_s)
    finally:
        hub.stop()
        if kept:
            kept.close()
    return len(recorder.reached)


def _look_on(
    night: Night, cards: _Cards, board: LiveBoard, tell: Tell, over: threading.Event, for_s: float | None
) -> None:  # fmt: skip
    """Look once a second until it is over."""
    end_s = None if for_s is None else night.clock() + for_s
    closed: set[int] = set()
    while not over.is_set() and (end_s is None or night.clock() < end_s):
        for said in board.news():
            night.told(said)
        cards.look(night)
        night.look()
        for case in night.seen.closed:
            if case.number not in closed:
                tell(night.t, {"kind": "over", "number": case.number, "cause": case.incident.cause,
                               "links": list(case.links), "for_s": round(case.last_s - case.since_s, 1)})  # fmt: skip
        closed = {c.number for c in night.seen.closed}
        over.wait(_EACH_S if end_s is None else max(min(_EACH_S, end_s - night.clock()), 0.0))


def _ring(alarms: Sequence[Alarm], t: float, tell: Tell) -> None:
    for alarm in alarms:
        told = as_dict(alarm.case.incident)
        tell(t, {"kind": "incident", "why": alarm.why, "number": alarm.case.number, **told})


def in_words(event: Mapping[str, Any]) -> str:
    """An event as a line for people."""
    if event["kind"] == "incident":
        sure = f"{event['cause']}, {sure_in_words(event['sure'])}" if event["cause"] != "unknown" else "not known why"
        evidence = " ".join((*event["evidence"][:1], *event["next"][:1]))
        return f"{event['number']}  {listed(event['links'], 3)}: {sure} ({event['why']}). {evidence}"
    if event["kind"] == "over":
        return f"{event['number']}  {listed(event['links'], 3)}: over after {event['for_s']:.0f} s ({event['cause']})"
    who = " ".join(str(event[k]) for k in ("rack", "channel") if event.get(k) is not None)
    rest = "; ".join(f"{key} {_short(value)}" for key, value in event.items() if key not in _SAID and value is not None)
    said = event.get("say") or event.get("why")
    parts = [f"{event['kind']}" if not said else f"{event['kind']}: {said}", rest]
    return f"{who}  {'  '.join(p for p in parts if p)}".strip()


_SAID = {"rack", "channel", "kind", "why", "say", "count", "links"}


def _short(value: Any) -> str:
    return ", ".join(f"{k} {v}" for k, v in value.items()) if isinstance(value, dict) else str(value)
