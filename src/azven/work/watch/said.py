"""Cases in words: who, what it is, for how long. What is decided is decided from values, never from these."""

from collections.abc import Mapping

from azven.rf.diagnose.record import Incident
from azven.work.watch.batteries import Charge
from azven.work.watch.cases import Case
from azven.work.wording import listed, mhz

_WORDS: Mapping[str, str] = {
    "battery": "Its battery is empty.", "switched-off": "Its transmitter was switched off.",
    "muted": "Muted at the transmitter.", "shadow": "Something stands between it and both antennas.",
    "out-of-reach": "Out of reach of both antennas.", "multipath": "One antenna dips again and again.",
    "product": "A product of others lies in its channel.", "own": "Another link of ours is on its channel.",
    "foreign": "Somebody else sends in its channel.", "noise": "The floor is up in many channels.",
    "overload": "A strong signal blocks all of them.", "frequency": "Pack and receiver differ.",
    "headphone": "Headphones are out.", "clip": "It clips again and again.", "quiet": "No sound comes from it.",
    "rack": "The rack is not heard.", "crowd": "The room fills: all levels sank.",
    "unknown": "In trouble, not known why.", "sinks": "Its level sinks and sinks.",
    "intruder": "Somebody is on it who should not be.", "spare": "No longer quiet: no spare any more.",
    "unsent": "Changed in the plan and not sent.",
}  # fmt: skip
_AHEAD: Mapping[str, str] = {"battery": "Battery too short.", "rack": "The rack has fallen silent."}
_ROMAN = {"a": "antenna A", "b": "antenna B"}
MANY, EVERY_RACK = 3, "every rack"


def who(case: Case) -> str:
    """The title of a case: the link, or what the links have in common."""
    return who_of(case.incident)


def who_of(it: Incident) -> str:
    """The same of an incident."""
    links, detail = it.links, it.detail
    if it.cause == "branch":
        return f"{len(links)} links, {_ROMAN.get(str(detail.get('side')), 'one antenna')}"
    if it.cause == "system" and detail.get("system"):
        return str(detail["system"])
    if it.cause == "crowd" and detail.get("zone"):
        return str(detail["zone"])
    if it.cause == "rack" and len(links) > 1 and detail.get("rack"):
        rack = str(detail["rack"])
        return "Every rack" if rack == EVERY_RACK else f"Rack {rack}"
    if it.cause == "noise" and detail.get("low_hz"):
        return f"{detail['low_hz'] / 1e6:.0f} to {detail['high_hz'] / 1e6:.0f} MHz"
    return listed(list(links), MANY - 1) if links else "nobody"


def what(case: Case) -> str:
    """The cause in one sentence."""
    return _AHEAD[case.incident.cause] if case.ahead and case.incident.cause in _AHEAD else what_of(case.incident)


def what_of(it: Incident) -> str:
    """The cause of an incident in one sentence."""
    count = len(it.links)
    if it.cause == "branch":
        return f"One cause for {count} links: {it.detail.get('block') or 'a cable, a connector or a supply'}."
    if it.cause == "system":
        return f"Both antennas of {count} links are gone."
    if it.detail.get("rack") == EVERY_RACK:
        return f"This desk hears none of {count} links."
    if it.cause == "rack" and count > 1:
        return f"One cause for {count} links: their rack is not heard."
    if it.cause == "product" and it.detail.get("sources"):
        return f"{listed(list(it.detail['sources']), 3)} make a product in its channel."
    if it.cause in ("own", "overload") and it.detail.get("by"):
        by = str(it.detail["by"])
        return f"{by} is on its channel." if it.cause == "own" else f"Blocked by {_by(by)}: {count} links."
    if it.cause == "foreign" and it.detail.get("freq_hz"):
        return f"Somebody else sends on {mhz(int(it.detail['freq_hz']))} MHz."
    return of_cause(it.cause)


def of_cause(cause: str) -> str:
    """A cause by itself in a sentence."""
    return _WORDS.get(cause, cause)


def _by(by: str) -> str:
    return {"radio": "a hand-held radio", "in-ear antenna": "an in-ear antenna"}.get(by, by)


def sure(case: Case) -> str:
    """How sure it is, where that is not certain."""
    value = case.incident.sure
    if case.incident.cause == "unknown" or value >= 0.9:
        return ""
    return "likely" if value >= 0.7 else "perhaps"


def lasting(seconds: float) -> str:
    """A time that goes on, in the unit that matters."""
    if seconds < 90:
        return f"{max(seconds, 0):.0f} s"
    return f"{seconds / 60:.0f} min" if seconds < 7200 else f"{seconds / 3600:.0f} h"


def minutes(charge: Charge | None) -> str:
    """Minutes left for minutes needed; empty where they are not known."""
    if charge is None or charge.left.minutes is None:
        return ""
    return f"{charge.left.minutes:.0f}" + (f" for {charge.needed_min:.0f}" if charge.needed_min else "")


def has_it(case: Case, since: str, until: str) -> str:
    """Who has a case and when it asks again, in local times."""
    if case.state == "hushed":
        return f"hushed by {case.by} · asks again {until} or if worse"
    return f"{case.by} has it since {since} · asks again {until} or if worse"
