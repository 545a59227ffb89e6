"""What racks show, kept for looking back: rings of the last ten minutes for every channel, and what is known now."""

import threading
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from azven.gear.racks.link import RackLink
from azven.gear.racks.told import Told
from azven.gear.racks.values import Fields

KEPT_S, RATE_HZ = 600, 10
_FIELDS = ("a", "b", "q", "af")
Floats32 = NDArray[np.float32]
Key = tuple[str, str]
"""A channel: ids of rack and channel."""


@dataclass(frozen=True)
class Traces:
    """The last seconds of a channel: times (n,) [s, negative, 0 now] and its fields (n,), NaN where not known."""

    at_s: Floats32
    a: Floats32
    b: Floats32
    q: Floats32
    af: Floats32

    @property
    def louder(self) -> Floats32:
        """The level of the stronger antenna [dBm]."""
        return np.fmax(self.a, self.b)


class LiveBoard:
    """Hears the racks of a hub; read by anybody from any thread."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._rows: dict[Key, int] = {}
        self._rings = np.full((0, len(_FIELDS), KEPT_S * RATE_HZ), np.nan, np.float32)
        self._latest: dict[Key, Fields] = {}
        self._seen_s: dict[str, float] = {}
        self._slot = 0
        self._told: list[Told] = []

    def frame(self, link: RackLink, now_s: float, changes: dict[str, Fields], full: bool) -> None:
        rack = link.id
        if rack is None:
            return
        with self._lock:
            self._forward(now_s)
            self._seen_s[rack] = now_s
            for channel, fields in link.status.values.items() if full else changes.items():
                key = (rack, channel)
                if key not in self._rows:
                    self._add(key)
                self._latest[key] = dict(link.status.values.get(channel, fields))
                self._put(key)

    def told(self, link: RackLink, told: Told) -> None:
        with self._lock:
            self._told.append(told)

    def news(self) -> list[Told]:
        """What racks told since one last asked."""
        with self._lock:
            told, self._told = self._told, []
        return told

    def now(self, key: Key) -> Fields:
        """What is known of a channel; empty for one that was never heard."""
        with self._lock:
            return dict(self._latest.get(key, {}))

    def seen_s(self, rack: str) -> float | None:
        """When a rack last sent a frame, on the hub's clock."""
        return self._seen_s.get(rack)

    def traces(self, key: Key, seconds: float, now_s: float) -> Traces:
        """The last seconds of a channel."""
        n = max(1, min(int(seconds * RATE_HZ), KEPT_S * RATE_HZ))
        with self._lock:
            self._forward(now_s)
            row = self._rows.get(key)
            at = np.arange(self._slot - n + 1, self._slot + 1) % (KEPT_S * RATE_HZ)
            values = self._rings[row][:, at] if row is not None else np.full((len(_FIELDS), n), np.nan, np.float32)
        return Traces((np.arange(1 - n, 1) / RATE_HZ).astype(np.float32), *values)

    def _forward(self, now_s: float) -> None:
        """Go on to the slot of a moment: channels whose rack is heard keep their values, others are not known."""
        slot = int(now_s * RATE_HZ)
        passed = min(slot - self._slot, KEPT_S * RATE_HZ) if self._slot else 1
        for step in range(slot - passed + 1, slot + 1):
            self._rings[:, :, step % (KEPT_S * RATE_HZ)] = np.nan
        heard = [k for k in self._rows if now_s - self._seen_s.get(k[0], -1e9) < 2.0] if passed > 0 else []
        if heard:
            rows = [self._rows[k] for k in heard]
            values = np.array([_values(self._latest[k]) for k in heard], np.float32)
            for step in range(max(slot - passed, slot - RATE_HZ) + 1, slot + 1):
                self._rings[rows, :, step % (KEPT_S * RATE_HZ)] = values
        self._slot = max(slot, self._slot)

    def _add(self, key: Key) -> None:
        self._rows[key] = len(self._rows)
        if len(self._rows) > len(self._rings):
            more = np.full((max(16, len(self._rings)), *self._rings.shape[1:]), np.nan, np.float32)
            self._rings = np.concatenate([self._rings, more])

    def _put(self, key: Key) -> None:
        self._rings[self._rows[key], :, self._slot % (KEPT_S * RATE_HZ)] = _values(self._latest[key])


def _values(fields: Mapping[str, Any]) -> list[float]:
    return [np.nan if fields.get(k) is None else fields[k] for k in _FIELDS]
