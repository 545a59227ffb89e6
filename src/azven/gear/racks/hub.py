"""All racks on one thread: connections, tries, time. What a link decides is in `link`; here is only the network."""

import asyncio
import hashlib
import random
import socket
import ssl
import threading
from collections.abc import Callable
from contextlib import suppress
from typing import Any, Protocol

from azven.gear.racks.adapters import Opened, adapter
from azven.gear.racks.address import Address, is_loopback
from azven.gear.racks.calls import Call
from azven.gear.racks.link import RackLink
from azven.gear.racks.told import Told
from azven.gear.racks.trust import Trust
from azven.gear.racks.values import Fields
from azven.gear.racks.words import TRY_S

_TICK_S = 0.1


class Listener(Protocol):
    """Whoever hears what racks say, on the hub's thread."""

    def frame(self, link: RackLink, now_s: float, changes: dict[str, Fields], full: bool) -> None:
        """A frame was taken."""

    def told(self, link: RackLink, told: Told) -> None:
        """An event of a rack."""


class Hub:
    """Racks by address, each with its link. Methods may be called from any thread."""

    def __init__(self, listener: Listener, trust: Trust | None = None, client: str = "Azven") -> None:
        self.listener = listener
        self.trust = trust or Trust()
        self.client = client
        self._peers: dict[str, _Peer] = {}
        self._found: dict[str, RackLink] = {}
        """The live link of a rack, as it was found last: a thousand channels ask for their racks again and again."""
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._run, name="racks", daemon=True)
        self._thread.start()

    @property
    def links(self) -> list[RackLink]:
        """Every rack that is kept a link to."""
        return [p.link for p in list(self._peers.values())]

    def link(self, rack_id: str) -> RackLink | None:
        """The link of a rack, the live one before others."""
        known = self._found.get(rack_id)
        if known is None or not known.ready or known.id != rack_id:
            found = [link for link in self.links if link.id == rack_id]
            known = max(found, key=lambda link: link.ready, default=None)
            if known is None:
                self._found.pop(rack_id, None)
            else:
                self._found[rack_id] = known
        return known

    def add(self, address: Address, token: str | None = None, open_token: bool = False) -> None:
        """Keep a link to a rack; `open_token`: a person allowed its token to go over an open connection."""
        self._soon(lambda: self._add(address, token, open_token))

    def remove(self, address: Address) -> None:
        """Let go of a rack."""
        self._soon(lambda: self._remove(str(address)))

    def call(self, rack_id: str, call: Call) -> None:
        """Ask a rack for something; `call.ended` is called on the hub's thread."""
        self._soon(lambda: self._call(rack_id, call))

    def ask_again(self, address: str) -> None:
        """Try now, because a person wants it."""

        def again() -> None:
            if peer := self._peers.get(address):
                peer.link.ask_again(self.now())

        self._soon(again)

    def stop(self) -> None:
        """Let go of all racks and end; safe to call twice."""
        if self._thread.is_alive():
            self._soon(self._loop.stop)
            self._thread.join()

    def now(self) -> float:
        """The hub's clock [s]."""
        return self._loop.time()

    def _soon(self, act: Callable[[], Any]) -> None:
        with suppress(RuntimeError):  # the loop is closed already
            self._loop.call_soon_threadsafe(act)

    def _run(self) -> None:
        self._loop.call_soon(self._tick)
        self._loop.run_forever()
        self._loop.run_until_complete(self._shut())
        self._loop.close()

    async def _shut(self) -> None:
        for key in list(self._peers):
            self._remove(key)
        left = [t for t in asyncio.all_tasks() if t is not asyncio.current_task()]
        for task in left:
            task.cancel()
        await asyncio.gather(*left, return_exceptions=True)
        await asyncio.sleep(0)

    def _tick(self) -> None:
        now_s = self.now()
        for peer in list(self._peers.values()):
            peer.tick(now_s)
        self._loop.call_later(_TICK_S, self._tick)

    def _add(self, address: Address, token: str | None, open_token: bool) -> None:
        if str(address) not in self._peers:
            self._peers[str(address)] = _Peer(self, self._loop, address, token, open_token)

    def _remove(self, key: str) -> None:
        if peer := self._peers.pop(key, None):
            self._found.clear()
            peer.let_go()

    def _call(self, rack_id: str, call: Call) -> None:
        link = self.link(rack_id)
        if link is None:
            call.end("cut")
        else:
            link.call(call, self.now())

    def has_live(self, rack_id: str, but: RackLink) -> bool:
        """Whether another link has this rack. One that is down hands over what it knew."""
        others = [link for link in self.links if link is not but and link.id == rack_id]
        if any(link.ready for link in others):
            return True
        for link in others:
            but.inherit(link)
            link.stand_by(self.now())
        return False


