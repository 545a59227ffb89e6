"""What an answer says: whether a call is done, and what is to be learnt from it."""

from typing import Any

from azven.gear.racks.calls import Call
from azven.gear.racks.card import is_id
from azven.gear.racks.scans import Scan
from azven.gear.racks.values import Checker, Fields, is_int


def read(call: Call, value: dict[str, Any], checker: Checker) -> tuple[str, bool]:
    """Put what an answer says into its call. Returns `done` or `failed`, and whether the line is of a wrong type."""
    if "error" in value:
        error, bad = value["error"], False
        if type(error) is not dict or not is_int(error.get("code")):
            error, bad = {"code": None}, True
        call.error, call.message = error.get("code"), checker.sentence(error.get("message"))
        call.data = error["data"] if isinstance(error.get("data"), dict) else {}
        return "failed", bad
    if type(value["result"]) is not dict and call.method != "hello":
        call.message = "The rack's answer is no object."
        return "failed", True
    call.result = value["result"]
    return "done", False


def settings(call: Call, checker: Checker) -> Fields | None:
    """All settings of the call's channel as the answer says them; None where it says none."""
    if call.error is not None:
        values = call.data.get("values")
    elif call.method == "set":
        values = call.result.get("values")
    else:
        values = call.result if call.method == "get" else None
    return checker.settings(values) if call.channel is not None and isinstance(values, dict) else None


def scan(call: Call, outcome: str) -> tuple[str, Scan] | None:
    """The scan that has begun with this answer, and its id."""
    name = call.result.get("scan") if call.method == "scan" and outcome == "done" else None
    if not is_id(name) or call.channel is None:
        return None
    p = call.params
    return str(name), Scan(call.channel, p["low_hz"], p["high_hz"], p["step_hz"])


def changes_card(call: Call, outcome: str) -> bool:
    """Whether the rack is no longer as its card said: another band, another network."""
    values = call.params.get("values")
    band = call.method == "set" and isinstance(values, dict) and "band" in values
    return outcome == "done" and (band or call.method == "network")


def told(call: Call, outcome: str, checker: Checker) -> dict[str, Any]:
    """An answer as it is told and logged."""
    said: dict[str, Any] = {"method": call.method, "channel": call.channel, "by": call.by}
    if outcome == "done":
        values = call.result.get("values")
        return said | {"result": {"values": checker.settings(values)} if isinstance(values, dict) else {}}
    return said | {"error": {"code": call.error, "message": call.message}}
