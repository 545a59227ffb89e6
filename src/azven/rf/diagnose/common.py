"""Causes behind many links: racks, antenna systems, sides, rooms that fill, noise, overload. All links of a system or
room are looked at together, each against its own past and scatter."""

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from azven.rf.diagnose.record import SILENT_S, Bools, Incident, Record, closed, runs
from azven.rf.levels import Floats

_SYSTEM_DB, _FEW_SYSTEM_DB, _BRANCH_DB, _CROWD_DB = 10.0, 22.0, 6.0, 3.0
_PAST_S, _LEAST_PAST_S, _SMOOTH_S = 600.0, 20.0, 15.0
_FIRST_MIN, _ONE_SIDE_DB, _SYSTEM_S, _BACK = 4, 4.0, 2.0, 0.3


def racks(record: Record) -> Iterator[Incident]:
    """No link of a rack is named for twelve seconds."""
    for rack in record.racks:
        mine = [i for i, x in enumerate(record.head.links) if x.rack == rack]
        newest = record.named_s[mine].max(axis=0)
        silent = record.at_s - newest >= SILENT_S
        for first, end in runs(silent):
            if not np.isfinite(newest[first]):
                continue
            others = [i for i in range(len(record.head.links)) if i not in mine]
            if others and record.at_s[first] - record.named_s[others, first].max() >= SILENT_S:
                continue  # nothing was logged at all
            links = tuple(record.head.links[i].name for i in mine if not record.head.links[i].spare)
            if not links:
                continue
            over = float(record.at_s[end - 1]) + record.step_s
            said = (
                f"Nothing was said of {len(links)} links of {rack} for {over - newest[first]:.0f} s, others were well."
            )
            yield Incident(
                from_s=float(newest[first]), to_s=over, links=links, cause="rack", sure=0.97, evidence=[said]
            )


def _smoothed(levels: Floats, steps: int) -> Floats:
    """Running mean (m, n) over so many moments, what is not known left out."""
    known = np.isfinite(levels)
    total = np.cumsum(np.where(known, levels, 0.0), axis=1)
    count = np.cumsum(known, axis=1)
    total, count = (np.concatenate([np.zeros((len(x), 1)), x], axis=1) for x in (total, count))
    n = levels.shape[1]
    end, begin = np.arange(1, n + 1), np.maximum(np.arange(1, n + 1) - steps, 0)
    many = count[:, end] - count[:, begin]
    return np.where(many * 2 >= np.minimum(steps, end), (total[:, end] - total[:, begin]) / many, np.nan)


def _alive(record: Record) -> Bools:
    """Links (m, n) whose levels say something of what is behind the antenna: heard, transmitter on."""
    return np.asarray(record.heard & record.on)


def rack_faults(record: Record) -> Iterator[Incident]:
    """All links of one rack lose audio together with good levels, others of their systems do not: no cause that has a
    name."""
    well = record.heard & record.active & record.good_level
    for rack in record.racks:
        mine = np.array([i for i, x in enumerate(record.head.links) if x.rack == rack and not x.spare and not x.is_ear],
                        np.intp)  # fmt: skip
        systems = {record.head.links[i].system for i in mine}
        others = np.array([i for i, x in enumerate(record.head.links)
                           if x.rack != rack and x.system in systems and not x.spare], np.intp)  # fmt: skip
        if len(mine) < 2 or len(others) < 2:
            continue
        playing = np.maximum(well[mine].sum(axis=0), 2)
        share = (record.hurt & (record.tx != 0))[mine].sum(axis=0) / playing
        elsewhere = record.hurt[others].mean(axis=0)
        for first, end in runs(closed((share >= 0.8) & (elsewhere <= 0.2), record.steps(1.0))):
            if (end - first) * record.step_s >= 0.4:
                said = f"{len(mine)} links of {rack} lost audio together, all levels well, others did not."
                yield told(record, mine, first, end, "unknown", 0.3, said)


