"""What links showed, looked back upon: ten minutes at ten readings a second, the same in half seconds as diagnosis
looks at it, and two hours thinned by keeping the worst.

Rows are links, `FIELDS` the columns of readings; NaN is not known. Signs are one byte a reading.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

RATE_HZ, KEPT_S = 10, 600
LOOK_S, THIN_S, EVENING_S = 0.5, 4.0, 7200
_STRETCH = round(THIN_S * RATE_HZ)
FIELDS = ("a", "b", "q", "af", "bat", "noise")
A, B, Q, AF, BAT, NOISE = range(len(FIELDS))
ON, OFF, MUTED, UNPLUGGED, CLIPPED, DIFFERS, NAMED = (1 << k for k in range(7))
"""Signs: its transmitter is heard, is known to be off; muted there; no headphones; clipped; keys differ; the link was
named."""

Readings = NDArray[np.float32]
Signs = NDArray[np.uint8]


class Ring:
    """Readings (slots, fields, rows) and signs (slots, rows) of the last so many slots, counted from 1. What stands in
    slots that were never lived through means nothing: so it costs neither time nor memory."""

    def __init__(self, slots: int, kind: Any = np.float32) -> None:
        self.slots, self.slot, self._since = slots, 0, 0
        self.readings: NDArray[Any] = np.empty((slots, len(FIELDS), 0), kind)
        self.signs: Signs = np.empty((slots, 0), np.uint8)

    @property
    def room(self) -> int:
        """How many links there is room for."""
        return int(self.readings.shape[2])

    def widen(self, more: int) -> None:
        """Make room for so many links more; what is there stays."""
        room = self.room + more
        readings = np.empty((*self.readings.shape[:2], room), self.readings.dtype)
        signs = np.empty((self.slots, room), np.uint8)
        for at in self.at(self.slot - self._since + 1 + _STRETCH) if self.slot else ():
            readings[at, :, : self.room], readings[at, :, self.room :] = self.readings[at], np.nan
            signs[at, : self.room], signs[at, self.room :] = self.signs[at], 0
        self.readings, self.signs = readings, signs

    def begin(self, slot: int) -> None:
        """Go on to a slot; nothing is known of those that are passed over, nor yet of this one. The first one brings
        those of its stretch along."""
        first = self.slot + 1 if self.slot else max(slot - _STRETCH, 0) + 1
        for step in range(max(first, slot - self.slots + 1), slot + 1):
            self.readings[step % self.slots] = np.nan
            self.signs[step % self.slots] = 0
        self._since = self._since or slot
        self.slot = slot

    def at(self, last: int) -> NDArray[np.intp]:
        """Where the last so many slots lie, oldest first."""
        n = max(1, min(last, self.slots))
        return np.arange(self.slot - n + 1, self.slot + 1) % self.slots

    def since(self, slot: int) -> "Stretch":
        """All that came after a slot."""
        at = self.lived()[-(self.slot - slot) :] if self.slot > slot else self.at(1)[:0]
        return Stretch(self.slot, self.readings[at], self.signs[at])

    def take(self, stretch: "Stretch") -> None:
        """Take over slots of another ring of this kind."""
        wider = stretch.readings.shape[2] - self.room
        if wider > 0:
            self.widen(wider)
        for k in range(len(stretch.readings)):
            self.begin(stretch.slot - len(stretch.readings) + 1 + k)
            self.readings[self.slot % self.slots] = stretch.readings[k]
            self.signs[self.slot % self.slots] = stretch.signs[k]

    def lived(self) -> NDArray[np.intp]:
        """Where all slots lie that were lived through, oldest first."""
        return self.at(self.slot - self._since + 1)

    def last(self, n: int) -> tuple[NDArray[np.intp], int]:
        """Where the last so many slots lie, as far as they were lived through, and how many before them were not."""
        at = self.lived()[-n:] if self.slot else self.at(1)[:0]
        return at, n - len(at)


@dataclass(frozen=True)
class Stretch:
    """Slots of a ring that follow one another, up to `slot`."""

    slot: int
    readings: NDArray[Any]
    signs: Signs


class Rings:
    """The three of them. `slot` counts tenths of a second; 0 before anything was taken in."""

    def __init__(self) -> None:
        self.recent = Ring(KEPT_S * RATE_HZ)
        self.looks = Ring(round(KEPT_S / LOOK_S))
        self.evening = Ring(round(EVENING_S / THIN_S), np.float16)

    @property
    def slot(self) -> int:
        return self.recent.slot

    @property
    def room(self) -> int:
        return self.recent.room

    def widen(self, rows: int) -> None:
        """Make room for so many links at least."""
        more = max(rows - self.room, self.room, 16)
        for ring in (self.recent, self.looks, self.evening):
            ring.widen(more)

    def forward(self, slot: int, rows: NDArray[np.intp], readings: Readings, signs: Signs) -> None:
        """Go on to a slot: `rows` showed `readings` (fields, k) and `signs` (k,) in the last second that passed, of the
        others nothing is known."""
        if slot < 1:  # nothing has been lived through yet
            return
        before = self.slot or slot - 1
        self.recent.begin(slot)
        if len(rows):
            for step in range(max(before, slot - RATE_HZ) + 1, slot + 1):
                self.recent.readings[step % self.recent.slots][:, rows] = readings
                self.recent.signs[step % self.recent.slots][rows] = signs
        self._fold(self.looks, round(LOOK_S * RATE_HZ), before, moment)
        self._fold(self.evening, round(THIN_S * RATE_HZ), before, _worst)

    def _fold(
        self, into: Ring, each: int, before: int, how: Callable[[Readings, Signs], tuple[Readings, Signs]]
    ) -> None:
        """Fold every stretch of so many slots that has ended since."""
        last = self.slot // each
        for stretch in range(max(before // each, last - into.slots, last - self.recent.slots // each) + 1, last + 1):
            at = np.arange((stretch - 1) * each + 1, stretch * each + 1) % self.recent.slots
            into.begin(stretch)
            place = stretch % into.slots
            into.readings[place], into.signs[place] = how(self.recent.readings[at], self.recent.signs[at])


_Folding = Callable[[Readings, Signs], tuple[Readings, Signs]]


def moment(readings: Readings, signs: Signs) -> tuple[Readings, Signs]:
    """The last of some readings, with the least quality and the loudest sound among them, whether it clipped or was
    named in any."""
    out = readings[-1].copy()
    out[Q], out[AF] = np.fmin.reduce(readings[:, Q]), np.fmax.reduce(readings[:, AF])
    return out, signs[-1] | (np.bitwise_or.reduce(signs) & (CLIPPED | NAMED))


def _worst(readings: Readings, signs: Signs) -> tuple[Readings, Signs]:
    """The least levels, quality and gauge of some readings, the loudest sound, the highest noise, every sign."""
    out = np.fmin.reduce(readings)
    out[AF], out[NOISE] = np.fmax.reduce(readings[:, AF]), np.fmax.reduce(readings[:, NOISE])
    return out, np.bitwise_or.reduce(signs)
