"""Reasons for a case of the watch: what was heard, how sure it is and why, what could be done."""

from azven.rf.diagnose.record import Incident
from azven.work.reasons.told import Reasons, Row
from azven.work.watch import said
from azven.work.watch.cases import Case
from azven.work.watch.night import Seen
from azven.work.wording import decibel, khz, listed, mhz

_TITLES = {
    "product": "product", "sources": "its sources", "victim": "falls on", "by": "by", "freq_hz": "their carrier",
    "side": "side", "drop_db": "lower by", "block": "fits", "system": "antenna system", "low_hz": "from",
    "high_hz": "to", "rise_db": "floor up by", "receiver_hz": "receiver", "transmitter_hz": "pack", "zone": "room",
    "ran_min": "ran for", "left_min": "left", "needed_min": "needed", "minutes": "low in", "level_dbm": "heard",
    "noise_dbm": "noise", "rack": "rack",
}  # fmt: skip
_SHOWN = 8


def for_case(seen: Seen, case: Case) -> Reasons:
    """What the panel says of a case."""
    it = case.incident
    steps = tuple(it.next)
    origins: tuple[Row, ...] = (
        ("links", listed(list(case.links), _SHOWN)),
        ("how sure", f"{it.sure:.0%}" if it.cause != "unknown" else "not known"),
        *(("note", f"{n.by}: {n.text}") for n in case.notes),
    )
    if case.ended:
        origins = (*origins, ("ended", case.ended))
    return Reasons(
        title=said.who(case), figure=f"case {case.number}", state=case.mark if case.state != "closed" else "over",
        verdict=" ".join((said.what(case), *it.evidence)), arithmetic=(*of_detail(it), *_now(seen, case)),
        heading="What was heard", origins=origins, steps=steps,
    )  # fmt: skip


def of_detail(it: Incident) -> tuple[Row, ...]:
    """What is known of an incident in figures."""
    return tuple((_TITLES.get(key, key), _value(key, value)) for key, value in it.detail.items() if value is not None)


def _value(key: str, value: object) -> str:
    if isinstance(value, list | tuple):
        return listed([str(x) for x in value])
    if isinstance(value, bool) or not isinstance(value, int | float):
        return str(value).upper() if key == "side" else str(value)
    if key.endswith("_hz"):
        return f"{mhz(int(value))} MHz" if value > 1e6 else khz(int(value))
    if key.endswith("_dbm"):
        return decibel(value)
    if key.endswith("_db"):
        return decibel(value, "dB")
    return f"{value:.0f} min" if key.endswith("min") or key == "minutes" else f"{value:g}"


def _now(seen: Seen, case: Case) -> tuple[Row, ...]:
    """What its link shows now, where it is one."""
    if len(case.links) != 1 or case.links[0] not in seen.watched.places:
        return ()
    told = seen.told(seen.watched.places[case.links[0]])
    rows = [(f"level {k.upper()} now", decibel(told[k])) for k in ("a", "b") if told.get(k) is not None]
    if told.get("q") is not None:
        rows.append(("quality now", f"{told['q']:.0f} %"))
    if told.get("bat") is not None:
        rows.append(("battery now", f"{told['bat']:.0f} %"))
    return tuple(rows)
