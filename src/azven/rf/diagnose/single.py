"""Causes that one link shows by itself: fields that say so, a transmitter that goes, fades."""

from collections.abc import Iterator

import numpy as np

from azven.rf.diagnose.common import level_said
from azven.rf.diagnose.record import Bools, Incident, Record, closed, runs

_MUTED_S, _PLUG_S, _QUIET_S, _QUIET_DBFS, _CLIP_DBFS = 5.0, 5.0, 60.0, -60.0, -1.0
_MINUTE_S, _CLIPS, _DIPS = 60.0, 3, 4
_GONE_S, _GAUGE, _FELL, _LOOKED_BACK_S = 5.0, 20.0, 15.0, 900.0
"""Nobody switches a pack off and on within five seconds."""
_ONE_SIDE_S = 1.2
_SHADOW_S, _LEAST_S, _DIP_S, _APART_DB = 5.0, 0.1, 1.5, 10.0
_HEALTHY_DB, _UP_DB, _CLEAR_DB = 4.0, 4.0, 2.0


def fields(record: Record) -> Iterator[Incident]:
    """What a field says by itself: mute, plug, keys, frequencies, clipping, silence."""
    for i in record.looked:
        link, on = record.head.links[i], record.on[i]
        here = record.heard[i] & record.active[i]
        if not here.any():
            continue
        yield from _held(record, i, "muted", (record.mute[i] == 1) & here, _MUTED_S, 0.97,
                         "Muted at the transmitter for {seconds:.0f} s in its own act, levels well.")  # fmt: skip
        yield from _held(record, i, "headphone", (record.hp[i] == 0) & here, _PLUG_S, 0.97,
                         "No headphones in it for {seconds:.0f} s in its own act.")  # fmt: skip
        yield from _frequencies(record, i, here)
        yield from _clipping(record, i, here & on)
        if not link.spare:
            yield from _silence(record, i, here & on)


def _held(
    record: Record, i: int, cause: str, true: Bools, least_s: float, sure: float, words: str
) -> Iterator[Incident]:  # fmt: skip
    for first, end in runs(closed(true, record.steps(3.0))):
        seconds = float(record.at_s[end - 1] - record.at_s[first]) + record.step_s
        if seconds >= least_s:
            yield _incident(record, i, cause, first, end, sure, words.format(seconds=seconds))


def _incident(
    record: Record, i: int, cause: str, first: int, end: int, sure: float, said: str, **detail: object
) -> Incident:  # fmt: skip
    return Incident(
        from_s=float(record.at_s[first]), to_s=float(record.at_s[end - 1]) + record.step_s,
        links=(record.head.links[i].name,), cause=cause, sure=sure, detail=dict(detail), evidence=[said],
    )  # fmt: skip


def _frequencies(record: Record, i: int, here: Bools) -> Iterator[Incident]:
    """Receiver and transmitter do not agree: keys, what the pack says, what was sent and not followed."""
    link = record.head.links[i]
    yield from _held(record, i, "frequency", record.differs[i] & here, 2.0, 0.97,
                     "Its keys differ from those of the receiver for {seconds:.0f} s.")  # fmt: skip
    tuned = _tuned(record, i)
    other = np.isfinite(record.txf[i]) & np.isfinite(tuned) & (record.txf[i] != tuned) & here
    for first, end in runs(closed(other, record.steps(3.0))):
        if end - first >= record.steps(2.0):
            there, mine = int(record.txf[i, first]), int(tuned[first])
            yield _incident(record, i, "frequency", first, end, 0.97,
                            f"The pack says {there / 1e6:.3f} MHz, the receiver is on {mine / 1e6:.3f} MHz.",
                            receiver_hz=mine, transmitter_hz=there)  # fmt: skip
    for sent in record.sent:
        freq = sent.values.get("freq_hz")
        if sent.link != link.name or not isinstance(freq, int):
            continue
        at = int(np.searchsorted(record.at_s, sent.at_s))
        before = tuned[max(at - 1, 0)]
        gone = here & (record.tx[i] != 1)
        after = [r for r in runs(closed(gone, record.steps(2.0))) if at <= r[0] <= at + record.steps(10.0)]
        if after and np.isfinite(before) and before != freq:
            first, end = after[0]
            yield _incident(record, i, "frequency", first, end, 0.9,
                            f"{freq / 1e6:.3f} MHz was sent to the receiver; the pack did not follow.",
                            receiver_hz=freq, transmitter_hz=int(before))  # fmt: skip


