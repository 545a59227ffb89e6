"""Who plays, where and when: all that a rehearsal needs to know of a show."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from math import inf

from azven.rf.diagnose.record import Head
from azven.rf.venue import Venue
from azven.rf.venue.reception import Receiver, Side
from azven.rf.venue.ways import Part
from azven.rf.walls import WallLine


@dataclass(frozen=True, kw_only=True)
class Player:
    """A link (by its `id`, where it is of a book) and whoever wears it: frequency [Hz], radiated power [dBm], occupied
    bandwidth [Hz], what the body costs [dB] and on which side of it the pack is (1 behind, −1 before), where its wearer
    walks, and for how many minutes a full battery lasts (None: not known). Acts by id; none: all of them."""

    name: str
    freq_hz: float
    power_dbm: float
    bandwidth_hz: float
    body_db: float
    behind: float
    receiver: Receiver
    stage: Sequence[tuple[float, float]]
    acts: frozenset[str] = frozenset()
    battery_min: float | None = None
    spare: bool = False
    id: str = ""
    parts: Mapping[str, Part] = field(default_factory=dict)
    """By act, what its wearer does in it; one without walks about the stage."""
    wearers: Mapping[str, str] = field(default_factory=dict)
    """By act, whose body it is on, where another link may be too."""
    sends_s: tuple[float, float] = (-inf, inf)
    """From when to when it sends [s of the evening]."""

    def plays(self, act: str) -> bool:
        return not self.spare and (not self.acts or act in self.acts)

    def acts_of(self, evening: "Sequence[Act]") -> list["Act"]:
        """Those of an evening's acts that it plays in."""
        return [a for a in evening if self.plays(a.id)]


@dataclass(frozen=True)
class Act:
    """An act from a moment to another [s of the evening]; acts are told apart by `id`."""

    id: str
    name: str
    from_s: float
    to_s: float
    house: float = 1.0
    """How full the house is by then, 0…1."""


@dataclass(frozen=True, kw_only=True)
class Production:
    """Players in the order of the head's links. `venue` holds everybody else; `unknown` says in sentences what is not
    known, and what that could change."""

    players: tuple[Player, ...]
    sides: tuple[Side, ...]
    venue: Venue
    acts: tuple[Act, ...]
    head: Head
    walls: tuple[WallLine, ...] = ()
    unknown: tuple[str, ...] = field(default=())
