"""The list of peaks: every line and every broad emission that the newest sweeps hear, and whose it is."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from azven.book.records import Neighbour
from azven.book.records import Sweep as SweepRecord
from azven.book.store import Store
from azven.rf.sweep import Line
from azven.work import ground, listen
from azven.work.listen import spectrum
from azven.work.listen.merged import Picture
from azven.work.scope import Scope

MOST = 400
Whose = Literal["neighbour", "instrument", "ours", "unclaimed", "accounted", "broad"]


@dataclass(frozen=True, kw_only=True)
class Peak:
    """Where it is strongest [Hz], level [dBm], width [Hz], whose it is, by value and in words, and the places that hear
    it, loudest first."""

    id: int
    freq_hz: int
    level_dbm: float
    width_hz: int
    whose: Whose
    owner: str
    places: tuple[str, ...]
    unclaimed: Line | None = None


def peaks(store: Store, scope: Scope, picture: Picture) -> list[Peak]:
    """Peaks of the newest sweep of every place and antenna, strongest first, at most `MOST`."""
    heard: list[tuple[SweepRecord, Line]] = [
        (record, line) for record, _ in spectrum.newest(picture) for line in listen.lines_of(store, scope, record)
    ]
    heard.sort(key=lambda h: -h[1].level_dbm)
    known = ground.neighbours(store, scope)
    found: list[Peak] = []
    for record, line in heard:
        slack = listen.slack_hz(record.rbw_hz)
        at = next((i for i, p in enumerate(found) if abs(p.freq_hz - line.freq_hz) <= slack), None)
        if at is None:
            found.append(_peak(known, picture, record, line, slack))
        elif record.place not in found[at].places:
            found[at] = replace(found[at], places=(*found[at].places, record.place))
    found += _broad(store, scope, picture)
    found.sort(key=lambda p: -p.level_dbm)
    return [replace(p, id=i) for i, p in enumerate(found[:MOST], start=1)]


def _peak(known: Sequence[Neighbour], picture: Picture, record: SweepRecord, line: Line, slack: int) -> Peak:
    whose: Whose = "accounted"
    owner, unclaimed = "already accounted for", None
    foreign = next((n.name for n in known if abs(n.freq_hz - line.freq_hz) <= slack), None)
    ours = next((name for name, own in picture.ours if abs(own.freq_hz - line.freq_hz) <= slack), None)
    if foreign is not None:
        whose, owner = "neighbour", foreign
    elif any(abs(f - line.freq_hz) <= slack for f in record.made_inside):
        whose, owner = "instrument", "made in the instrument"
    elif ours is not None:
        whose, owner = "ours", f"ours: {ours}"
    elif unclaimed := next((x for x in picture.lines if abs(x.freq_hz - line.freq_hz) <= slack), None):
        whose = owner = "unclaimed"
    return Peak(
        id=0,
        freq_hz=line.freq_hz,
        level_dbm=line.level_dbm,
        width_hz=line.width_hz,
        whose=whose,
        owner=owner,
        places=(record.place,),
        unclaimed=unclaimed,
    )


def _broad(store: Store, scope: Scope, picture: Picture) -> list[Peak]:
    """One peak for every raster channel with something broad on it, as the place that hears it loudest has it."""
    found: dict[str, Peak] = {}
    for record, block in sorted(spectrum.shapes(store, scope, picture), key=lambda s: -s[1].level_dbm):
        name, channel = block.channel.name, block.channel
        if name in found:
            places = dict.fromkeys((*found[name].places, record.place))
            found[name] = replace(found[name], places=tuple(places))
        else:
            middle = (channel.low_hz + channel.high_hz) // 2
            width = round(block.share * (channel.high_hz - channel.low_hz))
            found[name] = Peak(
                id=0,
                freq_hz=middle,
                level_dbm=block.level_dbm,
                width_hz=width,
                whose="broad",
                owner=f"{block.kind}, channel {name}",
                places=(record.place,),
            )
    return list(found.values())