def _tuned(record: Record, i: int) -> "np.ndarray[tuple[int], np.dtype[np.float64]]":
    """Where a receiver is (n,) [Hz]: as the head says, then as was sent."""
    freq = record.head.links[i].freq_hz
    out = np.full(len(record.at_s), np.nan if freq is None else float(freq))
    for sent in record.sent:
        told = sent.values.get("freq_hz")
        if sent.link == record.head.links[i].name and isinstance(told, int):
            out[record.at_s >= sent.at_s] = told
    return out


def _clipping(record: Record, i: int, here: Bools) -> Iterator[Incident]:
    hits = here & ((record.clip[i] == 1) | (record.af[i] > _CLIP_DBFS))
    begins = [first for first, _ in runs(closed(hits, record.steps(1.0)))]
    for first, end in _rows(record, begins, _CLIPS):
        count = sum(first <= b < end for b in begins)
        yield _incident(record, i, "clip", first, end, 0.97, f"It clipped {count} times within "
                        f"{record.at_s[end - 1] - record.at_s[first]:.0f} s.", )  # fmt: skip


def _rows(record: Record, begins: list[int], least: int) -> Iterator[tuple[int, int]]:
    """Stretches in which something begins again and again: so many times a minute at least, first to last."""
    minute, part = record.steps(_MINUTE_S), list[int]()
    for b in [*begins, 1 << 60]:
        if part and b - part[-1] > minute:
            if any(sum(x <= y < x + minute for y in part) >= least for x in part):
                yield part[0], part[-1] + 1
            part = []
        part.append(b)


def _silence(record: Record, i: int, here: Bools) -> Iterator[Incident]:
    """Nothing is heard of it for a minute though the link is well, while others of its group have audio."""
    link = record.head.links[i]
    others = [j for j in record.groups[link.group] if j != i] if link.group is not None else []
    if not others:
        return
    well = here & record.good_level[i] & (record.mute[i] != 1) & ~(record.q[i] < 50)
    quiet = well & (record.af[i] < _QUIET_DBFS)
    for first, end in runs(closed(quiet, record.steps(0.6))):
        if (end - first) * record.step_s < _QUIET_S or np.any(record.af[i, first:end] > _QUIET_DBFS + 8):
            continue
        audible = [float(np.mean(record.af[j, first:end] > -50)) for j in others]
        if max(audible, default=0.0) < 0.2:
            continue
        seconds = (end - first) * record.step_s
        yield _incident(record, i, "quiet", first, end, 0.97,
                        f"Under −60 dBFS for {seconds:.0f} s with a good signal, while others of {link.group} are "
                        "heard.")  # fmt: skip


def gone(record: Record) -> Iterator[Incident]:
    """Transmitters that go: batteries, switches."""
    for i in record.looked:
        link = record.head.links[i]
        if link.spare or link.is_ear:
            continue
        off = (record.tx[i] == 0) & record.heard[i]
        for first, end in runs(closed(off, record.steps(1.0))):
            if first == 0 or (end - first) * record.step_s < _GONE_S or not record.active[i, first:end].any():
                continue
            begin = first + int(np.argmax(record.active[i, first:end]))
            if not np.any(record.tx[i, max(first - record.steps(20), 0) : first] == 1):
                continue
            left = record.better[i, first:end]
            if np.isfinite(left).any() and float(np.nanmedian(left)) > record.low[i, 0]:
                continue  # something is heard: what is lost is not the transmitter
            found = _why_gone(record, i, first, begin, end)
            if found is not None:
                yield found


def _why_gone(record: Record, i: int, first: int, begin: int, end: int) -> Incident | None:
    """A battery that ran down, else a switch; None where the level had sunk before: it walked out of reach."""
    back = slice(max(first - record.steps(_LOOKED_BACK_S), 0), first)
    gauge = record.bat[i, back]
    known = gauge[np.isfinite(gauge)]
    fell = len(known) and float(np.max(known)) - known[-1] >= _FELL and len(np.unique(known)) > 2
    if len(known) and (known[-1] <= _GAUGE or fell):  # one step of a coarse gauge is no fall
        ran, since = _ran_min(record, i, first)
        said = f"Gone after its gauge went from {since:.0f} to {known[-1]:.0f} %."
        return _incident(record, i, "battery", begin, end, 0.92, said, ran_min=round(ran, 1))
    before = record.better[i, max(first - record.steps(0.6) - 1, 0) : first]
    healthy = np.isfinite(before).any() and float(np.nanmax(before)) > record.low[i, 0] + _HEALTHY_DB
    if not healthy:
        return None
    said = f"Gone at once from {level_said(float(np.nanmax(before)))} on both antennas, battery not low."
    return _incident(record, i, "switched-off", begin, end, 0.97, said)


