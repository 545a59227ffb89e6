"""Setting the gains of a whole receive system, and saying what each is for."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from itertools import product

from azven.rf.chain import gain
from azven.rf.chain.blocks import Block
from azven.rf.chain.design import Design, shared_blocks, system_of
from azven.rf.chain.gain import Chosen, Limits, Option
from azven.rf.chain.graph import System, kt0b_dbm, path, solve

_DEFAULT_WANTED_DB = 20.0
_PRUNED_TO = 200


@dataclass(frozen=True)
class GainPlan:
    """Settings by block, what they give, and in words what each gain is for."""

    settings: Mapping[str, float | None]
    chosen: Chosen
    reasons: Mapping[str, str]


def set_gains(design: Design, receiver: str, limits: Limits | None = None) -> GainPlan:
    """The best setting of every amplifier with steps and every attenuator with steps in front of the joint.

    Worst-link margin first, then the weakest products within half a decibel of it, with peak headroom of 3 dB (10
    where the carriers' own peaks are not included) and no more than +3 dB of excess gain. ValueError when no setting
    keeps that.
    """
    system = system_of(design)
    shared = shared_blocks(system, receiver)
    limits = limits or Limits(3.0 if design.crests_included else 10.0)
    antennas = list(solve(system)[receiver].gain_before_db)
    branches = {a: [n for n in path(system, a, receiver) if n not in shared] for a in antennas}
    compression = _compression_at(system, shared)
    quiet = solve(system, frozenset(b[-1] for b in branches.values() if b))
    floor = quiet[receiver].noise_in + (system.blocks[receiver].noise_factor or 1.0) - 1
    options = {a: _options(design, system, a, branch, shared, receiver) for a, branch in branches.items()}
    found = gain.settings(options, floor, kt0b_dbm(system), replace(limits, compression_dbm=compression))
    settings: dict[str, float | None] = {}
    for antenna, option in found.options.items():
        settings |= dict(zip(_adjustable(system, branches[antenna]), option.setting, strict=True))
    after = design.with_settings(settings)
    return GainPlan(settings, found, _reasons(after, settings, branches, found))


def _adjustable(system: System, branch: list[str]) -> list[str]:
    return [n for n in branch if system.blocks[n].steps_db]


def _compression_at(system: System, shared: list[str]) -> float:
    """The lowest compression point of the shared blocks, brought to the receiver's input [dBm]."""
    best, to_receiver = math.inf, 0.0
    for name in reversed(shared):
        block = system.blocks[name]
        if block.kind != "receiver":
            to_receiver += block.gain_at(system.freq_hz)
        if block.compression_dbm is not None:
            best = min(best, block.compression_dbm + to_receiver)
    return best


def _options(
    design: Design, system: System, antenna: str, branch: list[str], shared: list[str], receiver: str
) -> list[Option]:
    """Every setting of a branch, without those that another beats in signal, noise, load and headroom."""
    knobs = _adjustable(system, branch)
    choices = [_values(system.blocks[n]) for n in knobs]
    behind = sum(system.blocks[n].gain_at(system.freq_hz) for n in shared if system.blocks[n].kind != "receiver")
    needed = design.needed_db.get(receiver, _DEFAULT_WANTED_DB)
    out = [
        _option(design, antenna, branch, dict(zip(knobs, setting, strict=True)), shared, behind, needed)
        for setting in product(*choices)
    ]
    return _unbeaten(out)


def _values(block: Block) -> list[float | None]:
    steps: list[float | None] = list(block.steps_db)
    return [None, *steps] if block.kind == "amp" else steps


def _option(
    design: Design, antenna: str, branch: list[str], setting: dict[str, float | None], shared: list[str],
    behind_db: float, needed_db: float,
) -> Option:  # fmt: skip
    system = system_of(design.with_settings(setting))
    alone = System(
        {n: system.blocks[n] for n in branch}, tuple(e for e in system.edges if e[0] in branch and e[1] in branch),
        system.freq_hz, system.bandwidth_hz, tuple(s for s in system.signals if s.antenna == antenna), system.fa_db,
    )  # fmt: skip
    joints = solve(alone)
    last = joints[branch[-1]]
    by_id = {s.id: s for s in alone.signals}
    own = last.gain_before_db[antenna] + last.block.gain_at(alone.freq_hz)
    leaving = {k: v + last.block.gain_at(by_id[k].freq_hz) for k, v in last.signals.items()}
    shared_gain = {
        k: sum(system.blocks[n].gain_at(by_id[k].freq_hz) for n in shared if system.blocks[n].kind != "receiver")
        for k in leaving
    }
    load = sum(10 ** ((v + shared_gain[k] + by_id[k].crest_db) / 20) for k, v in leaving.items())
    wanted = min((s.level_dbm for s in alone.signals if s.wanted), default=0.0)
    headrooms = [h for j in joints.values() if (h := j.headroom_peak_db) is not None]
    noise = (last.noise_out - 1) * 10 ** (behind_db / 10)
    return Option(
        tuple(setting.values()), wanted + own + behind_db, noise, load, min(headrooms, default=math.inf),
        own + behind_db, needed_db,
    )  # fmt: skip


def _unbeaten(options: list[Option]) -> list[Option]:
    """Options that no other matches in signal while adding no more noise and load, and with as much headroom."""
    ordered = sorted(options, key=lambda o: (-o.signal_dbm, o.noise, o.load))
    kept: list[Option] = []
    for o in ordered:
        if not any(
            k.noise <= o.noise + 1e-12 and k.load <= o.load + 1e-12 and k.headroom_db >= o.headroom_db - 1e-9
            for k in kept if k.signal_dbm >= o.signal_dbm - 1e-9
        ):  # fmt: skip
            kept.append(o)
    step = max(1, math.ceil(len(kept) / _PRUNED_TO))
    return kept[::step]


def _reasons(
    design: Design, settings: Mapping[str, float | None], branches: Mapping[str, list[str]], found: Chosen
) -> dict[str, str]:
    out = {}
    margins = {a: o.signal_dbm - o.needed_db for a, o in found.options.items()}
    weakest = min(margins, key=margins.__getitem__, default="")
    for antenna, branch in branches.items():
        zone = design.zone_of(antenna) or antenna
        for name in branch:
            if name not in settings:
                continue
            value, block = settings[name], design.blocks[name]
            loss = -sum(min(design.blocks[n].gain_at(design.freq_hz), 0.0) for n in branch[branch.index(name) + 1 :])
            if block.kind == "amp":
                out[name] = (
                    f"left out: {zone} does not need it" if value is None
                    else f"{value:g} dB ahead of {loss:.1f} dB of loss, so that {zone} keeps its sensitivity"
                )  # fmt: skip
            else:
                turned = f"{value:g} dB: {zone} is turned down until its weakest link has no more than it needs"
                least = f"{zone} holds the weakest link; nothing is taken from it"
                out[name] = least if antenna == weakest and not value else turned
    return out
