"""What racks show, kept for looking back."""

from collections.abc import Iterable, Sequence

from azven.gear.racks.link import RackLink
from azven.gear.racks.told import Told
from azven.gear.racks.values import Fields
from azven.work.watch.board import SIGN_FIELDS, Board
from azven.work.watch.rings import RATE_HZ
from azven.work.watch.traces import Key

_HEARD_S = 2.0
_NOTHING: Fields = {}


class LiveBoard(Board):
    """Hears the racks of a hub. Ten times a second what every link shows goes into its ring, all at once: writing each
    frame by itself would cost more than reading it."""

    def __init__(self) -> None:
        super().__init__()
        self._links: dict[str, RackLink] = {}
        self._channels: dict[str, dict[str, int]] = {}
        self._seen_s: dict[str, float] = {}
        self._told: list[Told] = []

    def frame(self, link: RackLink, now_s: float, changes: dict[str, Fields], full: bool) -> None:
        rack = link.id
        if rack is None:
            return
        if int(now_s * RATE_HZ) != self._rings.slot:
            with self._lock:
                self._forward(now_s)
        self._seen_s[rack] = now_s
        if self._links.get(rack) is not link or len(self._channels[rack]) != len(link.status.values):
            with self._lock:
                self._take_in(rack, link)
            changes = link.status.values
        for channel, fields in changes.items():
            if not SIGN_FIELDS.isdisjoint(fields):
                self._sign((rack, channel), now_s, fields, link.status.values.get(channel, _NOTHING))

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

    def _heard(self, now_s: float) -> Iterable[tuple[Sequence[int], Iterable[Fields]]]:
        for rack, link in self._links.items():
            if now_s - self._seen_s[rack] < _HEARD_S:
                known, rows = link.status.values, self._channels[rack]
                yield list(rows.values()), [known.get(channel, _NOTHING) for channel in rows]

    def _take_in(self, rack: str, link: RackLink) -> None:
        """A rack that is new, or has other channels than before."""
        self._channels[rack] = {channel: self._row((rack, channel)) for channel in link.status.values}
        self._links[rack] = link
