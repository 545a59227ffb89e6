"""A spectrum analyser over SCPI: set it, sweep, read the trace. The commands are listed in docs/instrument-link.md."""

from collections.abc import Callable
from dataclasses import replace
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from azven.gear.transport import InstrumentError, Transport, connect
from azven.rf.levels import Floats
from azven.rf.sweep import HIGHEST_HZ, LEAST_RBW_HZ, MOST_LEVEL_DBM, MOST_RBW_HZ, SweepSettings, sweep_time_s

_MOST_POINTS = 1_000_000
_DETECTORS = {"peak": "POS", "average": "AVER"}


class Instrument(Protocol):
    """Something that sweeps on demand."""

    def identify(self) -> str:
        """Maker, model, serial number and firmware as the instrument tells them."""

    def configure(self, settings: SweepSettings) -> SweepSettings:
        """Set up a sweep; returns what the instrument made of it."""

    def sweep(self) -> Floats:
        """Sweep once and return the levels [dBm] (points,)."""

    def close(self) -> None:
        """Let go of it; from another thread this ends a running sweep."""


class ScpiInstrument:
    """An analyser that speaks SCPI (1999.0, SENSe, INITiate and TRACe subsystems)."""

    def __init__(self, transport: Transport, timeout_s: float = 5.0) -> None:
        self._transport = transport
        self._timeout_s = timeout_s
        self._settings: SweepSettings | None = None

    @classmethod
    def at(cls, resource: str, timeout_s: float = 5.0) -> "ScpiInstrument":
        """Connect to a VISA resource name such as `TCPIP::192.0.2.7::5025::SOCKET`."""
        return cls(connect(resource, timeout_s), timeout_s)

    def identify(self) -> str:
        return self._ask("*IDN?")

    def configure(self, settings: SweepSettings) -> SweepSettings:
        if settings.stop_hz <= settings.start_hz:
            raise self._error("cannot sweep: the end has to lie above the start.")
        self._transport.send(
            f":FORM:BORD NORM;:FORM REAL,32;:INIT:CONT OFF;:SENS:FREQ:STAR {settings.start_hz};"
            f":SENS:FREQ:STOP {settings.stop_hz};:SENS:BAND:RES {settings.rbw_hz:g};"
            f":SENS:SWE:POIN {settings.points};:SENS:DET {_DETECTORS[settings.detector]};"
            f":INP:ATT {settings.attenuation_db:g}"
        )
        start, stop, rbw, points = (
            self._number(q) for q in (":SENS:FREQ:STAR?", ":SENS:FREQ:STOP?", ":SENS:BAND:RES?", ":SENS:SWE:POIN?")
        )
        if not (0 <= start < stop <= HIGHEST_HZ and LEAST_RBW_HZ <= rbw <= MOST_RBW_HZ and 2 <= points <= _MOST_POINTS):
            raise self._error(
                f"set itself to {start:g} to {stop:g} Hz, RBW {rbw:g} Hz, {points:g} points, which is no sweep."
            )
        if settings.attenuation_db and self._number(":INP:ATT?") != settings.attenuation_db:
            raise self._error(f"has no attenuator of {settings.attenuation_db:g} dB.")
        self._settings = replace(settings, start_hz=round(start), stop_hz=round(stop), rbw_hz=rbw, points=round(points))
        return self._settings

    def sweep(self) -> Floats:
        if self._settings is None:
            raise self._error("has not been set up.")
        s = self._settings
        self._transport.wait(self._timeout_s + 4 * sweep_time_s(s.stop_hz - s.start_hz, s.rbw_hz))
        self._transport.send(":INIT:IMM;*WAI;:TRAC:DATA? TRACE1")
        data = self._transport.block()
        self._transport.wait(self._timeout_s)
        if len(data) != 4 * s.points:
            raise self._error(f"sent {len(data) // 4} readings, {s.points} were expected.")
        levels = np.frombuffer(data, ">f4").astype(np.float64)
        if not np.all(np.abs(levels) <= MOST_LEVEL_DBM):
            raise self._error("sent readings that are no levels.")
        return levels

    def close(self) -> None:
        self._transport.close()

    def _ask(self, query: str) -> str:
        self._transport.send(query)
        return self._transport.line()

    def _number(self, query: str) -> float:
        answer = self._ask(query)
        try:
            return float(answer)
        except ValueError:
            raise self._error(f"answered “{answer[:40]}” to {query}.") from None

    def _error(self, what: str) -> InstrumentError:
        return InstrumentError(f"The instrument at {self._transport.name} {what}")


class Reconnecting:
    """An instrument that can be connected to once more when it goes away: whatever is asked of it later, a second sweep
    or the end, goes to the connection that there is now."""

    def __init__(self, connected: Callable[[], Instrument]) -> None:
        self._connected = connected
        self._now = connected()

    def again(self) -> None:
        """Let go of the connection and make another. Raises InstrumentError when nothing answers."""
        self._now.close()
        self._now = self._connected()

    def identify(self) -> str:
        return self._now.identify()

    def configure(self, settings: SweepSettings) -> SweepSettings:
        return self._now.configure(settings)

    def sweep(self) -> Floats:
        return self._now.sweep()

    def close(self) -> None:
        self._now.close()


_FEW = 101
OnPart = Callable[[NDArray[np.int64], Floats, float], bool]


def sweep_in_parts(instrument: Instrument, settings: SweepSettings, on_part: OnPart, parts: int = 16) -> SweepSettings:
    """Sweep a span part by part, so that it can be drawn as it comes and stopped between parts.

    What the instrument cannot reach is left out. `on_part(freq_hz, level_dbm, share_done)` returns False to stop.
    An instrument that can be connected to again is, once, when it goes away, and the part is repeated. Returns the
    settings that the instrument used, over what was swept.
    """
    reached = instrument.configure(replace(settings, points=_FEW))
    bins = np.linspace(reached.start_hz, reached.stop_hz, settings.points).round().astype(np.int64)
    chunks = [c for c in np.array_split(bins, min(parts, max(settings.points // 50, 1))) if len(c) >= 2]
    lowest, highest = reached.start_hz, reached.start_hz
    used, done, tried = settings, 0, False
    for chunk in chunks:
        wanted = replace(settings, start_hz=int(chunk[0]), stop_hz=int(chunk[-1]), points=len(chunk))
        try:
            used, levels = _part(instrument, wanted)
        except InstrumentError:
            if tried or not isinstance(instrument, Reconnecting):
                raise
            tried = True
            instrument.again()
            used, levels = _part(instrument, wanted)
        freq = np.linspace(used.start_hz, used.stop_hz, used.points).round().astype(np.int64)
        lowest = used.start_hz if not done else lowest
        highest = used.stop_hz
        done += len(chunk)
        if not on_part(freq, levels, done / len(bins)):
            break
    return replace(used, start_hz=lowest, stop_hz=highest, points=settings.points)


def _part(instrument: Instrument, wanted: SweepSettings) -> tuple[SweepSettings, Floats]:
    return instrument.configure(wanted), instrument.sweep()
