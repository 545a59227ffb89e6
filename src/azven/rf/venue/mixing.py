"""Third-order products that are really made: in front ends and instruments, and in transmitters that hear others."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from azven.rf.imlevels import THREE_SIGNAL_DB
from azven.rf.levels import Floats
from azven.rf.links import COUPLING_FLOOR_DB, path_db
from azven.rf.venue.things import Emitter

_STRONGEST = 12
"""Only so many of the strongest signals are taken to make products worth seeing in a front end."""
_NEAREST = 5
"""Of what a transmitter hears, only so many make three-signal products."""
WEAKEST_DBM = -135.0


@dataclass(frozen=True)
class Lines:
    """Narrow signals as arrays (n,): frequency [Hz], level [dBm], width [Hz]."""

    freq_hz: Floats
    level_dbm: Floats
    width_hz: Floats

    @classmethod
    def joined(cls, parts: Sequence["Lines"]) -> "Lines":
        empty = np.zeros(0)
        return cls(*(np.concatenate([empty, *(getattr(p, f) for p in parts)]) for f in cls.__dataclass_fields__))

    def lower_by(self, loss_db: ArrayLike) -> "Lines":
        """The same at lower levels."""
        return Lines(self.freq_hz, self.level_dbm - np.asarray(loss_db, float), self.width_hz)

    def audible(self) -> "Lines":
        """Those that could be seen by any instrument."""
        heard = self.level_dbm > WEAKEST_DBM
        return Lines(self.freq_hz[heard], self.level_dbm[heard], self.width_hz[heard])


def in_front(signals: Lines, iip3_dbm: float) -> Lines:
    """Products of the strongest signals in a front end, referred to its input: 2Pa + Pb − 2·IIP3 and
    Pa + Pb + Pc − 2·IIP3 + 6.02 (domain's receiver products)."""
    top = np.argsort(-signals.level_dbm, kind="stable")[:_STRONGEST]
    f, p, w = signals.freq_hz[top], signals.level_dbm[top], signals.width_hz[top]
    n = len(top)
    a, b = (x.ravel() for x in np.meshgrid(np.arange(n), np.arange(n), indexing="ij"))
    a, b = a[a != b], b[a != b]
    two = Lines(2 * f[a] - f[b], 2 * p[a] + p[b] - 2 * iip3_dbm, 2 * w[a] + w[b])
    i, j, k = (x.ravel() for x in np.meshgrid(np.arange(n), np.arange(n), np.arange(n), indexing="ij"))
    real = (i < j) & (k != i) & (k != j)
    i, j, k = i[real], j[real], k[real]
    level = p[i] + p[j] + p[k] - 2 * iip3_dbm + THREE_SIGNAL_DB
    return Lines.joined([two, Lines(f[i] + f[j] - f[k], level, w[i] + w[j] + w[k])]).audible()


def in_transmitters(emitters: Sequence[Emitter], heard_dbm: Floats) -> Lines:
    """Products made in the output stages of transmitters, as they arrive at an antenna.

    `heard_dbm` (n,): what each emitter brings there; its products take the same path. Host h, incoming x and y
    (own power less coupling): 2h − x: Px − CL; 2x − h: 2Px − Ph − CL; h + x − y: Px + Py − Ph − CL + 6.02 (form of
    ITU-R SM.1134). Whoever arrives at a given level has no place and mixes with nobody.
    """
    placed = [i for i, e in enumerate(emitters) if e.arrives_dbm is None]
    if len(placed) < 2:
        return Lines.joined([])
    members = [emitters[i] for i in placed]
    freq = np.array([e.freq_hz for e in members], float)
    power = np.array([e.power_dbm for e in members])
    width = np.array([e.width_hz for e in members])
    to_antenna = heard_dbm[placed] - power
    made = to_antenna - np.array([e.conversion_loss_db for e in members])
    incoming = power[None, :] - _coupling_db(members, freq)
    h, x = np.nonzero(~np.eye(len(members), dtype=bool))
    px = incoming[h, x]
    parts = [
        Lines(2 * freq[h] - freq[x], px + made[h], 2 * width[h] + width[x]),
        Lines(2 * freq[x] - freq[h], 2 * px - power[h] + made[h], 2 * width[x] + width[h]),
    ]
    np.fill_diagonal(incoming, -np.inf)
    near = np.argsort(-incoming, axis=1, kind="stable")[:, : min(_NEAREST, len(members) - 1)]
    h, i, j = (m.ravel() for m in np.meshgrid(*(np.arange(k) for k in (len(members), *[near.shape[1]] * 2)),
                                              indexing="ij"))  # fmt: skip
    h, x, y = h[i != j], near[h, i][i != j], near[h, j][i != j]
    level = incoming[h, x] + incoming[h, y] - power[h] + made[h] + THREE_SIGNAL_DB
    total = width[h] + width[x] + width[y]
    once = x < y
    parts += [
        Lines(freq[h] + freq[x] - freq[y], level, total),
        Lines((freq[x] + freq[y] - freq[h])[once], level[once], total[once]),
    ]
    return Lines.joined(parts).audible()


def _coupling_db(members: Sequence[Emitter], freq_hz: Floats) -> Floats:
    """Loss from transmitter x (column) to transmitter h (row): path and both bodies, at least 10 dB."""
    at = np.array([e.position for e in members], float)
    body = np.array([e.extra_loss_db for e in members])
    distance = np.linalg.norm(at[:, None] - at[None, :], axis=2)
    loss = path_db(freq_hz[None, :], distance) + body[:, None] + body[None, :]
    return np.asarray(np.maximum(loss, COUPLING_FLOOR_DB))
