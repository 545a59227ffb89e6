"""What to do about an incident: each spare is tried before it is offered, everything else is advice by its cause."""

import math
from collections.abc import Callable, Mapping, Sequence

import numpy as np

from azven.rf.diagnose.common import level_said
from azven.rf.diagnose.record import (
    SIDE_HZ,
    USUAL_NEEDED_DB,
    USUAL_THRESHOLD_DBM,
    Incident,
    LinkHead,
    Record,
)
from azven.rf.products import third_order

_AROUND_S, _FARTHEST, _SERVED = 120.0, 30.0, 0.99
_RECENT_S, _RISEN_DB, _SLACK_DB = 600.0, 5.0, 6.0
"""A spare is quiet where its noise has not risen of late, and a signal at its threshold would stand as far over it as
it needs, but for the slack of what receivers tell."""
_ADVICE: Mapping[str, str] = {
    "battery": "Change the battery now, or at the break: {who}.",
    "switched-off": "Ask whoever wears {who}; the switch may need its lock.",
    "muted": "Ask {who}; lock the mute switch where the performer should not touch it.",
    "shadow": "Another place for the antennas, or the other side of the body, for {who}.",
    "out-of-reach": "An antenna of its own for where {who} goes, or another zone.",
    "multipath": "Move antenna {side} by a quarter of a wave or more, or spread the pair.",
    "branch": "Look at side {side}: supply, connector, cable, amplifier.",
    "system": "Look at the splitter, the supply and the rack's power of {system}.",
    "product": "Move one of {sources}, or {who}.",
    "own": "Move {by} or {who}: they need channels apart.",
    "foreign": "Find out who is there, with a sweep; ask the neighbour.",
    "noise": "Find what was switched on: a wall of lamps, a camera link, a generator. Try the other antenna side.",
    "overload": "Keep {by} away from the antennas; an attenuator or a filter in front.",
    "frequency": "Sync {who} again.",
    "headphone": "Ask {who} to plug in.",
    "clip": "Turn {who} down by 6 dB, at the transmitter first.",
    "quiet": "Capsule, cable or mute of {who}.",
    "rack": "Look at power and network of the rack.",
    "crowd": "Raise the antennas over the heads, or bring them nearer.",
    "unknown": "Watch it.",
}
_BY_SPARE = {"product", "own", "foreign", "noise", "battery", "switched-off", "quiet"}


def add(record: Record, found: Sequence[Incident]) -> None:
    """Write next steps into incidents."""
    for it in (x for x in found if not x.next):
        who = ", ".join(it.links[:3]) + (f" and {len(it.links) - 3} more" if len(it.links) > 3 else "")
        told = {**it.detail, "who": who, "side": str(it.detail.get("side", "")).upper(),
                "sources": ", ".join(it.detail.get("sources", ())), "by": it.detail.get("by", ""),
                "system": it.detail.get("system", "")}  # fmt: skip
        if it.cause in _BY_SPARE and len(it.links) == 1:
            it.next += _spares(record, it)
        tried = _TRIED[it.cause](record, it) if it.cause in _TRIED else ""
        it.next.append(tried or _ADVICE[it.cause].format(**told))


def _without(record: Record, it: Incident) -> str:
    """Which of the sources would have to go, each tried against all that are on."""
    i = record.index(it.links[0])
    freq_hz = record.head.links[i].freq_hz if i is not None else None
    if i is None or freq_hz is None:
        return ""
    now = min(int(np.searchsorted(record.at_s, it.from_s)) + 1, len(record.at_s) - 1)
    reach = record.head.links[i].bandwidth_hz // 2 + SIDE_HZ
    on = {x.name: x.freq_hz for k, x in enumerate(record.head.links)
          if k != i and x.freq_hz is not None and record.tx[k, now] == 1}  # fmt: skip
    sources = [n for n in it.detail.get("sources", ()) if n in on]
    clears = [n for n in sources if not third_order([f for m, f in on.items() if m != n], freq_hz, reach)]
    if not sources:
        return ""
    if not clears:
        return "Moving one of them is not enough: others that are on make products there too. Move it instead."
    who = " or ".join(clears)
    return f"Move {who}, or have it off while it is not needed: then no product of who is on falls there."


