"""A rack as an instrument: a channel that scans with its own antennas, at the place where it will be used."""

import threading
import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from azven.gear.racks.calls import Call
from azven.gear.racks.card import Card, ChannelCard
from azven.gear.racks.hub import Hub
from azven.gear.racks.scans import Scan
from azven.gear.transport import InstrumentError
from azven.rf.levels import Floats
from azven.rf.sweep import SweepSettings

COARSEST_HZ = 100_000
"""Wider steps than this would let a link hide between two bins of a receiver."""
_PATIENCE_S, _LOOK_S = 8.0, 0.02


class RackInstrument:
    """Scans with one channel of a rack (rack link, `scan`). Bins that the rack did not measure are NaN: they are not
    known, and never quiet. `gain_db` from the antenna to the receiver is taken off: levels are those at the antenna."""

    def __init__(self, hub: Hub, rack: str, channel: str, by: str, gain_db: float = 0.0) -> None:
        self._hub, self._rack, self._channel, self._by = hub, rack, channel, by
        self._gain_db = gain_db
        self._settings: SweepSettings | None = None
        self._closed = threading.Event()

    def identify(self) -> str:
        card, _ = self._cards()
        return ", ".join(filter(None, (card.name, f"channel {self._channel}", card.model, card.serial, card.firmware)))

    def configure(self, settings: SweepSettings) -> SweepSettings:
        """A sweep within the band of the channel, on its raster. All its sweeps of one step share one grid."""
        _, channel = self._cards()
        low, high, raster = channel.low_hz, channel.high_hz, channel.step_hz
        if low is None or high is None or not raster or raster <= 0:
            raise self._error("does not tell the band that it can scan")
        if settings.attenuation_db:
            raise self._error("has no attenuator")
        spacing = (settings.stop_hz - settings.start_hz) / max(settings.points - 1, 1)
        step = raster * max(1, min(int(np.ceil(spacing / raster - 0.01)), COARSEST_HZ // raster or 1))
        first = max(settings.start_hz - low, 0) // step
        last = min(-(-(settings.stop_hz - low) // step), (high - low) // step)
        if last <= first:
            raise self._error(f"scans {low / 1e6:g} to {high / 1e6:g} MHz only")
        self._settings = replace(
            settings, start_hz=low + first * step, stop_hz=low + last * step, points=last - first + 1,
            rbw_hz=float(step),
        )  # fmt: skip
        return self._settings

    def sweep(self) -> Floats:
        s = self._settings
        if s is None:
            raise self._error("has not been set up")
        step = (s.stop_hz - s.start_hz) // (s.points - 1)
        begun = self._asked("scan", channel=self._channel, low_hz=s.start_hz, high_hz=s.stop_hz, step_hz=step)
        name = str(begun.result.get("scan"))
        link = self._hub.link(self._rack)
        scan = link.scans.get(name) if link is not None else None
        if link is None or scan is None:
            raise self._error("went away")
        try:
            self._wait(scan, lambda: link.scans.get(name) is scan)
        finally:
            if scan.done:
                link.scans.pop(name, None)
            else:
                self._hub.call(self._rack, Call("stop_scan", {"scan": name}, self._by))
        return scan.levels - self._gain_db

    def close(self) -> None:
        self._closed.set()

    def _wait(self, scan: Scan, there: Callable[[], bool]) -> None:
        """Until a scan is done. InstrumentError when it is closed meanwhile, goes away, or tells nothing for long."""
        told, heard_s = 0, time.monotonic()
        while not scan.done:
            if self._closed.wait(_LOOK_S):
                raise self._error("was stopped")
            if not there():
                raise self._error("went away")
            if (now := int(scan.told.sum())) != told:
                told, heard_s = now, time.monotonic()
            elif time.monotonic() - heard_s > _PATIENCE_S:
                raise self._error("told nothing more of its scan")

    def _asked(self, method: str, **params: object) -> Call:
        ended = threading.Event()
        call = Call(method, dict(params), self._by, ended=lambda _: ended.set())
        self._hub.call(self._rack, call)
        until = time.monotonic() + call.allowed_s + _PATIENCE_S
        while not ended.wait(_LOOK_S):
            if self._closed.is_set() or time.monotonic() > until:
                raise self._error("was stopped" if self._closed.is_set() else "did not answer")
        if call.outcome != "done":
            raise self._error(f"does not scan: {call.message or call.outcome}".rstrip("."))
        return call

    def _cards(self) -> tuple[Card, ChannelCard]:
        link = self._hub.link(self._rack)
        channel = link.card.channel(self._channel) if link is not None and link.card is not None else None
        if link is None or link.card is None or channel is None or not link.up:
            raise self._error("is not connected")
        return link.card, channel

    def _error(self, what: str) -> InstrumentError:
        return InstrumentError(f"Channel {self._channel} of {self._rack} {what}.")
