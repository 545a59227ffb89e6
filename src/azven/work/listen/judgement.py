"""Sweep files judged as Listen judges sweeps, without a book: the open format `azven-sweep-judgement` 1."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, get_args

import numpy as np

from azven.book import regions
from azven.book.formats import region as region_format
from azven.book.formats import sweep_csv
from azven.book.formats.errors import FormatError
from azven.book.formats.reading import read_json
from azven.rf.emissions import impulses
from azven.rf.occupancy import ChannelReading, Survey, judge, survey, worst
from azven.rf.sweep import Channel, Detector, Line, Sweep
from azven.work.listen.merged import TOLERATED_DBM, USES, slack_hz

NAME, VERSION = "azven-sweep-judgement", 1


@dataclass(frozen=True)
class Judgement:
    """What sweeps of one place say together: per use every raster channel, and every emission."""

    floor_seen: bool
    impulse_share: float
    readings: Mapping[str, tuple[ChannelReading, ...]]
    lines: tuple[Line, ...]


def read_sweep(path: Path, rbw_hz: float | None = None, detector: Detector | None = None) -> Sweep:
    """A sweep of a file; `rbw_hz` and `detector` stand in for what it does not say. FormatError in one line."""
    file = sweep_csv.read(path)
    said = sweep_csv.number(file.metadata.get("rbw_hz"))
    width = said or rbw_hz or float(np.median(np.diff(file.freq_hz)))
    written = file.metadata.get("detector")
    kind = next((d for d in get_args(Detector) if d == written), detector or "average")
    try:
        return Sweep(file.freq_hz, file.level_dbm(), width, kind)
    except ValueError as error:
        raise FormatError(f"{path.name}: {error}") from error


def raster(region: str) -> tuple[Channel, ...]:
    """The channels of a shipped region, by its key, or of a region file. FormatError in one line."""
    document = next((r for r in regions.shipped() if r["key"] == region), None)
    if document is None:
        if not Path(region).is_file():
            keys = ", ".join(str(r["key"]) for r in regions.shipped())
            raise FormatError(f"{region[:80]} is neither a region file nor one of {keys}")
        document = region_format.read(read_json(Path(region))).model_dump()
    return tuple(Channel(c.name, c.low_hz, c.high_hz) for c in regions.territory(document).channels)


def judged(sweeps: Sequence[Sweep], channels: Sequence[Channel]) -> Judgement:
    """Sweeps of one place, the worst of them deciding each channel that one of them reaches."""
    reached = [c for c in channels if any(len(s.freq_hz[s.between(c.low_hz, c.high_hz)]) for s in sweeps)]
    surveyed = [survey(s, reached) for s in sweeps]
    readings = {
        use: tuple(map(worst, zip(*(judge(s, TOLERATED_DBM[use]) for s in surveyed), strict=True))) for use in USES
    }
    seen = all(s.floor_seen for s in surveyed)
    return Judgement(seen, max(s.impulse_share for s in surveyed), readings, _lines(sweeps, surveyed))


def _lines(sweeps: Sequence[Sweep], surveyed: Sequence[Survey]) -> tuple[Line, ...]:
    """Every emission once, where it is strongest; single bins that another sweep shows gone were impulses."""
    out: list[Line] = []
    both = list(zip(sweeps, surveyed, strict=True))
    for sweep, mine in both:
        others = [(s, o.lines) for s, o in both if s is not sweep]
        gone, slack = impulses(sweep, mine.lines, mine.impulse_share, others), slack_hz(sweep.rbw_hz)
        earlier = tuple(out)
        for line in (x for x in mine.lines if x not in gone):
            same = next((i for i, x in enumerate(earlier) if abs(x.freq_hz - line.freq_hz) <= slack), None)
            if same is None:
                out.append(line)
            elif line.level_dbm > out[same].level_dbm:
                out[same] = line
    return tuple(sorted(out, key=lambda x: x.freq_hz))


def document(found: Judgement) -> dict[str, Any]:
    """The judgement as the open format says it."""
    return {
        "format": NAME, "version": VERSION, "floor_seen": found.floor_seen,
        "impulse_share": round(found.impulse_share, 5),
        "channels": [_channel(i, r, found) for i, r in enumerate(found.readings["voice"])],
        "emissions": [
            {"low_hz": x.edges_hz[0], "high_hz": x.edges_hz[1], "peak_dbm": round(x.level_dbm, 2), "peak_hz": x.freq_hz}
            for x in found.lines
        ],
    }  # fmt: skip


def _channel(i: int, reading: ChannelReading, found: Judgement) -> dict[str, Any]:
    channel = reading.channel
    return {
        "name": channel.name, "low_hz": channel.low_hz, "high_hz": channel.high_hz,
        "floor_dbm": _level(reading.floor_dbm),
        "class": {use: found.readings[use][i].occupancy for use in USES},
        "power_dbm": _level(reading.power_dbm), "multiplex": reading.multiplex,
    }  # fmt: skip


def _level(value: float | None) -> float | None:
    return None if value is None else round(value, 2)


def in_words(found: Judgement) -> list[str]:
    """The same as lines of text."""
    unseen = "The noise floor is not seen: no channel counts as quiet."
    out = ["The noise floor is seen." if found.floor_seen else unseen]
    if found.impulse_share:
        out.append(f"{found.impulse_share:.1%} of the bins are impulse noise, each kept clear: sweep again.")
    for i, reading in enumerate(found.readings["voice"]):
        classes = ", ".join(f"{found.readings[use][i].occupancy} for {use}" for use in USES)
        power = "not swept" if reading.power_dbm is None else f"{reading.power_dbm:.1f} dBm".replace("-", "−")
        out.append(f"channel {reading.channel.name}: {classes}; {power}{', multiplex' if reading.multiplex else ''}")
    for line in found.lines:
        low, high = (f"{f / 1e6:.3f}" for f in line.edges_hz)
        level = f"{line.level_dbm:.1f} dBm at {line.freq_hz / 1e6:.3f} MHz".replace("-", "−")
        out.append(f"emission {low} to {high} MHz: {level}")
    return out
