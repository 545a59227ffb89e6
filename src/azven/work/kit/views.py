"""What Kit's pages show, as it is at one moment."""

from collections.abc import Mapping
from dataclasses import dataclass

from azven.book.reading import Reading
from azven.work.kit.bodies import Body, bodies
from azven.work.kit.evening import Evening, evening
from azven.work.kit.fitting import fits
from azven.work.kit.gear import planned
from azven.work.scope import Scope


@dataclass(frozen=True, kw_only=True)
class PersonsView:
    """The evening of the persons and what is on their bodies, by the numbers of persons."""

    evening: Evening
    bodies: Mapping[int, Body]

    @property
    def open_points(self) -> int:
        """What cannot stay, between people and on them."""
        return self.evening.open_points + sum(b.state == "broken" for b in self.bodies.values())


def of_persons(store: Reading, scope: Scope) -> PersonsView:
    frequencies = planned(store, scope)
    found = evening(store, scope, frequencies)
    return PersonsView(evening=found, bodies=bodies(store, scope, found, frequencies))


def open_points(store: Reading, scope: Scope) -> tuple[int, int]:
    """How many links and units do not fit, and how much is not in order with persons."""
    return fits(store, scope).open_points, of_persons(store, scope).open_points
