"""Listen's page of peaks: what stands out, how strong, whose it is, who hears it."""

from PyQt6.QtWidgets import QVBoxLayout

from azven.desk.session import Session
from azven.desk.stage import choice, label, row
from azven.desk.tables import Column, RecordTable
from azven.desk.tabs import Page
from azven.work import chosen
from azven.work.listen import peaks
from azven.work.listen.peaks import Peak

_SHOWN: list[tuple[str, object]] = [
    ("everything", None), ("unclaimed lines", "unclaimed"), ("ours", "ours"), ("broad emissions", "broad"),
    ("made in the instrument", "instrument"),
]  # fmt: skip
_AIR_HZ = 1_000_000


class PeaksPage(Page):
    """A table of peaks, strongest first; choosing one shows it in the spine, an unclaimed one in Reasons too."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.only = choice(_SHOWN, "Which peaks")
        self.words = label("", "dim")
        self.table = RecordTable(_columns(), "Peaks, strongest first")
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 2, 0, 0)
        box.addLayout(row(label("Show", "dim"), self.only, 1, self.words))
        box.addWidget(self.table, 1)
        self.only.currentIndexChanged.connect(self.refresh)
        self.table.picked.connect(self._show)

    def read(self) -> tuple[Peak, ...]:
        session = self._session
        return tuple(peaks.peaks(session.store, session.scope, session.picture))

    def show_view(self, view: tuple[Peak, ...]) -> None:
        found, wanted = view, self.only.currentData()
        shown = [p for p in found if wanted in (None, p.whose)]
        self.table.show_records(shown)
        places = len({place for p in found for place in p.places})
        self.words.setText(
            f"{len(shown)} of {len(found)} peaks, from the newest sweep at {places} place{'s' * (places != 1)}"
            if found else "No sweep in use has a peak in it."
        )  # fmt: skip

    def _show(self, peak: Peak) -> None:
        if peak.unclaimed is not None:
            self._session.select(chosen.Line(peak.unclaimed))
        half = max(_AIR_HZ, peak.width_hz)
        self._session.view.show(peak.freq_hz - half, peak.freq_hz + half)


def _loudest_at(peak: Peak) -> str:
    others = f"  and {len(peak.places) - 1} more" if len(peak.places) > 1 else ""
    return peak.places[0] + others


def _columns() -> list[Column]:
    return [
        Column(title="MHz", width=96, show=lambda p: f"{p.freq_hz / 1e6:.3f}", right=True),
        Column(title="dBm", width=64, show=lambda p: f"{p.level_dbm:.0f}".replace("-", "−"), right=True),
        Column(title="Width kHz", width=88, show=lambda p: f"{p.width_hz / 1e3:.0f}", right=True),
        Column(title="Whose it is", width=190, show=lambda p: p.owner),
        Column(title="Loudest at", width=200, show=_loudest_at),
    ]
