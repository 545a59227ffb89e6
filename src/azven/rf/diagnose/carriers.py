"""Causes on the frequency itself, where quality falls while levels are good: products, own links, strangers,
overload."""

import re
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime

import numpy as np
from numpy.typing import NDArray

from azven.rf import bands
from azven.rf.diagnose.common import level_said, told
from azven.rf.diagnose.record import SIDE_HZ, Bools, Incident, Record, closed, runs
from azven.rf.products import third_order

_HOURS = re.compile(r"(\d{1,2}):(\d\d)\s*[-–]\s*(\d{1,2}):(\d\d)")
_LEAST_S, _OWN_HZ = 3.0, 260_000
_ONSET_S, _KEEPS, _COMMON_FIRST = 6.0, 0.9, 0.25
"""A link of ours beside it is commoner than a product, so it need not fit quite as well."""
_MANY, _LOST, _BURST_S = 0.65, 60.0, 12.0
_BEFORE_S, _NEARING_S, _NOT_FEW = 30.0, 3.0, 5


def overloads(record: Record) -> Iterator[Incident]:
    """All links of a system lose quality together though their levels are good."""
    for system in record.systems:
        mine = record.of_system(system.name)
        if len(mine) < 3:
            continue
        well = record.heard[mine] & record.active[mine] & record.good_level[mine]
        hurt = (record.q[mine] < _LOST) & well
        count = well.sum(axis=0)
        many = (hurt.sum(axis=0) / np.maximum(count, 1) >= _MANY) & (count >= 3)
        for part in _joined(runs(closed(many, record.steps(1.0))), record.steps(45.0)):
            inside = np.zeros(len(record.at_s), bool)
            for i, j in part:
                inside[i:j] = True
            times = (hurt & inside).sum(axis=1) >= 0.3 * np.maximum((well & inside).sum(axis=1), 1)
            whose = mine[times].tolist()
            if inside.sum() * record.step_s < 1.0 or (_of_one_rack(record, whose) and not _of_one_rack(record, mine)):
                continue
            if not _fell_together(record, whose, part[0][0]):
                continue
            by, said = _by(record, mine, part, inside)
            words = f"{len(whose)} links of {system.name} lost quality together with good levels. {said}"
            yield told(record, whose, part[0][0], part[-1][1], "overload", 0.97, words, by=by)


def _fell_together(record: Record, whose: list[int], first: int) -> bool:
    """Whether most of some links were well shortly before: trouble of their own, or packs that come on one by one, do
    not make it one of all. When a record has just begun nobody can tell of few."""
    before = slice(max(first - record.steps(_BEFORE_S), 0), max(first - record.steps(_NEARING_S), 0))
    quality = record.q[whose, before]
    told = record.heard[whose, before] & (record.tx[whose, before] != 0) & np.isfinite(quality)
    well = (told & (quality >= _LOST)).sum(axis=1) >= np.maximum(0.5 * told.sum(axis=1), 1)
    begins = first <= record.steps(2 * _NEARING_S) and len(whose) >= _NOT_FEW
    return begins or bool(well.mean() >= _MANY)


def _of_one_rack(record: Record, links: Iterable[int]) -> bool:
    return len({record.head.links[int(i)].rack for i in links}) == 1


def _joined(parts: list[tuple[int, int]], gap: int) -> list[list[tuple[int, int]]]:
    out: list[list[tuple[int, int]]] = []
    for part in parts:
        if out and part[0] - out[-1][-1][1] <= gap:
            out[-1].append(part)
        else:
            out.append([part])
    return out


