"""The card with which a rack introduces itself."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from azven.gear.racks.values import Checker, is_int, is_number
from azven.gear.racks.words import MOST_CHANNELS

_ID = re.compile(r"[A-Za-z0-9._:-]{1,64}")
_SERVICES = {"ear": "in-ear"}


class CardError(ValueError):
    """A card that cannot be taken; the message is a sentence for people."""


@dataclass(frozen=True, kw_only=True)
class PortCard:
    """One network port as the rack says it is set."""

    mode: str | None = None
    ip: str | None = None
    mask: str | None = None
    gateway: str | None = None
    mac: str | None = None


@dataclass(frozen=True, kw_only=True)
class NetworkCard:
    """The network of a rack: layout, id at the console, its ports. None: not known, or there is none."""

    layout: str | None = None
    console_id: int | None = None
    control: PortCard | None = None
    audio: PortCard | None = None
    secondary: PortCard | None = None


@dataclass(frozen=True, kw_only=True)
class ChannelCard:
    """One channel of a rack: its band [Hz] with its steps, its antenna sides, what it can. None: not known."""

    id: str
    service: str | None = None
    direction: str | None = None
    low_hz: int | None = None
    high_hz: int | None = None
    step_hz: int | None = None
    sides: tuple[str, ...] = ()
    can: frozenset[str] = frozenset()
    limits: Mapping[str, tuple[Any, ...]] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class Card:
    """What a rack is: its identity, its channels, its network."""

    id: str
    name: str
    kind: str
    rate_hz_max: float
    channels: tuple[ChannelCard, ...]
    model: str | None = None
    serial: str | None = None
    firmware: str | None = None
    can: frozenset[str] = frozenset()
    network: NetworkCard = field(default_factory=NetworkCard)
    ms: int | None = None

    def channel(self, channel_id: str) -> ChannelCard | None:
        """The channel of an id."""
        return next((c for c in self.channels if c.id == channel_id), None)


def is_id(value: Any) -> bool:
    """Whether a value may be the id of a rack or a channel."""
    return isinstance(value, str) and _ID.fullmatch(value) is not None


def read_card(value: Any, checker: Checker) -> Card:
    """The card in a result of `hello`. CardError where it cannot be taken; members of a wrong type that are not
    needed are left out and counted."""
    if not isinstance(value, dict):
        raise CardError("The rack's card is no object.")
    if not is_int(value.get("link")) or value["link"] != 1:
        raise CardError(f"The rack speaks rack link {checker.text(str(value.get('link')))}, Azven speaks 1.")
    rack = value.get("rack")
    if not isinstance(rack, dict) or not is_id(rack.get("id")):
        raise CardError("The rack's card has no usable id.")
    for member in ("name", "kind"):
        if not isinstance(rack.get(member), str):
            raise CardError(f"The card of {rack['id']} has no {member}.")
    rate = value.get("rate_hz_max")
    if not is_number(rate) or rate <= 0:
        raise CardError(f"The card of {rack['id']} says no rate above 0.")
    reader = _Reader(checker)
    return Card(
        id=rack["id"],
        name=checker.text(rack["name"]),
        kind=checker.text(rack["kind"]),
        rate_hz_max=float(rate),
        channels=_channels(value.get("channels"), rack["id"], reader),
        model=reader.text(rack, "model"),
        serial=reader.text(rack, "serial"),
        firmware=reader.text(rack, "firmware"),
        can=reader.words(value, "can"),
        network=_network(reader.member(value, "network", dict), reader),
        ms=reader.integer(value, "ms"),
    )


def _channels(value: Any, rack: str, reader: "_Reader") -> tuple[ChannelCard, ...]:
    if not isinstance(value, list):
        raise CardError(f"The card of {rack} has no list of channels.")
    if len(value) > MOST_CHANNELS:
        raise CardError(f"The card of {rack} lists {len(value)} channels; {MOST_CHANNELS} are the most.")
    if any(not isinstance(c, dict) or not is_id(c.get("id")) for c in value):
        raise CardError(f"The card of {rack} has a channel without a usable id.")
    ids = [c["id"] for c in value]
    if len(set(ids)) < len(ids):
        raise CardError(f"The card of {rack} has two channels with one id.")
    return tuple(_channel(c, reader) for c in value)


def _channel(value: dict[str, Any], reader: "_Reader") -> ChannelCard:
    service = reader.text(value, "service")
    return ChannelCard(
        id=value["id"],
        service=_SERVICES.get(service, service) if service else service,
        direction=reader.text(value, "direction"),
        low_hz=reader.integer(value, "low_hz"),
        high_hz=reader.integer(value, "high_hz"),
        step_hz=reader.integer(value, "step_hz"),
        sides=tuple(sorted(reader.words(value, "sides"))),
        can=reader.words(value, "can"),
        limits=_limits(reader.member(value, "limits", dict), reader),
    )


def _limits(value: dict[str, Any] | None, reader: "_Reader") -> dict[str, tuple[Any, ...]]:
    """Limits by setting: numbers as (low, high, step), choices as they are listed."""
    found = {}
    for key, limits in (value or {}).items():
        if isinstance(limits, list) and limits and all(isinstance(x, str) or is_number(x) for x in limits):
            found[key] = tuple(reader.checker.text(x) if isinstance(x, str) else x for x in limits)
        else:
            reader.checker.count("type")
    return found


def _network(value: dict[str, Any] | None, reader: "_Reader") -> NetworkCard:
    if value is None:
        return NetworkCard()
    return NetworkCard(
        layout=reader.text(value, "layout"),
        console_id=reader.integer(value, "console_id"),
        **{port: _port(reader.member(value, port, dict), reader) for port in ("control", "audio", "secondary")},
    )


def _port(value: dict[str, Any] | None, reader: "_Reader") -> PortCard | None:
    if value is None:
        return None
    return PortCard(**{key: reader.text(value, key) for key in ("mode", "ip", "mask", "gateway", "mac")})


class _Reader:
    """Members that are not needed: None where they are missing, null or of a wrong type; the last is counted."""

    def __init__(self, checker: Checker) -> None:
        self.checker = checker

    def member(self, value: dict[str, Any], key: str, kind: type) -> Any:
        found = value.get(key)
        if found is not None and not isinstance(found, kind):
            self.checker.count("type")
            return None
        return found

    def text(self, value: dict[str, Any], key: str) -> str | None:
        found = self.member(value, key, str)
        return None if found is None else self.checker.text(found)

    def integer(self, value: dict[str, Any], key: str) -> int | None:
        found = value.get(key)
        if found is not None and not is_int(found):
            self.checker.count("type")
            return None
        return found

    def words(self, value: dict[str, Any], key: str) -> frozenset[str]:
        found = self.member(value, key, list) or []
        words = [w for w in found if isinstance(w, str)]
        self.checker.count("type", len(found) - len(words))
        return frozenset(self.checker.text(w) for w in words)
