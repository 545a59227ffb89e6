"""What is worn on one body: packs on a belt, their products, a worn receiver, redundant pairs (domain, section 7)."""

from collections.abc import Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from typing import Literal

from azven.rf.imlevels import CONVERSION_LOSS_DB, in_transmitter_dbm
from azven.rf.levels import dbm, milliwatts
from azven.rf.links import COUPLING_FLOOR_DB, TOUCHING_DB

Side = Literal["same", "opposite"]
PHONE_DBM = 23.0
PAIR_HZ = 8_000_000
"""Two packs of one voice keep this far apart."""
BODY_DB = 20.0


@dataclass(frozen=True)
class Pack:
    """A worn transmitter: carrier [Hz], power into its antenna [dBm], gain [dBi]."""

    freq_hz: int
    power_dbm: float
    gain_dbi: float = 0.0


@dataclass(frozen=True)
class BeltProduct:
    """A two-signal third-order product of two packs: where it falls, how strong it leaves each of them, and what of
    both arrives at the receiver."""

    freq_hz: int
    in_a_dbm: float
    in_b_dbm: float
    at_receiver_dbm: float


def coupling_db(side: str, body_db: float = BODY_DB, gains_db: float = 0.0) -> float:
    """Loss between the ports of two things on one belt: as touching antennas, and the body once where they are on
    opposite sides; at least 10 dB. ValueError for another side."""
    if side not in ("same", "opposite"):
        raise ValueError(f"the side must be same or opposite, not {str(side)[:40]!r}")
    body = body_db if side == "opposite" else 0.0
    return max(TOUCHING_DB + body - gains_db, COUPLING_FLOOR_DB)


def belt_products(
    a: Pack, b: Pack, coupling: float, path_a_db: float, path_b_db: float, conversion_db: float = CONVERSION_LOSS_DB
) -> dict[str, BeltProduct]:
    """2a − b and 2b − a: each is made in both packs, and both arrive over their own path. A frequency below zero keeps
    its sign."""
    return {
        "2a-b": _product(a, b, coupling, (path_a_db, path_b_db), conversion_db),
        "2b-a": _swapped(_product(b, a, coupling, (path_b_db, path_a_db), conversion_db)),
    }


def _product(host: Pack, other: Pack, coupling: float, paths_db: tuple[float, float], loss_db: float) -> BeltProduct:
    own = in_transmitter_dbm("2h-x", host.power_dbm, (other.power_dbm - coupling,), loss_db)
    there = in_transmitter_dbm("2x-h", other.power_dbm, (host.power_dbm - coupling,), loss_db)
    arriving = milliwatts(own - paths_db[0]) + milliwatts(there - paths_db[1])
    return BeltProduct(2 * host.freq_hz - other.freq_hz, own, there, float(dbm(arriving)))


def _swapped(found: BeltProduct) -> BeltProduct:
    return BeltProduct(found.freq_hz, found.in_b_dbm, found.in_a_dbm, found.at_receiver_dbm)


def pair_findings(
    freq_hz: tuple[int, int], channels: Sequence[tuple[int, int]] = (),
    changes: tuple[AbstractSet[str], AbstractSet[str]] = (frozenset(), frozenset()), least_hz: int = PAIR_HZ,
) -> list[str]:  # fmt: skip
    """What is wrong with a redundant pair: `spacing` under `least_hz`, `same-channel` of the raster [low, high) [Hz],
    `same-change` where both packs are changed in one break; in alphabetical order."""
    found = []
    if changes[0] & changes[1]:
        found.append("same-change")
    if any(all(low <= f < high for f in freq_hz) for low, high in channels):
        found.append("same-channel")
    if abs(freq_hz[0] - freq_hz[1]) < least_hz:
        found.append("spacing")
    return found
