"""One trouble laid into a take, by the physics where it is on the air, by what gear tells where it is of the gear."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from azven.rf.diagnose.record import Record
from azven.rf.rehearse import take
from azven.rf.rehearse.production import Act, Player, Production
from azven.rf.rehearse.take import STEP_S, Take
from azven.rf.venue import Emitter
from azven.rf.venue.reception import Side
from azven.rf.venue.ways import Part

Kind = Literal[
    "own", "product", "foreign", "battery", "out-of-reach", "branch", "system", "muted", "switched-off", "noise"
]  # fmt: skip
_STANDS, _AWAY, _BEFORE_THE_ANTENNAS = ((2.0, 6.0),), (-4.0, 56.0), ((0.0, 2.5),)
"""Places in the hall of the demonstration [m]: on its stage, in the green room, and where its antennas are."""
_ALWAYS_S = 1e6


@dataclass(frozen=True)
class Upset:
    """What goes wrong: with whom, from which second of the drill on, and figures of its kind."""

    kind: Kind
    links: tuple[str, ...]
    at_s: float
    figures: Mapping[str, float] = field(default_factory=dict)


def laid(production: Production, act: Act, begins_s: float, seed: int, upset: Upset) -> Production:
    """The production with what is on the air for it; `begins_s`: when the drill begins [s of the evening]. ValueError
    for links that are not there."""
    names = [p.name for p in production.players]
    missing = [name for name in upset.links if name not in names]
    if missing:
        raise ValueError(f"there is no link {missing[0]}")
    first = names.index(upset.links[0]) if upset.links else 0
    since_s, figures = begins_s + upset.at_s, upset.figures
    players = list(production.players)
    if upset.kind == "own":
        other = names.index(upset.links[1])
        players[other] = _tuned(players[other], players[first].freq_hz, since_s)
    elif upset.kind == "product":
        a, b = (names.index(name) for name in upset.links[1:3])
        apart, loud = figures["apart_hz"], figures["power_dbm"]
        near = {act.id: Part(_BEFORE_THE_ANTENNAS)}
        players[a] = replace(_tuned(players[a], players[first].freq_hz + apart), power_dbm=loud, parts=near)
        players[b] = replace(
            _tuned(players[b], players[first].freq_hz + 2 * apart, since_s), power_dbm=loud, parts=near
        )
        players[first] = replace(players[first], power_dbm=figures["weak_dbm"])
    elif upset.kind == "switched-off":
        players[first] = replace(players[first], sends_s=(-np.inf, since_s))
    elif upset.kind == "battery":
        players[first] = _empty_at(production, act, seed, first, since_s)
    elif upset.kind == "out-of-reach":
        walked = {act.id: Part(_STANDS, 0.0, since_s - act.from_s, _AWAY)}
        players[first] = replace(players[first], parts=walked, power_dbm=figures["power_dbm"], wearers={})
    venue = production.venue
    if upset.kind in ("foreign", "noise"):
        venue = replace(venue, emitters=(*venue.emitters, _emitter(upset, players[first].freq_hz, since_s)))
    sides = _turned_up(production.sides, figures["iip3_dbm"]) if "iip3_dbm" in figures else production.sides
    heads = tuple(replace(h, freq_hz=round(p.freq_hz)) for h, p in zip(production.head.links, players, strict=True))
    return replace(
        production, players=tuple(players), venue=venue, sides=sides, head=replace(production.head, links=heads)
    )


def _tuned(player: Player, freq_hz: float, from_s: float = -np.inf) -> Player:
    return replace(player, freq_hz=freq_hz, sends_s=(from_s, np.inf))


def _empty_at(production: Production, act: Act, seed: int, number: int, ends_s: float) -> Player:
    """The player with a battery that ends at a moment with this seed."""
    player = production.players[number]
    begun = player.acts_of(production.acts)[0].from_s
    tried = (ends_s - begun) / 60
    players = tuple(replace(p, battery_min=tried) if i == number else p for i, p in enumerate(production.players))
    lasts = take.ended(replace(production, players=players, acts=(replace(act, to_s=_ALWAYS_S),)),
                       replace(act, to_s=_ALWAYS_S), seed)[number]  # fmt: skip
    return replace(player, battery_min=tried * (ends_s - begun) / (lasts - begun))


def _emitter(upset: Upset, freq_hz: float, since_s: float) -> Emitter:
    """Somebody else, from a moment on: in the channel of a link, or over a stretch."""
    figures = upset.figures
    made = Emitter(
        name="a stranger", freq_hz=round(figures.get("freq_hz", freq_hz + 20_000)), power_dbm=17.0,
        position=(0.0, 20.0, 2.0), arrives_dbm=figures["level_dbm"], keyed_s=(_ALWAYS_S, 2 * _ALWAYS_S, since_s),
    )  # fmt: skip
    if upset.kind == "noise":
        return replace(made, name="a wall of lamps", shape="digital", bandwidth_hz=figures["width_hz"])
    return made


def _turned_up(sides: Sequence[Side], iip3_dbm: float) -> tuple[Side, ...]:
    """Antenna systems that mix and are blocked earlier than they should."""
    fronts = [s.antenna.front for s in sides]
    return tuple(
        s if f is None or f.iip3_dbm is None
        else replace(s, antenna=replace(s.antenna, front=replace(f, iip3_dbm=iip3_dbm)))
        for s, f in zip(sides, fronts, strict=True)
    )  # fmt: skip


def told(played: Take, upset: Upset) -> Take:
    """The take with what gear tells otherwise."""
    record = played.record
    since = round(upset.at_s / STEP_S)
    mine = [i for i, x in enumerate(record.head.links) if x.name in upset.links]
    if upset.kind == "muted":
        mute = record.mute.copy()
        mute[mine, since:] = 1.0
        return replace(played, record=replace(record, mute=mute))
    if upset.kind in ("branch", "system"):
        return replace(played, record=_lower(record, mine[0], since, upset))
    return played


def _lower(record: Record, link: int, since: int, upset: Upset) -> Record:
    """What all links of an antenna system show when one side of it, or both, is lower; who is too low is not heard."""
    system, drop_db = record.head.links[link].system, upset.figures["drop_db"]
    b = record.b.copy()
    mine = [i for i, x in enumerate(record.head.links) if x.system == system and np.isfinite(b[i]).any()]
    b[mine, since:] -= drop_db
    if upset.kind == "branch":
        return replace(record, b=b)
    a, q = record.a.copy(), record.q.copy()
    a[mine, since:] -= drop_db
    q[np.fmax(a, b) < record.low] = 0.0
    return replace(record, a=a, b=b, q=q)
