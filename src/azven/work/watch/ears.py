"""Several who hear the same racks."""

from azven.gear.racks.hub import Listener
from azven.gear.racks.link import RackLink
from azven.gear.racks.told import Told
from azven.gear.racks.values import Fields


class Ears:
    """Passes on what racks say to everybody who listens, in their order."""

    def __init__(self, *listeners: Listener) -> None:
        self._listeners = listeners

    def add(self, listener: Listener) -> None:
        self._listeners = (*self._listeners, listener)

    def remove(self, listener: Listener) -> None:
        self._listeners = tuple(x for x in self._listeners if x is not listener)

    def frame(self, link: RackLink, now_s: float, changes: dict[str, Fields], full: bool) -> None:
        for listener in self._listeners:
            listener.frame(link, now_s, changes, full)

    def told(self, link: RackLink, told: Told) -> None:
        for listener in self._listeners:
            listener.told(link, told)