def systems(record: Record) -> Iterator[Incident]:
    """Both sides of all links of a system at once."""
    step = record.steps(2.0)
    for system in record.systems:
        mine = record.of_system(system.name)
        if len(mine) < 2:
            continue
        usual = _usual_now(record, mine)
        drop = usual - record.better[mine]
        known = record.heard[mine] & np.isfinite(drop) & (_was_on(record, mine, step) > 0)
        fell = (drop >= _SYSTEM_DB) & known
        enough = (fell.sum(axis=0) >= 0.85 * known.sum(axis=0)) & (known.sum(axis=0) >= 2)
        for first, end in _until_back(record, mine, usual, closed(enough, record.steps(3.0))):
            if (end - first) * record.step_s < _SYSTEM_S:
                continue
            deep = float(np.nanmedian(drop[:, first:end]))
            if len(mine) < 4 and deep < _FEW_SYSTEM_DB:
                continue
            yield told(record, mine, first, end, "system", 0.97,
                        f"Both sides of {len(mine)} links of {system.name} fell by {deep:.0f} dB at once.",
                        system=system.name, drop_db=round(deep, 1))  # fmt: skip


def _was_on(record: Record, mine: NDArray[np.intp], steps: int) -> Floats:
    on = (record.tx[mine] == 1).astype(float)
    back = np.concatenate([np.zeros((len(mine), 1)), np.cumsum(on, axis=1)], axis=1)
    n = on.shape[1]
    begin = np.maximum(np.arange(n) - 60 * steps, 0)
    return np.asarray(back[:, np.arange(n)] - back[:, begin])


def _until_back(
    record: Record, mine: NDArray[np.intp], usual: Floats, fell: Bools
) -> Iterator[tuple[int, int]]:  # fmt: skip
    """Stretches in which all fell, each until most are back where they were as it began."""
    over = 0
    for first, end in runs(fell):
        if first < over:
            continue
        back = record.better[mine] > usual[:, first][:, None] - _SYSTEM_DB / 2
        share = (back & record.heard[mine])[:, end:].sum(axis=0)
        later = np.flatnonzero(share >= _BACK * np.isfinite(usual[:, first]).sum())
        over = end + int(later[0]) if len(later) else len(record.at_s)
        yield first, over


def _usual_now(record: Record, mine: NDArray[np.intp]) -> Floats:
    """Each link's better antenna as it was in the last minutes (k, n) [dBm]."""
    level = np.where(_alive(record)[mine], record.better[mine], np.nan)
    return _past_median(level, record.steps(120.0), record.steps(20.0))


