"""An antenna system as a directed graph, solved for noise, gain, intercept and load at every joint.

Noise is carried as a multiple of kT0B, so that a passive block at 290 K raises none of its own: behind a loss
n = 1 + g·(n − 1), behind an amplifier n = g·(n + F − 1), behind a combiner n = 1 + g·Σ(nᵢ − 1) with unused ports
terminated (domain.md section 5; the form of Friis' formula for parallel branches).
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from azven.rf.chain.blocks import Block
from azven.rf.chain.composite import average_dbm, peak_dbm
from azven.rf.levels import KT0_DBM_HZ

HIGH_DB, LOW_DB, _HAIR = 3.0, -6.0, 1e-6


@dataclass(frozen=True, kw_only=True)
class Signal:
    """A carrier at the terminals of an antenna: frequency [Hz], level [dBm], peak over average of its modulation."""

    id: str
    antenna: str
    freq_hz: float
    level_dbm: float
    crest_db: float = 0.0
    wanted: bool = False
    foreign: bool = False


@dataclass(frozen=True, kw_only=True)
class System:
    """Blocks by id with the edges between them; signals enter at antennas. `fa_db`: external noise factor."""

    blocks: Mapping[str, Block]
    edges: tuple[tuple[str, str], ...]
    freq_hz: float
    bandwidth_hz: float
    signals: tuple[Signal, ...] = ()
    fa_db: float = 0.0
    wanted_dbm: Mapping[str, float] = field(default_factory=dict)
    """Weakest wanted level [dBm] at the terminals of an antenna, where it is not one of the signals."""

    @cached_property
    def _joined(self) -> tuple[dict[str, list[str]], dict[str, list[str]]]:
        into: dict[str, list[str]] = {}
        out: dict[str, list[str]] = {}
        for a, b in self.edges:
            into.setdefault(b, []).append(a)
            out.setdefault(a, []).append(b)
        return into, out

    def inputs(self, node: str) -> list[str]:
        return self._joined[0].get(node, [])

    def outputs(self, node: str) -> list[str]:
        return self._joined[1].get(node, [])


def order(system: System) -> list[str]:
    """Ids from the antennas on; ValueError for a cycle or too many joints for a block."""
    left = {n: len(system.inputs(n)) for n in system.blocks}
    ready = [n for n, k in left.items() if k == 0]
    out: list[str] = []
    while ready:
        node = ready.pop(0)
        out.append(node)
        for after in system.outputs(node):
            left[after] -= 1
            if left[after] == 0:
                ready.append(after)
    if len(out) < len(system.blocks):
        circling = sorted(set(system.blocks) - set(out))
        raise ValueError(f"edges: a cycle through {', '.join(circling)}")
    for node, block in system.blocks.items():
        joined = max(len(system.inputs(node)), len(system.outputs(node)))
        if block.kind == "hybrid" and joined > block.ports:
            raise ValueError(f"{node}: {joined} branches do not fit its {block.ports} ports")
    return out


@dataclass(kw_only=True)
class Joint:
    """What arrives at a block and leaves it. Per antenna: gain before it [dB] and 1/IIP3 gathered so far [1/mW]."""

    block: Block
    gain_before_db: dict[str, float]
    inverse_iip3: dict[str, float]
    noise_in: float
    noise_out: float
    signals: dict[str, float]
    """Level [dBm] of every signal at the block's input."""
    average_in_dbm: float | None = None
    peak_in_dbm: float | None = None

    @property
    def headroom_peak_db(self) -> float | None:
        return _difference(self.block.compression_dbm, self.peak_in_dbm)

    @property
    def headroom_average_db(self) -> float | None:
        return _difference(self.block.compression_dbm, self.average_in_dbm)


def _difference(a: float | None, b: float | None) -> float | None:
    return None if a is None or b is None else a - b


