"""Products near our links as a list, what sets the margins, and who does most harm."""

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from azven.book.formats.rows import as_csv
from azven.rf.coordinate.plan import carriers_of, formula_of
from azven.rf.levels import dbm, milliwatts
from azven.rf.products import Found, Situation, near
from azven.rf.request import KINDS
from azven.rf.scene import Scene
from azven.rf.schools import LEVEL_KINDS, product_levels
from azven.work.plan.board import Board
from azven.work.wording import formula, mhz

MOST = 5_000


@dataclass(frozen=True, kw_only=True)
class Threat:
    """A product near a link (`victim_id`): how far it falls from it and how much of that the guard leaves [Hz], and, of
    third order, its level at the link's receiver [dBm]. `victim` and `formula` are for people."""

    id: int
    victim_id: str
    victim: str
    kind: str
    formula: str
    sources: tuple[str, ...]
    product_hz: int
    distance_hz: int
    slack_hz: int
    level_dbm: float | None


@dataclass(frozen=True)
class ThreatList:
    """The nearest `MOST` products, the tightest first, and how many there were."""

    threats: tuple[Threat, ...]
    found: int


def threats(board: Board, within_hz: int) -> ThreatList:
    """Products of all kinds that a link guards against, within `within_hz` of it beyond its guard."""
    request = board.input.request
    carriers = carriers_of(request, dict(board.frequencies))
    situation = Situation(carriers, request.profiles, request.relations)
    scene = Scene(situation, carriers, board.input.levels.radios, board.input.levels.rooms)
    ours = np.array([i in board.frequencies for i in situation.ids], bool)
    rows: list[tuple[int, str, Found, int, float | None]] = []
    for kind in KINDS:
        guard = situation.guard[kind]
        for found in near(situation, kind, np.where(ours & (guard > 0), guard + within_hz, -1)):
            slack = np.abs(found.product - situation.freq[found.victim]) - guard[found.victim]
            levels: list[float] | list[None] = [None] * len(slack)
            if kind in LEVEL_KINDS:
                levels = dbm(sum(milliwatts(part) for part in product_levels(scene, found))).tolist()
            rows += [
                (s, kind, found, i, level) for i, (s, level) in enumerate(zip(slack.tolist(), levels, strict=True))
            ]
    rows.sort(key=lambda r: r[0])
    made = tuple(_threat(n, situation, board.input.name, *row) for n, row in enumerate(rows[:MOST], start=1))
    return ThreatList(made, len(rows))


def _threat(
    number: int, situation: Situation, name: Callable[[str], str], slack: int, kind: str, found: Found, i: int,
    level: float | None,
) -> Threat:  # fmt: skip
    sources = tuple(situation.ids[int(s)] for s in found.sources[i])
    product, victim = int(found.product[i]), int(found.victim[i])
    made = formula_of(found.coefficients, [name(s) for s in sources])
    distance = abs(product - int(situation.freq[victim]))
    victim_id = situation.ids[victim]
    return Threat(
        id=number,
        victim_id=victim_id,
        victim=name(victim_id),
        kind=kind,
        formula=made,
        sources=sources,
        product_hz=product,
        distance_hz=distance,
        slack_hz=slack,
        level_dbm=level,
    )


def matching(
    listed: ThreatList, victim: str = "", source: str = "", kind: str = "", least_dbm: float | None = None
) -> list[Threat]:
    """Threats whose victim holds one text and whose formula the other, of one kind if named, and, with `least_dbm`,
    only those of third order that arrive with as much."""
    return [
        t for t in listed.threats
        if victim.strip().lower() in t.victim.lower() and source.strip().lower() in t.formula.lower()
        and (not kind or t.kind == kind)
        and (least_dbm is None or (t.level_dbm is not None and t.level_dbm >= least_dbm))
    ]  # fmt: skip


def summary(board: Board) -> str:
    """What sets the margins, and who takes part in most of the limits."""
    limits = [v.limit for v in board.verdicts if v.limit is not None]
    if not limits:
        return "Nothing limits any link."
    kinds = Counter(x.kind for x in limits)
    sources = Counter(s for x in limits for s in x.sources)
    by_kind = ", ".join(f"{formula(kind)} ({n})" for kind, n in kinds.most_common())
    most, times = sources.most_common(1)[0]
    return f"Margins are set by {by_kind}. {board.input.name(most)} takes part in {times} of them, more than any other."


def csv_text(rows: list[Threat]) -> str:
    """The list as CSV (RFC 4180)."""
    heading = ("Victim", "Kind", "Product of", "Product MHz", "Distance kHz", "Beyond guard kHz", "Level dBm")
    return as_csv(heading, (
        (t.victim, formula(t.kind), t.formula, mhz(t.product_hz), f"{t.distance_hz / 1e3:g}", f"{t.slack_hz / 1e3:g}",
         "" if t.level_dbm is None else f"{t.level_dbm:.1f}")
        for t in rows
    ))  # fmt: skip
