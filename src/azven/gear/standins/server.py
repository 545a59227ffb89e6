"""The rack's side of the rack link: connections, calls in order, frames at their rate."""

import asyncio
import json
import ssl
from contextlib import suppress
from typing import Any

from azven.gear.racks.lines import MessageError, Splitter, message
from azven.gear.racks.values import is_int, is_number
from azven.gear.racks.words import (
    BUSY,
    CHANGES,
    MOST_OPEN,
    NO_CALL,
    NO_METHOD,
    NOT_ALLOWED,
    PARSE,
    READINGS,
    WRONG_PARAMS,
)
from azven.gear.standins.rack import StandInRack
from azven.gear.standins.rules import RackError
from azven.gear.standins.things import Fields

_HELLO_S, _IDLE_S, _FULL_S, _BEAT_S = 10.0, 60.0, 8.0, 0.9
_HELD_BYTES = 1 << 20
_MOST_LINKS = 8


class RackServer:
    """Serves a stand-in rack at an address. Everything runs on the loop that starts it."""

    def __init__(self, rack: StandInRack, host: str = "127.0.0.1", tls: ssl.SSLContext | None = None) -> None:
        self.rack, self.host, self.port = rack, host, 0
        self._tls = tls
        self._links: set[_Link] = set()
        self._server: asyncio.Server | None = None
        rack.changed = self._changed
        rack.goes_away = self.cut

    @property
    def address(self) -> str:
        return f"{'rack+tls' if self._tls else 'rack'}://{self.host}:{self.port}"

    async def start(self, port: int = 0) -> None:
        loop = asyncio.get_running_loop()
        self._server = await loop.create_server(lambda: _Link(self), self.host, port, ssl=self._tls)
        self.port = self._server.sockets[0].getsockname()[1]

    async def stop(self) -> None:
        if self._server:
            self._server.close()
            self._server = None
        for link in list(self._links):
            link.drop()

    def cut(self, seconds: float) -> None:
        """Be gone for so long, and come back at the same port."""
        loop = asyncio.get_running_loop()

        async def gone() -> None:
            await self.stop()
            await asyncio.sleep(seconds)
            await self.start(self.port)

        self._gone = loop.create_task(gone())

    def drop_all(self) -> None:
        """Every link is cut, and may come again at once."""
        for link in list(self._links):
            link.drop()

    def event(self, channel: str | None, kind: str) -> None:
        """Tell all links what happened at the panel."""
        for link in self._links:
            link.notify("event", {"channel": channel, "kind": kind})

    def _changed(self, channel: str, values: Fields, by: str) -> None:
        for link in self._links:
            if link.client != by or by == "panel":
                link.notify("changed", {"channel": channel, "values": values, "by": by})

    def opened(self, link: "_Link") -> bool:
        self._links.add(link)
        return len(self._links) <= _MOST_LINKS

    def closed(self, link: "_Link") -> None:
        self._links.discard(link)


