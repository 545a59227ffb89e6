"""Where a rack listens, as people write it: `rack://host:port`, `rack+tls://host:port`, or an adapter's scheme."""

import ipaddress
import re
from collections.abc import Collection
from dataclasses import dataclass

from azven.gear.racks.words import PORT
from azven.refusal import Refusal

OWN_SCHEMES = ("rack", "rack+tls")
_FORM = re.compile(
    r"(?P<scheme>[a-z][a-z0-9+.-]*)://(?:\[(?P<v6>[0-9A-Fa-f:.]+)\]|(?P<host>[A-Za-z0-9._-]+))(?::(?P<port>\d{1,5}))?/?"
)


@dataclass(frozen=True)
class Address:
    """A host with its port. The scheme says how it is spoken to: `rack` openly, `rack+tls` by TLS, others through the
    adapter of that name."""

    host: str
    port: int = PORT
    scheme: str = "rack"

    @property
    def tls(self) -> bool:
        return self.scheme == "rack+tls"

    def __str__(self) -> str:
        host = f"[{self.host}]" if ":" in self.host else self.host
        return f"{self.scheme}://{host}:{self.port}"


def address(text: str, adapters: Collection[str] = ()) -> Address:
    """The address that a text says; a Refusal that tells how one is written where it is none. `adapters`: schemes
    that are served besides our own."""
    match = _FORM.fullmatch(text.strip())
    port = int(match["port"] or PORT) if match else 0
    known = (*OWN_SCHEMES, *adapters)
    if (
        match is None
        or match["scheme"] not in known
        or not 0 < port < 65_536
        or not _is_host(match["v6"], match["host"])
    ):
        how = "It is written rack://host:port or rack+tls://host:port."
        raise Refusal(f"“{text.strip()}” is no address of a rack. {how}")
    return Address(match["v6"] or match["host"], port, match["scheme"])


def _is_host(v6: str | None, host: str | None) -> bool:
    if v6 is None:
        return host is not None
    try:
        ipaddress.IPv6Address(v6)
    except ValueError:
        return False
    return True


def is_loopback(host: str) -> bool:
    """Whether an IP address, as a socket says it, is this machine's own."""
    try:
        return ipaddress.ip_address(host.split("%")[0]).is_loopback
    except ValueError:
        return False