def _farther(record: Record, it: Incident) -> str:
    """How much weaker the strong one has to come in, by how it stood while the others were well; and whether the
    weakest of them could bear an attenuator of that much."""
    by = record.index(it.detail.get("by", ""))
    others = [i for n in it.links if (i := record.index(n)) not in (None, by)]
    if by is None or not others:
        return ""
    first, end = (int(np.searchsorted(record.at_s, t)) for t in (it.from_s - _AROUND_S, it.to_s + _AROUND_S))
    level, hurt = record.better[by, first:end], record.hurt[others, first:end].mean(axis=0)
    loud, well = level[hurt >= 0.5], level[(hurt == 0) & np.isfinite(level)]
    if not np.isfinite(loud).any() or not len(well):
        return ""
    peak, borne = float(np.nanmax(loud)), float(np.percentile(well, 95))
    less_db = math.ceil(peak - borne)
    if less_db < 1:
        return ""
    times = min(10 ** (less_db / 20), _FARTHEST)
    keep = (
        f"Keep {record.head.links[by].name} {times:.1f} times as far from the antennas: "
        f"it came in at {level_said(peak)}, and at {level_said(borne)} the others were well."
    )
    left = [float(np.nanmedian(record.better[i, first:end])) - less_db - float(record.low[i, 0]) for i in others]
    weak = record.head.links[others[int(np.nanargmin(left))]].name
    least = min(left)
    if least < 0:
        return f"{keep} No attenuator: {less_db} dB less would leave {weak} too weak."
    return f"{keep} Or an attenuator of {less_db} dB in front: {weak}, the weakest, is still {least:.0f} dB over low."


def _by_map(record: Record, it: Incident) -> str:
    """What the map of the room says of it: whether antennas have to be moved, or the pack is at fault."""
    i = record.index(it.links[0])
    head = record.head.links[i] if i is not None else None
    if head is None or head.map_served is None or head.map_margin_db is None:
        return ""
    name, spare_db = head.name, head.map_margin_db
    if head.map_served < _SERVED:
        lacking = f"{-spare_db:.0f} dB are missing" if spare_db < 0 else f"only {spare_db:.0f} dB are to spare"
        share = f"{100 * (1 - head.map_served):.0f} % of {head.zone}"
        it.evidence.append(f"By Reach's map {share} is not served; at the worst place {lacking}.")
        return f"Another place for the antennas, tried on Reach's map first, or the other side of the body, for {name}."
    it.evidence.append(f"By Reach's map all of {head.zone} is served, {spare_db:.0f} dB to spare at the worst place.")
    return f"Look at the pack of {name}, its antenna and how it is worn: by the map the antennas hear it everywhere."


_TRIED: Mapping[str, Callable[[Record, Incident], str]] = {
    "product": _without, "overload": _farther, "shadow": _by_map, "out-of-reach": _by_map,
}  # fmt: skip
"""What is worked out before it is offered; where it cannot be, the advice is all there is."""


def _spares(record: Record, it: Incident) -> list[str]:
    """The first spare that is known to be quiet now and that no product of who is on falls on."""
    i = record.index(it.links[0])
    if i is None:
        return []
    link, now = record.head.links[i], min(int(np.searchsorted(record.at_s, it.to_s)), len(record.at_s) - 1)
    unknown = []
    for j, spare in enumerate(record.head.links):
        if not spare.spare or spare.zone != link.zone or spare.service != link.service or spare.freq_hz is None:
            continue
        if record.tx[j, now] == 1:
            continue
        quiet = _quiet(record, j, now)
        if quiet is None:
            unknown.append(spare.name)
        elif quiet and _holds(record, j, now, (i,)):
            mhz = f"{spare.freq_hz / 1e6:.3f} MHz"
            it.spare = spare.name
            return [f"Go to {spare.name}, {mhz}: it is quiet, and holds with all that are on."]
    return [f"Whether {unknown[0]} is quiet is not known: sweep first."] if unknown else []


def _quiet(record: Record, j: int, now: int) -> bool | None:
    """Whether an idle receiver hears nothing; None where it has told nothing of late."""
    past = record.noise[j, max(now - record.steps(_RECENT_S), 0) : now + 1]
    told = past[np.isfinite(past)]
    if not record.heard[j, now] or not len(told):
        return None
    spare = record.head.links[j]
    threshold = USUAL_THRESHOLD_DBM if spare.threshold_dbm is None else spare.threshold_dbm
    needed = USUAL_NEEDED_DB if spare.needed_db is None else spare.needed_db
    return bool(told[-1] <= np.percentile(told, 20) + _RISEN_DB and told[-1] <= threshold - needed + _SLACK_DB)


def _holds(record: Record, j: int, now: int, but: tuple[int, ...]) -> bool:
    """Whether nothing that is on, and no third-order product of it, falls into a spare's channel."""
    mine: LinkHead = record.head.links[j]
    assert mine.freq_hz is not None
    reach = mine.bandwidth_hz // 2 + SIDE_HZ
    on = [x.freq_hz for k, x in enumerate(record.head.links)
          if k not in (j, *but) and x.freq_hz is not None and record.tx[k, now] == 1]  # fmt: skip
    beside = any(abs(f - mine.freq_hz) <= 2 * reach for f in on)
    return not beside and not third_order(on, mine.freq_hz, reach)
