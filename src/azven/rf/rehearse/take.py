"""One act played once: levels and quality of every link as they would be told, and who lost what.

Places, turns, fading and batteries are drawn from the seed and come again with it.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from azven.rf.diagnose.record import Bools, Record
from azven.rf.levels import Floats
from azven.rf.rehearse.production import Act, Production
from azven.rf.venue import Emitter
from azven.rf.venue.reception import Carried, Reception
from azven.rf.venue.ways import Part, Way, staged, way

STEP_S = 0.5
_CHUNK_S, _REST_EVERY_S = 60.0, 10.0
_LOST = 50.0
_SPREAD, _LEAST, _MOST = 0.07, 0.8, 1.15
"""How much longer or shorter batteries of one kind last, as a share: standard deviation and limits, planning values."""
_FILLS_S = 900.0
"""How long a house takes to fill, or to empty, planning value."""
_OFTEN_S = 3_600.0
"""Who comes on again within so long does it at moments that nobody knows."""
Progress = Callable[[float], bool]
"""Told what share is done; whether to go on."""


@dataclass(frozen=True)
class Take:
    """An act as it was played: what was told, where links that play had no sound (m, n), when batteries ended (m,) [s
    of the evening, NaN: not in this act], and what it was played in."""

    act: Act
    seed: int
    record: Record
    lost: Bools
    ended_s: Floats
    reception: Reception
    carried: Carried


def reception(production: Production, act: Act, seed: int) -> Reception:
    """The venue as a seed has it: everybody on ways of their own. Receivers that neither play nor are spares hear
    nothing."""
    persons = _persons(production, act)
    ways = _ways(production, act, seed, persons)
    chance = np.random.default_rng([seed, 8])
    emitters = tuple(_some_time(e, chance.uniform()) for e in production.venue.emitters)
    venue = replace(production.venue, seed=seed, emitters=emitters)
    receivers = [p.receiver if p.plays(act.id) or p.spare else replace(p.receiver, sides=())
                 for p in production.players]  # fmt: skip
    return Reception(venue, production.sides, receivers, ways, rest_every_s=_REST_EVERY_S, persons=persons,
                     filling=_filling(production, chance))  # fmt: skip


def _persons(production: Production, act: Act) -> NDArray[np.intp]:
    """By whom each link is carried, as the number of the first link on the same body."""
    first: dict[str, int] = {}
    worn = [p.wearers.get(act.id) for p in production.players]
    return np.array([i if who is None else first.setdefault(who, i) for i, who in enumerate(worn)], np.intp)


def _ways(production: Production, act: Act, seed: int, persons: NDArray[np.intp]) -> list[Way]:
    """How everybody walks: as is said of them, else about the stage."""
    players, lasts_s = production.players, act.to_s - act.from_s
    ways: dict[int, Way] = {}
    for number in np.unique(persons).tolist():
        player, chance = players[number], seed * 1_009 + number
        part = player.parts.get(act.id)
        ways[number] = (
            way(player.stage, production.walls, chance) if part is None
            else staged(part, player.stage, production.walls, lasts_s, chance, act.from_s)
        )  # fmt: skip
    return [ways[i] for i in persons.tolist()]


def _filling(production: Production, chance: np.random.Generator) -> tuple[Floats, Floats]:
    """Moments [s] and what share of the house is there: it changes as each act begins, some minutes early or late."""
    moments, shares = [0.0], [0.0]
    for act in production.acts:
        begins = max(act.from_s + chance.uniform(-_FILLS_S / 2, 0), moments[-1])
        moments += [begins, begins + _FILLS_S]
        shares += [shares[-1], act.house]
    return np.array(moments), np.array(shares)


def _some_time(emitter: Emitter, share: float) -> Emitter:
    if emitter.keyed_s is None or emitter.keyed_s[1] > _OFTEN_S:
        return emitter
    on, period, _ = emitter.keyed_s
    return replace(emitter, keyed_s=(on, period, share * period))


def play(
    production: Production, act: Act, seed: int, progress: Progress = lambda share: True,
    between_s: tuple[float, float] | None = None,
) -> Take | None:  # fmt: skip
    """Play an act, or what of it lies between two moments [s of the evening]; None when it was stopped."""
    begins, ends = between_s or (act.from_s, act.to_s)
    there, at_s = reception(production, act, seed), np.arange(max(begins, act.from_s), min(ends, act.to_s), STEP_S)
    plays = np.array([p.plays(act.id) for p in production.players])
    ended_s = ended(production, act, seed)
    carried = _carried(production, plays)
    tuned = carried.freq_hz
    a, b, rest, quality = (np.full((len(plays), len(at_s)), np.nan) for _ in range(4))
    sends = np.array([p.sends_s for p in production.players]).reshape(-1, 2)
    for first, end in _stretches(at_s, np.concatenate([ended_s, sends.ravel()])):
        if not progress(first / max(len(at_s), 1)):
            return None
        on = plays & ~(ended_s <= at_s[first]) & (sends[:, 0] <= at_s[first]) & (at_s[first] < sends[:, 1])
        part = there.over(at_s[first:end], tuned, replace(carried, on=on))
        a[:, first:end], b[:, first:end] = part.level_dbm[..., 0], part.level_dbm[..., 1]
        rest[:, first:end] = _loudest(part.rest_dbm)
        quality[:, first:end] = np.where(on[:, None], 100 * there.quality(part), 0.0)
    last_s = np.minimum(np.where(np.isnan(ended_s), np.inf, ended_s), sends[:, 1])
    sounding = plays[:, None] & (at_s >= sends[:, :1]) & (at_s < last_s[:, None])
    record = _record(production, at_s, a, b, rest, quality, sounding, ended_s)
    lost = plays[:, None] & (quality < _LOST) & _on_stage(production, act, at_s)
    return Take(act, seed, record, lost, ended_s, there, carried)


def _on_stage(production: Production, act: Act, at_s: Floats) -> NDArray[np.bool_]:
    """When what each link carries is to be heard (m, n): who has not come on yet is missed by nobody."""
    parts = [p.parts.get(act.id, Part()) for p in production.players]
    return np.array([part.on(at_s - act.from_s) for part in parts]).reshape(-1, len(at_s))


def _carried(production: Production, plays: NDArray[np.bool_]) -> Carried:
    def each(name: str) -> Floats:
        return np.array([getattr(p, name) for p in production.players], float)

    return Carried(on=plays, freq_hz=each("freq_hz"), power_dbm=each("power_dbm"), bandwidth_hz=each("bandwidth_hz"),
                   body_db=each("body_db"), behind=each("behind"))  # fmt: skip


def ended(production: Production, act: Act, seed: int) -> Floats:
    """When the battery of each link ends within the act; it was full as the link's first act began."""
    chance = np.random.default_rng([seed, 7])
    out = np.full(len(production.players), np.nan)
    for i, player in enumerate(production.players):
        lasts = float(np.clip(chance.normal(1.0, _SPREAD), _LEAST, _MOST))
        mine = player.acts_of(production.acts)
        if player.battery_min is None or act not in mine:
            continue
        end_s = mine[0].from_s + 60 * lasts * player.battery_min
        if end_s < act.to_s:
            out[i] = max(end_s, act.from_s)
    return out


