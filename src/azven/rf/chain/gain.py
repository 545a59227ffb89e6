"""Where the gain goes: steps for the losses behind amplifiers, and the settings of a whole receive system.

`settings` maximises the worst link's ratio over noise, among all settings that keep peak headroom and excess gain
within their limits; of those within half a decibel of the best it takes the one with the weakest products, which is
the one with the least gain. All combinations of every branch's settings are compared, not sampled: per branch only
settings that no other beats in signal, noise and load stay, and sums over branches are pruned the same way.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from azven.rf.chain.blocks import ACTIVE, Block

_TOLERANCE_DB = 0.005


@dataclass(frozen=True)
class StepChoice:
    """The step of an amplifier for the loss behind it; None leaves the amplifier out."""

    name: str
    loss_behind_db: float
    step_db: float | None
    residual_db: float


def largest_step(loss_db: float, steps_db: Sequence[float], name: str = "") -> StepChoice:
    """Largest step not above the loss (0.005 dB tolerance); no amplifier when none fits."""
    fitting = [s for s in steps_db if s <= loss_db + _TOLERANCE_DB]
    step = max(fitting, default=None)
    return StepChoice(name, loss_db, step, (step or 0.0) - loss_db)


def by_step_rule(line: Sequence[Block], freq_hz: float) -> list[StepChoice]:
    """Each amplifier with steps covers the passive loss up to the next active stage; antenna first."""
    out = []
    for i, block in enumerate(line):
        if block.kind == "amp" and block.steps_db:
            loss = 0.0
            for after in line[i + 1 :]:
                if after.kind in ACTIVE:
                    break
                loss -= after.gain_at(freq_hz)
            out.append(largest_step(loss, block.steps_db, block.id))
    return out


@dataclass(frozen=True, kw_only=True)
class Option:
    """One setting of a branch and what it does at the receiver's input.

    `signal_dbm`: weakest wanted signal; `noise`: what the branch adds above kT0B, in units of it; `load`: sum of the
    carriers' √mW; `headroom_db`: smallest over the branch's own stages; `excess_db`: antenna to receiver.
    """

    setting: tuple[float | None, ...]
    signal_dbm: float
    noise: float
    load: float
    headroom_db: float
    excess_db: float
    needed_db: float = 0.0


@dataclass(frozen=True)
class Limits:
    """What a setting has to keep: peak headroom, excess gain, and the receiver side's compression point [dBm]."""

    headroom_db: float = 3.0
    excess_db: float = 3.0
    compression_dbm: float = math.inf


@dataclass(frozen=True)
class Chosen:
    """The option of every branch, the worst margin [dB], and the headroom [dB] behind the combiner."""

    options: Mapping[str, Option]
    worst_margin_db: float
    headroom_db: float


_WITHIN_DB = 0.5


def settings(branches: Mapping[str, Sequence[Option]], noise_floor: float, kt0b_dbm: float, limits: Limits) -> Chosen:
    """The best option of every branch. `noise_floor`: noise at the receiver without any branch's, its own included,
    in units of kT0B. ValueError when no combination keeps the limits."""
    allowed = {
        name: [o for o in options if o.headroom_db >= limits.headroom_db and o.excess_db <= limits.excess_db + 1e-6]
        for name, options in branches.items()
    }
    empty = [name for name, options in allowed.items() if not options]
    if empty:
        raise ValueError(f"no setting of {', '.join(empty)} keeps the limits: filter or attenuate in front of it")
    most = 10 ** ((limits.compression_dbm - limits.headroom_db) / 20)
    found = [_for_level(allowed, level, noise_floor, kt0b_dbm, most) for level in _levels(allowed)]
    feasible = [c for c in found if c is not None]
    if not feasible:
        raise ValueError("no setting keeps the headroom: the strongest transmitters are too close to an antenna")
    best = max(c[0] for c in feasible)
    margin, load, picked = min((c for c in feasible if c[0] >= best - _WITHIN_DB), key=lambda c: (c[1], -c[0]))
    options = {name: allowed[name][i] for name, i in zip(allowed, picked, strict=True)}
    return Chosen(options, margin, limits.compression_dbm - 20 * math.log10(load) if load else math.inf)


def _levels(allowed: Mapping[str, Sequence[Option]]) -> list[float]:
    """Every level [dBm over need] that some branch can reach and every branch can."""
    values = [[o.signal_dbm - o.needed_db for o in options] for options in allowed.values()]
    ceiling = min(max(v) for v in values)
    return sorted({x for v in values for x in v if x <= ceiling + 1e-9}, reverse=True)


Front = tuple[NDArray[np.float64], NDArray[np.float64], list[tuple[int, ...]]]


def _for_level(
    allowed: Mapping[str, Sequence[Option]], level_dbm: float, noise_floor: float, kt0b_dbm: float, most: float
) -> tuple[float, float, tuple[int, ...]] | None:
    """With every branch at least at `level_dbm` over its need: worst margin, load, and the options, or None."""
    front: Front = (np.array([0.0]), np.array([noise_floor]), [()])
    for options in allowed.values():
        usable = [(i, o) for i, o in enumerate(options) if o.signal_dbm - o.needed_db >= level_dbm - 1e-9]
        front = _merged(front, usable, most)
        if not len(front[0]):
            return None
    margins = level_dbm - kt0b_dbm - 10 * np.log10(front[1])
    best = int(np.argmax(margins))
    near = np.flatnonzero(margins >= margins[best] - 1e-9)
    at = int(near[np.argmin(front[0][near])])
    return float(margins[at]), float(front[0][at]), front[2][at]


def _merged(front: Front, usable: Sequence[tuple[int, Option]], most: float) -> Front:
    """All sums of the front with a branch's options that keep the load, without those beaten in load and noise."""
    load = (front[0][:, None] + np.array([o.load for _, o in usable])[None, :]).ravel()
    noise = (front[1][:, None] + np.array([o.noise for _, o in usable])[None, :]).ravel()
    order = np.lexsort((noise, load))
    kept: list[int] = []
    least = math.inf
    for k in order.tolist():
        if load[k] > most:
            break
        if noise[k] < least - 1e-12:
            least = float(noise[k])
            kept.append(k)
    n = len(usable)
    names = [(*front[2][k // n], usable[k % n][0]) for k in kept]
    return load[kept], noise[kept], names
