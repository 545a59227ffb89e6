"""Which bands a show works in, and what there is in each."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType

from azven.book.reading import Reading
from azven.book.records import Link, Model, Occupant, Sweep
from azven.rf import bands
from azven.rf.bands import Band
from azven.work.kit.gear import links
from azven.work.scope import Scope

SHARED_VIEW_HZ: Mapping[str, tuple[float, float]] = MappingProxyType({
    bands.DECT: (1.878e9, 1.932e9), bands.ISM: (2.395e9, 2.490e9), bands.RLAN: (5.150e9, 5.850e9),
})  # fmt: skip
"""What is shown of a shared band [Hz]: all of it, whoever is in it."""


@dataclass(frozen=True)
class InUse:
    """A band with the number of links in it."""

    band: Band
    links: int


def of_link(store: Reading, link: Link) -> Band:
    """The band that a link works in."""
    return of_model(store.get(Model, link.model_id), link.band)


def of_model(model: Model, band: str) -> Band:
    """The band that a tuning band of a model lies in."""
    _, low, high = next((b for b in model.bands if b[0] == band), model.bands[0])
    return bands.of_range(low, high)


def in_use(store: Reading, scope: Scope) -> tuple[InUse, ...]:
    """Bands in which there is a link, a sweep or somebody else who is known, ascending; UHF where there is nothing."""
    count = Counter(of_link(store, x) for x in links(store, scope))
    for sweep in store.all(Sweep, site_id=scope.site):
        for band in bands.BANDS:
            covered = min(sweep.high_hz, band.high_hz) - max(sweep.low_hz, band.low_hz)
            if covered > 0.5 * (sweep.high_hz - sweep.low_hz) or (band.shared and covered > 0):
                count[band] += 0
    for stranger in store.all(Occupant, site_id=scope.site):
        count[bands.of(stranger.centre_hz)] += 0
    found = sorted(count, key=lambda b: b.low_hz) or [bands.UHF]
    return tuple(InUse(b, count[b]) for b in found)
