"""Who is heard on a frequency whose own transmitter is off: our links on the air, their products, known neighbours."""

from collections.abc import Sequence
from dataclasses import dataclass

from azven.book.records import Link, Neighbour, Occupant
from azven.work.wording import formula, mhz

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
    for a in on_air:
        for b in on_air:
            if a.link.id != b.link.id:
                off = abs(2 * a.freq_hz - b.freq_hz - freq_hz)
                found.append((_narrowed(off), f"{formula('2a-b')} of {a.link.name} and {b.link.name}"))
    found += _of_three(freq_hz, on_air)
    near = sorted((off, said) for off, said in found if off <= _NEAR_HZ)
    return [said for _, said in near[:_MOST]]


def _narrowed(off_hz: int) -> int:
    """How far off a product is, counted as if it were as narrow as a carrier."""
    return round(off_hz * _NEAR_HZ / _SPREAD_HZ)


def _of_three(freq_hz: int, on_air: Sequence[OnAir]) -> list[tuple[int, str]]:
    """Products a + b − c of three that are on, near the frequency."""
    at: dict[int, list[OnAir]] = {}
    for c in on_air:
        at.setdefault(c.freq_hz // _SPREAD_HZ, []).append(c)
    found = []
    for i, a in enumerate(on_air):
        for b in on_air[i + 1 :]:
            wanted = a.freq_hz + b.freq_hz - freq_hz
            for k in range(wanted // _SPREAD_HZ - 1, wanted // _SPREAD_HZ + 2):
                for c in at.get(k, ()):
                    if c.link.id not in (a.link.id, b.link.id):
                        names = f"{a.link.name}, {b.link.name} and {c.link.name}"
                        found.append((_narrowed(abs(c.freq_hz - wanted)), f"{formula('a+b-c')} of {names}"))
    return found
