"""What racks show, kept for looking back: rings of the last ten minutes for every channel, and what is known now."""

import threading
from operator import itemgetter

import numpy as np

from azven.gear.racks.link import RackLink
from azven.gear.racks.told import Told
from azven.gear.racks.values import Fields
from azven.work.watch.traces import Key, Traces

KEPT_S, RATE_HZ = 600, 10
_FIELDS = ("a", "b", "q", "af")
_HEARD_S = 2.0
_NOTHING: Fields = {}
_FOUR = itemgetter(*_FIELDS)


class LiveBoard:
    """Hears the racks of a hub; read by anybody from any thread. Ten times a second what every link shows goes into its
    ring, all at once: writing each frame by itself would cost more than reading it."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._links: dict[str, RackLink] = {}
        self._rows: dict[str, dict[str, int]] = {}
        self._count = 0
        self._ring = np.full((KEPT_S * RATE_HZ, len(_FIELDS), 0), np.nan, np.float32)
        self._seen_s: dict[str, float] = {}
        self._slot = 0
        self._told: list[Told] = []

    def frame(self, link: RackLink, now_s: float, changes: dict[str, Fields], full: bool) -> None:
        rack = link.id
        if rack is None:
            return
        if int(now_s * RATE_HZ) != self._slot:
            with self._lock:
                self._forward(now_s)
        self._seen_s[rack] = now_s
        if self._links.get(rack) is not link or len(self._rows[rack]) != len(link.status.values):
            with self._lock:
                self._take_in(rack, link)

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
        link = self._links.get(key[0])
        return dict(link.status.values.get(key[1], {})) if link else {}

    def traces(self, key: Key, seconds: float, now_s: float) -> Traces:
        """The last seconds of a channel."""
        n = max(1, min(int(seconds * RATE_HZ), KEPT_S * RATE_HZ))
        with self._lock:
            self._forward(now_s)
            row = self._rows.get(key[0], {}).get(key[1])
            at = np.arange(self._slot - n + 1, self._slot + 1) % (KEPT_S * RATE_HZ)
            values = self._ring[at, :, row] if row is not None else np.full((n, len(_FIELDS)), np.nan, np.float32)
        return Traces((np.arange(1 - n, 1) / RATE_HZ).astype(np.float32), *values.T)

    def _forward(self, now_s: float) -> None:
        """Go on to the slot of a moment: links whose rack is heard go on as they are, of others nothing is known."""
        slot = int(now_s * RATE_HZ)
        passed = min(slot - self._slot, KEPT_S * RATE_HZ) if self._slot else 1
        if passed <= 0:
            return
        for step in range(slot - passed + 1, slot + 1):
            self._ring[step % (KEPT_S * RATE_HZ)] = np.nan
        rows: list[int] = []
        values: list[tuple[float | None, ...]] = []
        for rack, link in self._links.items():
            if now_s - self._seen_s[rack] < _HEARD_S:
                known = link.status.values
                rows += self._rows[rack].values()
                for channel in self._rows[rack]:
                    fields = known.get(channel, _NOTHING)
                    try:
                        values.append(_FOUR(fields))
                    except KeyError:  # a side that the link does not have, or a field that was never told
                        values.append(tuple(map(fields.get, _FIELDS)))
        if rows:
            column = np.array(values, np.float32).T
            for step in range(max(slot - passed, slot - RATE_HZ) + 1, slot + 1):
                self._ring[step % (KEPT_S * RATE_HZ)][:, rows] = column
        self._slot = slot

    def _take_in(self, rack: str, link: RackLink) -> None:
        """A rack that is new, or has other channels than before."""
        rows = self._rows.setdefault(rack, {})
        for channel in link.status.values:
            if channel not in rows:
                rows[channel] = self._count
                self._count += 1
        room = self._ring.shape[2]
        if self._count > room:
            more = np.full((*self._ring.shape[:2], max(self._count - room, room, 16)), np.nan, np.float32)
            self._ring = np.concatenate([self._ring, more], axis=2)
        self._links[rack] = link
