"""An example of an adapter: a level meter that speaks one line of text a question, offered as a rack.

The meter knows two questions: `NAME` is answered by its name, `LEVEL` by its level in dBm. See docs/adapters.md.
"""

import asyncio
import json
from collections.abc import Callable
from typing import Any

from azven.gear.racks.address import Address

_EVERY_S = 0.1


class MeterAdapter:
    """Found by entry point for addresses that begin with `meter://`."""

    async def open(
        self, address: Address, received: Callable[[bytes], None], ended: Callable[[], None]
    ) -> "_MeterLink":
        reader, writer = await asyncio.open_connection(address.host, address.port)
        return _MeterLink(reader, writer, address, received, ended)


class _MeterLink:
    """One meter: questions go out in turn, answers become frames of the rack link."""

    fingerprint: str | None = None

    def __init__(
        self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, address: Address,
        received: Callable[[bytes], None], ended: Callable[[], None],
    ) -> None:  # fmt: skip
        self._reader, self._writer = reader, writer
        self._received, self._ended = received, ended
        self._id = f"meter-{address.host}-{address.port}".replace("%", "-")
        self._n = 0
        self._turn = asyncio.Lock()
        self._tasks: set[asyncio.Task[None]] = set()
        self.peer = str(writer.get_extra_info("peername")[0])

    def begin(self) -> None:
        """Nothing is said before Azven asks."""

    def send(self, data: bytes) -> None:
        for line in data.splitlines():
            call = json.loads(line)
            self._start(self._answer(call["id"], call["method"], call["params"]))

    def close(self) -> None:
        for task in list(self._tasks):
            task.cancel()
        self._writer.close()
        asyncio.get_running_loop().call_soon(self._ended)

    def _start(self, work: Any) -> None:
        task = asyncio.get_running_loop().create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def _asked(self, question: str) -> str:
        async with self._turn:
            self._writer.write(question.encode() + b"\n")
            line = await self._reader.readline()
        if not line:
            raise ConnectionResetError
        return line.decode("utf-8", "replace").strip()

    async def _answer(self, call_id: int, method: str, params: dict[str, Any]) -> None:
        try:
            if method == "hello":
                self._say(id=call_id, result=self._card(await self._asked("NAME")))
            elif method == "subscribe":
                self._say(id=call_id, result={"rate_hz": 1 / _EVERY_S})
                self._start(self._frames())
            elif method == "snapshot":
                self._say(id=call_id, result={"ms": self._ms(), "n": self._n, "c": await self._status()})
            elif method in ("get", "ping"):
                self._say(id=call_id, result={} if method == "get" else {"ms": self._ms()})
            else:
                self._say(id=call_id, error={"code": 6, "message": "A meter only tells its level."})
        except (OSError, ValueError):
            self.close()

    async def _frames(self) -> None:
        try:
            while True:
                status = await self._status()
                self._n += 1
                self._say(method="status", params={"ms": self._ms(), "n": self._n, "full": True, "c": status})
                await asyncio.sleep(_EVERY_S)
        except (OSError, ValueError):
            self.close()

    async def _status(self) -> dict[str, Any]:
        return {"1": {"a": float(await self._asked("LEVEL"))}}

    def _card(self, name: str) -> dict[str, Any]:
        return {"link": 1, "rack": {"id": self._id, "name": name, "kind": "meter"}, "rate_hz_max": 1 / _EVERY_S,
                "channels": [{"id": "1", "can": []}], "can": []}  # fmt: skip

    def _ms(self) -> int:
        return int(asyncio.get_running_loop().time() * 1000)

    def _say(self, **members: Any) -> None:
        self._received(json.dumps({"jsonrpc": "2.0", **members}).encode() + b"\n")
