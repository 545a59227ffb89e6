"""A transport that writes down what goes through it, so that people see what was sent and what came."""

from azven.gear.transport import LONGEST_LINE, Transport

_SHOWN = 160
_MOST = 400


class Overheard:
    """Passes everything on to a transport; `said` has a line for each message, shortened, the last few hundred."""

    def __init__(self, transport: Transport) -> None:
        self._transport = transport
        self.name = transport.name
        self.said: list[str] = []

    def send(self, line: str) -> None:
        self._note("→", line)
        self._transport.send(line)

    def line(self, longest: int = LONGEST_LINE) -> str:
        answer = self._transport.line(longest)
        self._note("←", answer)
        return answer

    def block(self) -> bytes:
        data = self._transport.block()
        self._note("←", f"a block of {len(data)} bytes")
        return data

    def wait(self, seconds: float) -> None:
        self._transport.wait(seconds)

    def close(self) -> None:
        self._transport.close()

    def _note(self, way: str, text: str) -> None:
        shown = "".join(c if c.isprintable() else "·" for c in text)
        short = shown if len(shown) <= _SHOWN else f"{shown[:_SHOWN]} … ({len(shown)} characters)"
        if len(self.said) < _MOST:
            self.said.append(f"{way} {short}")
