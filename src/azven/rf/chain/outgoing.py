"""What goes out of a design: supplies over coax, transmitting antennas, and all results as one document."""

import math
from collections.abc import Mapping
from typing import Any

import numpy as np

from azven.rf.chain import dc, transmit
from azven.rf.chain.design import Design, Solved, noise_dbm, system_of
from azven.rf.chain.graph import System, order, path
from azven.rf.links import gain_towards, polarisation_between_db
from azven.rf.radios import BACKOFF_DB

_BLOCKED_FROM_DBM = -15.0
"""Of a receiver whose compression is not known, planning value."""


def supply(design: Design) -> dc.Feed:
    """The supply of everything on the receive side, over whatever passes DC."""
    system = system_of(design)
    devices = {n: design.devices[n] for n in order(system) if n in design.devices}
    return dc.feed(devices, [e for e in system.edges if e[0] in devices and e[1] in devices])


def supplies(design: Design) -> dict[str, dc.Feed]:
    """The same by receive antenna: what concerns the devices of its way, antenna first."""
    system, found = system_of(design), supply(design)
    out = {}
    for antenna in design.receive_antennas():
        way = next((path(system, antenna, r) for r in design.receivers() if _leads(system, antenna, r)), None)
        if way is not None:
            errors = sorted((e for e in found.errors if e[0] in way), key=lambda e: way.index(e[0]))
            out[antenna] = dc.Feed(tuple(errors), {n: v for n, v in found.volts.items() if n in way})
    return out


def transmit_results(design: Design) -> dict[str, transmit.TransmitResult]:
    """Every transmitting antenna: levels, radiated power, products, keep-away distances."""
    out = {}
    system = System(blocks=design.blocks, edges=design.edges, freq_hz=design.freq_hz, bandwidth_hz=design.bandwidth_hz)
    for antenna in (n for n, b in design.blocks.items() if b.kind == "antenna" and system.inputs(n)):
        feeders = [t for t in design.powers_dbm if _leads(system, t, antenna)]
        if feeders:
            out[antenna] = _transmitted(design, system, feeders, antenna)
    return out


def _leads(system: System, start: str, end: str) -> bool:
    try:
        path(system, start, end)
    except ValueError:
        return False
    return True


def _transmitted(design: Design, system: System, feeders: list[str], antenna: str) -> transmit.TransmitResult:
    """Everything that feeds one antenna, through however many combiners are ganged."""
    joined: list[tuple[transmit.Combiner, dict[str, float]]] = []
    arriving = _arriving(design, system, antenna, joined)
    last, into = joined[-1] if joined else (transmit.Combiner(active=True, inputs=len(feeders)), arriving)
    cable = {name: level + last.through_db - arriving[name] for name, level in into.items()}
    gain_dbi = design.antennas[antenna].gain_dbi if antenna in design.antennas else 0.0
    freq = {name: design.frequency_of(name) for name in into}
    found = transmit.combine(freq, into, last, gain_dbi, cable, nearby=_nearby(design, system, antenna, freq))
    for combiner, levels in joined[:-1]:
        inner = transmit.combine({n: freq[n] for n in levels}, levels, combiner, 0.0)
        name = next(iter(levels))
        found = transmit.ganged(found, inner, into[name] - levels[name] - combiner.through_db + last.through_db)
    return found


def _arriving(
    design: Design, system: System, block: str, joined: list[tuple[transmit.Combiner, dict[str, float]]]
) -> dict[str, float]:
    """Level [dBm] of every transmitter at the input of a block, at its own frequency; `joined` collects each combiner
    on the way with what goes into it, the one nearest the antenna last."""
    out: dict[str, float] = {}
    for source in system.inputs(block):
        if source in design.powers_dbm:
            out[source] = design.powers_dbm[source]
            continue
        into = _arriving(design, system, source, joined)
        passed = design.blocks[source]
        if passed.kind in ("combiner", "hybrid") and into:
            combiner = _combiner(design, source, len(into))
            joined.append((combiner, into))
            out |= {name: level + combiner.through_db for name, level in into.items()}
        else:
            out |= {name: level + passed.gain_at(design.frequency_of(name)) for name, level in into.items()}
    return out


