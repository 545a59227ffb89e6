"""What links show now and showed lately, whoever tells it: racks, or a log that is played again."""

import threading
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from operator import itemgetter

import numpy as np
from numpy.typing import NDArray

from azven.gear.racks.values import Fields
from azven.rf.diagnose.record import Head, Record
from azven.rf.levels import Floats
from azven.work.watch import rings
from azven.work.watch.rings import (
    EVENING_S,
    FIELDS,
    KEPT_S,
    LOOK_S,
    RATE_HZ,
    THIN_S,
    Readings,
    Ring,
    Rings,
    Signs,
    Stretch,
)
from azven.work.watch.traces import Key, Traces

_FIRST = itemgetter(*FIELDS[: rings.BAT])
_SIGNS: Mapping[tuple[str, object], int] = {
    ("tx", "on"): rings.ON, ("tx", "off"): rings.OFF, ("mute", True): rings.MUTED, ("hp", False): rings.UNPLUGGED,
    ("enc", "differs"): rings.DIFFERS,
}  # fmt: skip
_FEW, _FRESH_S = 32, 0.3
SIGN_FIELDS = frozenset({"tx", "mute", "hp", "enc", "clip", "txf"})


@dataclass(frozen=True)
class Patch:
    """What came to a board since another one was like it: what diagnosis looks at."""

    rows: Mapping[Key, int]
    told_hz: Mapping[Key, list[tuple[float, float]]]
    looks: Stretch
    evening: Stretch

    @property
    def slots(self) -> tuple[int, int]:
        """How far the other board has come with it."""
        return self.looks.slot, self.evening.slot


