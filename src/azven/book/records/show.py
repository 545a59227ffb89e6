"""A show: its acts, links, who wears what, wideband carriers, intercom, where sound goes."""

from dataclasses import field
from datetime import datetime
from typing import Any

from azven.book.records.base import Record, record
from azven.book.records.words import BodySide, Phone, PortKind, RouteKind, School, Service, UseClass, WideState


@record
class Show(Record):
    """What runs at a site, with its acts, links and plan. What is archived is kept, and out of the way. Gear is there
    from `load_in` to `load_out`; empty: from the first act to the last."""

    site_id: int
    name: str
    density: int = 1
    note: str = ""
    school: School = "spacing"
    archived: bool = False
    load_in: datetime | None = None
    load_out: datetime | None = None


@record
class Act(Record):
    """Part of a show. `touches_next`: in the change to the act after it, links of both may be on. `house_percent`: how
    full the house is by then."""

    show_id: int
    name: str
    position: int = 0
    starts_at: datetime | None = None
    ends_at: datetime | None = None
    touches_next: bool = False
    house_percent: int = 100


@record
class Link(Record):
    """One transmitter with its receivers. `acts` are act ids; none means always on. `acts_gone` are the names of acts
    that it was in and that were removed since its acts were set. `unit_id` is the rack unit and `receiver` its receiver
    (for in-ears: its transmitter), counted from 1, 0 where it does not matter. `power_step_mw` is the conducted power
    where it is not that of the model, 0 where it is. `switched_on` is ticked by hand by whoever has heard it."""

    show_id: int
    name: str
    model_id: int
    band: str
    zone_id: int
    unit_id: int | None = None
    service: Service = "voice"
    priority: int = 3
    use_class: UseClass = "usable"
    spare: bool = False
    set_aside: bool = False
    acts: tuple[int, ...] = ()
    position: int = 0
    performer: str = ""
    acts_gone: tuple[str, ...] = ()
    receiver: int = 0
    power_step_mw: float = 0.0
    switched_on: bool = False


@record
class Reception(Record):
    """One more receiver that hears a link: of a rack unit, `receiver` counted from 1."""

    link_id: int
    unit_id: int
    receiver: int = 0


@record
class Pair(Record):
    """Two links on one voice, one standing in for the other."""

    show_id: int
    link_a_id: int
    link_b_id: int


@record
class Person(Record):
    """Somebody of a show. `acts` are the acts in which they are on stage or at work, none means all of them."""

    show_id: int
    name: str
    role: str = ""
    position: int = 0
    acts: tuple[int, ...] = ()
    phone: Phone = "left behind"
    note: str = ""


@record
class Worn(Record):
    """Something on a person's body: the transmitter of a link, or a receiver of an in-ear or intercom link.

    `unit_id` is the pack itself where that is known; `acts` those in which it is worn, none means whenever both the
    person and the link are on. `side` of the belt, and the `place` in words for whoever dresses them.
    """

    person_id: int
    link_id: int
    unit_id: int | None = None
    acts: tuple[int, ...] = ()
    side: BodySide = "right"
    place: str = "belt, back"
    note: str = ""


@record
class Route(Record):
    """Where the audio of a link goes, for in-ears where it comes from: one channel, or with `stereo` that and the next,
    of a `device` that people name."""

    show_id: int
    link_id: int
    kind: RouteKind = "console input"
    device: str = ""
    channel: int = 1
    stereo: bool = False
    position: int = 0


@record
class Wideband(Record):
    """A wideband carrier of a show: many links in one raster channel, named by `channel`, empty where it is not placed.

    Heard in `rooms` by their ids, none means in all. Narrow links keep `guard_hz` from the edges of its width. How it
    starts is its `state`; a spare stands ready for what another carried.
    """

    show_id: int
    name: str
    model_id: int
    channel: str = ""
    rooms: tuple[int, ...] = ()
    guard_hz: int = 500_000
    state: WideState = "muted"
    spare: bool = False
    position: int = 0


@record
class WidePack(Record):
    """A pack on a wideband carrier: an uplink in a `mode` of its model, a `mix` that it hears in a mode of its own;
    empty for none. A `busy` pack is not moved to another carrier."""

    show_id: int
    name: str
    mode: str = ""
    mix: str = ""
    mix_mode: str = ""
    stereo: bool = False
    rooms: tuple[int, ...] = ()
    wideband_id: int | None = None
    busy: bool = False
    priority: int = 3
    position: int = 0
    note: str = ""


@record
class Intercom(Record):
    """What a show's intercom is to do, as figures by name."""

    show_id: int
    figures: dict[str, Any] = field(default_factory=dict)


@record
class TalkGroup(Record):
    """People who talk with one another, and how many of them must be able to at once."""

    show_id: int
    name: str
    people: tuple[str, ...] = ()
    at_once: int = 1
    position: int = 0


@record
class Port(Record):
    """A port of the intercom: what it is, and the names of the lines and groups that it joins."""

    show_id: int
    name: str
    kind: PortKind = "four-wire"
    device: str = ""
    joins: tuple[str, ...] = ()
    link_id: int | None = None
    position: int = 0
    note: str = ""


@record
class Staging(Record):
    """Where whoever wears a link is in an act, in every act where none is named: the `corners` (x, y) [m] of their way,
    walked there and back; one: they stand there, none: they walk about the stage. They come on and go off [min of the
    act]; empty: they stay to its end."""

    show_id: int
    link_id: int
    act_id: int | None = None
    corners: tuple[tuple[float, float], ...] = ()
    enters_min: float = 0.0
    leaves_min: float | None = None
