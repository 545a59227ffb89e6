"""What racks say, as the status log has it: every frame and event under the keys of links."""

from collections.abc import Callable, Mapping
from typing import Any, Protocol, get_args

from azven.gear.racks.link import RackLink
from azven.gear.racks.told import Kind, Told
from azven.gear.racks.values import Fields

_NAMED_EVERY_S = 9.0
"""Every link that is heard of is named with all its fields at least every ten seconds."""
_OURS = frozenset({*get_args(Kind), "links", "sweep"})


class Sink(Protocol):
    """Takes frames and events at times [s since the start]."""

    def frame(self, t: float, links: Mapping[str, Any]) -> None:
        """Status fields by link."""

    def event(self, t: float, event: Mapping[str, Any]) -> None:
        """An event."""


class Recorder:
    """Hears the racks of a hub. `key` names the link of a rack's channel; without a book that is `id/channel`."""

    def __init__(self, sinks: list[Sink], start_s: float, key: Callable[[str, str], str] | None = None) -> None:
        self._sinks = sinks
        self._start_s = start_s
        self._key = key or (lambda rack, channel: f"{rack}/{channel}")
        self._keys: dict[tuple[str, str], str] = {}
        self._named_s: dict[str, float] = {}
        self._settings: dict[str, dict[str, Any]] = {}
        self.reached: set[str] = set()

    def frame(self, link: RackLink, now_s: float, changes: dict[str, Fields], full: bool) -> None:
        rack = link.id or link.address
        if full:
            self._named_s[rack] = now_s
        elif now_s - self._named_s.setdefault(rack, now_s) >= _NAMED_EVERY_S:
            self._named_s[rack] = now_s
            changes = {channel: dict(fields) for channel, fields in link.status.values.items() if fields}
        if changes:
            told = {self._link(rack, channel): fields for channel, fields in changes.items()}
            for sink in self._sinks:
                sink.frame(now_s - self._start_s, told)
        if full:
            self._tell_settings(link, now_s)

    def _tell_settings(self, link: RackLink, now_s: float) -> None:
        """What links are set to is known some time after their rack is: it is told once then."""
        known = {channel: settings.get("freq_hz") for channel, settings in link.settings.items()}
        if known and self._settings.get(_rack(link)) != known:
            self._settings[_rack(link)] = known
            self._say(now_s, {"rack": _rack(link), "kind": "links", "links": self._links(link)})

    def told(self, link: RackLink, told: Told) -> None:
        event = self._event(told)
        if told.kind == "connected" and link.card is not None:
            self.reached.add(link.address)
            event |= {"name": link.card.name, "address": link.address}
        self._say(told.at_s, event)
        if told.kind == "connected":
            self._say(told.at_s, {"rack": told.rack, "kind": "links", "links": self._links(link)})

    def _say(self, at_s: float, event: dict[str, Any]) -> None:
        for sink in self._sinks:
            sink.event(at_s - self._start_s, event)

    def _event(self, told: Told) -> dict[str, Any]:
        event = {"rack": told.rack, "kind": told.kind, **told.detail}
        if told.kind == "event" and event["kind"] in _OURS:  # a rack does not speak in our name
            event["kind"] = f"{event['kind']} (said by the rack)"
        channel = event.get("channel")
        if isinstance(channel, str):
            event["channel"] = self._link(told.rack, channel)
        return event

    def _links(self, link: RackLink) -> list[dict[str, Any]]:
        """What is known of the links of a rack."""
        found = []
        for channel in link.card.channels if link.card else ():
            settings = link.settings.get(channel.id, {})
            known = {"freq_hz": settings.get("freq_hz"), "title": settings.get("name"), "service": channel.service}
            said = {key: value for key, value in known.items() if value is not None}
            key = self._link(_rack(link), channel.id)
            found.append({"name": key, "rack": _rack(link), "channel": channel.id} | said)
        return found

    def _link(self, rack: str, channel: str) -> str:
        key = self._keys.get((rack, channel))
        if key is None:
            key = self._keys[rack, channel] = self._key(rack, channel)
        return key


def _rack(link: RackLink) -> str:
    """The rack of a link as events name it."""
    return link.id or link.address