class Board:
    """Rings of all links by key, written ten times a second all at once; read by anybody from any thread. Whoever feeds
    it says which links are heard now (`_heard`) and tells changes of signs (`_sign`)."""

    steady = True
    """Whether every link is told of all the time, so that a few seconds of silence mean something."""

    def __init__(self) -> None:
        self._lock = threading.RLock()
        self._empty()

    def _empty(self) -> None:
        """Nothing was heard of anybody."""
        self._rows: dict[Key, int] = {}
        self._rings = Rings()
        self._rings.widen(1)
        self._signs_now = np.zeros(self._rings.room, np.uint8)
        self._clipped = np.zeros(self._rings.room, bool)
        self._told_hz: dict[Key, list[tuple[float, float]]] = {}

    def _heard(self, now_s: float) -> Iterable[tuple[Sequence[int], Iterable[Fields]]]:
        """Rows of links that are heard now, with what is known of each."""
        return ()

    def _named(self, rows: NDArray[np.intp], now_s: float) -> NDArray[np.bool_]:
        """Which of the links that are heard (k,) somebody told of since the last slot."""
        return np.ones(len(rows), bool)

    @property
    def begun(self) -> bool:
        """Whether enough time has passed for a first look."""
        return self._rings.looks.slot > 0

    def now(self, key: Key) -> Fields:
        """What is known of a link; empty for one that was never heard."""
        return {}

    # taking in

    def _row(self, key: Key) -> int:
        row = self._rows.get(key)
        if row is None:
            row = self._rows[key] = len(self._rows)
            if row >= self._rings.room:
                self._rings.widen(row + 1)
                self._signs_now = np.resize(self._signs_now, self._rings.room)
                self._signs_now[row:] = 0
                self._clipped = np.resize(self._clipped, self._rings.room)
                self._clipped[row:] = False
        return row

    def _sign(self, key: Key, now_s: float, changes: Fields, known: Fields) -> None:
        """Take over what a link says of itself by words; `known` is all that is known of it by now."""
        row = self._rows[key]
        if changes.get("clip"):
            self._clipped[row] = True
        signs = 0
        for name in ("tx", "mute", "hp", "enc"):
            signs |= _SIGNS.get((name, known.get(name)), 0)
        self._signs_now[row] = signs
        if "txf" in changes:
            told, hz = self._told_hz.setdefault(key, []), changes["txf"]
            value = float("nan") if hz is None else float(hz)
            if not told or told[-1][1] != value:
                told.append((now_s, value))
                del told[:-50]

    def _forward(self, now_s: float) -> None:
        """Go on to the slot of a moment: links that are heard go on as they are, of others nothing is known."""
        slot = int(now_s * RATE_HZ)
        if self._rings.slot and slot <= self._rings.slot:
            return
        rows: list[int] = []
        values: list[tuple[float | None, ...]] = []
        for some, fields in self._heard(now_s):
            rows += some
            for known in fields:
                try:
                    values.append((*_FIRST(known), known.get("bat"), known.get("noise")))
                except KeyError:  # a side that the link does not have, or a field that was never told
                    values.append(tuple(map(known.get, FIELDS)))
        at = np.array(rows, np.intp)
        readings = np.array(values, np.float32).T if rows else np.zeros((len(FIELDS), 0), np.float32)
        named = np.where(self._named(at, now_s), rings.NAMED, 0)
        signs = self._signs_now[at] | np.where(self._clipped[at], rings.CLIPPED, 0) | named
        self._clipped[:] = False
        self._rings.forward(slot, at, readings, signs.astype(np.uint8))

    # another board like this one

    def patch(self, now_s: float, looks: int, evening: int) -> Patch:
        """What another board needs to be like this one, which has come to these slots."""
        with self._lock:
            self._forward(now_s)
            told = {key: list(hz) for key, hz in self._told_hz.items()}
            return Patch(dict(self._rows), told, self._rings.looks.since(looks), self._rings.evening.since(evening))

    def take(self, patch: Patch) -> None:
        """Be like the other board as far as diagnosis looks."""
        self._rows, self._told_hz = dict(patch.rows), dict(patch.told_hz)
        self._rings.looks.take(patch.looks)
        self._rings.evening.take(patch.evening)

    # looking back

    def traces(self, key: Key, seconds: float, now_s: float) -> Traces:
        """The last seconds of a link."""
        n = max(1, min(int(seconds * RATE_HZ), KEPT_S * RATE_HZ))
        with self._lock:
            self._forward(now_s)
            values = self._of([key], self._rings.recent, n)[0][:, :, 0]
        return Traces((np.arange(1 - n, 1) / RATE_HZ).astype(np.float32), *values[:, :4].T)

    def looks(self, keys: Sequence[Key | None], seconds: float, now_s: float) -> tuple[Readings, Signs]:
        """The last readings (n, fields, m) and signs (n, m) of some links in half seconds, with the least quality of
        each; of few links the last is what they show now. NaN and 0 for a link that has no key."""
        with self._lock:
            if now_s - self._rings.slot / RATE_HZ > _FRESH_S:  # else whoever feeds it goes on with it
                self._forward(now_s)
            readings, signs = self._of(keys, self._rings.looks, round(seconds / LOOK_S))
            begun = self._rings.slot % round(LOOK_S * RATE_HZ)
            if not begun or len(keys) > _FEW:
                return readings, signs
            part, marks = self._of(keys, self._rings.recent, begun)
        last, sign = rings.moment(part, marks)
        for i, key in enumerate(keys):
            told = self.now(key) if key else {}
            for field, name in enumerate(FIELDS[: rings.BAT]):
                if isinstance(value := told.get(name), int | float):
                    last[field, i] = min(last[field, i], value) if field == rings.Q else value
        return np.concatenate([readings[1:], last[None]]), np.concatenate([signs[1:], sign[None]])

    def _of(self, keys: Sequence[Key | None], ring: Ring, n: int) -> tuple[Readings, Signs]:
        """The last n slots of a ring; nothing is known of those that were not lived through."""
        at, before = ring.last(n)
        readings, signs = self._at(keys, ring, at)
        if before:
            readings = np.concatenate([np.full((before, *readings.shape[1:]), np.nan, np.float32), readings])
            signs = np.concatenate([np.zeros((before, *signs.shape[1:]), np.uint8), signs])
        return readings, signs

    def _at(self, keys: Sequence[Key | None], ring: Ring, at: NDArray[np.intp]) -> tuple[Readings, Signs]:
        rows = np.array([-1 if k is None else self._rows.get(k, -1) for k in keys], np.intp)
        if len(rows) and rows[0] >= 0 and (np.diff(rows) == 1).all():
            there = slice(rows[0], rows[0] + len(rows))
            return ring.readings[at][:, :, there].astype(np.float32), ring.signs[at][:, there]
        some = ring.readings[np.ix_(at, np.arange(len(FIELDS)), rows)].astype(np.float32)
        marks = ring.signs[np.ix_(at, rows)]
        some[:, :, rows < 0] = np.nan
        marks[:, rows < 0] = 0
        return some, marks

    def record(
        self, head: Head, keys: Sequence[Key | None], now_s: float, start_s: float, seconds: float = KEPT_S
    ) -> Record:  # fmt: skip
        """The last seconds as diagnosis looks at them. `keys` are those of the links of the head, times count from
        `start_s`."""
        return self._looked(self._rings.looks, LOOK_S, head, keys, now_s, start_s, seconds)

    def evening(self, head: Head, keys: Sequence[Key | None], now_s: float, start_s: float) -> Record:
        """Two hours, thinned, in the same form."""
        return self._looked(self._rings.evening, THIN_S, head, keys, now_s, start_s, EVENING_S)

    def _looked(
        self, ring: Ring, step_s: float, head: Head, keys: Sequence[Key | None], now_s: float, start_s: float,
        seconds: float,
    ) -> Record:  # fmt: skip
        with self._lock:
            self._forward(now_s)
            readings, signs = self._at(keys, ring, ring.last(max(round(seconds / step_s), 1))[0])
            at_s: Floats = step_s * np.arange(ring.slot - len(readings) + 1.0, ring.slot + 1.0) - start_s
        return self._as_record(head, keys, at_s, readings, signs, start_s)

    def _as_record(
        self, head: Head, keys: Sequence[Key | None], at_s: Floats, table: Readings, signs: Signs, start_s: float
    ) -> Record:  # fmt: skip
        rows: Floats = np.ascontiguousarray(table.transpose(1, 2, 0))
        marks = signs.T
        named = np.where(marks & rings.NAMED, at_s[None, :], -np.inf)
        if named.size:
            np.maximum.accumulate(named, axis=1, out=named)
        tx = np.where(marks & rings.ON, 1.0, np.where(marks & rings.OFF, 0.0, np.nan))

        def sign(bit: int, there: float = 1.0) -> Floats:
            return np.where(marks & bit, there, np.where(marks & rings.NAMED, 1.0 - there, np.nan))

        return Record(
            head=head, at_s=at_s, a=rows[rings.A], b=rows[rings.B], q=rows[rings.Q], af=rows[rings.AF],
            bat=rows[rings.BAT], noise=rows[rings.NOISE], tx=tx, mute=sign(rings.MUTED), clip=sign(rings.CLIPPED),
            hp=sign(rings.UNPLUGGED, 0.0), txf=self._hertz(keys, at_s, start_s),
            differs=np.asarray(marks & rings.DIFFERS, bool), named_s=named,
        )  # fmt: skip

    def _hertz(self, keys: Sequence[Key | None], at_s: Floats, start_s: float) -> Floats:
        """What transmitters said of their frequency (m, n) [Hz]."""
        out = np.full((len(keys), len(at_s)), np.nan)
        for i, key in enumerate(keys):
            for since_s, hz in self._told_hz.get(key, ()) if key else ():
                out[i, np.searchsorted(at_s, since_s - start_s) :] = hz
        return out