def solve(system: System, silent: frozenset[str] = frozenset()) -> dict[str, Joint]:
    """Every joint, antennas first. `silent` blocks put out no more than kT0B, as loads at 290 K would."""
    by_id = {s.id: s for s in system.signals}
    joints: dict[str, Joint] = {}
    leaving: dict[str, dict[str, float]] = {}
    for node in order(system):
        block = system.blocks[node]
        before = [joints[n] for n in system.inputs(node)]
        gains = {a: g + j.block.gain_at(system.freq_hz) for j in before for a, g in j.gain_before_db.items()}
        inverse = {a: v for j in before for a, v in _with_own(j).items()}
        arriving = {k: v for n in system.inputs(node) for k, v in leaving[n].items()}
        noise_in = 1 + sum(j.noise_out - 1 for j in before)
        if not before:
            gains, inverse = {node: 0.0}, {node: 0.0}
            arriving = {s.id: s.level_dbm for s in system.signals if s.antenna == node}
            noise_in = max(10 ** (system.fa_db / 10), 1.0) if block.kind == "antenna" else 1.0
        levels = list(arriving.values())
        joint = Joint(
            block=block,
            gain_before_db=gains,
            inverse_iip3=inverse,
            noise_in=noise_in,
            noise_out=0.0,
            signals=arriving,
            average_in_dbm=average_dbm(levels),
        )
        joint.peak_in_dbm = peak_dbm(levels, [by_id[k].crest_db for k in arriving])
        joint.noise_out = 1.0 if node in silent else _noise_out(block, noise_in, system.freq_hz)
        joints[node] = joint
        leaving[node] = {k: v + block.gain_at(by_id[k].freq_hz) for k, v in arriving.items()}
    return joints


def _noise_out(block: Block, noise_in: float, freq_hz: float) -> float:
    gain = 10 ** (block.gain_at(freq_hz) / 10)
    factor = block.noise_factor
    if factor is None or block.kind == "receiver":
        return 1 + gain * (noise_in - 1)
    return gain * (noise_in + factor - 1)


def _with_own(joint: Joint) -> dict[str, float]:
    """1/IIP3 [1/mW] of every path up to and including the block."""
    own = joint.block.intercept_dbm
    if own is None:
        return dict(joint.inverse_iip3)
    return {a: v + 10 ** ((joint.gain_before_db[a] - own) / 10) for a, v in joint.inverse_iip3.items()}


def kt0b_dbm(system: System) -> float:
    return KT0_DBM_HZ + 10 * math.log10(system.bandwidth_hz)


def path(system: System, antenna: str, receiver: str) -> list[str]:
    """Ids from an antenna to a receiver, both included; ValueError where none leads there."""
    came: dict[str, str] = {antenna: ""}
    waiting = [antenna]
    while waiting:
        at = waiting.pop()
        if at == receiver:
            way = [at]
            while came[way[-1]]:
                way.append(came[way[-1]])
            return way[::-1]
        for onward in system.outputs(at):
            if onward not in came:
                came[onward] = at
                waiting.append(onward)
    raise ValueError(f"{antenna}: does not lead to {receiver}")


@dataclass(frozen=True, kw_only=True)
class PathResult:
    """One antenna's way to one receiver. `snr_alone_db`: with all other branches replaced by loads at 290 K."""

    antenna: str
    receiver: str
    excess_gain_db: float
    gain_flag: str
    nf_db: float
    iip3_dbm: float | None
    noise_in_dbm: float
    wanted_dbm: float | None
    level_at_receiver_dbm: float | None
    snr_db: float | None
    snr_alone_db: float | None
    penalty_db: float | None
    snr_loss_db: float
    sfdr_db: float | None
    headroom_db: float | None
    limiting_stage: str | None


@dataclass(frozen=True, kw_only=True)
class ReceiverResult:
    """What a receiver gets in all; headroom over every block in front of it and itself."""

    receiver: str
    noise_at_receiver_dbm: float
    noise_rise_db: float
    average_dbm: float | None
    peak_dbm: float | None
    headroom_db: float | None
    limiting_stage: str | None


def flag(excess_gain_db: float) -> str:
    """`high` above +3 dB, `low` below −6 dB, strictly."""
    if excess_gain_db > HIGH_DB + _HAIR:
        return "high"
    return "low" if excess_gain_db < LOW_DB - _HAIR else "ok"


def smallest_headroom(joints: Mapping[str, Joint], nodes: Sequence[str]) -> tuple[float | None, str | None]:
    """Smallest peak headroom [dB] among blocks, with the first that has it."""
    best: float | None = None
    name: str | None = None
    for node in nodes:
        found = joints[node].headroom_peak_db
        if found is not None and (best is None or found < best - _HAIR):
            best, name = found, node
    return best, name