def _by(record: Record, mine: NDArray[np.intp], part: list[tuple[int, int]], inside: Bools) -> tuple[str, str]:
    """Who is so strong: a link of ours far over all others and its own past, else a radio in bursts, else the antenna
    of the in-ears."""
    heard = np.where(inside[None, :] & record.heard[mine], record.better[mine], np.nan)
    top = np.nanmax(np.where(np.isfinite(heard), heard, -300.0), axis=1)
    best = int(np.argmax(top))
    before = record.better[mine[best], : part[0][0]]
    over = top[best] - float(np.nanmedian(before)) if np.isfinite(before).any() else None
    if top[best] > -32.0 and (over is None or over > 12.0):
        name = record.head.links[int(mine[best])].name
        beside = "" if over is None else f", {over:.0f} dB over what it usually has"
        return name, f"{name} came in at {level_said(float(top[best]))}{beside}."
    length = float(np.median([(j - i) * record.step_s for i, j in part]))
    if len(part) >= 2 and length <= _BURST_S:
        return "radio", f"It came in {len(part)} bursts of {length:.0f} s, as a hand-held radio is keyed."
    return "in-ear antenna", "It stayed on, and no link of ours is that strong."


def single(record: Record) -> Iterator[Incident]:
    """One link whose quality falls while its level is good: a product of who is on, a link of ours, a stranger."""
    for i in record.looked:
        link = record.head.links[i]
        if link.freq_hz is None or link.spare or not record.hurt[i].any():
            continue
        hurt = record.hurt[i]
        for first, end in runs(closed(hurt, record.steps(20.0))):
            seconds = (end - first) * record.step_s
            if seconds < _LEAST_S or hurt[first:end].sum() * record.step_s < _LEAST_S:
                continue
            yield _who(record, i, first, end, hurt)


def _who(record: Record, i: int, first: int, end: int, hurt: Bools) -> Incident:
    shared = bands.of(record.head.links[i].freq_hz or 0).shared
    product = None if shared else _product(record, i, first, end, hurt)
    own = None if shared else _own(record, i, first, end, hurt)
    if own is not None and (product is None or own[0] >= product[0] - _COMMON_FIRST):
        return own[1]
    if product is not None:
        return product[1]
    link = record.head.links[i]
    freq, said = _stranger(record, i, first, end)
    level = record.better[i, first:end]
    stood = f" while the level stood at {level_said(float(np.nanmedian(level)))}" if np.isfinite(level).any() else ""
    fell = f"Quality fell to {float(np.nanmin(record.q[i, first:end])):.0f} %"
    words = f"{fell}{stood}; nothing of ours that is on fits. {said}".strip()
    sure = 0.9 if freq else 0.82
    return told(record, [i], first, end, "foreign", sure, words, freq_hz=freq or link.freq_hz)


def _fit(record: Record, on: Bools, hurt: Bools, first: int, end: int) -> float:
    """How well 'these are on' goes with 'this one is hurt' (0…1), around a stretch: both ways."""
    pad = record.steps(60.0)
    window = slice(max(first - pad, 0), min(end + pad, len(on)))
    a, b = on[window], closed(hurt, record.steps(3.0))[window]
    either = (a | b).sum()
    return float((a & b).sum() / either) if either else 0.0


