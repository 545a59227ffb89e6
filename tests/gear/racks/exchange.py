"""Plays an exchange of `rack-link.json` to a link, without a network: what was sent, told and is known afterwards."""

import json
from collections import Counter
from typing import Any

from azven.gear.racks.calls import Call
from azven.gear.racks.link import RackLink
from azven.gear.racks.told import Told

TICK_S = 0.1


class Exchange:
    """A link in the hands of a test."""

    def __init__(self, token: str | None = None, id_taken: bool = False) -> None:
        self.id_taken = id_taken
        self.sent: list[dict[str, Any]] = []
        self.told_all: list[Told] = []
        self.log: list[dict[str, Any]] = []
        self.calls: list[Call] = []
        self.closed = 0
        self.now_s = 0.0
        self.certificate: dict[str | None, str] = {}
        self.link = RackLink("rack://127.0.0.1:47600", self, lambda: 0.5, token)

    def send(self, data: bytes) -> None:
        self.sent.extend(json.loads(line) for line in data.splitlines())

    def close(self) -> None:
        self.closed += 1

    def frame(self, link: RackLink, now_s: float, changes: dict[str, Any], full: bool) -> None:
        if changes:
            self.log.append({c: dict(f) for c, f in changes.items()})

    def told(self, link: RackLink, told: Told) -> None:
        self.told_all.append(told)

    def certified(self, link: RackLink, rack_id: str | None) -> str:
        return self.certificate.get(rack_id, "")

    def taken(self, link: RackLink, rack_id: str) -> bool:
        return self.id_taken

    def until(self, t: float) -> None:
        """Let time pass."""
        while self.now_s + TICK_S < t - 1e-9:
            self.now_s += TICK_S
            self.link.tick(self.now_s)
        self.now_s = max(self.now_s, t)
        self.link.tick(self.now_s)

    def bytes(self, data: bytes) -> None:
        self.link.received(data, self.now_s)

    def answer(self, step: dict[str, Any]) -> None:
        """Answer the last call of a method under its id."""
        call_id = [m["id"] for m in self.sent if m["method"] == step["answer"]][-1]
        part = {"error": step["error"]} if "error" in step else {"result": step["result"]}
        self.bytes(json.dumps({"jsonrpc": "2.0", "id": call_id, **part}).encode() + b"\n")

    def play(self, step: dict[str, Any]) -> None:
        self.until(step["t"])
        if step.get("open"):
            self.link.opened(self.now_s)
        if step.get("end"):
            self.link.ended(self.now_s)
        if step.get("failed_try"):
            self.link.failed(self.now_s)
        if "call" in step:
            call = Call(step["call"]["method"], step["call"].get("params", {}), "a test")
            self.calls.append(call)
            self.link.call(call, self.now_s)
        if "answer" in step:
            self.answer(step)
        if "in" in step:
            self.bytes(step["in"].encode("utf-8", "surrogatepass") + b"\n")
        if "in_hex" in step:
            self.bytes(bytes.fromhex(step["in_hex"]))
        if "in_parts" in step:
            self.bytes("".join(text * times for text, times in step["in_parts"]).encode())
        if "in_many" in step:
            self._many(step["in_many"])
        if "out" in step:
            assert any(_is(m, step["out"]) for m in self.sent), step["out"]
        if "values" in step:
            assert self.values() == known(step["values"])

    def _many(self, many: dict[str, Any]) -> None:
        for k in range(many["count"]):
            line = many["line"].replace("$ms", str(many.get("ms", 0) + k)).replace("$n", str(many.get("n", 0) + k))
            self.bytes(line.encode() + b"\n")
            if many["every_s"]:
                self.until(self.now_s + many["every_s"])

    def values(self) -> dict[str, Any]:
        return known(self.link.status.values)

    def kinds(self) -> list[str]:
        """The events of a rack, in order."""
        apart = {"bad", "event", "changed", "sent", "answered", "certificate"}
        return [t.kind for t in self.told_all if t.kind not in apart]

    def counted(self) -> dict[str, int]:
        return {word: n for word, n in self.link.checker.counted.items() if n}

    def times(self) -> Counter[str]:
        return Counter(m["method"] for m in self.sent)


def known(values: dict[str, Any]) -> dict[str, Any]:
    """Values by channel without those that are told as not known."""
    return {c: {k: v for k, v in fields.items() if v is not None} for c, fields in values.items() if fields}


def _is(sent: dict[str, Any], wanted: dict[str, Any]) -> bool:
    params = wanted.get("params", {})
    return bool(sent["method"] == wanted["method"] and all(sent["params"].get(k) == v for k, v in params.items()))


def played(document: dict[str, Any], case: dict[str, Any]) -> Exchange:
    """The exchange of a case, after its last step."""
    exchange = Exchange(case.get("token"), case.get("id_taken", False))
    for step in (*document["preambles"][case["after"]], *case["steps"]):
        exchange.play(step)
    end = exchange.now_s + case.get("then_s", 0.0)
    exchange.until(end)
    return exchange
