"""Watching racks without a window: events are told as they come, everything is kept in a log."""

import threading
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

from azven.book.eventlog import StatusLog
from azven.gear.racks.address import Address
from azven.gear.racks.hub import Hub
from azven.gear.racks.link import RackLink
from azven.gear.racks.told import Told
from azven.gear.racks.values import Fields
from azven.work.watch.recorder import Recorder, Sink

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


class _Hearing:
    """The hub is there before its recorder, which needs its clock."""

    recorder: Recorder | None = None

    def frame(self, link: RackLink, now_s: float, changes: dict[str, Fields], full: bool) -> None:
        if self.recorder:
            self.recorder.frame(link, now_s, changes, full)

    def told(self, link: RackLink, told: Told) -> None:
        if self.recorder:
            self.recorder.told(link, told)


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
    hearing = _Hearing()
    hub = Hub(hearing)
    recorder = hearing.recorder = Recorder(sinks, hub.now())
    try:
        for address in addresses:
            hub.add(address, token)
        over.wait(for_s)
    finally:
        hub.stop()
        if kept:
            kept.close()
    return len(recorder.reached)


def in_words(event: Mapping[str, Any]) -> str:
    """An event as a line for people."""
    who = " ".join(str(event[k]) for k in ("rack", "channel") if event.get(k) is not None)
    rest = "; ".join(f"{key} {_short(value)}" for key, value in event.items() if key not in _SAID and value is not None)
    said = event.get("say") or event.get("why")
    parts = [f"{event['kind']}" if not said else f"{event['kind']}: {said}", rest]
    return f"{who}  {'  '.join(p for p in parts if p)}".strip()


_SAID = {"rack", "channel", "kind", "why", "say", "count", "links"}


def _short(value: Any) -> str:
    return ", ".join(f"{k} {v}" for k, v in value.items()) if isinstance(value, dict) else str(value)
