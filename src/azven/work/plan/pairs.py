"""Every carrier against every other: how they hear one another, the spacing left, and the products they make."""

import csv
import io
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from azven.book.formats.rows import harmless
from azven.rf.coordinate import carriers_of
from azven.rf.products import Situation, near
from azven.rf.request import KINDS
from azven.work.plan.board import Board

WITHIN_HZ = 50_000


@dataclass(frozen=True, kw_only=True)
class Matrix:
    """Carriers in order of frequency with their `names`; `slack_hz` (n, n) spacing left of pairs that meet, `meets`
    (n, n), and `products` (n, n): how many products that both take part in fall within 50 kHz beyond a guard."""

    ids: tuple[str, ...]
    names: tuple[str, ...]
    freq_hz: NDArray[np.int64]
    meets: NDArray[np.bool_]
    mixes: NDArray[np.bool_]
    slack_hz: NDArray[np.int64]
    products: NDArray[np.int64]

    def words(self, i: int, j: int) -> str:
        """One pair in a sentence."""
        a, b = self.names[i], self.names[j]
        if not self.meets[i, j]:
            return f"{a} and {b} never meet: other rooms or other acts."
        apart = abs(int(self.freq_hz[i] - self.freq_hz[j])) / 1e3
        left = f"{self.slack_hz[i, j] / 1e3:g} kHz more than they need".replace("-", "−")
        made = f"together they make {self.products[i, j]} products close to a link"
        return f"{a} and {b}: {apart:g} kHz apart, {left}; " + (
            made if self.mixes[i, j] else "their products do not mix"
        )


def matrix(board: Board) -> Matrix:
    """The matrix of the plan as it stands, neighbours included."""
    request = board.input.request
    situation = Situation(carriers_of(request, dict(board.frequencies)), request.profiles, request.relations)
    n = len(situation.ids)
    products = np.zeros((n, n), np.int64)
    for kind in KINDS:
        guard = situation.guard[kind]
        for found in near(situation, kind, np.where(guard > 0, guard + WITHIN_HZ, -1)):
            for i in range(found.sources.shape[1]):
                for j in range(i):
                    np.add.at(products, (found.sources[:, i], found.sources[:, j]), 1)
    products = products + products.T
    distance = np.abs(situation.freq[:, None] - situation.freq[None, :])
    slack = distance - situation.apart_hz
    order = np.argsort(situation.freq, kind="stable")
    grid = np.ix_(order, order)
    members = tuple(situation.ids[i] for i in order.tolist())
    names = tuple(board.input.name(m) for m in members)
    return Matrix(
        ids=members,
        names=names,
        freq_hz=situation.freq[order],
        meets=situation.meets[grid],
        mixes=situation.mixes[grid],
        slack_hz=slack[grid],
        products=products[grid],
    )


def csv_text(found: Matrix) -> str:
    """Spacing left in kHz, pair by pair, as CSV (RFC 4180); empty where the pair never meets."""
    out = io.StringIO()
    writer = csv.writer(out)
    names = [harmless(n) for n in found.names]
    writer.writerow(["Spacing left kHz", *names])
    for i, name in enumerate(names):
        cells = [f"{found.slack_hz[i, j] / 1e3:g}" if found.meets[i, j] else "" for j in range(len(names))]
        writer.writerow([name, *cells])
    return out.getvalue()