class _Link(asyncio.Protocol):
    """One connection."""

    def __init__(self, server: RackServer) -> None:
        self._server, self._rack = server, server.rack
        self.client = ""
        self._splitter = Splitter()
        self._said_hello = False
        self._last_id = -(2**53)
        self._tasks: set[asyncio.Task[None]] = set()
        self._scans: dict[str, asyncio.Task[None]] = {}
        self._queues: dict[str | None, asyncio.Lock] = {}
        self._frames: asyncio.Task[None] | None = None
        self._n = 0

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        assert isinstance(transport, asyncio.Transport)
        self._transport = transport
        loop = asyncio.get_running_loop()
        self._heard_s = loop.time()
        self._watch = loop.call_later(_HELLO_S, self._look)
        self._room = self._server.opened(self)

    def connection_lost(self, exc: Exception | None) -> None:
        self._server.closed(self)
        self._watch.cancel()
        for task in (*self._tasks, *self._scans.values(), *([self._frames] if self._frames else [])):
            task.cancel()

    def drop(self) -> None:
        self._transport.abort()

    def data_received(self, data: bytes) -> None:
        self._heard_s = asyncio.get_running_loop().time()
        for line in self._splitter.lines(data):
            self._line(line)

    def notify(self, method: str, params: Fields) -> None:
        if self._said_hello:
            self._send({"jsonrpc": "2.0", "method": method, "params": params})

    def _look(self) -> None:
        """Close a link without hello, or one that has sent nothing for a minute."""
        loop = asyncio.get_running_loop()
        if not self._said_hello or loop.time() - self._heard_s > _IDLE_S:
            self.drop()
        else:
            self._watch = loop.call_later(1.0, self._look)

    def _line(self, line: bytes | None) -> None:
        if line is None:
            self._refuse(None, RackError(PARSE, "The line is too long."))
            return
        try:
            call = message(line)
        except MessageError:
            self._refuse(None, RackError(PARSE, "This is no JSON."))
            return
        if not isinstance(call, dict) or call.get("jsonrpc") != "2.0" or not isinstance(call.get("method"), str):
            self._refuse(None, RackError(NO_CALL, "This is no call."))
            return
        if "id" not in call:
            return
        if not is_int(call["id"]) or call["id"] <= self._last_id:
            self._refuse(None, RackError(NO_CALL, "An id is an integer above the last."))
            return
        self._last_id = call["id"]
        if len(self._tasks) >= MOST_OPEN:
            self._refuse(call["id"], RackError(BUSY, f"{MOST_OPEN} calls are open."))
            return
        task = asyncio.get_running_loop().create_task(self._do(call["id"], call["method"], call.get("params", {})))
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def _do(self, call_id: int, method: str, params: Any) -> None:
        try:
            if method not in READINGS | CHANGES:
                raise RackError(NO_METHOD, "There is no such method.")
            if not isinstance(params, dict):
                raise RackError(WRONG_PARAMS, "params are given by name.")
            if method != "hello" and not self._said_hello:
                raise RackError(NOT_ALLOWED, "hello comes first.")
            own = getattr(self, f"_{method}", None)
            if own is not None:
                result = own(params)
            elif method in ("sync", "pair"):  # these wait, and say that they do
                result = await self._rack.call(method, params, self.client, self._tell)
            else:
                channel = params.get("channel")
                key = channel if isinstance(channel, str) else None
                async with self._queues.setdefault(key, asyncio.Lock()):
                    result = await self._rack.call(method, params, self.client, self._tell)
        except RackError as error:
            self._refuse(call_id, error)
        else:
            self._send({"jsonrpc": "2.0", "id": call_id, "result": result})

    def _hello(self, params: Fields) -> Fields:
        if not self._room:
            raise RackError(BUSY, f"{_MOST_LINKS} links are open already.")
        if params.get("link") != 1 or not is_int(params.get("link")):
            raise RackError(WRONG_PARAMS, "This rack speaks link 1.")
        client = params.get("client", "")
        if not isinstance(client, str) or client == "panel":
            raise RackError(WRONG_PARAMS, "The client needs a name of its own.")
        if self._rack.token is not None and params.get("token") != self._rack.token:
            raise RackError(NOT_ALLOWED, "The token is not the one of this rack.")
        self.client, self._said_hello = client, True
        return self._rack.card()

    def _subscribe(self, params: Fields) -> Fields:
        rate, channels = params.get("rate_hz"), params.get("channels")
        if not is_number(rate) or rate <= 0:
            raise RackError(WRONG_PARAMS, "rate_hz is over 0.")
        known = [c.id for c in self._rack.channels]
        if channels is not None and (not isinstance(channels, list) or any(c not in known for c in channels)):
            raise RackError(WRONG_PARAMS, "There is no such channel.")
        granted = max(min(float(rate), self._rack.rate_hz_max), 1.0)
        if self._frames:
            self._frames.cancel()
        wanted = known if channels is None else channels
        self._frames = asyncio.get_running_loop().create_task(self._sending(granted, wanted))
        return {"rate_hz": granted}

    def _snapshot(self, params: Fields) -> Fields:
        return {"ms": self._rack.ms(), "n": self._n, "c": self._rack.status()}

    def _stop_scan(self, params: Fields) -> Fields:
        task = self._scans.get(params.get("scan", ""))
        if task is None or task.done():
            raise RackError(WRONG_PARAMS, "There is no such scan.")
        task.cancel()
        return {}

    def _tell(self, method: str, params: Fields) -> None:
        """Notifications of a scan, and the scan itself, so that it ends with the link."""
        if method:
            self._send({"jsonrpc": "2.0", "method": method, "params": params})
        else:
            self._scans[params["scan"]] = params["task"]

    async def _sending(self, rate_hz: float, channels: list[str]) -> None:
        loop = asyncio.get_running_loop()
        sent: dict[str, Fields] = {}
        full_s = frame_s = -1e9
        next_s = loop.time()
        while True:
            next_s = max(next_s + 1 / rate_hz, loop.time())
            await asyncio.sleep(max(next_s - loop.time(), 0.0))
            if self._rack.faults.silent:
                continue
            now_s, status = loop.time(), self._rack.status()
            shown = {c: status[c] for c in channels}
            full = now_s - full_s >= _FULL_S
            news = shown if full else {c: d for c, f in shown.items() if (d := _changed(sent.get(c, {}), f))}
            if news or full or now_s - frame_s >= _BEAT_S or self._rack.faults.floods:
                for _ in range(50 if self._rack.faults.floods else 1):
                    self._frame(news, full)
                sent, frame_s = shown, now_s
                full_s = now_s if full else full_s

    def _frame(self, news: dict[str, Fields], full: bool) -> None:
        """A frame; to one that does not read only its number counts on."""
        self._n += 1
        if self._transport.get_write_buffer_size() < _HELD_BYTES:
            params = {"ms": self._rack.ms(), "n": self._n, "full": full, "c": news}
            self._send({"jsonrpc": "2.0", "method": "status", "params": params})

    def _refuse(self, call_id: int | None, error: RackError) -> None:
        told: Fields = {"code": error.code, "message": error.message}
        if error.data:
            told["data"] = error.data
        self._send({"jsonrpc": "2.0", "id": call_id, "error": told})

    def _send(self, value: Fields) -> None:
        with suppress(RuntimeError):  # the connection was closed meanwhile
            line = json.dumps(value, ensure_ascii=False, separators=(",", ":"))
            self._transport.write(line.encode("utf-8", "replace") + b"\n")


def _changed(before: Fields, now: Fields) -> Fields:
    return {k: v for k, v in now.items() if k not in before or before[k] != v}
