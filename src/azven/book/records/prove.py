"""What Prove writes: racks, which link is where, what was proven, walks, sign-offs."""

from dataclasses import field
from datetime import datetime
from typing import Any

from azven.book.records.base import EPOCH, Record, record
from azven.book.records.words import Outcome, ProofStep


@record
class ListedRack(Record):
    """A rack as the list of a site has it: where it answers, the id it has of itself (`rack`), and how its network is
    to be set (`network`: ports by role, as in the card of the rack link). `console`: its number at the console."""

    site_id: int
    name: str
    address: str = ""
    rack: str = ""
    kind: str = "receivers"
    channels: int = 0
    layout: str = "switched"
    console: int | None = None
    network: dict[str, Any] = field(default_factory=dict)
    position: int = 0


@record
class RackNetwork(Record):
    """What the racks of a site hang on: subnets by role, what consoles show, cables between devices."""

    site_id: int
    subnets: dict[str, Any] = field(default_factory=dict)
    consoles: tuple[tuple[str, int, str, tuple[str, ...]], ...] = ()
    cables: tuple[tuple[str, str], ...] = ()


@record
class Mapped(Record):
    """The channel of a rack that a link is on: ids of the rack and of the channel, as the rack says them."""

    show_id: int
    link_id: int
    rack: str
    channel: str


@record
class Wanted(Record):
    """How a link's unit is to be set, by the names of the rack link; what is missing does not matter."""

    show_id: int
    link_id: int
    settings: dict[str, Any] = field(default_factory=dict)


@record
class Proof(Record):
    """A step of a link's bring-up as it ended: what was `measured`, a `note` or the reason why it is left open."""

    show_id: int
    link_id: int
    step: ProofStep
    outcome: Outcome = "held"
    made_by: str = ""
    made_at: datetime = EPOCH
    measured: dict[str, Any] = field(default_factory=dict)
    note: str = ""


@record
class SignOff(Record):
    """A show signed off: what was left open, what every link was like then, as digests by link id, and how its unit was
    set, by link id and the names of the rack link, as far as it was read."""

    show_id: int
    made_by: str = ""
    made_at: datetime = EPOCH
    left_open: tuple[str, ...] = ()
    prints: dict[str, str] = field(default_factory=dict)
    note: str = ""
    settings: dict[str, Any] = field(default_factory=dict)


@record
class WalkTest(Record):
    """A walk through a room: who walked, `marks` (second, x [m], y [m], letter, and for a survey what was heard there),
    and `readings` of its links by link id, each (second, level A, level B, quality, battery, transmitter)."""

    show_id: int
    zone_id: int
    name: str
    made_by: str = ""
    made_at: datetime = EPOCH
    marks: tuple[tuple[float | str, ...], ...] = ()
    readings: dict[str, Any] = field(default_factory=dict)
    note: str = ""