def _product(record: Record, i: int, first: int, end: int, hurt: Bools) -> tuple[float, Incident] | None:
    """The product whose sources are all on as long as it lasts, and of which one came on as it began; how well its
    sources go with it."""
    me = record.head.links[i]
    assert me.freq_hz is not None
    links = record.head.links
    others = [j for j, x in enumerate(links) if j != i and x.freq_hz is not None]
    on = record.on & record.heard
    while_hurt = np.flatnonzero(hurt[first:end]) + first
    kept = on[:, while_hurt].mean(axis=1) >= _KEEPS
    there = [j for j in others if kept[j]]
    best: tuple[float, float, str, list[int]] | None = None
    reach = me.bandwidth_hz // 2 + SIDE_HZ
    onset = slice(max(first - record.steps(_ONSET_S), 0), max(first - 1, 0) + 1)
    came = [k for k, j in enumerate(there) if not on[j][onset].all()]
    at_first = first <= record.steps(_ONSET_S)
    freqs = [int(links[j].freq_hz or 0) for j in there]
    for kind, places, product_hz in third_order(freqs, me.freq_hz, reach, None if at_first else came):
        sources = [there[k] for k in places]
        together = np.logical_and.reduce([on[j] for j in sources])
        fit = _fit(record, together, hurt, first, end)
        if fit <= 0.8 and not set(places) & set(came):
            continue  # it was on all along without harm
        score = fit + 0.3 - 0.15 * abs(product_hz - me.freq_hz) / 200_000
        if best is None or score > best[0]:
            best = score, fit, kind, sources
    if best is None or best[0] < 0.75:
        return None
    score, fit, kind, sources = best
    names, formula = [links[j].name for j in sources], kind.replace("-", "−")
    while_on = f"exactly while {', '.join(names)} were on"
    said = f"Quality fell with a good level {while_on}: their {formula} lies in its channel."
    sure = 0.97 if score > 1.0 else 0.8
    return fit, told(record, [i], first, end, "product", sure, said, product=kind, sources=names, victim=me.name)


def _own(record: Record, i: int, first: int, end: int, hurt: Bools) -> tuple[float, Incident] | None:
    """Another link of ours on the same or a neighbouring channel, and how well its being on goes with it."""
    me = record.head.links[i]
    best: tuple[float, int] | None = None
    for j, x in enumerate(record.head.links):
        if j == i or x.freq_hz is None or me.freq_hz is None or abs(x.freq_hz - me.freq_hz) > _OWN_HZ:
            continue
        on = record.on[j] & record.heard[j]
        if on[np.flatnonzero(hurt[first:end]) + first].mean() < 0.8:
            continue
        fit = _fit(record, on, hurt, first, end)
        if best is None or fit > best[0]:
            best = fit, j
    if best is None:
        return None
    fit, j = best
    name, apart = record.head.links[j].name, abs(int(record.head.links[j].freq_hz or 0) - int(me.freq_hz or 0))
    where = "on the same channel" if apart < 25_000 else f"{apart / 1e3:.0f} kHz away"
    said = f"Quality fell while the level was good; {name} was on, {where}."
    return fit, told(record, [i], first, end, "own", 0.97 if fit > 0.6 else 0.85, said, by=name)


def _at_its_hour(record: Record, hours: str | None, first: int) -> bool:
    """Whether somebody who keeps hours such as 18:00-22:00 UTC may be on at a moment; who keeps none may always."""
    found = _HOURS.fullmatch(hours.strip()) if hours else None
    try:
        start = datetime.fromisoformat(record.head.start).astimezone(UTC)
    except ValueError:
        return True
    if found is None:
        return True
    begin, end = (int(found[k]) * 60 + int(found[k + 1]) for k in (1, 3))
    minute = (start.hour * 60 + start.minute + float(record.at_s[first]) / 60) % 1440
    return begin <= minute < end if begin <= end else minute >= begin or minute < end


def _stranger(record: Record, i: int, first: int, end: int) -> tuple[int | None, str]:
    """Somebody who is known near the frequency, or a line of a sweep taken meanwhile."""
    freq = record.head.links[i].freq_hz or 0
    for carrier in record.head.carriers:
        if abs(carrier.freq_hz - freq) <= 200_000 and _at_its_hour(record, carrier.hours, first):
            return carrier.freq_hz, f"{carrier.name} is known on {carrier.freq_hz / 1e6:.3f} MHz."
    for sweep, at in record.sweeps_during(first, end, 30.0):
        near = np.flatnonzero(np.abs(at - freq) <= 200_000)
        if len(near):
            top = near[int(np.nanargmax(sweep.levels[near]))]
            if sweep.levels[top] > np.nanpercentile(sweep.levels, 20) + 12:
                return int(at[top]), f"A sweep shows a line on {at[top] / 1e6:.3f} MHz."
    return None, ""
