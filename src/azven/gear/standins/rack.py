"""A stand-in rack: its card, its channels, and what its calls do. The wire is in `server`."""

import asyncio
import random
from collections.abc import Callable
from typing import Any

import numpy as np

from azven.gear.racks.values import is_int, is_number
from azven.gear.racks.words import BUSY, NO_TRANSMITTER, NOT_SUPPORTED, ON_AIR, WRONG_PARAMS
from azven.gear.standins.rules import RackError, check_raster, take
from azven.gear.standins.things import Channel, Faults, Fields

Tell = Callable[[str, Fields], None]
"""Sends a notification to one link."""
_SYNC_AFTER_S = 1.2
_LEVELS_A_SECOND, _LEVELS_A_PIECE = 4_000, 400
_LAYOUTS = ("switched", "split", "redundant")


class StandInRack:
    """One rack. `clock` gives its seconds; `goes_away` is called with the seconds it is gone for."""

    def __init__(
        self, rack: Fields, channels: list[Channel], network: Fields, clock: Callable[[], float], seed: int = 1,
        rate_hz_max: float = 25.0,
    ) -> None:  # fmt: skip
        self.rack, self.channels, self.network = rack, channels, network
        self.faults = Faults()
        self.flashes: dict[str | None, float] = {}
        self.tones: dict[str, Fields] = {}
        self.token: str | None = None
        self.down_s = 0.0
        self._factory = dict(rack)
        self._rate_hz_max = rate_hz_max
        self._clock = clock
        self._chance = random.Random(seed)
        self._waiting: set[str] = set()
        self._scans = 0
        self.changed: Callable[[str, Fields, str], None] = lambda channel, values, by: None
        self.goes_away: Callable[[float], None] = lambda seconds: None

    @property
    def id(self) -> str:
        return str(self.rack["id"])

    @property
    def rate_hz_max(self) -> float:
        return self._rate_hz_max

    def ms(self) -> int:
        return int(self._clock() * 1000)

    def card(self) -> Fields:
        return {
            "link": 1, "rack": self.rack, "channels": [c.card() for c in self.channels],
            "can": ["locate", "reset", "network"], "network": self.network, "rate_hz_max": self._rate_hz_max,
            "ms": self.ms(),
        }  # fmt: skip

    def status(self) -> dict[str, Fields]:
        """Every field of every channel."""
        shown = {c.id: c.show() for c in self.channels}
        if self.faults.lies:
            for fields in shown.values():
                fields |= {"a": 999, "bat": "full", "q": -3}
        return shown

    def break_card(self, fault: str) -> None:
        """What its card says is wrong from now on: its address, its number at the console, its firmware."""
        if fault == "old firmware":
            self.rack["firmware"] = "1.0"
        elif fault == "same number":
            self.network["console_id"] = 1
        else:
            self.network["control"] = {**self.network["control"], "mode": "fixed", "ip": "192.168.7.20",
                                       "mask": "255.255.255.0"}  # fmt: skip

    def channel(self, given: Any) -> Channel:
        """The channel that a call names; RackError for one that is not there."""
        found = next((c for c in self.channels if c.id == given), None)
        if found is None or not isinstance(given, str):
            raise RackError(WRONG_PARAMS, "There is no such channel.")
        return found

    # calls

    async def call(self, method: str, params: Fields, client: str, tell: Tell) -> Fields:
        """Carry out a call of a client."""
        done: Fields = await getattr(self, f"_{method}")(params, client, tell)
        return done

    async def _ping(self, params: Fields, client: str, tell: Tell) -> Fields:
        return {"ms": self.ms()}

    async def _get(self, params: Fields, client: str, tell: Tell) -> Fields:
        return dict(self.channel(params.get("channel")).settings)

    async def _set(self, params: Fields, client: str, tell: Tell) -> Fields:
        channel = self.channel(params.get("channel"))
        before = channel.settings
        channel.settings = take(channel, params.get("values"), params.get("expect"))
        news = {k: v for k, v in channel.settings.items() if before.get(k) != v}
        if news:
            self.changed(channel.id, news, client)
        return {"values": dict(channel.settings)}

    async def _sync(self, params: Fields, client: str, tell: Tell) -> Fields:
        channel, seconds = self._can(params, "sync"), _seconds(params, 1, 120)
        pack = channel.pack
        await self._wait(channel, seconds, lambda: pack is not None and not pack.empty)
        fails = self._chance.randrange(max(self.faults.sync_fails_one_in, 1)) == 0 and self.faults.sync_fails_one_in > 0
        if pack is None or self.faults.never_syncs or fails:
            raise RackError(NO_TRANSMITTER, "No transmitter answered at the window.")
        if not pack.deaf:
            pack.freq_hz, pack.name = channel.settings["freq_hz"], channel.settings["name"]
            if pack.on and pack.enc == "differs":  # keys pass only to a pack that is on
                pack.enc = "ok"
        pack.mute_lock = channel.settings.get("mute_lock", pack.mute_lock)
        return {"txf": pack.freq_hz, "txn": pack.name}

    async def _pair(self, params: Fields, client: str, tell: Tell) -> Fields:
        channel, seconds = self._can(params, "pair"), _seconds(params, 1, 120)
        self._quiet(channel)
        await self._wait(channel, seconds, lambda: channel.pack is not None)
        if channel.pack is None:
            raise RackError(NO_TRANSMITTER, "No pack answered.")
        return {"pack": channel.pack.id}

    async def _unpair(self, params: Fields, client: str, tell: Tell) -> Fields:
        self._can(params, "pair").pack = None
        return {}

    async def _locate(self, params: Fields, client: str, tell: Tell) -> Fields:
        which = None if params.get("channel") is None else self.channel(params["channel"]).id
        self.flashes[which] = self._clock() + _seconds(params, 0, 3600)
        return {}

    async def _tone(self, params: Fields, client: str, tell: Tell) -> Fields:
        channel = self._can(params, "tone")
        on, level, side = params.get("on"), params.get("dbfs", -40), params.get("side", "both")
        if not isinstance(on, bool) or not is_number(level) or not -80 <= level <= 0:
            raise RackError(WRONG_PARAMS, "A tone is on or off, between −80 and 0 dBFS.")
        if side not in ("left", "right", "both"):
            raise RackError(WRONG_PARAMS, "side is left, right or both.")
        self.tones.pop(channel.id, None)
        if on:
            self.tones[channel.id] = {"dbfs": level, "side": side}
        return {}

    async def _scan(self, params: Fields, client: str, tell: Tell) -> Fields:
        channel = self._can(params, "scan")
        low, high, step = (params.get(k) for k in ("low_hz", "high_hz", "step_hz"))
        if not is_int(low) or not is_int(high) or not is_int(step) or step <= 0 or low > high:
            raise RackError(WRONG_PARAMS, "A scan goes from low_hz to high_hz in steps.")
        check_raster(channel, low)
        if high > channel.high_hz:
            check_raster(channel, high)
        if channel.scanning:
            raise RackError(BUSY, "The channel scans already.")
        self._quiet(channel)
        pack = channel.pack
        if channel.direction == "out" and (pack is None or not pack.radiates or pack.freq_hz != channel.tuned_hz):
            raise RackError(NO_TRANSMITTER, "Its pack is not in step: sync it first.")
        self._scans += 1
        name = f"scan-{self._scans}"
        channel.scanning = True
        task = asyncio.ensure_future(self._scanning(channel, name, np.arange(low, high + 1, step), step, tell))
        tell("", {"scan": name, "task": task})
        return {"scan": name}

    async def _scanning(self, channel: Channel, name: str, freq: Any, step: int, tell: Tell) -> None:
        sent = 0
        try:
            while sent < len(freq):
                part = freq[sent : sent + _LEVELS_A_PIECE]
                await asyncio.sleep(len(part) / _LEVELS_A_SECOND)
                levels = channel.heard_dbm(part) if channel.heard_dbm else np.full(len(part), -110.0)
                sent += len(part)
                tell("scan", {"scan": name, "low_hz": int(part[0]), "step_hz": step, "done": sent == len(freq),
                              "levels": [round(float(x), 1) if np.isfinite(x) else None for x in levels]})  # fmt: skip
        except asyncio.CancelledError:
            tell(
                "scan",
                {
                    "scan": name,
                    "low_hz": int(freq[min(sent, len(freq) - 1)]),
                    "step_hz": step,
                    "levels": [],
                    "done": True,
                },
            )
        finally:
            channel.scanning = False

    async def _reset(self, params: Fields, client: str, tell: Tell) -> Fields:
        if any(c.on_air for c in self.channels):
            raise RackError(ON_AIR, "A transmitter of this rack is on.")
        if not isinstance(params.get("keep_network"), bool):
            raise RackError(WRONG_PARAMS, "keep_network is true or false.")
        for channel in self.channels:
            channel.settings = {**channel.settings, **channel.factory}
        self.rack["name"] = self.rack.get("model", "Rack")
        if not params["keep_network"]:
            self.network["console_id"] = None
            self.network["control"] = {**self.network["control"], "mode": "auto"}
        asyncio.get_running_loop().call_later(0.05, self.goes_away, 2.0)
        return {}

    async def _network(self, params: Fields, client: str, tell: Tell) -> Fields:
        if any(c.on_air for c in self.channels):
            raise RackError(ON_AIR, "A transmitter of this rack is on.")
        new = dict(self.network)
        for key, value in params.items():
            if key in ("control", "audio", "secondary") and isinstance(value, dict) and new.get(key):
                new[key] = {**new[key], **value}
            elif (key == "console_id" and (value is None or is_int(value))) or (key == "layout" and value in _LAYOUTS):
                new[key] = value
            else:
                raise RackError(WRONG_PARAMS, f"{key} cannot be set to that.")
        self.network = new
        return dict(self.network)

    # helpers

    def _can(self, params: Fields, what: str) -> Channel:
        channel = self.channel(params.get("channel"))
        if what not in channel.can:
            raise RackError(NOT_SUPPORTED, f"Channel {channel.id} cannot {what}.")
        return channel

    def _quiet(self, channel: Channel) -> None:
        if channel.on_air:
            raise RackError(ON_AIR, "Its transmitter is on.")

    async def _wait(self, channel: Channel, seconds: float, there: Callable[[], bool]) -> None:
        if channel.id in self._waiting:
            raise RackError(BUSY, "The window waits already.")
        self._waiting.add(channel.id)
        try:
            await asyncio.sleep(min(_SYNC_AFTER_S if there() else seconds, seconds))
        finally:
            self._waiting.discard(channel.id)


def _seconds(params: Fields, low: float, high: float) -> float:
    seconds = params.get("seconds")
    if not is_number(seconds) or not low <= seconds <= high:
        raise RackError(WRONG_PARAMS, f"seconds lie between {low:g} and {high:g}.")
    return float(seconds)
