"""What stands around a desk that has no real instruments: what stages may know of a simulated venue."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Protocol

from azven.book.records import Hears
from azven.rf.venue import Venue
from azven.work.scope import Scope

if TYPE_CHECKING:
    from azven.work.simulated_racks import SimulatedRacks


@dataclass(frozen=True)
class OnOffer:
    """An instrument that can be asked: its address, its antenna, where it stands and who hears as it does."""

    address: str
    antenna: str
    place: str
    hears: Hears
    kind: str = "stand-in"

    @property
    def said(self) -> str:
        """As it is called in a list."""
        return f"{self.kind}: {self.antenna}"


class Surroundings(Protocol):
    """A simulated venue with its instruments. It keeps up with the book by itself."""

    site: int
    """Where it is: at another site of the book there is nothing of it."""
    own_on: bool
    """Whether our own transmitters are on in the sweeps that follow."""

    @property
    def world(self) -> Venue:
        """Everything that radiates there now, our own included."""
        ...

    def instruments(self) -> Sequence[OnOffer]:
        """The instruments that stand there."""
        ...

    def follow(self, scope: Scope) -> None:
        """Our transmitters are those of this show from now on."""
        ...

    def racks(self) -> "SimulatedRacks":
        """The racks of the show in view, started when they are first asked for."""
        ...

    def stop(self) -> None:
        """Switch the instruments off."""
        ...
