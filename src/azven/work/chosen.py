"""What can be chosen anywhere in a window, each kind of thing as a type of its own."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

from azven.rf.sweep import Line as UnclaimedLine

if TYPE_CHECKING:
    from azven.rf.rehearse.foretold import Trouble
    from azven.work.register import cases
    from azven.work.rehearse.helping import Tried


@dataclass(frozen=True)
class Link:
    """A link of the plan, by its id there."""

    id: str


@dataclass(frozen=True)
class Sweep:
    id: int


@dataclass(frozen=True)
class Line:
    """An unclaimed line, which is in no record."""

    line: UnclaimedLine


@dataclass(frozen=True)
class Channel:
    """A channel of the television raster, as links of a use see it; of a shared band where `low_hz` says where."""

    use: str
    name: str
    low_hz: int = 0


@dataclass(frozen=True)
class Rule:
    """A rule of the region, by its place among them."""

    number: int


@dataclass(frozen=True)
class Neighbour:
    id: int


@dataclass(frozen=True)
class Joint:
    """A block of an antenna system, or with no name the system itself."""

    design_id: int
    name: str = ""


@dataclass(frozen=True)
class Antenna:
    """An antenna of a placement, and whom it is asked about."""

    zone_id: int
    placement: str
    id: int
    wearer: str


@dataclass(frozen=True)
class Person:
    id: int


@dataclass(frozen=True)
class Wideband:
    """A wideband carrier."""

    id: int


@dataclass(frozen=True)
class Case:
    """A case of the watch, by its number."""

    number: int


@dataclass(frozen=True)
class BoardCase:
    """A case of the board of the register."""

    case: "cases.Case"


@dataclass(frozen=True)
class Unit:
    """A unit of the register."""

    id: int


@dataclass(frozen=True)
class Foretold:
    """An incident that a rehearsal foretells, of how many runs, and what was tried against it."""

    trouble: "Trouble"
    runs: int
    tried: "tuple[Tried, ...]" = ()


Chosen = (
    Link | Sweep | Line | Channel | Rule | Neighbour | Joint | Antenna | Person | Wideband | Case | Foretold | BoardCase
    | Unit
)  # fmt: skip