def _combiner(design: Design, name: str, signals: int) -> transmit.Combiner:
    block = design.blocks[name]
    active = block.kind == "combiner"
    return transmit.Combiner(
        active=active,
        inputs=max(block.ports, signals) if active else block.ports,
        gain_db=block.gain_db or 0.0,
        excess_db=block.excess_db,
        rated_in_dbm=design.rated_in_dbm.get(name),
        p1db_out_dbm=block.p1db_out_dbm,
        oip3_dbm=block.oip3_dbm,
    )


def _nearby(design: Design, system: System, antenna: str, freq_hz: Mapping[str, float]) -> list[transmit.Nearby]:
    """Every receive antenna whose place is known, with both gains towards each other, what their polarisations take,
    and what its chain gives each receiver at the frequencies sent, filters included."""
    here = design.antennas.get(antenna)
    if here is None or here.pos_m is None:
        return []
    out = []
    for name in design.receive_antennas():
        there = design.antennas.get(name)
        if there is None or there.pos_m is None:
            continue
        away = np.subtract(there.pos_m, here.pos_m)
        turned = polarisation_between_db(here, there)
        reached: list[str | None] = [r for r in design.receivers() if _leads(system, name, r)]
        for receiver in reached or [None]:
            chain, blocking = _onward(design, system, name, receiver, freq_hz)
            out.append(
                transmit.Nearby(
                    distance_m=math.dist(here.pos_m, there.pos_m),
                    tx_gain_dbi=float(gain_towards(here, away)),
                    rx_gain_dbi=float(gain_towards(there, -away)),
                    chain_gain_db=chain,
                    blocking_dbm=blocking,
                    turned_db=turned,
                )
            )
    return out


def _onward(
    design: Design, system: System, antenna: str, receiver: str | None, freq_hz: Mapping[str, float]
) -> tuple[dict[str, float], float]:
    """What the way from an antenna to a receiver gives each transmitter [dB], and the receiver's blocking level [dBm];
    an antenna that leads to none counts with a receiver right at it."""
    if receiver is None:
        return dict.fromkeys(freq_hz, 0.0), _BLOCKED_FROM_DBM
    way = path(system, antenna, receiver)[1:-1]
    gains = {t: sum(design.blocks[n].gain_at(f) for n in way) for t, f in freq_hz.items()}
    compression = design.blocks[receiver].compression_dbm
    return gains, _BLOCKED_FROM_DBM if compression is None else compression - BACKOFF_DB


def as_json(design: Design, solved: Solved) -> dict[str, Any]:
    """Results with the names of the open vectors, ready to be written."""
    joints = [
        {
            "id": n, "type": j.block.kind, "gain_before_db": {a: round(g, 4) for a, g in j.gain_before_db.items()},
            "noise_in_dbm": round(noise_dbm(solved.system, j), 4), "average_in_dbm": _rounded(j.average_in_dbm),
            "peak_in_dbm": _rounded(j.peak_in_dbm), "headroom_average_db": _rounded(j.headroom_average_db),
            "headroom_peak_db": _rounded(j.headroom_peak_db),
        }
        for n, j in solved.joints.items()
    ]  # fmt: skip
    paths = [{**{k: _rounded(v) for k, v in vars(p).items()}, "zone": design.zone_of(p.antenna)} for p in solved.paths]
    receivers = [
        {
            **{k: _rounded(v) for k, v in vars(r).items()},
            "im_2t3o_dbm": _rounded(solved.products_dbm[r.receiver][0]),
            "im_3t3o_dbm": _rounded(solved.products_dbm[r.receiver][1]),
        }
        for r in solved.receivers
    ]
    supply = {
        a: {
            "errors": [{"node": n, "code": c} for n, c in f.errors],
            "volts": {k: round(v, 4) for k, v in f.volts.items()},
        }
        for a, f in supplies(design).items()
    }
    sent = {
        a: {k: [_rounded(x) for x in v] if isinstance(v, tuple) else _rounded(v) for k, v in vars(t).items()}
        for a, t in transmit_results(design).items()
    }
    return {
        "format": "azven-chain-results", "version": 1, "name": design.name, "joints": joints, "paths": paths,
        "receivers": receivers, "supply": supply, "transmit": sent,
    }  # fmt: skip


def _rounded(value: Any) -> Any:
    return round(value, 4) if isinstance(value, float) else value
