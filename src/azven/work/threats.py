"""Products near our links as a list, what sets the margins, and who does most harm."""

import csv
import io
from collections import Counter
from dataclasses import dataclass

import numpy as np

from azven.rf.coordinate.plan import carriers_of, formula_terms
from azven.rf.products import Found, Situation, near
from azven.rf.request import KINDS
from azven.work.plan import Board
from azven.work.reasons import mhz
from azven.work.sheet import harmless

MOST = 5_000


@dataclass(frozen=True)
class Threat:
    """A product near a link: how far it falls from it and how much of that the guard leaves [Hz]."""

    id: int
    victim: str
    kind: str
    formula: str
    sources: tuple[str, ...]
    product_hz: int
    distance_hz: int
    slack_hz: int


@dataclass(frozen=True)
class ThreatList:
    """The nearest `MOST` products, the tightest first, and how many there were."""

    threats: tuple[Threat, ...]
    found: int


def threats(board: Board, within_hz: int) -> ThreatList:
    """Products of all kinds that a link guards against, within `within_hz` of it beyond its guard."""
    request = board.input.request
    situation = Situation(carriers_of(request, dict(board.frequencies)), request.profiles, request.relations)
    ours = np.array([name in board.frequencies for name in situation.ids], bool)
    rows: list[tuple[int, str, Found, int]] = []
    for kind in KINDS:
        guard = situation.guard[kind]
        for found in near(situation, kind, np.where(ours & (guard > 0), guard + within_hz, -1)):
            slack = np.abs(found.product - situation.freq[found.victim]) - guard[found.victim]
            rows += [(int(s), kind, found, i) for i, s in enumerate(slack.tolist())]
    rows.sort(key=lambda r: r[0])
    made = tuple(_threat(n, situation, *row) for n, row in enumerate(rows[:MOST], start=1))
    return ThreatList(made, len(rows))


def _threat(number: int, situation: Situation, slack: int, kind: str, found: Found, i: int) -> Threat:
    sources = tuple(situation.ids[int(s)] for s in found.sources[i])
    product, victim = int(found.product[i]), int(found.victim[i])
    formula = " + ".join(formula_terms(found.coefficients, sources)).replace("+ −", "− ")
    distance = abs(product - int(situation.freq[victim]))
    return Threat(number, situation.ids[victim], kind, formula, sources, product, distance, slack)


def matching(listed: ThreatList, text: str, kind: str = "") -> list[Threat]:
    """Threats whose victim or sources hold every word of `text`, of one kind if named."""
    words = text.lower().split()
    return [
        t for t in listed.threats
        if (not kind or t.kind == kind) and all(w in f"{t.victim} {t.formula}".lower() for w in words)
    ]  # fmt: skip


def summary(board: Board) -> str:
    """What sets the margins, and who takes part in most of the limits."""
    limits = [v.limit for v in board.verdicts if v.limit is not None]
    if not limits:
        return "Nothing limits any link."
    kinds = Counter(x.kind for x in limits)
    sources = Counter(s for x in limits for s in x.sources)
    by_kind = ", ".join(f"{kind} {n}" for kind, n in kinds.most_common())
    name, times = sources.most_common(1)[0]
    return f"Margins are set by {by_kind}. {name} takes part in {times} of them, more than any other."


def csv_text(rows: list[Threat]) -> str:
    """The list as CSV (RFC 4180)."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(("Victim", "Kind", "Product of", "Product MHz", "Distance kHz", "Beyond guard kHz"))
    for t in rows:
        line = (t.victim, t.kind, t.formula, mhz(t.product_hz), f"{t.distance_hz / 1e3:g}", f"{t.slack_hz / 1e3:g}")
        writer.writerow([harmless(cell) for cell in line])
    return out.getvalue()
