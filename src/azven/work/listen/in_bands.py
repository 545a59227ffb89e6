"""Sweeps by the bands that they lie in."""

from collections.abc import Sequence

from azven.book.records import Sweep as SweepRecord
from azven.book.store import Store
from azven.rf import bands
from azven.rf.sweep import Channel, Sweep, merge
from azven.work import kit
from azven.work.kit.bands import of_link
from azven.work.scope import Scope


def uses_wanted(store: Store, scope: Scope) -> set[str]:
    """Uses of the links that stand in the raster: those of shared bands look for themselves."""
    own = [x for x in kit.links(store, scope) if not x.set_aside and not of_link(store, x).shared]
    return {"in-ear" if x.service == "in-ear" else "voice" for x in own}


def of_shared_band(record: SweepRecord) -> bool:
    """Whether a sweep lies in a band that everybody shares."""
    return bands.of_range(record.low_hz, record.high_hz).shared


def shared_channels(record: SweepRecord) -> list[Channel]:
    """Channels of shared bands that lie in a sweep."""
    reached = bands.shared([(record.low_hz, record.high_hz)])
    return [c for b in reached for c in bands.channels(b) if record.low_hz <= c.low_hz and c.high_hz <= record.high_hz]


def joined(sweeps: Sequence[Sweep]) -> tuple[Sweep, ...]:
    """Sweeps that reach into one another, each such stretch by itself: one of another band does not coarsen it."""
    groups: list[list[Sweep]] = []
    end = -1
    for sweep in sorted(sweeps, key=lambda s: int(s.freq_hz[0])):
        if int(sweep.freq_hz[0]) > end:
            groups.append([])
        groups[-1].append(sweep)
        end = max(end, int(sweep.freq_hz[-1]))
    return tuple(merge(g) for g in groups)
