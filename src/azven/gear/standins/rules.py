"""What a stand-in takes and what it refuses, by the rack link: settings, limits, rasters."""

import math
from typing import Any

from azven.gear.racks.values import is_int, is_number
from azven.gear.racks.words import CHANGED, LOCKED, NOT_SUPPORTED, ON_AIR, OUTSIDE, SETTINGS, WRONG_PARAMS
from azven.gear.standins.things import LONGEST_NAME, Channel, Fields

_VOLUME = ("volume_min_db", "volume_max_db")


class RackError(Exception):
    """A call is refused: code, sentence, data of the rack link."""

    def __init__(self, code: int, message: str, **data: Any) -> None:
        super().__init__(message)
        self.code, self.message, self.data = code, message, data


def take(channel: Channel, values: Any, expect: Any) -> Fields:
    """Settings of a channel with new values, all of them or none; RackError where they cannot be taken."""
    if not isinstance(values, dict) or not (expect is None or isinstance(expect, dict)):
        raise RackError(WRONG_PARAMS, "values and expect are objects.")
    if channel.locked:
        raise RackError(LOCKED, f"Channel {channel.id} is locked at the panel.")
    if expect and any(channel.settings.get(k) != v for k, v in expect.items()):
        raise RackError(CHANGED, f"Channel {channel.id} was changed meanwhile.", values=dict(channel.settings))
    for key, value in values.items():
        _check(channel, key, value)
    return _settled(channel, values)


def _check(channel: Channel, key: str, value: Any) -> None:
    if key not in channel.settings:
        raise RackError(NOT_SUPPORTED, f"Channel {channel.id} has no {key}.")
    kind = SETTINGS.get(key)
    good = {"int": is_int, "number": is_number}.get(str(kind))
    if not (good(value) if good else isinstance(value, bool if kind == "bool" else str)):
        raise RackError(WRONG_PARAMS, f"{key} is of a wrong type.")
    if key == "freq_hz":
        check_raster(channel, value)
    elif key == "name" and len(value) > LONGEST_NAME:
        raise RackError(OUTSIDE, f"A name has {LONGEST_NAME} characters at most.", high=LONGEST_NAME)
    elif key == "band" and channel.on_air:
        raise RackError(ON_AIR, "The band is not changed while the transmitter is on.")
    elif key in channel.limits and key not in ("volume_db", *_VOLUME):
        _limited(key, value, channel.limits[key])


def check_raster(channel: Channel, freq_hz: int) -> None:
    """RackError for a frequency outside of the channel's band or off its raster."""
    if not channel.low_hz <= freq_hz <= channel.high_hz:
        raise RackError(OUTSIDE, "The frequency is outside of the band.", low=channel.low_hz, high=channel.high_hz)
    off = (freq_hz - channel.low_hz) % channel.step_hz
    if off:
        low = freq_hz - off
        raise RackError(OUTSIDE, "The frequency is off the raster.", low=low, high=low + channel.step_hz)


def _limited(key: str, value: Any, limits: list[Any]) -> None:
    choice = any(isinstance(x, str) for x in limits) or len(limits) != 3
    if choice and value not in limits:
        raise RackError(OUTSIDE, f"{key} is one of {', '.join(map(str, limits))}.")
    if not choice and not limits[0] <= value <= limits[1]:
        raise RackError(OUTSIDE, f"{key} lies between {limits[0]} and {limits[1]}.", low=limits[0], high=limits[1])


def _settled(channel: Channel, values: Fields) -> Fields:
    """The new settings: a volume follows its lower limit, and stays under its upper one until it is changed."""
    new = {**channel.settings, **values}
    if "volume_db" in new:
        low, high = (new.get(k) for k in _VOLUME)
        if low is not None and high is not None and low > high:
            raise RackError(OUTSIDE, "The limits of the volume cross.", low=low, high=high)
        if "volume_db" in values and not (low if low is not None else -1e9) <= new["volume_db"] <= (
            high if high is not None else 1e9
        ):
            raise RackError(OUTSIDE, "The volume is outside of its limits.", low=low, high=high)
        if "volume_min_db" in values and low is not None:
            new["volume_db"] = max(new["volume_db"], low)
    if "band" in values and values["band"] in channel.bands:
        channel.low_hz, channel.high_hz = channel.bands[values["band"]]
        if "freq_hz" in new and not channel.low_hz <= new["freq_hz"] <= channel.high_hz:
            new["freq_hz"] = channel.low_hz
    return new


def _least(limit: float | None) -> float:
    return -math.inf if limit is None else limit


def _most(limit: float | None) -> float:
    return math.inf if limit is None else limit
