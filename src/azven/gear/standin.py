"""A stand-in analyser: an SCPI server on a loopback port that reads the simulated venue."""

import asyncio
import threading
from collections.abc import Callable
from dataclasses import replace
from typing import Literal

import numpy as np

from azven.rf.sweep import Detector, Sweep, SweepSettings, sweep_time_s

Reader = Callable[[SweepSettings, int], Sweep]
_RANGE_HZ = (100_000_000, 6_000_000_000)
_POINTS = (2, 20_001)
_RBW_HZ = (1_000.0, 1_000_000.0)
_ATTENUATION_DB = (0.0, 30.0)
Speech = Literal["block", "list", "plain"]
_IDENTITIES: dict[Speech, str] = {
    "block": "Azven,Stand-in analyser,0001,1.0", "list": "Azven,Stand-in with a list of numbers,0002,1.0",
    "plain": "Azven stand-in, plain text, 0003",
}  # fmt: skip


class StandInAnalyser:
    """Serves one simulated analyser. `read(settings, number)` is asked for every sweep.

    `pace` scales the time a sweep takes: 1 as a swept analyser would, 0 at once. `speech`: which dialect it speaks.
    """

    def __init__(self, read: Reader, pace: float = 1.0, speech: Speech = "block") -> None:
        self._read = read
        self._pace = pace
        self._speech = speech
        self._loop: asyncio.AbstractEventLoop | None = None
        self._server: asyncio.Server | None = None
        self._writers: set[asyncio.StreamWriter] = set()
        self._ready = threading.Event()
        self._thread = threading.Thread(target=self._run, name="stand-in analyser", daemon=True)
        self.port = 0
        self.cut_after_bytes: int | None = None

    @property
    def resource(self) -> str:
        return f"TCPIP::127.0.0.1::{self.port}::SOCKET"

    def start(self) -> "StandInAnalyser":
        self._thread.start()
        self._ready.wait()
        return self

    def stop(self) -> None:
        """Close all connections and end; safe to call twice."""
        if self._loop is not None and self._thread.is_alive():
            self._loop.call_soon_threadsafe(self._loop.stop)
            self._thread.join()

    def _run(self) -> None:
        loop = self._loop = asyncio.new_event_loop()
        loop.run_until_complete(self._open())
        self._ready.set()
        loop.run_forever()
        loop.run_until_complete(self._shut())
        loop.close()

    async def _open(self) -> None:
        self._server = await asyncio.start_server(self._serve, "127.0.0.1", 0)
        self.port = self._server.sockets[0].getsockname()[1]

    async def _shut(self) -> None:
        if self._server:
            self._server.close()
        tasks = [t for t in asyncio.all_tasks() if t is not asyncio.current_task()]
        for writer in list(self._writers):
            writer.transport.abort()
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self._writers.add(writer)
        made = PlainSession if self._speech == "plain" else _Session
        session = made(self._read, self._pace, self._speech)
        try:
            while line := await reader.readline():
                for command in line.decode("ascii", "replace").strip().split(";"):
                    answer = await session.do(command.strip())
                    if answer is not None:
                        await self._send(writer, answer)
        except (ConnectionError, asyncio.IncompleteReadError):
            pass
        finally:
            self._writers.discard(writer)
            writer.close()

    async def _send(self, writer: asyncio.StreamWriter, answer: bytes) -> None:
        cut = self.cut_after_bytes
        if cut is not None and answer.startswith(b"#") and len(answer) > cut:
            writer.write(answer[:cut])
            await writer.drain()
            writer.transport.abort()
            raise ConnectionResetError
        writer.write(answer + b"\n")
        await writer.drain()


class _Session:
    """The settings of one connection and the commands it understands."""

    def __init__(self, read: Reader, pace: float, speech: Speech) -> None:
        self._read = read
        self._pace = pace
        self._speech = speech
        self._settings = SweepSettings(start_hz=470_000_000, stop_hz=694_000_000, points=1_001, rbw_hz=100_000.0)
        self._sweep: Sweep | None = None
        self._number = 0
        self._errors: list[str] = []

    async def do(self, command: str) -> bytes | None:
        """Carry out one command; the answer of a query, None otherwise."""
        name, _, argument = command.lstrip(":").partition(" ")
        name = _short(name)
        if name in ("*IDN?", "*OPC?", "SYST:ERR?"):
            return self._common(name)
        if name in _QUERIES:
            return f"{_QUERIES[name](self._settings)}".encode()
        if name == "INIT:IMM" or name == "INIT":
            await self._sweep_once()
        elif name == "TRAC:DATA?" or name == "TRAC?":
            return await self._trace()
        elif name in _SETTERS:
            try:
                self._settings = _SETTERS[name](self._settings, argument)
            except ValueError:
                self._errors.append('-224,"Illegal parameter value"')
        elif name not in _ACCEPTED and name:
            self._errors.append('-113,"Undefined header"')
        return None

    def _common(self, name: str) -> bytes:
        if name == "*IDN?":
            return _IDENTITIES[self._speech].encode()
        if name == "*OPC?":
            return b"1"
        return (self._errors.pop(0) if self._errors else '0,"No error"').encode()

    async def _sweep_once(self) -> None:
        s = self._settings
        await asyncio.sleep(self._pace * sweep_time_s(s.stop_hz - s.start_hz, s.rbw_hz))
        self._number += 1
        self._sweep = self._read(s, self._number)

    async def _trace(self) -> bytes:
        if self._sweep is None:
            await self._sweep_once()
        assert self._sweep is not None
        if self._speech == "list":
            return ",".join(f"{x:.3f}" for x in self._sweep.level_dbm).encode()
        data = self._sweep.level_dbm.astype(">f4").tobytes()
        length = str(len(data))
        return f"#{len(length)}{length}".encode() + data


