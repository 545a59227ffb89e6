"""In-ear transmitters into one antenna: combining, radiated power, products, exposure, and what receivers nearby get.

Exposure limits: ICNIRP 2020 reference levels for whole-body exposure, and 47 CFR 1.1310, both in W/m². They are
cautions that defer to the local code.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from azven.rf.chain.composite import average_dbm, peak_dbm
from azven.rf.imlevels import THREE_SIGNAL_DB
from azven.rf.levels import SPEED_OF_LIGHT_M_S
from azven.rf.links import COUPLING_FLOOR_DB, path_db

REFLECTION = 2.56
STANDARDS = (("icnirp2020", "public"), ("icnirp2020", "occupational"), ("fcc", "public"), ("fcc", "occupational"))


def reference_level_w_m2(freq_hz: float, standard: str, group: str) -> float:
    """Power density [W/m²] that a standard allows; ValueError outside 30 MHz to 300 GHz or for an unknown standard."""
    f = freq_hz / 1e6
    if not 30 <= f <= 300_000:
        raise ValueError(f"no reference level is held for {f:g} MHz")
    factor = {"public": 1.0, "occupational": 5.0}.get(group)
    if factor is None:
        raise ValueError(f"group: public or occupational, not '{group}'")
    if standard == "icnirp2020":
        return factor * (2.0 if f <= 400 else f / 200 if f <= 2000 else 10.0)
    if standard == "fcc":
        return factor * (2.0 if f <= 300 else f / 150 if f <= 1500 else 10.0)
    raise ValueError(f"standard: icnirp2020 or fcc, not '{standard}'")


def keep_away_m(emitters: Sequence[tuple[float, float]], standard: str, group: str, reflection: bool = True) -> float:
    """Distance [m] at which several emitters (frequency [Hz], EIRP [W]) together reach the limit, with one reflection:
    r = √(2.56·Σ EIRP_i/S_i/4π). Under λ/2π the formula does not hold: show it as under 10 cm."""
    total = sum(eirp / reference_level_w_m2(freq, standard, group) for freq, eirp in emitters)
    return math.sqrt((REFLECTION if reflection else 1.0) * total / (4 * math.pi))


def too_close_for_the_formula(distance_m: float, freq_hz: float) -> bool:
    return distance_m < SPEED_OF_LIGHT_M_S / freq_hz / (2 * math.pi)


@dataclass(frozen=True, kw_only=True)
class Combiner:
    """Active: inputs, gain, rated input, output compression and intercept. Passive: a hybrid of so many ports."""

    active: bool
    inputs: int
    gain_db: float = 0.0
    excess_db: float = 0.0
    rated_in_dbm: float | None = None
    p1db_out_dbm: float | None = None
    oip3_dbm: float | None = None

    @property
    def through_db(self) -> float:
        return self.gain_db if self.active else -(10 * math.log10(self.inputs) + self.excess_db)


Each = float | Mapping[str, float]
"""One figure for all transmitters, or one for each by its name."""


@dataclass(frozen=True, kw_only=True)
class Nearby:
    """A receive antenna near the transmitting one: gains [dBi] towards each other, what their polarisations take, and
    what the receive chain gives its receiver at the frequencies sent."""

    distance_m: float
    tx_gain_dbi: float
    rx_gain_dbi: float
    chain_gain_db: Each
    blocking_dbm: float
    turned_db: float = 0.0


@dataclass(frozen=True, kw_only=True)
class TransmitResult:
    """Levels [dBm] at the combiner's output and the antenna, radiated power, products, keep-away distances [m]."""

    output_each_dbm: tuple[float, ...]
    output_average_dbm: float
    output_peak_dbm: float
    antenna_each_dbm: tuple[float, ...]
    eirp_each_dbm: tuple[float, ...]
    eirp_total_dbm: float
    eirp_total_w: float
    over_rating: tuple[str, ...]
    icnirp_public_m: float
    icnirp_occupational_m: float
    fcc_public_m: float
    fcc_occupational_m: float
    headroom_peak_db: float | None
    im_2t3o_dbm: float | None
    im_3t3o_dbm: float | None
    im_2t3o_dbc: float | None
    im_3t3o_dbc: float | None
    at_receive_antenna_average_dbm: float | None = None
    at_receive_antenna_peak_dbm: float | None = None
    blocking_margin_db: float | None = None


