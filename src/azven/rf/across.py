"""Products across bands: harmonics, sums and differences, which fall far from what makes them (domain, section 2).

They are looked for between carriers of one band and a victim of another, where its profile asks for that.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

KINDS = ("2a", "3a", "a-b")


@dataclass(frozen=True)
class Strike:
    """A product [Hz] that falls nearer to a victim than its guard, and the carriers that make it."""

    kind: str
    product_hz: int
    distance_hz: int
    sources: tuple[str, ...]


def asks(guard_hz: Mapping[str, int]) -> bool:
    """Whether a profile looks at products across bands."""
    return any(guard_hz.get(k, 0) > 0 for k in KINDS)


def strike(freq_hz: int, guard_hz: Mapping[str, int], carriers: Sequence[tuple[str, int]]) -> Strike | None:
    """The nearest product of some carriers (id, Hz) within the guards of a victim; None where there is none. Sums and
    sizes of differences count as `a-b`; a product exactly a guard away is no hit."""
    found = []
    for kind, guard in ((k, guard_hz.get(k, 0)) for k in KINDS):
        if guard > 0:
            found += _within(kind, freq_hz, guard, carriers)
    return min(found, key=lambda s: (s.distance_hz, KINDS.index(s.kind), s.sources), default=None)


def _within(kind: str, freq_hz: int, guard: int, carriers: Sequence[tuple[str, int]]) -> list[Strike]:
    freqs = np.array([f for _, f in carriers], np.int64)
    if not len(freqs):
        return []
    if kind != "a-b":
        products = freqs * int(kind[0])
        near = np.flatnonzero(np.abs(products - freq_hz) < guard).tolist()
        return [Strike(kind, int(products[i]), int(abs(products[i] - freq_hz)), (carriers[i][0],)) for i in near]
    i, j = np.triu_indices(len(freqs), 1)
    out = []
    for products in (np.abs(freqs[i] - freqs[j]), freqs[i] + freqs[j]):
        for n in np.flatnonzero(np.abs(products - freq_hz) < guard).tolist():
            names = tuple(sorted((carriers[i[n]][0], carriers[j[n]][0])))
            out.append(Strike(kind, int(products[n]), int(abs(products[n] - freq_hz)), names))
    return out
