"""Lines and binary blocks to and from an instrument, over a raw socket or through PyVISA."""

import re
import socket
import time
from contextlib import suppress
from typing import Any, Protocol

from azven.refusal import Refusal

_SOCKET = re.compile(r"^TCPIP\d*::(?P<host>[^:]+|\[[^\]]+\])::(?P<port>\d+)::SOCKET$", re.IGNORECASE)
LONGEST_LINE = 65_536
_LARGEST_BLOCK = 64 * 1024 * 1024


class InstrumentError(Refusal):
    """The instrument cannot be reached, went away or answered nonsense; the message is for the user."""


class Transport(Protocol):
    """A connection to one instrument of a `name`. Every method raises InstrumentError when the instrument fails it."""

    name: str

    def send(self, line: str) -> None:
        """Send one line of commands."""

    def line(self, longest: int = LONGEST_LINE) -> str:
        """Read one answer up to its line end; an answer that is longer is refused."""

    def block(self) -> bytes:
        """Read a definite-length block `#<digits><length><data>` (IEEE 488.2, 8.7.9) and its line end."""

    def wait(self, seconds: float) -> None:
        """Allow the next answers this long."""

    def close(self) -> None:
        """Let go of the instrument; safe to call twice and from another thread, where it ends a read."""


def connect(resource: str, timeout_s: float = 5.0) -> Transport:
    """Open `TCPIP::host::port::SOCKET` with our own transport, any other resource name through PyVISA.

    Raises InstrumentError when nothing answers there.
    """
    match = _SOCKET.match(resource.strip())
    if match:
        return SocketTransport(match["host"].strip("[]"), int(match["port"]), timeout_s)
    return VisaTransport(resource.strip(), timeout_s)


class SocketTransport:
    """A raw TCP socket without delay. A peer that closes is noticed at once."""

    def __init__(self, host: str, port: int, timeout_s: float) -> None:
        self.name = f"{host}:{port}"
        self._pending = bytearray()
        self._allowed_s = timeout_s
        try:
            self._socket = socket.create_connection((host, port), timeout_s)
        except (OSError, OverflowError) as error:
            raise InstrumentError(f"No instrument answers at {self.name} ({error}).") from error
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)

    def send(self, line: str) -> None:
        try:
            self._socket.sendall(line.encode("ascii", "replace") + b"\n")
        except OSError as error:
            self._fail(error)

    def wait(self, seconds: float) -> None:
        self._allowed_s = seconds

    def line(self, longest: int = LONGEST_LINE) -> str:
        return self._line(self._deadline(), longest)

    def _line(self, until: float, longest: int = LONGEST_LINE) -> str:
        while (end := self._pending.find(b"\n")) < 0:
            if len(self._pending) > longest:
                self.close()
                raise InstrumentError(f"{self.name} sent an answer that is too long; the connection was closed.")
            self._receive(until)
        return self._taken(end + 1).decode("ascii", "replace").strip()

    def block(self) -> bytes:
        until = self._deadline()
        head = self._exactly(2, until)
        if head[:1] != b"#" or not head[1:].isdigit() or head == b"#0":
            self.close()
            raise InstrumentError(f"{self.name} answered {head!r} where a block of readings was expected.")
        length = self._exactly(int(head[1:]), until)
        if not length.isdigit() or int(length) > _LARGEST_BLOCK:
            self.close()
            raise InstrumentError(f"{self.name} announced a block of {length!r} bytes; the connection was closed.")
        data = self._exactly(int(length), until)
        self._line(until)
        return data

    def close(self) -> None:
        with suppress(OSError):
            self._socket.shutdown(socket.SHUT_RDWR)
        self._socket.close()

    def _deadline(self) -> float:
        """One answer as a whole is allowed the time: a peer that drips bytes does not hold us for ever."""
        return time.monotonic() + self._allowed_s

    def _exactly(self, n: int, until: float) -> bytes:
        while len(self._pending) < n:
            self._receive(until)
        return self._taken(n)

    def _taken(self, n: int) -> bytes:
        data = bytes(self._pending[:n])
        del self._pending[:n]
        return data

    def _receive(self, until: float) -> None:
        try:
            left_s = until - time.monotonic()
            if left_s <= 0:
                raise TimeoutError
            self._socket.settimeout(left_s)
            data = self._socket.recv(1 << 16)
        except OSError as error:
            self._fail(error)
        if not data:
            self.close()
            raise InstrumentError(f"{self.name} closed the connection in the middle of an answer.")
        self._pending += data

    def _fail(self, error: OSError) -> None:
        """After a time-out a late answer could be taken for the next one, so the connection is always closed."""
        self.close()
        if isinstance(error, TimeoutError):
            raise InstrumentError(f"{self.name} did not answer in time; the connection was closed.") from error
        raise InstrumentError(f"{self.name} closed the connection ({error}).") from error


class VisaTransport:
    """USB, serial and LXI instruments through PyVISA and its Python backend."""

    def __init__(self, resource: str, timeout_s: float) -> None:
        import pyvisa

        self.name = resource
        try:
            self._manager = pyvisa.ResourceManager("@py")
            self._resource: Any = self._manager.open_resource(resource)
            self._resource.timeout = min(timeout_s, 1.0) * 1000
            for side in ("write_termination", "read_termination"):
                setattr(self._resource, side, "\n")
        except Exception as error:  # PyVISA lets through whatever its backends raise
            raise InstrumentError(f"{resource} cannot be opened ({error}).") from error

    def send(self, line: str) -> None:
        self._call(lambda: self._resource.write(line))

    def line(self, longest: int = LONGEST_LINE) -> str:
        return str(self._call(self._resource.read)).strip()[:longest]

    def block(self) -> bytes:
        data = self._call(
            lambda: self._resource.read_binary_values(
                datatype="B", container=bytes, header_fmt="ieee", expect_termination=True
            )
        )
        return bytes(data)

    def wait(self, seconds: float) -> None:
        self._resource.timeout = seconds * 1000

    def close(self) -> None:
        with suppress(Exception):  # closing a peer that is gone must not raise
            self._resource.close()

    def _call(self, action: Any) -> Any:
        try:
            return action()
        except Exception as error:  # as above
            self.close()
            raise InstrumentError(f"{self.name} does not answer ({error}).") from error