def _ran_min(record: Record, i: int, first: int) -> tuple[float, float]:
    """Minutes since the battery was put in, or since the log begins, and where its gauge stood then [%]."""
    longer = record.evening or record
    end = int(np.searchsorted(longer.at_s, record.at_s[first])) if longer is not record else first
    gauge = longer.bat[i, :end]
    rise = np.flatnonzero(np.diff(gauge) > 10)
    since = int(rise[-1]) + 1 if len(rise) else 0
    known = gauge[since:][np.isfinite(gauge[since:])]
    began = float(longer.at_s[since]) if len(longer.at_s) else float(record.at_s[0])
    return float(record.at_s[first] - began) / 60, float(known[0]) if len(known) else float("nan")


def fades(record: Record) -> Iterator[Incident]:
    """Levels of one link that sink: shadow, out of reach, and dips of one antenna again and again."""
    for i in record.looked:
        link = record.head.links[i]
        if link.spare:
            continue
        here = record.heard[i] & record.active[i]
        both = np.fmax(record.a[i], record.b[i]) < record.low[i, 0]
        if link.is_ear and np.isnan(record.a[i]).all():
            continue
        two = np.isfinite(record.b[i]).any() and np.isfinite(record.a[i]).any()
        there, lost = record.tx[i] != 0, both & here
        for first, end in _stretches(record, i, lost):
            seconds = (end - first) * record.step_s
            if not _deep(record, i, first, end) or not _was_on(record, i, first, end):
                continue
            if not two and seconds < _ONE_SIDE_S:
                continue  # with one antenna a place of its own does that to anybody
            if seconds < _LEAST_S or (seconds > _GONE_S and _switched(record, i, first, end)):
                continue
            said = _fade_said(record, i, first, end)
            if seconds <= _SHADOW_S:
                yield _incident(record, i, "shadow", first, end, 0.93, said)
            elif there[max(first - record.steps(2.0), 0) : first + 1].any() or first == 0:
                yield _incident(record, i, "out-of-reach", first, end, 0.96, said)
        if two:
            yield from _dips(record, i, here & there)


def _stretches(record: Record, i: int, lost: Bools) -> list[tuple[int, int]]:
    """Stretches in which a link is low, those together between which it hardly came up."""
    out: list[tuple[int, int]] = []
    for first, end in runs(closed(lost, record.steps(1.0))):
        if out and first - out[-1][1] <= record.steps(5.0):
            between = record.better[i, out[-1][1] : first]
            if np.nanmax(between, initial=-300.0) < record.low[i, 0] + _UP_DB:
                out[-1] = out[-1][0], end
                continue
        out.append((first, end))
    return out


def _was_on(record: Record, i: int, first: int, end: int) -> bool:
    """Whether there was a transmitter to lose: an idle receiver is always low."""
    return bool(record.on[i, max(first - record.steps(_MINUTE_S), 0) : end].any())


def _deep(record: Record, i: int, first: int, end: int) -> bool:
    """Whether it mattered: clearly low, or quality went with it."""
    least = np.nanmin(record.better[i, first:end], initial=300.0)
    return bool(least <= record.low[i, 0] - _CLEAR_DB or (record.q[i, first:end] < 50).any())


def _switched(record: Record, i: int, first: int, end: int) -> bool:
    """Whether it is the transmitter that went, at once: a fade sinks while it is still heard."""
    off = record.tx[i, first:end] == 0
    heard = np.flatnonzero(~off)
    return bool(off.mean() > 0.6 and (not len(heard) or heard[0] > 1 or (~off[: record.steps(1.0)]).sum() <= 1))


def _fade_said(record: Record, i: int, first: int, end: int) -> str:
    before = record.better[i, max(first - record.steps(30), 0) : max(first - record.steps(3), 1)]
    usual = f", from {level_said(float(np.nanmedian(before)))}" if np.isfinite(before).any() else ""
    return f"Both antennas sank to {level_said(float(np.nanmin(record.better[i, first:end])))}{usual}."


def _dips(record: Record, i: int, here: Bools) -> Iterator[Incident]:
    for side, low, other in (("a", record.a[i], record.b[i]), ("b", record.b[i], record.a[i])):
        dip = here & (low < record.low[i, 0]) & (other >= low + _APART_DB)
        short = [r for r in runs(dip) if (r[1] - r[0]) * record.step_s <= _DIP_S]
        begins = [first for first, _ in short]
        for first, end in _rows(record, begins, _DIPS):
            count = sum(first <= b < end for b in begins)
            minutes = max((end - first) * record.step_s / 60, 0.25)
            yield _incident(record, i, "multipath", first, end, 0.97,
                            f"Antenna {side.upper()} dipped {count / minutes:.0f} times a minute, the other did not.",
                            side=side)  # fmt: skip
