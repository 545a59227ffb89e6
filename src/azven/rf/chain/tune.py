"""Setting the gains of a whole receive system, and saying what each is for."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from itertools import product

from azven.rf.chain import gain
from azven.rf.chain.blocks import Block
from azven.rf.chain.design import Design, shared_blocks, system_of
from azven.rf.chain.gain import Chosen, Limits, Option
from azven.rf.chain.graph import System, kt0b_dbm, path, path_result, receiver_result, solve

_DEFAULT_WANTED_DB = 20.0
_PRUNED_TO = 200
_HAIR_DB = 1e-6
_MOST_SETTINGS = 4_000
_NEVER_WEAKEST_DBM = 200.0
"""Stands for a branch in which no wanted level is known: nothing is set for its sake."""
_MOST_MARGIN_DB = 999.0
_TIGHTENED = 8
_MOST_GIVEN_UP_DB, _GIVEN_UP_TO_DB = 120.0, 0.1


@dataclass(frozen=True)
class GainPlan:
    """Settings by block, what they give, and in words what each gain is for."""

    settings: Mapping[str, float | None]
    chosen: Chosen
    reasons: Mapping[str, str]
    lacking_db: float = 0.0
    """How much of the headroom that is demanded no setting keeps."""


def set_gains(design: Design, receiver: str, limits: Limits | None = None) -> GainPlan:
    """The best setting of every block with steps between the antennas and a receiver (domain section 5).

    Worst-link margin first, then the weakest products within half a decibel of it, with peak headroom of 3 dB (10
    where the carriers' own peaks are not included) at every block and no more than +3 dB of excess gain. Where no
    setting keeps the headroom, the one with most of it. The margin and the headroom told are those of the whole
    system as it is then set.
    """
    limits = limits or limits_of(design)
    system = system_of(design)
    shared = _joined(system, receiver)
    knobs = [n for n in _adjustable(system, shared) if n != receiver]
    choices = _choices(system, knobs)
    best: GainPlan | None = None
    for values in product(*choices):
        held = dict(zip(knobs, values, strict=True))
        found = _branches_set(design.with_settings(held), receiver, shared, limits)
        found = replace(found, settings=held | dict(found.settings))
        best = found if best is None or _rank(found) > _rank(best) else best
    assert best is not None  # a product of nothing is one empty tuple
    said = {n: f"{best.settings[n] or 0:g} dB in what all rooms go through" for n in knobs}
    return replace(best, reasons=said | dict(best.reasons))


def limits_of(design: Design) -> Limits:
    """What a design's settings have to keep."""
    return Limits(3.0 if design.crests_included else 10.0)


def as_set(design: Design, receiver: str) -> tuple[float, float]:
    """The worst link's margin over its need, and the smallest peak headroom [dB], of a system as it is set."""
    system = system_of(design)
    joints = solve(system)
    needed = design.needed_db.get(receiver, _DEFAULT_WANTED_DB)
    paths = (path_result(system, joints, a, receiver) for a in joints[receiver].gain_before_db)
    headroom = receiver_result(system, joints, receiver).headroom_db
    margin = min((p.snr_db - needed for p in paths if p.snr_db is not None), default=math.inf)
    return margin, math.inf if headroom is None else headroom


def _rank(plan: GainPlan) -> tuple[float, float, float]:
    """More headroom where it lacks, then the better worst link to half a decibel, then the lower load."""
    return -plan.lacking_db, round(min(plan.chosen.worst_margin_db, _MOST_MARGIN_DB) * 2), plan.chosen.headroom_db


def _joined(system: System, receiver: str) -> list[str]:
    """What several antennas go through together; behind a single one only the receiver."""
    single = len(solve(system)[receiver].gain_before_db) == 1
    return [receiver] if single else shared_blocks(system, receiver)


def _branches_set(design: Design, receiver: str, shared: list[str], limits: Limits) -> GainPlan:
    """The best settings of the branches, with what is behind them as it is."""
    system = system_of(design)
    branches = {
        a: [n for n in path(system, a, receiver) if n not in shared] for a in solve(system)[receiver].gain_before_db
    }
    quiet = solve(system, frozenset(b[-1] for b in branches.values() if b))
    floor = quiet[receiver].noise_in + (system.blocks[receiver].noise_factor or 1.0) - 1
    looks = [_Look(design, system, branches, shared, floor, receiver, stage) for stage in _loaded(system, shared)]

    def tried(given_up_db: float) -> GainPlan | None:
        found = (_kept(look, limits, limits.headroom_db - given_up_db) for look in looks)
        return max((p for p in found if p is not None), key=_rank, default=None)

    if (plan := tried(0.0)) is not None:
        return plan
    low, high = 0.0, _MOST_GIVEN_UP_DB
    while high - low > _GIVEN_UP_TO_DB:
        middle = (low + high) / 2
        low, high = (low, middle) if tried(middle) is not None else (middle, high)
    plan = tried(high)
    if plan is None:
        raise ValueError("no setting keeps the headroom: the strongest transmitters are too close to an antenna")
    return replace(plan, lacking_db=limits.headroom_db - plan.chosen.headroom_db)


class _Look:
    """The options of all branches, with their load added up where one of the shared blocks takes it in."""

    def __init__(
        self, design: Design, system: System, branches: Mapping[str, list[str]], shared: list[str], floor: float,
        receiver: str, stage: str,
    ) -> None:  # fmt: skip
        self.design, self.branches, self.floor, self.receiver = design, branches, floor, receiver
        self.knobs = {a: _adjustable(system, b) for a, b in branches.items()}
        self.kt0b_dbm = kt0b_dbm(system)
        compression = system.blocks[stage].compression_dbm
        self.compression_dbm = math.inf if compression is None else compression
        before = shared[: shared.index(stage)]
        self.options = {a: _options(design, system, a, b, shared, before, receiver) for a, b in branches.items()}
        self.least_excess_db = max(min(o.excess_db for o in found) for found in self.options.values())


def _loaded(system: System, shared: list[str]) -> list[str]:
    """The shared blocks that can be driven too hard; the last one where none can."""
    return [n for n in shared if system.blocks[n].compression_dbm is not None] or shared[-1:]


def _kept(look: _Look, limits: Limits, headroom_db: float) -> GainPlan | None:
    """The best settings that truly keep a headroom at every block, or None.

    Where another shared block than the one looked at has less, what it lacks is demanded on top.
    """
    on_top, excess = 0.0, max(limits.excess_db, look.least_excess_db)
    for _ in range(_TIGHTENED):
        asked = Limits(headroom_db, excess, look.compression_dbm - on_top)
        try:
            found = gain.settings(look.options, look.floor, look.kt0b_dbm, asked)
        except ValueError:
            return None
        settings: dict[str, float | None] = {}
        for antenna, option in found.options.items():
            settings |= dict(zip(look.knobs[antenna], option.setting, strict=True))
        after = look.design.with_settings(settings)
        margin, room = as_set(after, look.receiver)
        if room >= headroom_db - _HAIR_DB:
            found = replace(found, worst_margin_db=margin, headroom_db=room)
            return GainPlan(settings, found, _reasons(after, settings, look.branches, found))
        if not math.isfinite(look.compression_dbm):
            return None
        on_top += headroom_db - room + _HAIR_DB
    return None


def _adjustable(system: System, branch: list[str]) -> list[str]:
    return [n for n in branch if system.blocks[n].steps_db]


def _options(
    design: Design,
    system: System,
    antenna: str,
    branch: list[str],
    shared: list[str],
    before: list[str],
    receiver: str,
) -> list[Option]:
    """Every setting of a branch, without those that another beats in signal, noise, load and headroom."""
    knobs = _adjustable(system, branch)
    choices = _choices(system, knobs)
    behind = sum(system.blocks[n].gain_at(system.freq_hz) for n in shared if system.blocks[n].kind != "receiver")
    needed = design.needed_db.get(receiver, _DEFAULT_WANTED_DB)
    out = [
        _option(design, antenna, branch, dict(zip(knobs, setting, strict=True)), before, behind, needed)
        for setting in product(*choices)
    ]
    return _unbeaten(out)


def _choices(system: System, knobs: list[str]) -> list[list[float | None]]:
    """What each knob can be set to. ValueError where all their settings together are too many to be compared."""
    out = [_values(system.blocks[n]) for n in knobs]
    if math.prod(map(len, out)) > _MOST_SETTINGS:
        raise ValueError(f"{', '.join(knobs)} have more than {_MOST_SETTINGS} settings together; give them fewer steps")
    return out


def _values(block: Block) -> list[float | None]:
    steps: list[float | None] = list(block.steps_db)
    return [None, *steps] if block.kind == "amp" else steps


def _option(
    design: Design, antenna: str, branch: list[str], setting: dict[str, float | None], before: list[str],
    behind_db: float, needed_db: float,
) -> Option:  # fmt: skip
    system = system_of(design.with_settings(setting))
    alone = System(
        blocks={n: system.blocks[n] for n in branch},
        edges=tuple(e for e in system.edges if e[0] in branch and e[1] in branch),
        freq_hz=system.freq_hz,
        bandwidth_hz=system.bandwidth_hz,
        signals=tuple(s for s in system.signals if s.antenna == antenna),
        fa_db=system.fa_db,
    )
    joints = solve(alone)
    last = joints[branch[-1]]
    by_id = {s.id: s for s in alone.signals}
    own = last.gain_before_db[antenna] + last.block.gain_at(alone.freq_hz)
    leaving = {k: v + last.block.gain_at(by_id[k].freq_hz) for k, v in last.signals.items()}
    shared_gain = {k: sum(system.blocks[n].gain_at(by_id[k].freq_hz) for n in before) for k in leaving}
    load = sum(10 ** ((v + shared_gain[k] + by_id[k].crest_db) / 20) for k, v in leaving.items())
    wanted = min((s.level_dbm for s in alone.signals if s.wanted), default=_NEVER_WEAKEST_DBM)
    headrooms = [h for j in joints.values() if (h := j.headroom_peak_db) is not None]
    noise = (last.noise_out - 1) * 10 ** (behind_db / 10)
    return Option(
        setting=tuple(setting.values()),
        signal_dbm=wanted + own + behind_db,
        noise=noise,
        load=load,
        headroom_db=min(headrooms, default=math.inf),
        excess_db=own + behind_db,
        needed_db=needed_db,
    )


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
