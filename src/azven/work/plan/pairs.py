"""Every carrier against every other: how they hear one another, the spacing left, and the products they make."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from azven.book.formats.rows import as_csv
from azven.rf.coordinate import carriers_of
from azven.rf.products import Situation, near
from azven.rf.request import KINDS
from azven.work.ids import EVERYWHERE
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
    """The matrix of the plan as it stands, neighbours and wideband carriers included."""
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
    members, freq, meets, slack = _with_wideband(board, situation, slack)
    more = len(members) - n
    mixes = np.pad(situation.mixes, (0, more)).astype(np.bool_)
    products = np.pad(products, (0, more)).astype(np.int64)
    order = np.argsort(freq, kind="stable")
    grid = np.ix_(order, order)
    members = tuple(members[i] for i in order.tolist())
    names = tuple(board.input.name(m) for m in members)
    return Matrix(
        ids=members,
        names=names,
        freq_hz=freq[order],
        meets=meets[grid],
        mixes=mixes[grid],
        slack_hz=slack[grid],
        products=products[grid],
    )


def _with_wideband(
    board: Board, situation: Situation, slack: NDArray[np.int64]
) -> tuple[tuple[str, ...], NDArray[np.int64], NDArray[np.bool_], NDArray[np.int64]]:
    """Ids, frequencies, who meets and what is left, with wideband carriers behind the narrow ones: they keep half their
    width and a guard from these, and may not overlap one another."""
    wides, n = board.input.wides, len(situation.ids)
    size = n + len(wides)
    zones = {c.id: c.zone for c in carriers_of(board.input.request, dict(board.frequencies))}
    freq = np.r_[situation.freq, np.array([w.centre_hz for w in wides], np.int64)].astype(np.int64)
    meets, left = np.zeros((size, size), bool), np.zeros((size, size), np.int64)
    meets[:n, :n], left[:n, :n] = situation.meets, slack
    for i, wide in enumerate(wides, start=n):
        for j, member in enumerate(situation.ids):
            meets[i, j] = meets[j, i] = zones[member] in wide.rooms or zones[member] == EVERYWHERE
            left[i, j] = left[j, i] = abs(wide.centre_hz - int(freq[j])) - wide.reach_hz
        for j, other in enumerate(wides[: i - n], start=n):
            meets[i, j] = meets[j, i] = not wide.rooms.isdisjoint(other.rooms)
            apart = (wide.width_hz + other.width_hz) // 2
            left[i, j] = left[j, i] = abs(wide.centre_hz - other.centre_hz) - apart
    return (*situation.ids, *(w.id for w in wides)), freq, meets, left


def csv_text(found: Matrix) -> str:
    """Spacing left in kHz, pair by pair, as CSV (RFC 4180); empty where the pair never meets."""
    names = found.names
    return as_csv(("Spacing left kHz", *names), (
        (name, *(f"{found.slack_hz[i, j] / 1e3:g}" if found.meets[i, j] else "" for j in range(len(names))))
        for i, name in enumerate(names)
    ))  # fmt: skip