def combine(
    freq_hz: Each, powers_dbm: dict[str, float], combiner: Combiner, antenna_gain_dbi: float,
    cable_db: Each = 0.0, input_loss_db: float = 0.0, nearby: Nearby | Sequence[Nearby] | None = None,
) -> TransmitResult:  # fmt: skip
    """Transmitters → input leads → combiner → cable → antenna, each at its own frequency. Of several antennas `nearby`
    the one whose receiver comes nearest to being blocked counts. ValueError when there are more than inputs, or none.
    """
    if not powers_dbm:
        raise ValueError("ports: nothing transmits into the combiner")
    if len(powers_dbm) > combiner.inputs:
        raise ValueError(f"ports: {len(powers_dbm)} transmitters do not fit {combiner.inputs} inputs")
    freq, cable = _each(freq_hz, powers_dbm), _each(cable_db, powers_dbm)
    into = {name: p - input_loss_db for name, p in powers_dbm.items()}
    output = [p + combiner.through_db for p in into.values()]
    antenna = {name: p + combiner.through_db - cable[name] for name, p in into.items()}
    eirp = [p + antenna_gain_dbi for p in antenna.values()]
    total, average, peak = _sum(eirp), _sum(output), _peak(output)
    two, three = _products(output, combiner.oip3_dbm)
    emitters = [(f, 10 ** (p / 10) / 1e3) for f, p in zip(freq.values(), eirp, strict=True)]
    public, worker, fcc_public, fcc_worker = (keep_away_m(emitters, *s) for s in STANDARDS)
    strongest = max(output)
    near = [nearby] if isinstance(nearby, Nearby) else list(nearby or ())
    heard_average, heard_peak, margin = min(
        (_heard(freq, antenna, n) for n in near), key=lambda h: h[2], default=(None, None, None)
    )
    return TransmitResult(
        output_each_dbm=tuple(output),
        output_average_dbm=average,
        output_peak_dbm=peak,
        antenna_each_dbm=tuple(antenna.values()),
        eirp_each_dbm=tuple(eirp),
        eirp_total_dbm=total,
        eirp_total_w=10 ** (total / 10) / 1e3,
        over_rating=tuple(
            n for n, p in into.items() if combiner.rated_in_dbm is not None and p > combiner.rated_in_dbm + 1e-9
        ),
        icnirp_public_m=public,
        icnirp_occupational_m=worker,
        fcc_public_m=fcc_public,
        fcc_occupational_m=fcc_worker,
        headroom_peak_db=None if combiner.p1db_out_dbm is None else combiner.p1db_out_dbm - peak,
        im_2t3o_dbm=two,
        im_3t3o_dbm=three,
        im_2t3o_dbc=None if two is None else two - strongest,
        im_3t3o_dbc=None if three is None else three - strongest,
        at_receive_antenna_average_dbm=heard_average,
        at_receive_antenna_peak_dbm=heard_peak,
        blocking_margin_db=margin,
    )


def _each(value: Each, names: Iterable[str]) -> dict[str, float]:
    return {n: value[n] if isinstance(value, Mapping) else value for n in names}


def _sum(levels_dbm: Sequence[float]) -> float:
    found = average_dbm(levels_dbm)
    return -math.inf if found is None else found


def _peak(levels_dbm: Sequence[float]) -> float:
    found = peak_dbm(levels_dbm)
    return -math.inf if found is None else found


def ganged(outer: TransmitResult, inner: TransmitResult, gain_db: float) -> TransmitResult:
    """Two combiners, the inner one's output `gain_db` before the outer one's: the smaller headroom, all that is over a
    rating, and the stronger products at the outer output."""

    def stronger(a: float | None, b: float | None) -> float | None:
        known = [x for x in (a, None if b is None else b + gain_db) if x is not None]
        return max(known, default=None)

    rooms = [r.headroom_peak_db for r in (outer, inner) if r.headroom_peak_db is not None]
    two, three = stronger(outer.im_2t3o_dbm, inner.im_2t3o_dbm), stronger(outer.im_3t3o_dbm, inner.im_3t3o_dbm)
    strongest = max(outer.output_each_dbm)
    return replace(
        outer, headroom_peak_db=min(rooms, default=None), over_rating=(*inner.over_rating, *outer.over_rating),
        im_2t3o_dbm=two, im_3t3o_dbm=three, im_2t3o_dbc=None if two is None else two - strongest,
        im_3t3o_dbc=None if three is None else three - strongest,
    )  # fmt: skip


def _products(output: Sequence[float], oip3_dbm: float | None) -> tuple[float | None, float | None]:
    """Strongest 2a-b and a+b-c [dBm] at the combiner's output, from its output intercept."""
    if oip3_dbm is None or len(output) < 2:
        return None, None
    a, b, *rest = sorted(output, reverse=True)
    two = 2 * a + b - 2 * oip3_dbm
    return two, a + b + rest[0] - 2 * oip3_dbm + THREE_SIGNAL_DB if rest else None


def _heard(freq_hz: Mapping[str, float], antenna: Mapping[str, float], near: Nearby) -> tuple[float, float, float]:
    """Average and peak at the receive antenna's terminals [dBm], and what is left to the blocking level [dB]."""
    gain = near.tx_gain_dbi + near.rx_gain_dbi - near.turned_db
    loss = {n: max(float(path_db(f, near.distance_m)) - gain, COUPLING_FLOOR_DB) for n, f in freq_hz.items()}
    levels = {n: p - loss[n] for n, p in antenna.items()}
    onward = _each(near.chain_gain_db, levels)
    at_receiver = _sum([p + onward[n] for n, p in levels.items()])
    return _sum(list(levels.values())), _peak(list(levels.values())), near.blocking_dbm - at_receiver
