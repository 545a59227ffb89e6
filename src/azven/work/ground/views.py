"""What Ground's pages show, read from the book at one moment."""

from collections.abc import Mapping
from dataclasses import dataclass

from azven.book.reading import Reading
from azven.book.records import Model, Permit, Zone
from azven.work import ground, listen
from azven.work.ground import permission
from azven.work.ground.hours import Clock
from azven.work.listen import Picture
from azven.work.plan import Board
from azven.work.scope import Scope


@dataclass(frozen=True)
class Licences:
    """Licences and overrides by frequency, and the clock by which people here read their dates."""

    permits: tuple[Permit, ...]
    clock: Clock


@dataclass(frozen=True)
class Limits:
    """The guard [Hz] beside taken channels, the interference [dBm] that each use stands, how many channels are of which
    class for it, and how many links of the plan are broken."""

    guard_hz: int
    tolerated_dbm: Mapping[str, float]
    classes: Mapping[str, Mapping[str, int]]
    broken: int


@dataclass(frozen=True)
class NextDoor:
    """Where neighbours could be, and what they could have."""

    rooms: tuple[Zone, ...]
    models: tuple[Model, ...]


def licences(book: Reading, scope: Scope) -> Licences:
    return Licences(tuple(permission.permits(book, scope)), ground.here(book, scope).clock)


def limits(book: Reading, scope: Scope, picture: Picture, board: Board) -> Limits:
    found = {use: [d.reading.occupancy for d in picture.decisions[use]] for use in listen.USES}
    classes = {use: {c: of.count(c) for c in ("quiet", "usable", "taken")} for use, of in found.items()}
    guard_hz = ground.here(book, scope).site.tv_guard_hz
    return Limits(guard_hz, listen.tolerated(book, scope), classes, board.count("broken"))


def next_door(book: Reading, scope: Scope) -> NextDoor:
    return NextDoor(tuple(ground.zones(book, scope)), tuple(ground.models(book)))
