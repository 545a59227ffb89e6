"""A spectrum analyser: set it, sweep, read the trace, as its dialect says (docs/instrument-link.md)."""

import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from azven.gear import dialects
from azven.gear.dialects import Dialect
from azven.gear.transport import InstrumentError, Transport, connect
from azven.rf.levels import Floats
from azven.rf.sweep import HIGHEST_HZ, LEAST_RBW_HZ, MOST_LEVEL_DBM, MOST_RBW_HZ, SweepSettings, sweep_time_s

_MOST_POINTS = 1_000_000
_LONGEST_LIST = 32 * 1024 * 1024
_LOOK_AGAIN_S = 0.02
_WHO = "*IDN?"


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


class DialectInstrument:
    """An analyser that is spoken to as a dialect says; without one, by SCPI (1999.0) with a binary block."""

    def __init__(self, transport: Transport, timeout_s: float = 5.0, dialect: Dialect | None = None) -> None:
        self._transport = transport
        self._timeout_s = timeout_s
        self.dialect = dialect or dialects.block()
        self._settings: SweepSettings | None = None

    @classmethod
    def at(cls, resource: str, timeout_s: float = 5.0, dialect: Dialect | None = None) -> "DialectInstrument":
        """Connect to a VISA resource name such as `TCPIP::192.0.2.7::5025::SOCKET`."""
        return cls(connect(resource, timeout_s), timeout_s, dialect)

    def identify(self) -> str:
        return self._ask(self.dialect.identify)

    def find_dialect(self) -> str:
        """Ask who it is in the usual way, and speak the dialect that suits; returns what it calls itself."""
        identity = self._ask(_WHO)
        self.dialect = dialects.chosen(identity)
        return identity

    def configure(self, settings: SweepSettings) -> SweepSettings:
        if settings.stop_hz <= settings.start_hz:
            raise self._error("cannot sweep: the end has to lie above the start.")
        for line in self.dialect.lines(settings):
            self._transport.send(line)
        self._look_for_errors()
        made = {"start": settings.start_hz, "stop": settings.stop_hz, "rbw": settings.rbw_hz, "points": settings.points}
        for name, question in self.dialect.ask.items():
            if name != "attenuation_db":
                stem, value = dialects.in_hertz(name, self._number(question))
                made[stem] = value
        start, stop, rbw, points = (made[k] for k in ("start", "stop", "rbw", "points"))
        if not (0 <= start < stop <= HIGHEST_HZ and LEAST_RBW_HZ <= rbw <= MOST_RBW_HZ and 2 <= points <= _MOST_POINTS):
            raise self._error(
                f"set itself to {start:g} to {stop:g} Hz, RBW {rbw:g} Hz, {points:g} points, which is no sweep."
            )
        self._look_at_attenuator(settings.attenuation_db)
        self._settings = replace(settings, start_hz=round(start), stop_hz=round(stop), rbw_hz=rbw, points=round(points))
        return self._settings

    def _look_at_attenuator(self, wanted_db: float) -> None:
        question = self.dialect.ask.get("attenuation_db")
        if wanted_db and (question is None or self._number(question) != wanted_db):
            raise self._error(f"has no attenuator of {wanted_db:g} dB.")

    def sweep(self) -> Floats:
        if self._settings is None:
            raise self._error("has not been set up.")
        s = self._settings
        allowed_s = self._timeout_s + 4 * sweep_time_s(s.stop_hz - s.start_hz, s.rbw_hz)
        self._transport.wait(allowed_s)
        for line in self.dialect.sweep:
            self._transport.send(line)
        self._until_ready(allowed_s)
        if self.dialect.result:
            self._transport.send(self.dialect.result)
        levels = self._read(s) + dialects.LEVELS[self.dialect.level]
        self._transport.wait(self._timeout_s)
        if len(levels) != s.points:
            raise self._error(f"sent {len(levels)} readings, {s.points} were expected.")
        if not np.all(np.abs(levels) <= MOST_LEVEL_DBM):
            raise self._error("sent readings that are no levels.")
        return levels

    def close(self) -> None:
        self._transport.close()

    def _until_ready(self, allowed_s: float) -> None:
        if not self.dialect.wait_ask:
            return
        until = time.monotonic() + allowed_s
        while self._ask(self.dialect.wait_ask) != self.dialect.wait_until:
            if time.monotonic() > until:
                raise self._error("did not end its sweep in time.")
            time.sleep(_LOOK_AGAIN_S)

    def _read(self, settings: SweepSettings) -> Floats:
        kind = self.dialect.kind
        if kind == "block":
            form = dialects.TYPES[self.dialect.number_type]
            data = self._transport.block()
            whole = len(data) - len(data) % np.dtype(form).itemsize
            return np.frombuffer(data[:whole], form).astype(np.float64)
        if kind == "list":
            return self._figures(self._line(_LONGEST_LIST).split(self.dialect.separator))
        return self._lines(settings)

    def _lines(self, settings: SweepSettings) -> Floats:
        """A reading a line, with or without its frequency, up to the line that ends them or as many as were set."""
        told: list[str] = []
        while len(told) <= _MOST_POINTS and not (self.dialect.end is None and len(told) == settings.points):
            line = self._line()
            if line == self.dialect.end:
                break
            told.append(line.split(self.dialect.separator)[-1])
        return self._figures(told)

    def _figures(self, told: Sequence[str]) -> Floats:
        try:
            return np.array([float(x) for x in told], float)
        except ValueError:
            raise self._error("sent readings that are no numbers.") from None

    def _look_for_errors(self) -> None:
        """What the instrument has to say against what it was told."""
        if self.dialect.error_ask:
            said = self._ask(self.dialect.error_ask)
            if not said.startswith(self.dialect.error_none):
                raise self._error(f"says: {said[:80]}")

    def _ask(self, query: str) -> str:
        self._transport.send(query)
        return self._line()

    def _line(self, longest: int | None = None) -> str:
        line = self._transport.line() if longest is None else self._transport.line(longest)
        if self.dialect.error_begins and line.startswith(self.dialect.error_begins):
            raise self._error(f"says: {line[:80]}")
        return line

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
