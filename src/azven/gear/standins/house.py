"""All stand-in racks of a venue on one thread."""

import asyncio
import ssl
import threading
from collections.abc import Callable, Sequence
from contextlib import suppress

from azven.gear.standins.rack import StandInRack
from azven.gear.standins.server import RackServer


class RackHouse:
    """Serves racks on loopback ports until it is stopped."""

    def __init__(self, racks: Sequence[StandInRack], tls: ssl.SSLContext | None = None) -> None:
        self.servers = [RackServer(rack, tls=tls) for rack in racks]
        self._loop = asyncio.new_event_loop()
        self._ready = threading.Event()
        self._failed: OSError | None = None
        self._thread = threading.Thread(target=self._run, name="stand-in racks", daemon=True)

    def start(self, port: int = 0) -> "RackHouse":
        """Open all ports: any free ones, or those from `port` on. OSError where one is taken."""
        self._first_port = port
        self._thread.start()
        self._ready.wait()
        if self._failed is not None:
            raise self._failed
        return self

    def stop(self) -> None:
        """Close all; safe to call twice."""
        if self._thread.is_alive():
            self.soon(self._loop.stop)
            self._thread.join()

    def soon(self, act: Callable[[], object]) -> None:
        """Do something on the racks' thread."""
        with suppress(RuntimeError):  # the loop is closed already
            self._loop.call_soon_threadsafe(act)

    def later(self, seconds: float, act: Callable[[], object]) -> None:
        """Do something on the racks' thread after a while."""
        self.soon(lambda: self._loop.call_later(seconds, act))

    def server(self, rack_id: str) -> RackServer:
        """The server of a rack."""
        return next(s for s in self.servers if s.rack.id == rack_id)

    def cut_all(self, seconds: float) -> None:
        """The network switch loses its power for so long."""
        for server in self.servers:
            self.soon(lambda s=server: s.cut(seconds))  # type: ignore[misc]

    def _run(self) -> None:
        try:
            self._loop.run_until_complete(self._open())
        except OSError as error:
            self._failed = error
            self._ready.set()
        else:
            self._ready.set()
            self._loop.run_forever()
        self._loop.run_until_complete(self._shut())
        self._loop.close()

    async def _open(self) -> None:
        for k, server in enumerate(self.servers):
            await server.start(self._first_port + k if self._first_port else 0)

    async def _shut(self) -> None:
        for server in self.servers:
            await server.stop()
        left = [t for t in asyncio.all_tasks() if t is not asyncio.current_task()]
        for task in left:
            task.cancel()
        await asyncio.gather(*left, return_exceptions=True)
        await asyncio.sleep(0)