def receiver_result(system: System, joints: Mapping[str, Joint], receiver: str) -> ReceiverResult:
    """Noise, load and headroom at a receiver."""
    joint = joints[receiver]
    factor = joint.block.noise_factor or 1.0
    before = {receiver} | _behind(system, receiver)
    headroom, stage = smallest_headroom(joints, [n for n in joints if n in before])
    return ReceiverResult(
        receiver=receiver,
        noise_at_receiver_dbm=kt0b_dbm(system) + 10 * math.log10(joint.noise_in),
        noise_rise_db=10 * math.log10((joint.noise_in + factor - 1) / factor),
        average_dbm=joint.average_in_dbm,
        peak_dbm=joint.peak_in_dbm,
        headroom_db=headroom,
        limiting_stage=stage,
    )


def _behind(system: System, node: str) -> set[str]:
    """Everything that leads to a block."""
    out: set[str] = set()
    waiting = list(system.inputs(node))
    while waiting:
        n = waiting.pop()
        if n not in out:
            out.add(n)
            waiting += system.inputs(n)
    return out


def path_result(system: System, joints: Mapping[str, Joint], antenna: str, receiver: str) -> PathResult:
    """Gain, noise, intercept, signal and headroom of one antenna's way to a receiver, or to any last block."""
    if antenna == receiver:
        raise ValueError(f"{antenna}: nothing follows it")
    joint, way = joints[receiver], path(system, antenna, receiver)
    gain = joint.gain_before_db[antenna] + _own_gain(system, joint)
    factor = joint.block.noise_factor or 1.0
    unit, linear = kt0b_dbm(system), 10 ** (gain / 10)
    total, alone = _total(joint), _alone(system, way)
    level = _weakest(system, antenna)
    inverse = _with_own(joint).get(antenna, 0.0)
    iip3 = -10 * math.log10(inverse) if inverse > 0 else None
    fa = max(10 ** (system.fa_db / 10), 1.0)
    noise_in = unit + 10 * math.log10(total / linear)
    at = None if level is None else level + gain
    own_side = [n for n in way if len(joints[n].gain_before_db) == 1]
    headroom, stage = smallest_headroom(joints, own_side)
    loss = 10 * math.log10(total / linear / (fa + factor - 1))
    figure = 10 * math.log10(max(total / linear - fa + 1, 1e-12))
    return PathResult(
        antenna=antenna,
        receiver=receiver,
        excess_gain_db=gain,
        gain_flag=flag(gain),
        nf_db=figure,
        iip3_dbm=iip3,
        noise_in_dbm=noise_in,
        wanted_dbm=level,
        level_at_receiver_dbm=at,
        snr_db=None if level is None else level - noise_in,
        snr_alone_db=None if at is None else at - unit - 10 * math.log10(alone),
        penalty_db=None if level is None else 10 * math.log10(total / alone),
        snr_loss_db=loss,
        sfdr_db=None if iip3 is None else 2 / 3 * (iip3 - noise_in),
        headroom_db=headroom,
        limiting_stage=stage,
    )


def _weakest(system: System, antenna: str) -> float | None:
    if antenna in system.wanted_dbm:
        return system.wanted_dbm[antenna]
    return min((s.level_dbm for s in system.signals if s.antenna == antenna and s.wanted), default=None)


def _own_gain(system: System, joint: Joint) -> float:
    """A receiver is where the way ends; any other last block counts with its own gain."""
    return 0.0 if joint.block.kind == "receiver" else joint.block.gain_at(system.freq_hz)


def _total(joint: Joint) -> float:
    """Noise with the last block's own, in units of kT0B."""
    if joint.block.kind == "receiver":
        return joint.noise_in + (joint.block.noise_factor or 1.0) - 1
    return joint.noise_out


def _alone(system: System, way: Sequence[str]) -> float:
    """Noise at the end of a way [kT0B], every other branch that joins it replaced by a load at 290 K."""
    noise = max(10 ** (system.fa_db / 10), 1.0)
    for name in way[:-1]:
        noise = _noise_out(system.blocks[name], noise, system.freq_hz)
    last = system.blocks[way[-1]]
    if last.kind == "receiver":
        return noise + (last.noise_factor or 1.0) - 1
    return _noise_out(last, noise, system.freq_hz)