def _stretches(at_s: Floats, changes_s: Floats) -> Iterator[tuple[int, int]]:
    """Parts of the act in which the same transmitters are on, of a minute at most."""
    ends = np.searchsorted(at_s, changes_s[np.isfinite(changes_s)])
    edges = np.unique([*range(0, len(at_s), round(_CHUNK_S / STEP_S)), *ends.tolist(), len(at_s)])
    yield from zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True)


def _loudest(rest_dbm: Floats) -> Floats:
    return np.asarray(np.fmax(rest_dbm[..., 0], rest_dbm[..., 1]))


def _record(
    production: Production, at_s: Floats, a: Floats, b: Floats, rest: Floats, quality: Floats, sounding: Bools,
    ended_s: Floats,
) -> Record:  # fmt: skip
    """The act as racks would have told it."""
    unknown, none = np.full(a.shape, np.nan), np.zeros(a.shape)
    half = np.round(2 * np.stack([a, b, rest])) / 2
    return Record(
        head=production.head, at_s=at_s, a=half[0], b=half[1], q=np.round(quality), af=unknown,
        bat=_gauge(production, at_s, ended_s, sounding), noise=np.where(sounding, np.nan, half[2]),
        tx=sounding.astype(float), mute=none, clip=none, hp=unknown, txf=unknown, differs=np.zeros(a.shape, bool),
        named_s=np.broadcast_to(at_s, a.shape),
    )  # fmt: skip


def _gauge(production: Production, at_s: Floats, ended_s: Floats, sounding: Bools) -> Floats:
    """What gauges tell [%]: a straight line down to where the battery ends, else by what a full one lasts."""
    out = np.full((len(production.players), len(at_s)), np.nan)
    for i, player in enumerate(production.players):
        mine = player.acts_of(production.acts)
        if player.battery_min is None or not mine:
            continue
        begun = mine[0].from_s
        lasts_s = ended_s[i] - begun if np.isfinite(ended_s[i]) else 60 * player.battery_min
        out[i] = np.where(sounding[i], np.clip(100 * (1 - (at_s - begun) / max(lasts_s, 1.0)), 0, 100), np.nan)
    return np.round(out)