class PlainSession(_Session):
    """An analyser that knows a handful of words: a word with a figure sets, without one it asks."""

    async def do(self, command: str) -> bytes | None:
        """Carry out one line; every answer is a line, readings are many."""
        name, _, argument = command.partition(" ")
        if name in ("ID", "*IDN?"):
            return _IDENTITIES["plain"].encode()
        if name in _WORDS:
            shown, setter = _WORDS[name]
            if not argument:
                return f"{shown(self._settings):.12g}".encode()
            try:
                self._settings = setter(self._settings, argument)
            except ValueError:
                return b"ERR not a figure"
        elif name == "DETECT":
            self._settings = replace(self._settings, detector="peak" if argument == "PEAK" else "average")
        elif name == "SWEEP":
            await self._sweep_once()
        elif name == "STATE":
            return b"READY" if self._sweep is not None else b"IDLE"
        elif name == "LEVELS" and self._sweep is not None:
            pairs = zip(self._sweep.freq_hz, self._sweep.level_dbm, strict=True)
            return "\n".join([*(f"{f / 1e3:.3f};{x + _DBUV:.2f}" for f, x in pairs), "END"]).encode()
        elif name:
            return b"ERR unknown word"
        return None


def _short(name: str) -> str:
    """The short form of a command: SENSe:FREQuency:STARt? → SENS:FREQ:STAR?"""
    query = "?" if name.endswith("?") else ""
    parts = name.rstrip("?").upper().split(":")
    return ":".join(_SHORT.get(p, p) for p in parts) + query


_SHORT = {
    "SENSE": "SENS", "FREQUENCY": "FREQ", "START": "STAR", "BANDWIDTH": "BAND", "RESOLUTION": "RES", "SWEEP": "SWE",
    "POINTS": "POIN", "DETECTOR": "DET", "INITIATE": "INIT", "IMMEDIATE": "IMM", "CONTINUOUS": "CONT", "TRACE": "TRAC",
    "INPUT": "INP", "ATTENUATION": "ATT", "FORMAT": "FORM", "BORDER": "BORD", "SYSTEM": "SYST", "ERROR": "ERR",
}  # fmt: skip
_ACCEPTED = {"FORM:BORD", "FORM", "INIT:CONT", "*RST", "*CLS", "*WAI"}
_QUERIES: dict[str, Callable[[SweepSettings], object]] = {
    "SENS:FREQ:STAR?": lambda s: s.start_hz,
    "SENS:FREQ:STOP?": lambda s: s.stop_hz,
    "SENS:BAND:RES?": lambda s: s.rbw_hz,
    "SENS:SWE:POIN?": lambda s: s.points,
    "INP:ATT?": lambda s: s.attenuation_db,
    "SENS:DET?": lambda s: "POS" if s.detector == "peak" else "AVER",
}


def _clip(argument: str, limits: tuple[float, float]) -> float:
    return float(np.clip(float(argument), *limits))


def _detector(argument: str) -> Detector:
    return "peak" if argument.strip().upper().startswith("POS") else "average"


_SETTERS: dict[str, Callable[[SweepSettings, str], SweepSettings]] = {
    "SENS:FREQ:STAR": lambda s, a: replace(s, start_hz=round(_clip(a, _RANGE_HZ))),
    "SENS:FREQ:STOP": lambda s, a: replace(s, stop_hz=round(_clip(a, _RANGE_HZ))),
    "SENS:BAND:RES": lambda s, a: replace(s, rbw_hz=_clip(a, _RBW_HZ)),
    "SENS:SWE:POIN": lambda s, a: replace(s, points=round(_clip(a, _POINTS))),
    "INP:ATT": lambda s, a: replace(s, attenuation_db=_clip(a, _ATTENUATION_DB)),
    "SENS:DET": lambda s, a: replace(s, detector=_detector(a)),
}
_DBUV = 106.99
"""dBm at 50 Ω in dBµV."""
_Word = tuple[Callable[[SweepSettings], float], Callable[[SweepSettings, str], SweepSettings]]
_WORDS: dict[str, _Word] = {
    "START": (lambda s: s.start_hz / 1e3, lambda s, a: _SETTERS["SENS:FREQ:STAR"](s, str(1e3 * float(a)))),
    "STOP": (lambda s: s.stop_hz / 1e3, lambda s, a: _SETTERS["SENS:FREQ:STOP"](s, str(1e3 * float(a)))),
    "RBW": (lambda s: s.rbw_hz / 1e3, lambda s, a: _SETTERS["SENS:BAND:RES"](s, str(1e3 * float(a)))),
    "POINTS": (lambda s: s.points, lambda s, a: _SETTERS["SENS:SWE:POIN"](s, a)),
}
