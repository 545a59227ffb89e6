"""Racks with a protocol of their own: an adapter offers them as a rack that speaks the rack link (docs/adapters.md)."""

from collections.abc import Callable
from functools import cache
from importlib.metadata import entry_points
from typing import Protocol

from azven.gear.racks.address import OWN_SCHEMES, Address

GROUP = "azven.racks"


class Opened(Protocol):
    """A connection to a rack. `fingerprint`: SHA-256 of its certificate under TLS; `peer`: the IP address it is at."""

    fingerprint: str | None
    peer: str

    def begin(self) -> None:
        """Lines may be delivered from now on."""

    def send(self, data: bytes) -> None:
        """Take lines of the rack link from Azven."""

    def close(self) -> None:
        """End; `ended` is called once, now or soon."""


class Adapter(Protocol):
    """Speaks a maker's protocol to a rack and the rack link to Azven."""

    async def open(self, address: Address, received: Callable[[bytes], None], ended: Callable[[], None]) -> Opened:
        """Connect. Whatever the rack has to say is given to `received` as lines of the rack link, on the loop that
        called; `ended` says that the rack is gone. OSError when nobody answers."""


@cache
def adapter(scheme: str) -> Adapter | None:
    """The adapter for addresses of a scheme, found by entry point; None where there is none."""
    if scheme in OWN_SCHEMES:
        return None
    for point in entry_points(group=GROUP, name=scheme):
        made: Adapter = point.load()()
        return made
    return None


@cache
def schemes() -> tuple[str, ...]:
    """Schemes that adapters on this machine serve."""
    return tuple(sorted({p.name for p in entry_points(group=GROUP)}))
