"""What will go wrong unless something is done: batteries, levels that sink, strangers on our frequencies, racks that
fall silent, packs that are elsewhere, a plan that was not sent."""

from collections.abc import Iterator, Mapping, Sequence

import numpy as np

from azven.gear.racks.values import Fields
from azven.rf import bands
from azven.rf.diagnose.common import nanmedian
from azven.rf.diagnose.record import Incident, Record, unknown_is_unknown
from azven.rf.levels import Floats
from azven.work.watch.batteries import Charge
from azven.work.watch.watched import Watched
from azven.work.wording import decibel, listed, mhz

_SHORT_MIN, _SINK_MIN, _SOON_MIN, _SINK_DB, _STEP_DB, _RISEN_DB, _SILENT_S = 20.0, 20.0, 30.0, 6.0, 2.0, 8.0, 3.0
_OVER_S, _MANY = 60.0, 3
_SINKS = frozenset({"crowd", "branch", "system", "out-of-reach"})
_FLOODS = frozenset({"noise", "overload", "system"})
"""Causes that say already why levels sink, and why something is heard everywhere."""


def ahead(
    watched: Watched, lately: Record, evening: Record | None, status: Sequence[Fields], found: Sequence[Charge],
    unsent: Mapping[str, Sequence[str]], wrong: Sequence[Incident], silent_s: Floats | None, t: float,
) -> list[Incident]:  # fmt: skip
    """All of it at a time [s]. `unsent`: what differs between plan and units, in words by link; `wrong`: what is wrong
    already, which explains some of it; `silent_s`: for how long nothing was said of each link, None where that says
    nothing yet."""
    now = [x for x in wrong if x.to_s >= t - _OVER_S]
    sunk = {name for x in now if x.cause in _SINKS for name in x.links}
    flooded = any(x.cause in _FLOODS for x in now)
    with unknown_is_unknown():
        return [
            *_batteries(found, t), *(x for x in _sinking(watched, evening, t) if not sunk & set(x.links)),
            *(() if flooded else _strangers(watched, lately, t)),
            *(() if silent_s is None else _silent(watched, silent_s, t)),
            *_elsewhere(watched, status, t), *_unsent(unsent, t),
        ]  # fmt: skip


def _one(
    cause: str, links: Sequence[str], t: float, said: str, do: str, sure: float = 0.9, **detail: object
) -> Incident:  # fmt: skip
    return Incident(from_s=t, to_s=t, links=tuple(links), cause=cause, sure=sure, detail=dict(detail),
                    evidence=[said], next=[do])  # fmt: skip


def _batteries(found: Sequence[Charge], t: float) -> Iterator[Incident]:
    """Batteries that end inside the act that is on; many at once are one trouble. Where nobody knows when acts are
    over, those that are nearly empty."""
    short = sorted((c for c in found if c.short_min is not None), key=lambda c: c.left.minutes or 0.0)
    if len(short) > _MANY:
        first = short[0]
        said = (
            f"{len(short)} batteries end before the act does: {first.name} in {first.left.minutes:.0f} minutes, "
            f"{first.act} goes on for {first.act_min:.0f}."
        )
        yield _one("battery", [c.name for c in short], t, said, "Change them in turn, the shortest first.",
                   left_min=first.left.minutes, needed_min=first.act_min)  # fmt: skip
    for charge in short if len(short) <= _MANY else ():
        goes_on = f"{charge.act} goes on for {charge.act_min:.0f}: {charge.short_min:.0f} short."
        said = f"{charge.left.minutes:.0f} minutes are left, {goes_on}"
        yield _one("battery", [charge.name], t, said, "Change its battery before the act is over.",
                   left_min=charge.left.minutes, needed_min=charge.act_min)  # fmt: skip
    for charge in found:
        left = charge.left.minutes
        if charge.act_min is None and charge.needed_min is None and left is not None and left < _SHORT_MIN:
            said = f"{left:.0f} minutes are left; when its acts are over is not known."
            yield _one("battery", [charge.name], t, said, "Change its battery soon.", left_min=left)


