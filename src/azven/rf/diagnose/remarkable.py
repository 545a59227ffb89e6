"""Which links are worth a closer look now: nothing that diagnosis would find may pass, much that it would not may."""

from dataclasses import dataclass

import numpy as np

from azven.rf.diagnose.common import level_said, nanmedian
from azven.rf.diagnose.record import Bools, Incident, Record, unknown_is_unknown
from azven.rf.levels import Floats

_LEAN_DB, _DROP_DB, _RISE_DB, _APART_DB, _LOUD_DBFS, _STILL_DBFS = 3.5, 8.0, 8.0, 10.0, -1.0, -60.0
_SILENT_S, _NOW_S, _LEAST_S = 3.0, 3.0, 1.0
_EVERY = 8


@dataclass(frozen=True)
class Usual:
    """What is usual of each link (m,): how far A stands over B, and how that scatters [dB], the stronger one and the
    noise [dBm]."""

    lean_db: Floats
    scatter_db: Floats
    level_dbm: Floats
    noise_dbm: Floats


def usual(record: Record) -> Usual:
    """By the last minutes; moments in which a transmitter is off say nothing of its antennas."""
    with unknown_is_unknown():
        some = slice(None, None, _EVERY)
        on = record.on[:, some]
        lean = np.where(on, record.a[:, some] - record.b[:, some], np.nan)
        level = np.where(on, record.better[:, some], np.nan)
        quiet = np.nanpercentile(record.noise[:, some], 25, axis=1) if len(record.at_s) else np.zeros(0)
        middle = nanmedian(lean)
        scatter = 1.4826 * nanmedian(np.abs(_lately_smooth(lean) - middle[:, None]))
        return Usual(middle, np.maximum(np.nan_to_num(scatter, nan=4.0), 2.0), nanmedian(level), np.asarray(quiet))


def _lately_smooth(lean: Floats) -> Floats:
    """Means of four moments that were looked at, sixteen seconds."""
    n = lean.shape[1] // 4 * 4
    return np.asarray(np.nanmean(lean[:, :n].reshape(len(lean), -1, 4), axis=2)) if n else lean


def kept(before: Usual, now: Usual, frozen: Bools) -> Usual:
    """What is usual now, of frozen links (m,) what was before: trouble that lasts does not become usual."""
    rows = zip(vars(before).values(), vars(now).values(), strict=True)
    return Usual(*(np.where(frozen & np.isfinite(old), old, new) for old, new in rows))


def remarkable(lately: Record, known: Usual) -> Bools:
    """Links (m,) in whose last seconds there is something to look at, by themselves or with all of their system."""
    with unknown_is_unknown():
        weak, strong = np.fmin(lately.a, lately.b), lately.better
        low = lately.low
        shown = (
            (lately.q < 50) | (strong < low) | ((weak < low) & (strong >= weak + _APART_DB)) | (lately.mute == 1)
            | (lately.hp == 0) | lately.differs | (lately.clip == 1) | (lately.af > _LOUD_DBFS)
            | (lately.noise > known.noise_dbm[:, None] + _RISE_DB)
        )  # fmt: skip
        tuned = np.array([np.nan if x.freq_hz is None else x.freq_hz for x in lately.head.links], float)[:, None]
        shown |= np.isfinite(lately.txf) & (lately.txf != tuned)
        out = np.asarray(shown.any(axis=1) | (lately.at_s[-1] - lately.named_s[:, -1] >= _SILENT_S))
        out |= (lately.tx == 0).any(axis=1) | (lately.af < _STILL_DBFS).all(axis=1)
        return out | _groups(lately, known)


def _groups(lately: Record, known: Usual) -> Bools:
    """Every link of a system all of whose links lean or have fallen a little."""
    out = np.zeros(len(lately.head.links), bool)
    shift = nanmedian(np.where(lately.on, lately.a - lately.b, np.nan)) - known.lean_db
    drop = known.level_dbm - lately.better[:, -1]
    for system in lately.systems:
        mine = lately.of_system(system.name)
        if len(mine) and (abs(np.nanmedian(shift[mine])) >= _LEAN_DB or np.nanmedian(drop[mine]) >= _DROP_DB):
            out[mine] = True
    return out


def unexplained(record: Record, found: list[Incident]) -> list[Incident]:
    """Trouble of these seconds that nothing found explains: unknown, with what is seen."""
    with unknown_is_unknown():
        last = slice(-record.steps(_NOW_S), None)
        poor = record.missed[:, last]
        least = record.steps(_LEAST_S)
        told = {n for it in found if it.to_s >= record.at_s[-1] - 2 * _NOW_S for n in it.links}
        out = []
        for i in record.looked:
            name = record.head.links[i].name
            if name in told or poor[i].sum() < least or not record.on[i, last].any():
                continue
            first = len(record.at_s) - poor.shape[1] + int(np.argmax(poor[i]))
            out.append(
                Incident(
                    from_s=float(record.at_s[first]), to_s=float(record.at_s[-1]), links=(name,), cause="unknown",
                    sure=0.3, evidence=[_seen(record, i, last)], next=["Watch it."],
                )
            )  # fmt: skip
        return out


def _seen(record: Record, i: int, last: slice) -> str:
    quality, level = record.q[i, last], record.better[i, last]
    said = f"Quality {float(np.nanmin(quality)):.0f} %" if np.isfinite(quality).any() else "Quality is not told"
    stands = f"level {level_said(float(np.nanmedian(level)))}" if np.isfinite(level).any() else "no level is told"
    return f"{said}, {stands}; nothing fits well enough yet."
