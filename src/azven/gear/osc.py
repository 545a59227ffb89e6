"""Open Sound Control over UDP, sent to whoever was named (OSC 1.0 specification, Wright, 2002). Nothing is received."""

import socket

from azven.refusal import Refusal

Value = int | float | str
_HIGHEST_PORT = 65_535


class OscSender:
    """Sends to one host and port. A message that cannot be sent is dropped and counted: a show waits for nobody.
    Refusal for a host that is none."""

    def __init__(self, host: str, port: int) -> None:
        self.dropped = 0
        try:
            kind, _, _, _, where = socket.getaddrinfo(host, port, type=socket.SOCK_DGRAM)[0]
            self._socket = socket.socket(kind, socket.SOCK_DGRAM)
            self._socket.setblocking(False)
            self._socket.connect(where)  # nobody else can answer
        except OSError as error:
            raise Refusal(f"{host} is no host that can be sent to ({error.strerror or error}).") from error

    def send(self, address: str, *values: Value) -> None:
        from pythonosc.osc_message_builder import build_msg  # only where it is turned on

        try:
            self._socket.send(build_msg(address, list(values)).dgram)
        except OSError:
            self.dropped += 1

    def close(self) -> None:
        """Send no more; safe to call twice."""
        self._socket.close()


def target(text: str) -> tuple[str, int]:
    """Host and port of a text such as 192.168.4.20:9000. Refusal for anything else."""
    host, colon, port = text.strip().rpartition(":")
    if not colon or not host or not port.isdigit() or not 0 < int(port) <= _HIGHEST_PORT:
        raise Refusal(f"“{text[:80]}” is no target; write host and port like 192.168.4.20:9000.")
    return host.strip("[]"), int(port)
