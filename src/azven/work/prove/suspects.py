"""Who is heard on a frequency whose own transmitter is off: our links on the air, their products, known neighbours."""

from collections.abc import Sequence
from dataclasses import dataclass

from azven.book.records import Link, Neighbour, Occupant
from azven.rf.products import third_order
from azven.work.wording import formula, listed, mhz

_NEAR_HZ, _SPREAD_HZ = 150_000, 250_000
"""A carrier is looked for so far to either side; a product farther, since it is as wide as all of its carriers."""
_MOST = 3


@dataclass(frozen=True)
class OnAir:
    """One of our transmitters that is on now."""

    link: Link
    freq_hz: int


def suspects(
    freq_hz: int, on_air: Sequence[OnAir], neighbours: Sequence[Neighbour], occupants: Sequence[Occupant] = ()
) -> list[str]:  # fmt: skip
    """What could be heard there, the nearest first, in words with names; empty where nothing known fits: then it is a
    stranger."""
    found = [(abs(x.freq_hz - freq_hz), f"{x.link.name} on {mhz(x.freq_hz)}") for x in on_air]
    found += [(abs(n.freq_hz - freq_hz), f"{n.name} on {mhz(n.freq_hz)}, a known neighbour") for n in neighbours]
    found += [
        (0, f"{o.name} about {mhz(o.centre_hz)}, known in this band") for o in occupants
        if abs(o.centre_hz - freq_hz) <= o.width_hz / 2 + _NEAR_HZ
    ]  # fmt: skip
    for kind, sources, product_hz in third_order([x.freq_hz for x in on_air], freq_hz, _SPREAD_HZ):
        names = [on_air[k].link.name for k in sources]
        found.append((_narrowed(abs(product_hz - freq_hz)), f"{formula(kind)} of {listed(names)}"))
    near = sorted((off, said) for off, said in found if off <= _NEAR_HZ)
    return [said for _, said in near[:_MOST]]


def _narrowed(off_hz: int) -> int:
    """How far off a product is, counted as if it were as narrow as a carrier."""
    return round(off_hz * _NEAR_HZ / _SPREAD_HZ)
