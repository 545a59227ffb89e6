"""One instrument: where it stands, how it sweeps and how often, and the sweeps it takes."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QWidget

from azven.desk.jobs import Job, Progress
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, choice, fill, label, row
from azven.refusal import Refusal
from azven.rf.sweep import SweepSettings
from azven.work import listen
from azven.work.listen import taking
from azven.work.listen.spectrum import Proposal
from azven.work.listen.taking import About, Taken
from azven.work.surroundings import OnOffer

if TYPE_CHECKING:
    from azven.desk.listen.speech import Speech

_RBW_HZ = (10_000, 30_000, 50_000, 100_000)
_POINTS = (1_001, 5_001, 10_001, 20_001)
_ATTENUATION_DB = (0, 10, 20, 30)
_REPEAT: list[tuple[str, object]] = [
    ("once", -1), ("repeatedly", 0), ("every minute", 60), ("every 5 min", 300), ("every 10 min", 600),
    ("every 30 min", 1800),
]  # fmt: skip
_HEARS: list[tuple[str, object]] = [
    ("for every use", "everyone"), ("for in-ear packs", "in-ears"), ("for receivers", "receivers"),
]  # fmt: skip
_SCAN_HZ = 25_000
_BREATH_MS, _WAIT_MS = 300, 5_000

_STOPPED = "The sweep was stopped before anything had arrived."


class InstrumentPanel(QWidget):
    """Controls of one instrument, its timetable, and the sweep it is taking. `number` counts instruments from 1."""

    changed = pyqtSignal()
    began = pyqtSignal(int)
    heard = pyqtSignal(int, object)
    ended = pyqtSignal(int)
    kept = pyqtSignal(object)

    def __init__(self, session: Session, number: int) -> None:
        super().__init__()
        self.session, self.number = session, number
        self._job: Job | None = None
        self._timetable = QTimer(self)
        self._timetable.setSingleShot(True)
        self._timetable.timeout.connect(self._due)
        self._make_fields()
        self._lay_out()
        self._name_antenna()

    def _make_fields(self) -> None:
        self._on_offer = self.session.instruments()
        self.address = choice(_addresses(self._on_offer), "Instrument address")
        self.address.setEditable(True)
        self.address.setCurrentIndex(min(self.number, self.address.count()) - 1)
        edit = self.address.lineEdit()
        if edit is not None and not self._on_offer:
            edit.setPlaceholderText("TCPIP::192.0.2.7::5025::SOCKET")
        self.start, self.stop = _field("From MHz", width=54), _field("To MHz", width=54)
        self._band, self._usual = "", ("", "")
        self._follow_band()
        self.session.view.changed.connect(self._follow_band)
        self.rbw = choice([(f"{r // 1000} kHz", r) for r in _RBW_HZ], "Resolution bandwidth")
        self.rbw.setCurrentIndex(1)
        self.count = choice([(f"{p} bins", p) for p in _POINTS], "Bins")
        self.count.setCurrentIndex(2)
        self.detector = choice([("average", "average"), ("peak", "peak")], "Detector")
        self.attenuation = choice(
            [("no attenuator" if a == 0 else f"−{a} dB", a) for a in _ATTENUATION_DB], "Attenuator of the instrument"
        )
        self.place = _field("Place", hint="Where: room and spot")
        self.antenna = _field("Antenna", hint="Which antenna, how high")
        self.antenna.setToolTip(
            "With the bearing where it is aimed, such as 120°, a line heard here alone gets one too"
        )
        self.own_on = QCheckBox("our transmitters on")
        self.hears = choice(_HEARS, "What the sweep counts for")
        self.repeat = choice(_REPEAT, "How often")
        self.until = _field("Until, local time", hint="until 19:30", width=96)
        self.until.setToolTip("Local time at which repeated sweeps end; empty: when you stop them")
        self.speech: Speech = None
        self.speaks = button("Speech …", self.choose_speech, "How this instrument is spoken to", "flat")
        self.twice = button(
            "Overload?", self.prove, "Sweeps twice, the second time behind an attenuator: lines that fall "
            "are made in the instrument, and are left out",
        )  # fmt: skip
        self._forecast = FittedLabel("dim")
        for field in (self.start, self.stop, self.place, self.antenna):
            field.textChanged.connect(self._foretell)
        for box in (self.rbw, self.count):
            box.currentIndexChanged.connect(self._foretell)
        self.address.opening.connect(self.look_round)
        self.address.currentIndexChanged.connect(self._name_antenna)
        self.address.editTextChanged.connect(lambda _: self.changed.emit())

    def _follow_band(self) -> None:
        """The range of the band in view, unless somebody has typed another."""
        if self.session.view.band.name == self._band:
            return
        low, high = self.session.view.sweep_span()
        usual = f"{round(low / 1e6)}", f"{round(high / 1e6)}"
        if (self.start.text(), self.stop.text()) == self._usual:
            self.start.setText(usual[0])
            self.stop.setText(usual[1])
            self._usual = usual
        self._band = self.session.view.band.name

    def _lay_out(self) -> None:
        grid = QGridLayout(self)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(5)
        grid.setContentsMargins(10, 2, 0, 0)
        self.rbw.setMinimumWidth(86)
        self.count.setMinimumWidth(108)
        self.detector.setMinimumWidth(86)
        self.attenuation.setMinimumWidth(122)
        rows = (
            ("Instrument", row(self.address, self.speaks, self.detector, self.attenuation, spacing=6)),
            ("Range", row(self.start, label("to"), self.stop, label("MHz"), self.rbw, self.count, 1, spacing=6)),
            ("Place", row(self.place, self.antenna, self.hears, spacing=6)),
            ("Sweep", row(self.repeat, self.until, self.own_on, 1, spacing=6)),
        )
        for i, (name, controls) in enumerate(rows):
            grid.addWidget(label(name, "dim"), i, 0)
            grid.addLayout(controls, i, 1)
        rows[0][1].setStretch(0, 1)
        foot = row(self._forecast, self.twice)
        foot.setStretch(0, 1)
        grid.addLayout(foot, len(rows), 0, 1, 2)
        grid.setColumnStretch(1, 1)

    # -- settings --------------------------------------------------------------------------------------

    @property
    def title(self) -> str:
        """What the instrument is called in a row of them."""
        return f"{self.number}  {self.place.text().strip() or 'no place yet'}"

    def settings(self) -> SweepSettings:
        """What the controls say; Refusal when they make no sense."""
        try:
            low, high = (round(float(f.text().replace(",", ".")) * 1e6) for f in (self.start, self.stop))
        except (ValueError, OverflowError):
            raise Refusal("The range needs two numbers in MHz.") from None
        if not 0 < low < high:
            raise Refusal("The range has to end above its start.")
        if self._is_rack:
            return SweepSettings(start_hz=low, stop_hz=high, points=(high - low) // _SCAN_HZ + 1, rbw_hz=_SCAN_HZ)
        return SweepSettings(
            start_hz=low,
            stop_hz=high,
            points=self.count.currentData(),
            rbw_hz=float(self.rbw.currentData()),
            detector=self.detector.currentData(),
            attenuation_db=float(self.attenuation.currentData()),
        )

    def set_up(self, proposal: Proposal) -> None:
        """Take over a proposed range, RBW and number of bins."""
        self.start.setText(f"{proposal.low_hz / 1e6:g}")
        self.stop.setText(f"{proposal.high_hz / 1e6:g}")
        self.rbw.setCurrentIndex(self.rbw.findData(proposal.rbw_hz))
        self.count.setCurrentIndex(min(range(len(_POINTS)), key=lambda i: abs(_POINTS[i] - proposal.points)))

    @property
    def _is_rack(self) -> bool:
        return any(i.kind == "rack" and i.address == self._resource() for i in self._on_offer)

    def _foretell(self) -> None:
        try:
            text = taking.forecast(self.settings()).sentence
            if self._is_rack:
                text = "in steps of the rack; the channel carries no audio meanwhile, its transmitter has to be off"
        except ValueError as error:
            text = str(error)
        self._forecast.setText(text)
        self.changed.emit()

    def _name_antenna(self) -> None:
        rack = self._is_rack
        for part in (self.speaks, self.rbw, self.count, self.detector, self.attenuation, self.twice):
            part.setVisible(not rack)
        self._foretell()
        for known in self._on_offer:
            if known.address == self._resource():
                self.antenna.setText(known.antenna)
                self.place.setText(known.place)
                for shown in (self.antenna, self.place, self.address.lineEdit()):
                    if shown is not None:
                        shown.setCursorPosition(0)
                self.hears.setCurrentIndex(self.hears.findData(known.hears))

    def look_round(self) -> None:
        """Offer what can be asked now: stand-ins, and channels of racks that can scan. What was typed stays."""
        found = self.session.instruments()
        if found == self._on_offer:
            return
        self._on_offer, typed, resource = found, self.address.currentText(), self._resource()
        self.address.blockSignals(True)
        fill(self.address, _addresses(found))
        at = next((i for i, known in enumerate(found) if known.address == resource), -1)
        self.address.setCurrentIndex(at)
        if at < 0:
            self.address.setEditText(typed)
        self.address.blockSignals(False)

    def _resource(self) -> str:
        text = self.address.currentText().strip()
        at = self.address.findText(text)
        return str(self.address.itemData(at)) if at >= 0 else text

    @property
    def ready(self) -> bool:
        """Whether there is an instrument to ask, and it is not at work."""
        return bool(self.address.currentText().strip()) and not self.sweeping

    # -- taking sweeps ---------------------------------------------------------------------------------

    @property
    def sweeping(self) -> bool:
        """Whether a sweep is being taken."""
        return self._job is not None

    @property
    def repeating(self) -> bool:
        """Whether another sweep is due by itself."""
        return self._timetable.isActive()

    def stop_repeating(self) -> None:
        """No further sweeps by themselves."""
        self._timetable.stop()
        self.changed.emit()

    def take(self, own_on: bool | None = None) -> None:
        """Take a sweep, then others as the timetable says."""
        if own_on is not None:
            self.own_on.setChecked(own_on)
            self.repeat.setCurrentIndex(0)
        self._begin(twice=False)

    def prove(self) -> None:
        """Take a sweep with and without an attenuator in front."""
        self._begin(twice=True)

    def _begin(self, twice: bool) -> None:
        try:
            settings = self.settings()
        except ValueError as error:
            self.session.say(str(error), trouble=True)
            return
        about = About(self.place.text(), self.antenna.text(), self.own_on.isChecked(), self.hears.currentData())
        if (here := self.session.surroundings) is not None:
            here.own_on = about.own_on
        self._sweep(self._resource(), settings, about, twice)

    def _sweep(self, resource: str, settings: SweepSettings, about: About, twice: bool) -> None:
        from azven.desk.listen.speech import opened
        from azven.gear.instrument import Instrument, Reconnecting
        from azven.gear.transport import InstrumentError
        from azven.work.prove import scanning

        holder: list[Job] = []
        speech = self.speech
        racks = self.session.racks if resource.startswith(scanning.SCHEME) else None
        now = racks.now if racks is not None else None

        def connect() -> Instrument:
            if holder[0].stopped:
                raise InstrumentError(_STOPPED)
            instrument: Instrument
            if racks is not None and now is not None:
                instrument = scanning.opened(racks.here, now, resource)
            else:
                instrument = opened(resource, speech)
            holder[0].on_stop(instrument.close)
            return instrument

        def work(progress: Progress) -> tuple[Taken, str]:
            instrument = Reconnecting(connect)

            def part(freq: Any, level: Any, share: float) -> bool:
                holder[0].tell((freq, level))
                return progress(round(100 * share), 100)

            try:
                identity = instrument.identify()
                how = taking.take_twice if twice else taking.take
                taken = how(instrument, settings, part)
                return (replace(taken, remark="") if holder[0].stopped else taken), identity
            except InstrumentError as error:
                if holder[0].stopped:
                    raise InstrumentError(_STOPPED) from error
                raise
            finally:
                instrument.close()

        title = "Sweeping" if self.number == 1 else f"Sweeping {self.number}"
        job = self.session.jobs.start(
            title, work, lambda found: self._keep(found[0], found[1], about),
            lambda part: self.heard.emit(self.number, part), lane=f"instrument {self.number}",
        )  # fmt: skip
        if job is None:
            return
        self._job = job
        holder.append(job)
        job.signals.failed.connect(self._failed)
        self.began.emit(self.number)
        self.changed.emit()

    def choose_speech(self) -> None:
        """Choose the dialect of the instrument, and try it."""
        from azven.desk.listen.speech import SpeechDialog

        try:
            settings = self.settings()
        except ValueError as error:
            self.session.say(str(error), trouble=True)
            return
        self.dialog = SpeechDialog(self.session, self._resource(), settings, self.speech, self)
        self.dialog.finished.connect(lambda _: setattr(self, "speech", self.dialog.chosen))
        self.dialog.show()

    def _over(self) -> None:
        self._job = None
        self.ended.emit(self.number)

    def _failed(self, _: object) -> None:
        """A sweep that brought nothing; a timetable goes on with the next."""
        self._over()
        if float(self.repeat.currentData()) > 0:
            self._plan_next()
        self.changed.emit()

    def _keep(self, taken: Taken, identity: str, about: About) -> None:
        self._over()
        sweep, store, scope = taken.sweep, self.session.store, self.session.scope
        inside = sorted(found.freq_hz for found in taken.made_inside or ())
        if self.session.do(lambda: listen.keep(store, scope, sweep, about, identity, made_inside=inside)):
            low, high = sweep.freq_hz[0] / 1e6, sweep.freq_hz[-1] / 1e6
            text = f"Kept {len(sweep.freq_hz)} bins from {low:.1f} to {high:.1f} MHz."
            remark = " ".join(filter(None, (taken.remark, taking.overload_in_words(taken))))
            self.session.say(f"{text} {remark}".strip(), trouble=bool(taken.remark or inside))
            self.kept.emit(sweep)
            self._plan_next()
        self.changed.emit()

    # -- repeatedly ------------------------------------------------------------------------------------

    def _plan_next(self) -> None:
        """After a sweep: when the next one is due, if any."""
        every_s = float(self.repeat.currentData())
        if every_s < 0:
            return
        now = self.session.local_now()
        end = _local_time(self.until.text(), now)
        if end is not None and now + timedelta(seconds=every_s) > end:
            self.session.say(f"The timetable ended at {end:%H:%M}.")
            return
        self._timetable.start(max(round(every_s * 1e3), _BREATH_MS))

    def _due(self) -> None:
        """A repeated sweep; while a search or another long job runs it waits for its turn."""
        if self.session.jobs.busy or self.sweeping:
            self._timetable.start(_WAIT_MS)
        else:
            self.take()


def _addresses(on_offer: Sequence[OnOffer]) -> list[tuple[str, object]]:
    return [(i.said, i.address) for i in on_offer]


def _field(name: str, hint: str = "", width: int = 0, text: str = "") -> QLineEdit:
    made = QLineEdit(text)
    made.setAccessibleName(name)
    made.setPlaceholderText(hint)
    if width:
        made.setFixedWidth(width)
    return made


def _local_time(text: str, now: datetime) -> datetime | None:
    """The next moment a clock shows `HH:MM`; None for anything else."""
    try:
        hour, minute = (int(part) for part in text.strip().removeprefix("until").strip().split(":"))
        found = now.replace(hour=hour, minute=minute, second=0, microsecond=0)
    except ValueError:
        return None
    return found if found > now else found + timedelta(days=1)