def _past_median(levels: Floats, span: int, apart: int) -> Floats:
    """Median (k, n) of what came before, anew every so many moments; nothing of the last few is in it."""
    out = np.full(levels.shape, np.nan)
    n = levels.shape[1]
    for first in range(apart, n, apart):
        past = levels[:, max(first - span, 0) : first - apart // 4 if first > apart // 4 else first]
        many = np.isfinite(past).sum(axis=1)
        middle = np.where(many >= max(apart // 2, 3), nanmedian(past), np.nan)
        out[:, first : first + apart] = middle[:, None]
    return out


def nanmedian(levels: Floats) -> Floats:
    """Median (k,) of each row (k, n) by what is known of it: sorting puts what is not known last."""
    if not levels.shape[1]:
        return np.full(len(levels), np.nan)
    ordered, many = np.sort(levels, axis=1), np.isfinite(levels).sum(axis=1)
    rows, upper = np.arange(len(levels)), many // 2
    middle = (ordered[rows, np.maximum(many - 1, 0) // 2] + ordered[rows, np.minimum(upper, levels.shape[1] - 1)]) / 2
    return np.where(many > 0, middle, np.nan)


def level_said(level_dbm: float) -> str:
    """A level in a sentence."""
    return f"{level_dbm:.0f} dBm".replace("-", "−")


def told(
    record: Record, mine: Sequence[int] | NDArray[np.intp], first: int, end: int, cause: str, sure: float, said: str,
    **detail: object,
) -> Incident:  # fmt: skip
    names = tuple(record.head.links[int(i)].name for i in mine if record.active[int(i), first:end].any())
    return Incident(
        from_s=float(record.at_s[first]), to_s=float(record.at_s[end - 1]) + record.step_s, links=names, cause=cause,
        sure=sure, detail=dict(detail), evidence=[said],
    )  # fmt: skip


def branches(record: Record) -> Iterator[Incident]:
    """One side of all links of a system lower than before, by the difference of the sides: what both antennas lose
    together drops out of it."""
    for system in record.systems:
        mine = record.of_system(system.name)
        mine = mine[[bool(np.isfinite(record.b[i]).any()) for i in mine]] if len(mine) else mine
        if len(mine) < 3:
            continue
        ok = _alive(record)[mine]
        lean = np.where(ok, record.a[mine] - record.b[mine], np.nan)
        now = _smoothed(lean, record.steps(_SMOOTH_S))
        if record.lean is not None:
            shift = now - record.lean[0][mine][:, None]
            scatter = np.repeat(record.lean[1][mine][:, None], shift.shape[1], axis=1)
        else:
            shift = now - _long_median(lean, record.steps(_PAST_S), record.steps(_LEAST_PAST_S))
            scatter = _scatter(shift, record.steps(_LEAST_PAST_S))
        yield from _branch(record, system.name, mine, shift, scatter)


def _long_median(levels: Floats, span: int, least: int) -> Floats:
    """Median (k, n) of all that came before, up to half an hour: a side lost for some minutes does not move it."""
    n = levels.shape[1]
    out = np.full(levels.shape, np.nan)
    every = max(least // 2, 1)
    for first in range(least, n, every):
        out[:, first : first + every] = nanmedian(
            levels[:, max(first - 3 * span, 0) : max(first - least // 2, least // 2)]
        )[:, None]
    return out


def _branch(
    record: Record, system: str, mine: NDArray[np.intp], shift: Floats, usual: Floats
) -> Iterator[Incident]:  # fmt: skip
    known = np.isfinite(shift).sum(axis=0)
    middle = nanmedian(shift.T)
    spread = 1.4826 * nanmedian(np.abs(shift - middle[None, :]).T)
    sigma = np.maximum(spread, 3.0) / np.sqrt(np.maximum(known, 1))
    for side, sign in (("a", -1.0), ("b", 1.0)):
        leaning = sign * shift
        apart = leaning / usual
        agreed = np.nansum(apart, axis=0) / np.sqrt(np.maximum(known, 1))
        share = np.nanmean(np.where(np.isfinite(leaning), leaning > 2.5, np.nan), axis=0) if len(mine) else known
        strong = (sign * middle >= 0.75 * _BRANCH_DB) & (sign * middle >= 4.5 * sigma) & (share >= 0.8) & (known >= 3)
        strong &= (agreed >= 4.5) & (nanmedian(apart.T) >= 1.3)
        for first, end in runs(closed(strong, record.steps(45.0))):
            if (end - first) * record.step_s < 8.0:
                continue
            drop = float(np.nanpercentile(sign * middle[first:end], 75))
            if drop < _BRANCH_DB or (len(mine) < 5 and not _all_of_few(record, leaning, first, end, drop)):
                continue
            begin = max(first - record.steps(_SMOOTH_S * 0.6), 0)  # the smoothing is taken back
            block = _block(record, system, side, drop)
            fits = f" That fits {block}." if block else ""
            said = (
                f"Side {side.upper()} of {int(known[first])} links of {system} is {drop:.0f} dB lower than before, the "
            )
            yield told(record, mine, begin, end, "branch", 0.97, f"{said}other side is not.{fits}", side=side,
                        drop_db=round(drop, 1), block=block)  # fmt: skip


def _scatter(shift: Floats, every: int) -> Floats:
    """How far each link's sides usually wander apart (k, n) [dB], by all that came before."""
    out = np.full(shift.shape, np.nan)
    for first in range(0, shift.shape[1], every):
        past = np.abs(shift[:, : max(first, 1)])
        many = np.isfinite(past).sum(axis=1)
        out[:, first : first + every] = np.where(many >= 3 * every, 1.4826 * nanmedian(past), 4.0)[:, None]
    return np.asarray(np.maximum(np.nan_to_num(out, nan=4.0), 2.0))


def _all_of_few(record: Record, leaning: Floats, first: int, end: int, drop: float) -> bool:
    """Few links wander together by chance: each has to lean by most of it, for half a minute."""
    each = nanmedian(leaning[:, first:end])
    return bool(drop >= 8.0 and (end - first) * record.step_s >= 30.0 and np.nanmin(each) >= 0.6 * drop)


def _block(record: Record, system: str, side: str, drop: float) -> str | None:
    """The block whose failing would cost about that much: an amplifier's gain missing; a cable for anything else."""
    head = next((s for s in record.systems if s.name == system), None)
    blocks = head.sides.get(side, ()) if head is not None else ()
    for name, kind, gain in blocks:
        if kind == "amp" and gain >= 3 and abs(drop - gain - 3.0) <= 3.0:
            return name
    return next((name for name, kind, _ in blocks if kind == "cable"), None)


def crowds(record: Record) -> Iterator[Incident]:
    """The levels of all links of a room sink together over minutes, and stay."""
    zones = sorted({x.zone for x in record.head.links if x.zone})
    for zone in zones:
        mine = np.array([i for i, x in enumerate(record.head.links)
                         if x.zone == zone and not x.spare and not x.is_ear], np.intp)  # fmt: skip
        if len(mine) < 3:
            continue
        ok = _alive(record)[mine]
        found = _sunk(record, mine, np.where(ok, np.stack([record.a[mine], record.b[mine]]), np.nan), zone)
        if found is not None:
            yield found


def _minutes(levels: Floats, minute: int) -> Floats:
    """Medians (k, minutes) of the minutes of levels (k, n)."""
    n = levels.shape[1]
    return np.stack([nanmedian(levels[:, k : k + minute]) for k in range(0, n - minute // 2, minute)], axis=1)


def _sunk(record: Record, mine: NDArray[np.intp], sides: Floats, zone: str) -> Incident | None:
    """A room whose links have all sunk, by levels of both sides (2, k, n): what one side alone has lost is no crowd."""
    minute, n = record.steps(60.0), sides.shape[2]
    if n < 8 * minute:
        return None
    tables = [_minutes(side, minute) for side in sides]
    sinks = np.stack([nanmedian(table[:, :_FIRST_MIN])[:, None] - table for table in tables])
    apart = np.abs(nanmedian(sinks[0].T) - nanmedian(sinks[1].T))
    sink: Floats = np.where(apart > _ONE_SIDE_DB, np.fmin(sinks[0], sinks[1]), np.nanmean(sinks, axis=0))
    middle, known = nanmedian(sink.T), np.isfinite(sink).sum(axis=0)
    late = nanmedian(sink[:, -max(sink.shape[1] // 4, 3) :])
    late = late[np.isfinite(late)]
    if len(late) < 3:
        return None
    drop = float(np.median(late))
    unsure = _wander(sink - middle[None, :]) / len(late) ** 0.5
    if not (_CROWD_DB <= drop <= 13.0 and drop >= 3.5 * unsure and np.mean(late > 1.0) >= 0.75):
        return None
    over = np.flatnonzero((middle >= 0.3 * drop) & (known >= 3))
    full = np.flatnonzero((middle >= 0.85 * drop) & (known >= 3))
    if not len(over) or not len(full) or full[0] - over[0] < 2 or np.nanmax(np.diff(middle)) > 0.7 * drop:
        return None
    begin, took = max(over[0] - 1, 0) * minute, full[0] - over[0] + 1
    said = f"The levels of {len(mine)} links of {zone} sank by {drop:.0f} dB in {took} minutes and stay."
    return told(record, mine, begin, n, "crowd", 0.95, said, zone=zone, drop_db=round(drop, 1))


def _wander(rest: Floats) -> float:
    """How far a link wanders by itself over some minutes [dB]: beside what all do together (k, minutes)."""
    usual = nanmedian(rest)[:, None]
    apart = np.abs(rest - usual)
    return max(1.4826 * float(np.nanmedian(apart)), 1.5) * 1.5
