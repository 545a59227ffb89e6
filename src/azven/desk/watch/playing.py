"""A log that is played again: where it is, how fast, back to what is live."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QSlider

from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, choice, label
from azven.desk.watch.desk import WatchDesk

SPEEDS = (0.0, 1.0, 4.0, 15.0, 60.0)
_TITLES = {0.0: "still", 1.0: "as it was", 4.0: "4 times as fast", 15.0: "15 times", 60.0: "60 times"}


class Playing(QFrame):
    """A strip over the evening, there while a log is played."""

    def __init__(self, session: Session, watch: WatchDesk) -> None:
        super().__init__()
        self.setObjectName("asking")
        self._session, self._watch = session, watch
        self.words, self.time = FittedLabel("strong"), label("", "dim")
        self.speed = choice([(_TITLES[s], s) for s in SPEEDS], "Speed")
        self.speed.setCurrentIndex(1)
        self.place = QSlider(Qt.Orientation.Horizontal)
        self.place.setAccessibleName("Where the log is")
        self.place.setMinimumWidth(160)
        end = button("Back to what is live", watch.end_replay, name="primary")
        line = QHBoxLayout(self)
        line.setContentsMargins(10, 3, 10, 3)
        for part, stretch in ((self.words, 2), (self.time, 0), (self.place, 3), (self.speed, 0), (end, 0)):
            line.addWidget(part, stretch)
        self.speed.activated.connect(self._set_speed)
        self.place.sliderReleased.connect(self._jump)
        self.place.actionTriggered.connect(lambda _: None if self.place.isSliderDown() else self._jump())
        self.hide()

    def tick(self) -> None:
        """Show where it is."""
        replay = self._watch.replay
        self.setVisible(replay is not None)
        if replay is None:
            return
        self.words.setText(replay.path.name)
        self.time.setText(f"{_clock(replay.t)} of {_clock(replay.end_s)}")
        self.place.setMaximum(max(int(replay.end_s), 1))
        if not self.place.isSliderDown():
            self.place.setValue(int(replay.t))

    def _set_speed(self) -> None:
        self._watch.set_speed(float(self.speed.currentData()))

    def _jump(self) -> None:
        self._watch.jump(float(self.place.sliderPosition()))


def _clock(seconds: float) -> str:
    minutes, rest = divmod(int(seconds), 60)
    return f"{minutes // 60}:{minutes % 60:02d}:{rest:02d}"
