"""Tables of a walk: every link of it with how it went, and the dropouts of one."""

from dataclasses import dataclass

import numpy as np

from azven.desk.tables import Column
from azven.work.prove.walks import Told

_ADVICE = {
    "battery": "its battery was empty", "interference": "something else is on its frequency: look who",
    "signal fell": "both antennas lost it: shadow, distance or body", "multipath": "one branch: its antenna or cable",
    "unknown": "nothing fits clearly",
}  # fmt: skip


class LostRow:
    """A dropout as a row."""

    def __init__(self, number: int, told: Told, k: int) -> None:
        self.id, self.lost = number, told.dropouts[k]
        i = int(np.argmin(np.abs(told.readings.at_s - self.lost.from_s)))
        self.place = told.place_m[i]
        off = told.readings.tx[i] == 0 and self.lost.sort == "signal fell"
        self.advice = "its transmitter was off" if off else _ADVICE[self.lost.sort]


@dataclass(frozen=True, eq=False)
class LinkRow:
    """A link of a walk, with how it went on an earlier one where it was on that too."""

    id: int
    name: str
    told: Told | None
    before: Told | None

    @property
    def state(self) -> str:
        """As it is marked: sound without a dropout, unknown where nothing was heard."""
        if self.told is None or np.isnan(self.told.served):
            return "unknown"
        return "sound" if not self.told.dropouts else "tight" if self.told.served > 0.98 else "broken"


def link_columns() -> list[Column]:
    return [
        Column(title="Link", width=112, show=lambda r: r.name, mark=lambda r: r.state),
        Column(title="Served", width=72, show=lambda r: _served(r.told), right=True),
        Column(title="Lost", width=44, show=lambda r: str(len(r.told.dropouts)) if r.told else "", right=True),
        Column(title="Earlier", width=72, show=lambda r: _served(r.before), right=True),
    ]  # fmt: skip


def _served(told: Told | None) -> str:
    return "" if told is None or np.isnan(told.served) else f"{told.served:.1%}".replace("%", " %")


def lost_columns() -> list[Column]:
    return [
        Column(title="No.", width=30, show=lambda r: str(r.id), right=True),
        Column(title="At", width=66, show=lambda r: f"{int(r.lost.from_s // 60)}:{r.lost.from_s % 60:04.1f}"),
        Column(title="For", width=52, show=lambda r: f"{max(r.lost.to_s - r.lost.from_s, 0.1):.1f} s", right=True),
        Column(title="Place", width=74, show=lambda r: f"{r.place[0]:.0f}, {r.place[1]:.0f} m"
               if np.isfinite(r.place).all() else "not told"),
        Column(title="Worst", width=72, show=lambda r: f"{r.lost.worst_db:.0f} dB".replace("-", "−")
               if np.isfinite(r.lost.worst_db) else "", right=True, hint="The better antenna over need"),
        Column(title="Sorted as", width=84, show=lambda r: r.lost.sort),
        Column(title="What that says", width=90, show=lambda r: r.advice, prose=True),
    ]  # fmt: skip
