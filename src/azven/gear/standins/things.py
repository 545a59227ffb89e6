"""The state of stand-in gear: packs as people leave them, channels as they are set, faults as they were asked for."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from azven.rf.venue.cells import Cell

Fields = dict[str, Any]
LONGEST_NAME = 16


@dataclass(eq=False)
class Pack:
    """What a person carries. `used_min`: how long its battery has run; `at_window`: it is held to a rack's window."""

    id: str
    name: str
    freq_hz: int
    power_mw: float = 30.0
    on: bool = False
    mute: bool = False
    mute_lock: bool = False
    tone_key: bool = True
    headphones: bool = True
    gain_db: float = 0.0
    talks: bool = True
    cell: Cell = field(default_factory=Cell)
    used_min: float = 0.0
    temperature_c: float = 20.0
    tells_minutes: bool = True
    enc: str = "off"
    """Whether its key fits that of the receiver: off, ok, differs."""
    deaf: bool = False
    """It says that it follows at the window, and does not."""

    @property
    def empty(self) -> bool:
        return self.used_min >= self.cell.lasts_min(self.temperature_c)

    @property
    def radiates(self) -> bool:
        return self.on and not self.empty

    @property
    def gauge(self) -> float:
        return self.cell.gauge(self.used_min, self.temperature_c)

    @property
    def left_min(self) -> float:
        return max(self.cell.lasts_min(self.temperature_c) - self.used_min, 0.0)

    def fresh_battery(self) -> None:
        """Somebody puts a full battery in."""
        self.used_min = 0.0


@dataclass(eq=False)
class Channel:
    """A channel of a stand-in: what it is (as in a card), how it is set, and the pack that belongs to it."""

    id: str
    service: str
    direction: str
    low_hz: int
    high_hz: int
    step_hz: int
    sides: tuple[str, ...]
    can: tuple[str, ...]
    settings: Fields
    pack: Pack | None = None
    limits: dict[str, list[Any]] = field(default_factory=dict)
    bands: dict[str, tuple[int, int]] = field(default_factory=dict)
    factory: Fields = field(default_factory=dict)
    scanning: bool = False
    locked: bool = False
    show: Callable[[], Fields] = dict
    """Status fields as they are now."""
    heard_dbm: Callable[[Any], Any] | None = None
    """Levels [dBm] (n,) at frequencies (n,) [Hz], as a scan of this channel measures them."""

    fixed_hz: int = 0
    """Where it is, if it cannot be set."""

    @property
    def tuned_hz(self) -> int:
        return int(self.settings.get("freq_hz", self.fixed_hz))

    @property
    def on_air(self) -> bool:
        """Whether its transmitter is on: the pack's, of an in-ear channel the rack's."""
        if self.direction == "out":
            return float(self.settings.get("power_mw", 0.0)) > 0
        return self.pack is not None and self.pack.radiates

    def card(self) -> Fields:
        return {
            "id": self.id, "service": self.service, "direction": self.direction, "low_hz": self.low_hz,
            "high_hz": self.high_hz, "step_hz": self.step_hz, "sides": list(self.sides), "can": list(self.can),
            "limits": self.limits,
        }  # fmt: skip


@dataclass(eq=False)
class Faults:
    """What is wrong with a stand-in, as asked for. Moments are of its own clock [s]."""

    silent: bool = False
    floods: bool = False
    lies: bool = False
    sync_fails_one_in: int = 12
    never_syncs: bool = False