class _Peer:
    """The hands of one link: its connection, or the try to make one."""

    def __init__(
        self, hub: Hub, loop: asyncio.AbstractEventLoop, address: Address, token: str | None, open_token: bool
    ) -> None:
        self._hub, self._loop, self._address = hub, loop, address
        self._open_token = open_token
        self._connection: Opened | None = None
        self._fingerprint: str | None = None
        self._trying: asyncio.Task[None] | None = None
        self.link = RackLink(str(address), self, random.random, token, hub.client)
        self.link.retry.now(hub.now())

    def tick(self, now_s: float) -> None:
        next_s = self.link.next_try_s
        if next_s is not None and now_s >= next_s and self._trying is None:
            self._trying = self._loop.create_task(self._try())
        self.link.tick(now_s)

    def let_go(self) -> None:
        if self._trying is not None:
            self._trying.cancel()
        self.link.give_up(self._hub.now(), "Azven lets go of it")
        self.close()

    async def _try(self) -> None:
        try:
            async with asyncio.timeout(TRY_S):
                self._connection = await self._connect()
        except (OSError, TimeoutError, ValueError):  # ssl's errors are OSErrors; ValueError: a host that is none
            self.link.failed(self._hub.now())
        else:
            self._opened(self._connection)
        finally:
            self._trying = None

    async def _connect(self) -> Opened:
        made = adapter(self._address.scheme)
        if made is not None:
            return await made.open(self._address, self._received, self._ended)
        context = _context() if self._address.tls else None
        _, line = await self._loop.create_connection(
            lambda: _Wire(self._received, self._ended), self._address.host, self._address.port, ssl=context
        )
        return line

    def _opened(self, connection: Opened) -> None:
        self._fingerprint = connection.fingerprint
        private = self._fingerprint is not None or self._open_token or is_loopback(connection.peer)
        self.link.opened(self._hub.now(), private)
        connection.begin()

    def _received(self, data: bytes) -> None:
        self.link.received(data, self._hub.now())

    def _ended(self) -> None:
        self._connection = None
        self.link.ended(self._hub.now())

    # the hands of the link

    def send(self, data: bytes) -> None:
        if self._connection is not None:
            self._connection.send(data)

    def close(self) -> None:
        if self._connection is not None:
            self._connection.close()

    def frame(self, link: RackLink, now_s: float, changes: dict[str, Fields], full: bool) -> None:
        self._hub.listener.frame(link, now_s, changes, full)

    def told(self, link: RackLink, told: Told) -> None:
        self._hub.listener.told(link, told)

    def taken(self, link: RackLink, rack_id: str) -> bool:
        return self._hub.has_live(rack_id, link)

    def certified(self, link: RackLink, rack_id: str | None) -> str:
        trust, address, shown = self._hub.trust, str(self._address), self._fingerprint
        if rack_id is None:
            known = trust.of_address(address)
            return _other(address, known, shown) if shown is not None and known not in (None, shown) else ""
        known = trust.of_rack(rack_id)
        if shown is None:
            return f"{rack_id} is known by its certificate and is not taken over an open connection." if known else ""
        if known not in (None, shown):
            return _other(rack_id, known, shown)
        if trust.remember(address, rack_id, shown):
            self.told(link, Told(self._hub.now(), rack_id, "certificate", {"sha256": shown}))
        return ""


def _other(of: str, known: str | None, shown: str) -> str:
    return (
        f"{of} shows another certificate (SHA-256 {shown}) than the one that is remembered ({known}). "
        "If it was changed on purpose, forget the remembered one."
    )


def _context() -> ssl.SSLContext:
    """TLS 1.2 or newer; the certificate is judged by what is remembered of it, not by its name or issuer."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    context.minimum_version = ssl.TLSVersion.TLSv1_2
    context.check_hostname = False
    context.verify_mode = ssl.CERT_NONE
    return context


class _Wire(asyncio.Protocol):
    """A TCP connection. What comes before the link has begun waits."""

    def __init__(self, received: Callable[[bytes], None], ended: Callable[[], None]) -> None:
        self._received, self._ended = received, ended
        self._early: list[bytes] | None = []
        self._over = False
        self.fingerprint: str | None = None
        self.peer = ""

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        assert isinstance(transport, asyncio.Transport)
        self._transport = transport
        self.peer = str((transport.get_extra_info("peername") or ("",))[0])
        plain = transport.get_extra_info("socket")
        if plain is not None:
            plain.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        secure = transport.get_extra_info("ssl_object")
        if secure is not None:
            self.fingerprint = hashlib.sha256(secure.getpeercert(binary_form=True) or b"").hexdigest()

    def begin(self) -> None:
        early, self._early = self._early or [], None
        for data in early:
            self._received(data)
        if self._over:
            self._ended()

    def data_received(self, data: bytes) -> None:
        if self._early is not None:
            self._early.append(data)
        else:
            self._received(data)

    def connection_lost(self, exc: Exception | None) -> None:
        self._over = True
        if self._early is None:
            self._ended()

    def send(self, data: bytes) -> None:
        self._transport.write(data)

    def close(self) -> None:
        self._transport.abort()