def _sinking(watched: Watched, evening: Record | None, t: float) -> Iterator[Incident]:
    """Levels that have sunk steadily over the last minutes and will soon be low, if they go on like that."""
    if evening is None or len(evening.at_s) < _SINK_MIN * 60 / evening.step_s:
        return
    minute = max(round(60 / evening.step_s), 1)
    span = round(_SINK_MIN) * minute
    levels = np.where(evening.on, evening.better, np.nan)[:, -span:]
    table = np.stack([nanmedian(levels[:, k : k + minute]) for k in range(0, span, minute)], axis=1)
    third = table.shape[1] // 3
    first, middle, last = (nanmedian(table[:, k * third : (k + 1) * third]) for k in range(3))
    slope = (last - first) / (2 * third)
    now, fell = last + slope * (third - 1) / 2, -slope * (table.shape[1] - 1)
    until = (now - evening.low[:, 0]) / -slope
    steadily = (first - middle >= _STEP_DB) & (middle - last >= _STEP_DB)
    for i in np.flatnonzero(steadily & (fell >= _SINK_DB) & (until > 0) & (until < _SOON_MIN)).tolist():
        if watched.head.links[i].spare:
            continue
        said = (
            f"Its level fell by {fell[i]:.0f} dB in {_SINK_MIN:.0f} minutes to {decibel(float(now[i]))}; "
            f"like that it is low in {until[i]:.0f} minutes."
        )
        yield _one("sinks", [watched.names[i]], t, said, "Look at antenna, cable and where the pack is worn.", 0.6,
                   minutes=round(float(until[i]), 1))  # fmt: skip


def _strangers(watched: Watched, lately: Record, t: float) -> Iterator[Incident]:
    """Something is heard where nothing of ours is on; noise on a spare. In bands that everybody shares that is usual.
    Many at once are one trouble."""
    level, noise = nanmedian(lately.better), nanmedian(lately.noise)
    off = (lately.tx == 0).all(axis=1) & lately.heard[:, -1]
    heard: list[int] = []
    for i, link in enumerate(watched.head.links):
        if not off[i] or link.freq_hz is None or bands.of(link.freq_hz).shared:
            continue
        if level[i] > lately.low[i, 0]:
            heard.append(i)
        elif link.spare and noise[i] > lately.low[i, 0] - 6.0 - (link.needed_db or 20.0) + _RISEN_DB:
            said = f"Its noise stands at {decibel(float(noise[i]))}: it is no spare any more."
            yield _one("spare", [link.name], t, said, "Look for another spare in Plan.",
                       noise_dbm=round(float(noise[i]), 1))  # fmt: skip
    for part in [heard] if len(heard) >= _MANY else [[i] for i in heard]:
        loud = round(float(np.max(level[part])), 1)
        spare = len(part) == 1 and watched.head.links[part[0]].spare
        where = f"{len(part)} receivers, with their transmitters off" if len(part) > 1 else (
            "a spare" if spare else "its receiver, with its transmitter off")  # fmt: skip
        names = [watched.names[i] for i in part]
        yield _one("intruder", names, t, f"{decibel(loud)} are heard on {where}.", "Sweep it; ask who sends there.",
                   level_dbm=loud)  # fmt: skip


def _silent(watched: Watched, silent_s: Floats, t: float) -> Iterator[Incident]:
    """Racks that were heard and are not: told before it is sure that they are gone. All of them at once are no trouble
    of racks, but of what this desk hears them by."""
    by_rack: dict[str, list[int]] = {}
    for i, link in enumerate(watched.head.links):
        if link.rack and np.isfinite(silent_s[i]):
            by_rack.setdefault(link.rack, []).append(i)
    quiet = {rack: float(silent_s[members].min()) for rack, members in by_rack.items()}
    gone = {rack: seconds for rack, seconds in quiet.items() if seconds >= _SILENT_S}
    if len(gone) >= _MANY and len(gone) == len(quiet):
        said = f"Nothing was heard of any of {len(gone)} racks for {min(gone.values()):.0f} s."
        names = [watched.names[i] for members in by_rack.values() for i in members]
        yield _one(
            "rack", names, t, said, "Look at the network of this desk, and at this desk.", 0.8, rack="every rack"
        )
        return
    for rack, seconds in gone.items():
        mine = [watched.names[i] for i in by_rack[rack] if not watched.head.links[i].spare]
        yield _one("rack", mine or [watched.names[by_rack[rack][0]]], t,
                   f"Nothing was heard of {rack} for {seconds:.0f} s.", "Look at power and network of the rack.", 0.8,
                   rack=rack)  # fmt: skip


def _elsewhere(watched: Watched, status: Sequence[Fields], t: float) -> Iterator[Incident]:
    """Packs that say another frequency than their receiver has, out of their acts too."""
    for link, told in zip(watched.head.links, status, strict=True):
        there = told.get("txf")
        if there is not None and link.freq_hz is not None and there != link.freq_hz and told.get("tx") != "off":
            said = f"The pack says {mhz(there)} MHz, it should be on {mhz(link.freq_hz)}."
            yield _one(
                "frequency", [link.name], t, said, "Sync it again.", receiver_hz=link.freq_hz, transmitter_hz=there
            )


def _unsent(unsent: Mapping[str, Sequence[str]], t: float) -> Iterator[Incident]:
    if unsent:
        first = next(iter(unsent))
        said = f"{first}: {listed(list(unsent[first]), 3)}."
        more = f" {len(unsent) - 1} more links differ from the plan." if len(unsent) > 1 else ""
        yield _one("unsent", list(unsent), t, said + more, "Send what differs.")
