"""What can go wrong with stand-ins, on request or by a script: with gear in somebody's hands, and with racks."""

import json
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from azven.gear.racks.values import is_number
from azven.gear.standins.house import RackHouse
from azven.gear.standins.things import Channel, Pack
from azven.refusal import Refusal

_ASTRAY_HZ = 1_000_000


def _pack(channel: Channel) -> Pack:
    if channel.pack is None:
        raise Refusal(f"Channel {channel.id} has no pack that could fail.")
    return channel.pack


def _never_follows(channel: Channel) -> None:
    _pack(channel).deaf = True


def _low_battery(channel: Channel) -> None:
    pack = _pack(channel)
    pack.used_min = 0.93 * pack.cell.lasts_min()


def _no_voice(channel: Channel) -> None:
    _pack(channel).talks = False


def _weak(channel: Channel) -> None:
    _pack(channel).power_mw = 2e-5


def _too_loud(channel: Channel) -> None:
    _pack(channel).gain_db = 24.0


def _muted(channel: Channel) -> None:
    _pack(channel).mute = True


def _other_key(channel: Channel) -> None:
    _pack(channel).enc = "differs"


def _astray(channel: Channel) -> None:
    """Somebody has set another frequency at the pack."""
    _pack(channel).freq_hz += _ASTRAY_HZ


def _switched_on(channel: Channel) -> None:
    """In step with its receiver, as after a sync."""
    pack = _pack(channel)
    pack.on, pack.freq_hz, pack.name = True, channel.tuned_hz, str(channel.settings.get("name", pack.name))


def _switched_off(channel: Channel) -> None:
    _pack(channel).on = False


def _unmuted(channel: Channel) -> None:
    _pack(channel).mute = False


def _fresh_battery(channel: Channel) -> None:
    _pack(channel).used_min = 0.0


def _wrong_band(channel: Channel) -> None:
    """The unit comes in the last of its other bands."""
    there = channel.settings.get("band")
    other = [name for name in channel.bands if name != there]
    if not other:
        raise Refusal(f"Channel {channel.id} has one band only.")
    channel.low_hz, channel.high_hz = channel.bands[other[-1]]
    channel.settings = {**channel.settings, "band": other[-1], "freq_hz": channel.low_hz}
    if channel.pack is not None:
        channel.pack.freq_hz = channel.low_hz


OF_GEAR: dict[str, Callable[[Channel], None]] = {
    "never follows": _never_follows, "low battery": _low_battery, "no voice": _no_voice, "weak": _weak,
    "too loud": _too_loud, "muted": _muted, "encryption differs": _other_key, "another frequency": _astray,
    "wrong band": _wrong_band, "switched on": _switched_on, "switched off": _switched_off, "unmuted": _unmuted,
    "fresh battery": _fresh_battery,
}  # fmt: skip
"""What can happen to a channel and its pack, by its name."""
OF_RACKS = ("silence", "flood", "lies", "cut", "wrong address", "same number", "old firmware", "never syncs")
"""What can be wrong with a rack; the first four pass where they are given seconds."""


@dataclass(frozen=True)
class Break:
    """Something that goes wrong after so many seconds, with a rack or one of its channels; 0 seconds: for good."""

    at_s: float
    rack: str
    fault: str
    channel: str = ""
    seconds: float = 0.0


def script(lines: Iterable[str]) -> list[Break]:
    """Breaks from JSON lines: `{"at": 5, "rack": "r-0401", "fault": "silence", "for": 4}`, with `channel` for gear.
    Refusal with the number of a line that is none."""
    found = []
    for number, line in enumerate(lines, start=1):
        if line.strip():
            try:
                found.append(_read(json.loads(line)))
            except (ValueError, TypeError, KeyError) as error:
                raise Refusal(f"Line {number} of the script is no fault: {error}.") from None
    return sorted(found, key=lambda b: b.at_s)


def _read(told: Any) -> Break:
    fault, channel = told["fault"], told.get("channel", "")
    if not is_number(told.get("at", 0)) or not is_number(told.get("for", 0)):
        raise ValueError("“at” and “for” are seconds")
    if fault not in (OF_GEAR if channel else OF_RACKS):
        raise ValueError(f"there is no fault “{fault}” of a {'channel' if channel else 'rack'}")
    return Break(float(told.get("at", 0)), str(told["rack"]), fault, str(channel), float(told.get("for", 0)))


def happen(house: RackHouse, what: Break) -> None:
    """Let it happen now, on the racks' thread. Refusal for a rack or channel that is not there."""
    server = next((s for s in house.servers if s.rack.id == what.rack), None)
    if server is None:
        raise Refusal(f"There is no rack {what.rack}.")
    rack = server.rack
    if what.channel:
        channel = next((c for c in rack.channels if c.id == what.channel), None)
        if channel is None:
            raise Refusal(f"{what.rack} has no channel {what.channel}.")
        OF_GEAR[what.fault](channel)
        return
    if what.fault == "cut":
        house.soon(lambda: server.cut(what.seconds or 10.0))
    elif what.fault in _PASSING:
        _set(rack, what.fault, True)
        if what.seconds:
            house.later(what.seconds, lambda: _set(rack, what.fault, False))
    else:
        rack.break_card(what.fault)
        house.soon(server.drop_all)


_PASSING = {"silence": "silent", "flood": "floods", "lies": "lies", "never syncs": "never_syncs"}


def _set(rack: Any, fault: str, on: bool) -> None:
    setattr(rack.faults, _PASSING[fault], on)
