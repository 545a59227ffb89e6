"""How an instrument is spoken to: a dialect chosen by what it calls itself or by hand, tried with everything shown."""

from importlib.metadata import entry_points
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QDialog, QPlainTextEdit, QVBoxLayout, QWidget

from azven.desk import files
from azven.desk.session import Session
from azven.desk.stage import button, choice, fill, label, row
from azven.gear import dialects
from azven.gear.dialects import Dialect, DialectError
from azven.gear.instrument import DialectInstrument, Instrument
from azven.gear.overheard import Overheard
from azven.gear.transport import InstrumentError, connect
from azven.rf.sweep import SweepSettings

ADAPTERS = "azven.instruments"
_TRIED_S = 5.0
_FEW = 101

Speech = Dialect | str | None
"""A dialect, the name of an adapter, or None: by what the instrument calls itself."""


def opened(resource: str, speech: Speech) -> Instrument:
    """An instrument at a resource, spoken to as was chosen. InstrumentError when nothing answers."""
    if isinstance(speech, str):
        for point in entry_points(group=ADAPTERS, name=speech):
            made: Instrument = point.load().at(resource, _TRIED_S)
            return made
        raise InstrumentError(f"The adapter {speech} is not installed any more.")
    instrument = DialectInstrument.at(resource, _TRIED_S, speech)
    if speech is None:
        instrument.find_dialect()
    return instrument


def tried(resource: str, dialect: Dialect | None, settings: SweepSettings) -> tuple[list[str], str]:
    """What is said and answered in a short sweep, and how it ended."""
    try:
        line = Overheard(connect(resource, _TRIED_S))
    except InstrumentError as error:
        return [], str(error)
    instrument = DialectInstrument(line, _TRIED_S, dialect)
    try:
        identity = instrument.find_dialect() if dialect is None else instrument.identify()
        instrument.configure(settings)
        levels = instrument.sweep()
    except InstrumentError as error:
        return line.said, str(error)
    finally:
        instrument.close()
    said = f"{identity} speaks “{instrument.dialect.name}”: {len(levels)} readings from {levels.min():.1f} to "
    return line.said, f"{said}{levels.max():.1f} dBm.".replace("-", "−")


class SpeechDialog(QDialog):
    """Chooses how an instrument is spoken to; `chosen` is what holds when it is closed."""

    def __init__(self, session: Session, resource: str, settings: SweepSettings, now: Speech, parent: QWidget) -> None:
        super().__init__(parent)
        self._session, self._resource = session, resource
        self._settings = SweepSettings(start_hz=settings.start_hz, stop_hz=settings.stop_hz, points=_FEW,
                                       rbw_hz=settings.rbw_hz)  # fmt: skip
        self._own: list[Dialect] = [now] if isinstance(now, Dialect) and now not in dialects.shipped() else []
        self.setWindowTitle("How the instrument is spoken to")
        self.resize(640, 420)
        self.which = choice([], "Dialect")
        self.heard = QPlainTextEdit()
        self.heard.setReadOnly(True)
        self.heard.setAccessibleName("What was sent and what came")
        self.words = label("→ is sent, ← comes. A try sweeps once, with few readings.", wrap=True)
        box = QVBoxLayout(self)
        box.addLayout(
            row(self.which, button("From a file …", self.from_file), 1, button("Try", self.attempt, name="primary"))
        )
        box.addWidget(self.heard, 1)
        box.addWidget(self.words)
        box.addLayout(row(1, button("Close", self.accept)))
        self._fill(now)

    @property
    def chosen(self) -> Speech:
        found: Speech = self.which.currentData()
        return found

    def _fill(self, now: Speech) -> None:
        adapters = sorted({p.name for p in entry_points(group=ADAPTERS)})
        items: list[tuple[str, Any]] = [("by what it calls itself", None)]
        items += [(d.name, d) for d in (*dialects.shipped(), *self._own)]
        items += [(f"adapter: {name}", name) for name in adapters]
        fill(self.which, items)
        at = next((i for i, (_, v) in enumerate(items) if v == now), 0)
        self.which.setCurrentIndex(at)

    def from_file(self) -> None:
        path = files.ask_which(self, "A dialect", "Dialects (*.json)")
        if path is not None:
            self.take_file(path)

    def take_file(self, path: Path) -> None:
        """A dialect from a file; it is kept for as long as the window is open."""
        try:
            found = dialects.load(path)
        except DialectError as error:
            self.words.setText(str(error))
            return
        self._own.append(found)
        self._fill(found)

    def attempt(self) -> None:
        """Speak to the instrument beside the window, and show all of it."""
        speech = self.chosen
        if isinstance(speech, str):
            self.words.setText("An adapter speaks for itself; sweep with it.")
            return
        self.words.setText("Trying …")
        resource, settings = self._resource, self._settings
        self._session.jobs.quiet("dialect", lambda _: tried(resource, speech, settings), self._show, after_ms=0)

    def _show(self, found: tuple[list[str], str]) -> None:
        self.heard.setPlainText("\n".join(found[0]))
        self.words.setText(found[1])
