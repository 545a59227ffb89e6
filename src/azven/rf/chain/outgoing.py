"""What goes out of a design: supplies over coax, transmitting antennas, and all results as one document."""

import math
from typing import Any

from azven.rf.chain import dc, transmit
from azven.rf.chain.design import Design, Solved, noise_dbm, system_of
from azven.rf.chain.graph import System, path
from azven.rf.links import angle_at


def supplies(design: Design) -> dict[str, dc.Feed]:
    """The supply of every receive antenna's line, antenna first."""
    system = system_of(design)
    out = {}
    for antenna in design.receive_antennas():
        for receiver in design.receivers():
            try:
                way = path(system, antenna, receiver)
            except ValueError:
                continue
            out[antenna] = dc.feed([design.devices[n] for n in way if n in design.devices])
            break
    return out


def transmit_results(design: Design) -> dict[str, transmit.TransmitResult]:
    """Every transmitting antenna: levels, radiated power, products, keep-away distances."""
    out = {}
    system = System(design.blocks, design.edges, design.freq_hz, design.bandwidth_hz)
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
    last, into = joined[-1] if joined else (transmit.Combiner(True, len(feeders)), arriving)
    cable = max(into.values()) + last.through_db - max(arriving.values())
    gain_dbi = design.antennas[antenna].gain_dbi if antenna in design.antennas else 0.0
    found = transmit.combine(
        design.freq_hz, into, last, gain_dbi, cable, nearby=_nearest_receive_antenna(design, system, antenna)
    )
    for combiner, levels in joined[:-1]:
        inner = transmit.combine(design.freq_hz, levels, combiner, 0.0)
        name = next(iter(levels))
        found = transmit.ganged(found, inner, into[name] - levels[name] - combiner.through_db + last.through_db)
    return found


def _arriving(
    design: Design, system: System, block: str, joined: list[tuple[transmit.Combiner, dict[str, float]]]
) -> dict[str, float]:
    """Level [dBm] of every transmitter at the input of a block; `joined` collects each combiner on the way with what
    goes into it, the one nearest the antenna last."""
    out: dict[str, float] = {}
    for source in system.inputs(block):
        if source in design.powers_dbm:
            out[source] = design.powers_dbm[source]
            continue
        into = _arriving(design, system, source, joined)
        passed = design.blocks[source]
        gain = passed.gain_at(design.freq_hz)
        if passed.kind in ("combiner", "hybrid") and into:
            combiner = _combiner(design, source, len(into))
            joined.append((combiner, into))
            gain = combiner.through_db
        out |= {name: level + gain for name, level in into.items()}
    return out


def _combiner(design: Design, name: str, signals: int) -> transmit.Combiner:
    block = design.blocks[name]
    active = block.kind == "combiner"
    return transmit.Combiner(
        active, max(block.ports, signals) if active else block.ports, block.gain_db or 0.0, block.excess_db,
        design.rated_in_dbm.get(name), block.p1db_out_dbm, block.oip3_dbm,
    )  # fmt: skip


def _nearest_receive_antenna(design: Design, system: System, antenna: str) -> transmit.Nearby | None:
    """The closest receive antenna whose place is known, with both gains towards each other and what its chain gives
    the receiver at the frequency sent, filters included."""
    here = design.antennas.get(antenna)
    if here is None or here.pos_m is None:
        return None
    best: tuple[float, str] | None = None
    for other in design.receive_antennas():
        there = design.antennas.get(other)
        if there is not None and there.pos_m is not None:
            distance = math.dist(here.pos_m, there.pos_m)
            if best is None or distance < best[0]:
                best = distance, other
    if best is None:
        return None
    there = design.antennas[best[1]]
    assert there.pos_m is not None
    receiver = next(iter(design.receivers()), None)
    compression = design.blocks[receiver].compression_dbm if receiver else None
    blocking = -15.0 if compression is None else compression - 10.0
    chain = 0.0
    if receiver is not None and _leads(system, best[1], receiver):
        way = path(system, best[1], receiver)
        chain = sum(design.blocks[n].gain_at(design.sent_hz) for n in way[1:-1])
    return transmit.Nearby(
        best[0], here.gain_at(angle_at(here, there.pos_m)), there.gain_at(angle_at(there, here.pos_m)), chain, blocking
    )  # fmt: skip


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
