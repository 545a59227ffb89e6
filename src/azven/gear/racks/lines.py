"""Bytes into lines, and lines into messages: nothing longer or deeper than the rack link allows is kept."""

import json
from typing import Any, Literal, NoReturn

from azven.gear.racks.words import DEEPEST, LONGEST_LINE


class Splitter:
    """Cuts a stream of bytes at each LF. A line over the limit is None, once; its bytes are not kept."""

    def __init__(self) -> None:
        self._begun = bytearray()
        self._too_long = False

    def lines(self, data: bytes) -> list[bytes | None]:
        """The lines that `data` ends, without their LF."""
        *ended, rest = data.split(b"\n")
        found: list[bytes | None] = []
        for piece in ended:
            long = self._too_long
            line = b"" if long else bytes(self._begun) + piece if self._begun else piece
            self._begun.clear()
            self._too_long = False
            if not long:
                found.append(line if len(line) < LONGEST_LINE else None)
        if rest and not self._too_long:
            self._begun += rest
            if len(self._begun) >= LONGEST_LINE:
                self._begun.clear()
                self._too_long = True
                found.append(None)
        return found


class MessageError(ValueError):
    """A line is no JSON, no UTF-8, empty or nested too deep."""


def sorted_out(line: bytes) -> tuple[Literal["notification", "answer", "text", "rpc"], Any]:
    """What a line from a rack is (JSON-RPC 2.0, sections 4 and 5), with its message; `text` and `rpc` are no use."""
    try:
        value = message(line)
    except MessageError:
        return "text", None
    if type(value) is not dict or value.get("jsonrpc") != "2.0":
        return "rpc", None
    if "method" in value:
        good = type(value["method"]) is str and not ("id" in value or "result" in value or "error" in value)
        return ("notification", value) if good else ("rpc", None)
    good = ("result" in value) != ("error" in value) and "id" in value
    return ("answer", value) if good else ("rpc", None)


def message(line: bytes) -> Any:
    """The JSON value of a line; MessageError where it is none."""
    try:
        text = line.decode("utf-8")
        value = _decode(text)
    except (ValueError, RecursionError):
        raise MessageError from None
    if line.count(b"{") + line.count(b"[") > DEEPEST and _depth(value) > DEEPEST:
        raise MessageError
    return value


def _decode(text: str) -> Any:
    try:
        if text.startswith("{"):  # as every line of a rack does; what comes after it is looked at here
            value, end = _DECODER.raw_decode(text)
            if end == len(text) or not text[end:].strip(_BLANK):
                return value
        return _DECODER.decode(text)
    except json.JSONDecodeError:
        raise
    except ValueError:  # an integer of thousands of digits, which Python does not read by itself
        return _PATIENT.decode(text)


def _refuse(word: str) -> NoReturn:
    raise json.JSONDecodeError(f"{word} is no JSON", word, 0)


def _huge(digits: str) -> int | float:
    return int(digits) if len(digits) < 400 else float("inf")


def _depth(value: Any) -> int:
    """How deep a value is nested: 1 for a list of numbers."""
    deepest, below = 0, [(value, 1)]
    while below:
        here, depth = below.pop()
        inner = here.values() if isinstance(here, dict) else here if isinstance(here, list) else None
        if inner is not None:
            deepest = max(deepest, depth)
            below.extend((v, depth + 1) for v in inner if isinstance(v, dict | list))
    return deepest


_BLANK = " \t\r\n"
_DECODER = json.JSONDecoder(parse_constant=_refuse)
_PATIENT = json.JSONDecoder(parse_constant=_refuse, parse_int=_huge)
