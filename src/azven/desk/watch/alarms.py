"""How one is told that somebody should look: a short sound, a note of the desktop, OSC. None of it is on by itself."""

import json
import math
import struct
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QCheckBox, QDialog, QFormLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from azven.desk.remembered import Remembered
from azven.desk.session import Session
from azven.desk.stage import Choice, button, fill, label, row
from azven.desk.watch.notes import Notes
from azven.gear.osc import OscSender, target
from azven.refusal import Refusal
from azven.work.watch import said
from azven.work.watch.cases import AGAIN_S, NOBODY_S, Alarm
from azven.work.watch.osc import Telling

if TYPE_CHECKING:
    from PyQt6.QtMultimedia import QAudioDevice, QAudioSink

    from azven.desk.watch.desk import WatchDesk

_NOT_THE_SHOWS = (
    "Choose a sound device that is not the show's: an alarm in the house is worse than what it tells of. None is "
    "chosen by itself."
)
_RATE, _HZ, _SECONDS = 48_000, 880.0, 0.18


@dataclass(frozen=True)
class Settings:
    """What a desk wants to be told by. `device` is the id of a sound device, empty for none; `osc` host and port."""

    device: str = ""
    notes: bool = False
    osc: str = ""
    again_min: int = round(AGAIN_S / 60)
    nobody_s: int = round(NOBODY_S)


def remembered() -> Settings:
    """As this desk had it last; what cannot be read is as at first."""
    try:
        told: dict[str, Any] = json.loads(Remembered().alarms)
        first = asdict(Settings())
        return Settings(**{k: told[k] if type(told.get(k)) is type(v) else v for k, v in first.items()})
    except (ValueError, AttributeError):
        return Settings()


def sound_devices() -> list[tuple[str, str]] | None:
    """Names and ids of what can sound; None where this system has no sound library."""
    try:
        from PyQt6.QtMultimedia import QMediaDevices
    except ImportError:
        return None
    return [(d.description(), _id_of(d)) for d in QMediaDevices.audioOutputs()]


def _id_of(device: "QAudioDevice") -> str:
    return bytes(device.id().data()).decode("utf-8", "replace")


class Alarms(QObject):
    """Tells what rings by what was chosen."""

    def __init__(self, session: Session, watch: "WatchDesk") -> None:
        super().__init__(watch)
        self._session, self._watch = session, watch
        self.settings = Settings()
        self._telling: Telling | None = None
        self._sender: OscSender | None = None
        self._notes = Notes(self)
        self._sounding: tuple[QAudioSink, Any] | None = None
        watch.rang.connect(self._ring)
        watch.looked.connect(self._look)
        self.use(remembered())

    def use(self, settings: Settings) -> None:
        """Be told like that from now on. Refusal for a target that is none; everything else is taken then as well."""
        self.stop()
        self.settings = settings
        cases = self._watch.live.cases
        cases.again_s, cases.nobody_s = settings.again_min * 60.0, float(settings.nobody_s)
        if settings.osc:
            try:
                self._sender = OscSender(*target(settings.osc))
                self._telling = Telling(self._sender.send)
            except Refusal as refusal:
                self._session.say(str(refusal), trouble=True)

    def stop(self) -> None:
        """Send no more; safe to call twice."""
        if self._sender is not None:
            self._sender.close()
        self._sender = self._telling = None

    def _look(self) -> None:
        if self._telling is not None:
            self._telling.look(self._watch.live.seen)

    def _ring(self, alarms: Sequence[Alarm]) -> None:
        if self._telling is not None:
            self._telling.alarms(alarms)
        if self.settings.notes:
            self._note(alarms)
        if self.settings.device and any(a.case.mark == "broken" or a.why == "nobody" for a in alarms):
            self.sound(self.settings.device)

    def _note(self, alarms: Sequence[Alarm]) -> None:
        first = alarms[0].case
        more = f" and {len(alarms) - 1} more" if len(alarms) > 1 else ""
        self._notes.tell(f"{said.who(first)}{more}", said.what(first))

    def sound(self, wanted: str) -> None:
        """A short tone on a device, by its id; without a sound library or that device, none."""
        try:
            from PyQt6.QtCore import QBuffer, QByteArray, QIODevice
            from PyQt6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices
        except ImportError:
            return
        device = next((d for d in QMediaDevices.audioOutputs() if _id_of(d) == wanted), None)
        if device is None:
            return
        form = QAudioFormat()
        form.setSampleRate(_RATE)
        form.setChannelCount(1)
        form.setSampleFormat(QAudioFormat.SampleFormat.Int16)
        buffer = QBuffer(self)
        buffer.setData(QByteArray(tone()))
        buffer.open(QIODevice.OpenModeFlag.ReadOnly)
        sink = QAudioSink(device, form, self)
        sink.start(buffer)
        self._sounding = sink, buffer


def tone() -> bytes:
    """The alarm as samples of sixteen bits: one short tone that swells and fades."""
    n = round(_RATE * _SECONDS)
    loud = (0.25 * math.sin(math.pi * k / n) * math.sin(2 * math.pi * _HZ * k / _RATE) for k in range(n))
    return struct.pack(f"<{n}h", *(round(32767 * x) for x in loud))


class AlarmsDialog(QDialog):
    """What tells, in a window that stands in nobody's way."""

    def __init__(self, alarms: Alarms, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Alarms")
        self._alarms = alarms
        now, devices = alarms.settings, sound_devices()
        self.device = Choice()
        self.device.setAccessibleName("Sound device")
        known = devices or []
        fill(self.device, [("no sound", ""), *known])
        self.device.setCurrentIndex(next((k + 1 for k, d in enumerate(known) if d[1] == now.device), 0))
        self.device.setEnabled(devices is not None)
        self.notes, self.osc = QCheckBox("Notes of the desktop"), QLineEdit(now.osc)
        self.notes.setChecked(now.notes)
        self.osc.setPlaceholderText("host:port, empty for none")
        self.again, self.nobody = _number(now.again_min, 1, 120, " min"), _number(now.nobody_s, 15, 3600, " s")
        missing = "" if devices is not None else "This system has no sound library (Debian: libpulse0)."
        form = QFormLayout()
        form.addRow("Sound", self.device)
        form.addRow("", label(missing or _NOT_THE_SHOWS, "small", wrap=True))
        form.addRow("", self.notes)
        form.addRow("OSC to", self.osc)
        form.addRow("A case in hand asks again after", self.again)
        form.addRow("A case that nobody has is told again after", self.nobody)
        box = QVBoxLayout(self)
        box.addLayout(form)
        box.addLayout(row(button("Try the sound", self._try), 1, button("Cancel", self.reject),
                          button("Use", self._use, name="primary")))  # fmt: skip
        self.setMinimumWidth(520)

    def _wanted(self) -> Settings:
        return Settings(str(self.device.currentData() or ""), self.notes.isChecked(), self.osc.text().strip(),
                        self.again.value(), self.nobody.value())  # fmt: skip

    def _try(self) -> None:
        self._alarms.sound(self._wanted().device)

    def _use(self) -> None:
        self._alarms.use(self._wanted())
        Remembered().alarms = json.dumps(asdict(self._wanted()))
        self.accept()


def _number(value: int, low: int, high: int, unit: str) -> QSpinBox:
    made = QSpinBox()
    made.setRange(low, high)
    made.setSuffix(unit)
    made.setValue(value)
    return made
