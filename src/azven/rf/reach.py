"""Coverage: level and margin from every point to every antenna, outage with diversity, walks, where antennas should go.

Positions are metres (x, y, z), z up. The path gives the median over multipath, the mean lies 1.6 dB higher; the fading
is Rayleigh, so the margin of the mean over the threshold says how often an antenna is under it (`links.outage`).
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from azven.rf.fading import rayleigh_db, slow_db
from azven.rf.levels import Floats, indoor_db
from azven.rf.links import BODY_DB, MEAN_OVER_MEDIAN_DB, End, gain_towards, outage, polarisation_db
from azven.rf.walls import WallLine, crossed_db, crosses

SERVED_OUTAGE = 0.01
PAIR_APART_M = 1.5
TRANSMIT_APART_M = 2.0
HEAD_M = 1.8
_OPAQUE_DB = 8.5
Bools = NDArray[np.bool_]


@dataclass(frozen=True, kw_only=True)
class Wearer:
    """A transmitter somewhere: conducted power, antenna, what the body costs, height, and its frequency [Hz]."""

    power_dbm: float = 17.0
    gain_dbi: float = 0.0
    body_db: float = 10.0
    height_m: float = 1.5
    freq_hz: float = 600e6
    psi_deg: float = 0.0


@dataclass(frozen=True)
class Surroundings:
    """What lies between: walls, the exponent of the room, the outlines of packed crowds and what one costs [dB]."""

    walls: tuple[WallLine, ...] = ()
    exponent: float = 20.0
    crowds: tuple[tuple[tuple[float, float], ...], ...] = ()
    crowd_db: float = BODY_DB["crowd"]


def level_dbm(points: Floats, antenna: End, wearer: Wearer, around: Surroundings) -> Floats:
    """Median level [dBm] (...) at an antenna from a wearer standing at points (..., 3)."""
    heard = arriving_db(points, antenna, around, wearer.freq_hz, wearer.psi_deg)
    return np.asarray(wearer.power_dbm + wearer.gain_dbi - wearer.body_db + heard)


def arriving_db(
    points: Floats, antenna: End, around: Surroundings, freq_hz: ArrayLike, psi_deg: ArrayLike = 0.0
) -> Floats:
    """What arrives at an antenna's terminals of a power radiated at points (..., 3), median [dB] (...), under 0:
    antenna gain less path, walls, crowds and the turn of the wave, for frequencies and turns (...)."""
    at = np.asarray(antenna.pos_m, float)
    distance = np.linalg.norm(points - at, axis=-1)
    turned = polarisation_db("linear", antenna.polarisation, np.asarray(psi_deg, float) - antenna.psi_deg)
    lost = indoor_db(freq_hz, distance, around.exponent) + turned
    if around.walls:
        lost = lost + crossed_db(around.walls, points, at)
    if around.crowds:
        lost = lost + around.crowd_db * through_crowd(points, at, around.crowds)
    return np.asarray(gain_towards(antenna, points - at) - lost)


def through_crowd(points: Floats, antenna: Floats, crowds: Sequence[Sequence[tuple[float, float]]]) -> Bools:
    """Whether the straight path (...) from points (..., 3) to an antenna (3,) passes a crowd below head height.

    Only the part of the path under 1.8 m counts: an antenna over the heads is reached by who stands in front of the
    crowd, one at head height is not.
    """
    rise = antenna[2] - points[..., 2]
    with np.errstate(divide="ignore", invalid="ignore"):
        low_share = np.where(rise > 0, np.clip((HEAD_M - points[..., 2]) / rise, 0.0, 1.0), 1.0)
    start = points[..., :2]
    low = low_share[..., None] * (antenna[:2] - start)
    hidden = np.zeros(points.shape[:-1], bool)
    for outline in crowds:
        hidden |= inside(start, outline)
        for a, b in zip(outline, [*outline[1:], *outline[:1]], strict=True):
            hidden |= crosses(start, low, np.array(a), np.subtract(b, a))
    return hidden


def inside(at: Floats, outline: Sequence[tuple[float, float]]) -> Bools:
    """Whether points (..., 2) lie in a polygon, by counting crossings of a ray (even–odd rule)."""
    found = np.zeros(at.shape[:-1], bool)
    corners = list(outline)
    for (x1, y1), (x2, y2) in zip(corners, [*corners[1:], *corners[:1]], strict=True):
        if y1 != y2:
            spans = (y1 > at[..., 1]) != (y2 > at[..., 1])
            found ^= spans & (at[..., 0] < x1 + (at[..., 1] - y1) * (x2 - x1) / (y2 - y1))
    return found


@dataclass(frozen=True)
class Coverage:
    """Over a grid of points (ny, nx, 3): level of every antenna (k, ny, nx) [dBm], margin of the better one [dB],
    which antenna that is, and the share of time all are under threshold (ny, nx)."""

    points: Floats
    levels_dbm: Floats
    margin_db: Floats
    best: NDArray[np.int64]
    outage: Floats

    @property
    def served(self) -> float:
        """Share of the points that are served at 99 %."""
        return float(np.mean(self.outage <= SERVED_OUTAGE))


def grid(low: tuple[float, float], high: tuple[float, float], step_m: float, height_m: float) -> Floats:
    """Points (ny, nx, 3) over a rectangle; at least two each way."""
    nx = max(2, round((high[0] - low[0]) / step_m) + 1)
    ny = max(2, round((high[1] - low[1]) / step_m) + 1)
    x, y = np.meshgrid(np.linspace(low[0], high[0], nx), np.linspace(low[1], high[1], ny))
    return np.stack([x, y, np.full_like(x, height_m)], axis=-1)


def coverage(
    points: Floats, antennas: Sequence[End], wearer: Wearer, around: Surroundings, threshold_dbm: float
) -> Coverage:
    """What a set of antennas hears over a grid. ValueError without antennas."""
    if not antennas:
        raise ValueError("there is no antenna to hear anything")
    levels = np.stack([level_dbm(points, a, wearer, around) for a in antennas])
    margins = levels - threshold_dbm
    return Coverage(
        points, levels, margins.max(axis=0), margins.argmax(axis=0),
        outage(np.moveaxis(margins + MEAN_OVER_MEDIAN_DB, 0, -1)),
    )  # fmt: skip


@dataclass(frozen=True)
class Walk:
    """A walk: distance along it (n,) [m], positions (n, 3), faded level of every antenna (k, n) [dBm]."""

    along_m: Floats
    points: Floats
    levels_dbm: Floats

    def dropouts(self, threshold_dbm: float) -> float:
        """Share of the walk where every antenna is under threshold."""
        return float(np.mean((self.levels_dbm < threshold_dbm).all(axis=0)))


def walk(
    corners: Sequence[tuple[float, float]], antennas: Sequence[End], wearer: Wearer, around: Surroundings, seed: int,
    step_m: float = 0.1,
) -> Walk:  # fmt: skip
    """Walk along corners (x, y) with seeded slow and Rayleigh fading: the same walk gives the same levels.

    ValueError for fewer than two corners or without antennas.
    """
    if len(corners) < 2 or not antennas:
        raise ValueError("a walk needs two corners and an antenna")
    legs = np.asarray(corners, float)
    lengths = np.linalg.norm(np.diff(legs, axis=0), axis=1)
    total = float(lengths.sum())
    along = np.arange(0.0, total + step_m / 2, step_m)
    ends = np.concatenate([[0.0], np.cumsum(lengths)])
    points = np.stack([np.interp(along, ends, legs[:, i]) for i in (0, 1)] + [np.full(len(along), wearer.height_m)], -1)
    mean = MEAN_OVER_MEDIAN_DB + slow_db(points, seed)
    levels = np.stack([
        level_dbm(points, a, wearer, around) + mean + rayleigh_db(points, wearer.freq_hz, seed + 100 * i)
        for i, a in enumerate(antennas)
    ])  # fmt: skip
    return Walk(along, points, levels)


def near_far_db(antenna: End, wearer: Wearer, around: Surroundings, near_m: Floats, far: Floats) -> float:
    """How much stronger a transmitter at one place is than at another [dB]."""
    near_level = level_dbm(np.asarray(near_m, float), antenna, wearer, around)
    return float(near_level - level_dbm(np.asarray(far, float), antenna, wearer, around))


@dataclass(frozen=True)
class Place:
    """A mounting place with its name."""

    name: str
    pos_m: tuple[float, float, float]


@dataclass(frozen=True)
class Suggestion:
    """Two places for a diversity pair, the worst served spot and why these."""

    places: tuple[Place, Place]
    antennas: tuple[End, End]
    served: float
    worst_margin_db: float
    reasons: tuple[str, str]


def suggest(
    places: Sequence[Place], like: End, points: Floats, wearer: Wearer, around: Surroundings, threshold_dbm: float,
    transmitters: Sequence[End] = (), progress: Callable[[int, int], bool] = lambda done, total: True,
) -> Suggestion:  # fmt: skip
    """The pair of places that makes the worst spots best: least outage at the worst hundredth of the points.

    Pairs stand at least 1.5 m apart, each at least 2 m from transmitting antennas, none behind walls, glass or
    mesh that cost 8.5 dB or more as seen from the middle of the points. Antennas are aimed at that middle, one turned
    +45° and one −45°. ValueError when fewer than two places remain.
    """
    middle = points.reshape(-1, 3).mean(axis=0)
    allowed: list[tuple[Place, str]] = []
    refused: list[tuple[Place, str]] = []
    for place in places:
        why = _unfit(place, middle, around, transmitters)
        (refused if why else allowed).append((place, why))
    if len(allowed) < 2:
        said = "; ".join(f"{p.name} {why}" for p, why in refused)
        raise ValueError(f"a pair needs two places: {said or 'there are fewer than two'}")
    candidates = [_aimed(p, like, middle, 0.0) for p, _ in allowed]
    needed = threshold_dbm - MEAN_OVER_MEDIAN_DB
    margins = [level_dbm(points, a, wearer, around).ravel() - needed for a in candidates]
    best: tuple[float, int, int] | None = None
    pairs = [(i, j) for i, j in combinations(range(len(allowed)), 2) if _apart(allowed[i][0], allowed[j][0])]
    for done, (i, j) in enumerate(pairs):
        if not progress(done, len(pairs)):
            break
        worst = float(np.quantile(outage(np.stack([margins[i], margins[j]], -1)), 0.99))
        if best is None or worst < best[0]:
            best = worst, i, j
    if best is None:
        raise ValueError(f"no two places are {PAIR_APART_M:g} m apart")
    return _suggestion(allowed[best[1]][0], allowed[best[2]][0], like, points, wearer, around, threshold_dbm, middle)


def _unfit(place: Place, middle: Floats, around: Surroundings, transmitters: Sequence[End]) -> str:
    cost = float(crossed_db(around.walls, np.asarray(place.pos_m), middle)) if around.walls else 0.0
    if cost >= _OPAQUE_DB:
        return f"is behind walls, glass or mesh that cost {cost:.0f} dB"
    for t in transmitters:
        if t.pos_m is not None and np.linalg.norm(np.subtract(t.pos_m, place.pos_m)) < TRANSMIT_APART_M:
            return "is too close to a transmitting antenna"
    return ""


def _apart(a: Place, b: Place) -> bool:
    return bool(np.linalg.norm(np.subtract(a.pos_m, b.pos_m)) >= PAIR_APART_M)


def _aimed(place: Place, like: End, middle: Floats, turn: float) -> End:
    aim = (float(middle[0]), float(middle[1]), float(middle[2]))
    return End(
        gain_dbi=like.gain_dbi, kind=like.kind, beamwidth_deg=like.beamwidth_deg, front_back_db=like.front_back_db,
        polarisation=like.polarisation, psi_deg=turn, pos_m=place.pos_m, aim_m=aim,
    )  # fmt: skip


def _suggestion(
    a: Place, b: Place, like: End, points: Floats, wearer: Wearer, around: Surroundings, threshold_dbm: float,
    middle: Floats,
) -> Suggestion:  # fmt: skip
    antennas = _aimed(a, like, middle, 45.0), _aimed(b, like, middle, -45.0)
    found = coverage(points, antennas, wearer, around, threshold_dbm)
    reasons = []
    for i, place in enumerate((a, b)):
        share = float(np.mean(found.best == i))
        least = float(found.levels_dbm[i].min() - threshold_dbm)
        reasons.append(
            f"{place.name}: hears {share:.0%} of the places best, {least:.0f} dB over need at its weakest, "
            f"{place.pos_m[2]:.1f} m up"
        )
    return Suggestion((a, b), antennas, found.served, float(found.margin_db.min()), (reasons[0], reasons[1]))


def worst_turn_loss_db(turns_deg: tuple[float, float]) -> float:
    """What a transmitter turned as badly as can be loses on the better of two linear antennas [dB]."""
    psi = np.linspace(0, 180, 3_601)
    losses = np.stack([polarisation_db("linear", "linear", psi - t) for t in turns_deg])
    return float(losses.min(axis=0).max())
