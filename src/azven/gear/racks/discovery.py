"""Racks that announce themselves (DNS-SD, RFC 6763), looked for only after a person turned it on.

What is announced is shown; nothing is dialled before a person takes it in.
"""

import ipaddress
import threading
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from typing import Any, Protocol

from azven.gear.racks.address import Address
from azven.gear.racks.values import Checker

SERVICE = "_azven-rack._tcp.local."
_WAIT_MS = 3_000


@dataclass(frozen=True)
class Announced:
    """A rack that says where it is: what it calls itself is only what it says."""

    address: Address
    rack: str
    name: str
    kind: str


class Browsing(Protocol):
    """Something that looks, until it is stopped."""

    def stop(self) -> None:
        """Look no more."""


Found = Callable[[Announced], None]


def look(found: Found) -> Browsing:
    """Look for racks; `found` is called on another thread for each that announces itself. OSError where this machine
    does not allow it."""
    return _Zeroconf(found)


def announced(properties: dict[bytes, bytes | None], addresses: list[str], port: int) -> Announced | None:
    """What an announcement says, as it may be shown; None for one without a usable address."""
    checker = Checker()
    host = next((a for a in addresses if _usable(a)), None)
    if host is None or not 0 < port < 65_536:
        return None
    said = {k.decode("utf-8", "replace"): (v or b"").decode("utf-8", "replace") for k, v in properties.items()}
    texts = [checker.text(said.get(key, "")) for key in ("id", "name", "kind")]
    return Announced(Address(host, port), *texts)


def _usable(host: str) -> bool:
    try:
        there = ipaddress.ip_address(host)
    except ValueError:
        return False
    return not (there.is_multicast or there.is_unspecified)


class _Zeroconf:
    """zeroconf blocks for a second or two at its beginning, so it begins on a thread of its own."""

    def __init__(self, found: Found) -> None:
        self._found = found
        self._zeroconf: Any = None
        self._over = threading.Event()
        threading.Thread(target=self._begin, name="looking for racks", daemon=True).start()

    def stop(self) -> None:
        self._over.set()
        if self._zeroconf is not None:
            threading.Thread(target=self._zeroconf.close, daemon=True).start()

    def _begin(self) -> None:
        from zeroconf import ServiceBrowser, Zeroconf

        with suppress(OSError):
            self._zeroconf = Zeroconf()
            ServiceBrowser(self._zeroconf, SERVICE, handlers=[self._changed])

    def _changed(self, zeroconf: Any, service_type: str, name: str, state_change: Any) -> None:
        if self._over.is_set() or state_change.name == "Removed":
            return
        info = zeroconf.get_service_info(service_type, name, _WAIT_MS)
        told = announced(info.properties, info.parsed_addresses(), info.port) if info else None
        if told is not None:
            self._found(told)
