"""One frozen record per thing that people would name. Records carry no physics and no behaviour.

`id` 0 means not yet stored; `version` counts the writes and is set by the store.
"""

from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any, Literal, TypeVar, dataclass_transform, get_args

import numpy as np
from numpy.typing import NDArray

from azven.rf.register.deeds import DeedKind, State

Service = Literal["voice", "in-ear", "intercom", "data"]
UseClass = Literal["quiet", "usable"]
RelationName = Literal["together", "near", "apart"]
Hears = Literal["everyone", "in-ears", "receivers"]
NeighbourKind = Literal["neighbour", "avoid", "ours"]
School = Literal["spacing", "both", "level"]
PermitKind = Literal["licence", "override"]
Clutter = Literal["open", "suburb", "town", "city"]
AreaKind = Literal["stage", "audience", "backstage"]
MountKind = Literal["wall", "truss", "mast", "stand"]
AntennaRole = Literal["receive", "transmit"]
AntennaKind = Literal["omni", "beam", "fixed"]
Polarisation = Literal["linear", "rhcp", "lhcp"]
Side = Literal["A", "B"]
Detector = Literal["average", "peak"]
PowerKind = Literal["conducted", "e.r.p."]
Form = Literal["hand-held", "pack", "plug-on", "rack", "base", "camera"]
Audio = Literal["mono", "stereo", "two mixes"]
Condition = Literal["good", "to be checked", "faulty", "in repair"]
Phone = Literal["left behind", "flight mode", "on, away from the packs", "on, in a pocket"]
BodySide = Literal["left", "right"]
RouteKind = Literal["console input", "network channel", "analogue port"]
WideState = Literal["muted", "active", "last"]
Choosing = Literal["is set", "itself", "hops"]
PortKind = Literal["two-wire", "four-wire", "radio", "telephone"]
ProofStep = Literal["reset", "band", "network", "frequency", "off", "sync", "on", "tone", "level", "gain", "lock",
                    "squelch", "spare"]  # fmt: skip
Outcome = Literal["held", "remark", "failed", "left open"]

SERVICES: tuple[Service, ...] = get_args(Service)
USE_CLASSES: tuple[UseClass, ...] = get_args(UseClass)
RELATIONS: tuple[RelationName, ...] = get_args(RelationName)
HEARS: tuple[Hears, ...] = get_args(Hears)
NEIGHBOUR_KINDS: tuple[NeighbourKind, ...] = get_args(NeighbourKind)
SCHOOLS: tuple[School, ...] = get_args(School)
PERMIT_KINDS: tuple[PermitKind, ...] = get_args(PermitKind)
AREA_KINDS: tuple[AreaKind, ...] = get_args(AreaKind)
MOUNT_KINDS: tuple[MountKind, ...] = get_args(MountKind)
ANTENNA_ROLES: tuple[AntennaRole, ...] = get_args(AntennaRole)
ANTENNA_KINDS: tuple[AntennaKind, ...] = get_args(AntennaKind)
POLARISATIONS: tuple[Polarisation, ...] = get_args(Polarisation)
SIDES: tuple[Side, ...] = get_args(Side)
DETECTORS: tuple[Detector, ...] = get_args(Detector)
POWER_KINDS: tuple[PowerKind, ...] = get_args(PowerKind)
FORMS: tuple[Form, ...] = get_args(Form)
AUDIO: tuple[Audio, ...] = get_args(Audio)
CONDITIONS: tuple[Condition, ...] = get_args(Condition)
PHONES: tuple[Phone, ...] = get_args(Phone)
BODY_SIDES: tuple[BodySide, ...] = get_args(BodySide)
ROUTE_KINDS: tuple[RouteKind, ...] = get_args(RouteKind)
WIDE_STATES: tuple[WideState, ...] = get_args(WideState)
CHOOSINGS: tuple[Choosing, ...] = get_args(Choosing)
PORT_KINDS: tuple[PortKind, ...] = get_args(PortKind)
PROOF_STEPS: tuple[ProofStep, ...] = get_args(ProofStep)
OUTCOMES: tuple[Outcome, ...] = get_args(Outcome)

EPOCH = datetime(2000, 1, 1, tzinfo=UTC)


T = TypeVar("T")


@dataclass_transform(kw_only_default=True, frozen_default=True, field_specifiers=(field,))
def record(cls: type[T]) -> type[T]:
    """A frozen record. Comparing and showing come from `Record`, once for all: the dataclass machinery writes them for
    every class anew, which is a tenth of the time a window takes to appear."""
    return dataclass(frozen=True, kw_only=True, eq=False, repr=False)(cls)


@record
class Record:
    id: int = 0
    version: int = 0

    def __eq__(self, other: object) -> bool:
        return type(self) is type(other) and vars(self) == vars(other)

    def __hash__(self) -> int:
        return hash((type(self), self.id, self.version))

    def __repr__(self) -> str:
        return f"{type(self).__name__}({', '.join(f'{k}={v!r}' for k, v in vars(self).items())})"


@record
class Region(Record):
    """Rules of a territory as they were when chosen; `document` is the whole region file."""

    key: str
    title: str
    dated: str
    document: dict[str, Any] = field(default_factory=dict)


@record
class Site(Record):
    """A venue. `thresholds` are the user's own limits of spectrum classes; `tv_guard_hz` is kept free beside
    taken channels on top of half the emission width; `stations` are the raster channels that the local list of
    television transmitters gives for this place, the region's list when empty; people there read times in
    `time_zone`, a name of the zone database."""

    name: str
    region_id: int | None = None
    note: str = ""
    tv_guard_hz: int = 0
    thresholds: dict[str, Any] = field(default_factory=dict)
    stations: tuple[str, ...] = ()
    time_zone: str = "UTC"
    archived: bool = False


@record
class Zone(Record):
    """A room or ground of a site, in which transmitters and receivers hear one another.

    `near_m`, `far_m`: nearest and farthest transmitter from the antenna; `between_m`: transmitters from one another;
    `exponent`: N of the indoor path; `shape`: corners (x, y) [m] in the site's plan, `height_m` to the ceiling.
    """

    site_id: int
    name: str
    position: int = 0
    note: str = ""
    near_m: float = 5.0
    far_m: float = 30.0
    between_m: float = 2.0
    exponent: float = 20.0
    shape: tuple[tuple[float, float], ...] = ()
    height_m: float = 6.0


@record
class Relation(Record):
    """How two zones hear one another, and the wall loss [dB] that says so."""

    zone_a_id: int
    zone_b_id: int
    relation: RelationName = "apart"
    wall_loss_db: float | None = None


@record
class Neighbour(Record):
    """A foreign frequency to keep clear of; `mixes` if strong enough to make products with ours."""

    site_id: int
    name: str
    freq_hz: int
    zone_id: int | None = None
    kind: NeighbourKind = "neighbour"
    spacing_hz: int = 300_000
    mixes: bool = False
    contact: str = ""
    note: str = ""
    hours: str = ""


@record
class Sweep(Record):
    """When, where and how a sweep was taken; its bins are in the `Trace` that names it.

    `made_inside`: lines [Hz] that the instrument makes itself, shown by putting an attenuator in.
    """

    site_id: int
    taken_at: datetime
    place: str
    antenna: str
    rbw_hz: float
    detector: Detector = "average"
    own_on: bool = False
    hears: Hears = "everyone"
    used: bool = True
    points: int = 0
    low_hz: int = 0
    high_hz: int = 0
    source: str = ""
    note: str = ""
    made_inside: tuple[int, ...] = ()


@record
class Trace(Record):
    """The bins of a sweep: frequencies [Hz] and levels [dBm], kept to 0.01 dB."""

    sweep_id: int
    freq_hz: NDArray[np.int64]
    level_dbm: NDArray[np.float64]

    def __eq__(self, other: object) -> bool:
        return self is other

    def __hash__(self) -> int:
        return id(self)


@record
class Model(Record):
    """A kind of equipment. `bands` are (name, low Hz, high Hz); `guard_hz` are the balanced guards.

    `origin_hz`: its steps are counted from there; `rasters` are the (step, origin) [Hz] of bands that have their own.
    For levels: `needed_db` carrier to interference, the receiver's `nf_db`, `iip3_dbm` and the level `blocking_dbm`
    from which on it is blocked, and what the body and the antenna of the transmitter (for in-ears: of the worn
    receiver) cost and bring. `receivers` of one rack unit share its antennas: a pair, or one without `diversity`.
    `powers` are the steps that can be set (mW, kind); `power_mw` is the conducted one that is planned with.
    `batteries` are (kind, mW, minutes it runs), `chargers` (kind, bays, minutes to full). A rack unit has so many
    network `addresses` and takes `dc_w`. `groups` are its tables, band → group → frequencies [Hz], with `only_groups`
    all it can be tuned to. `modes` are those of a wideband carrier with `capacity` slots: (name, slots, slots of a
    stereo mix, ms). None: not known.

    For bands that are shared: whether its channel `is set`, or it chooses one by itself and may hop; `duty`, the share
    of time that it sends; with a `second_radio` it listens for radar ahead, and after a change of channel it takes
    `rejoin_s` to be back.
    """

    name: str
    service: Service
    bands: tuple[tuple[str, int, int], ...]
    step_hz: int = 25_000
    bandwidth_hz: int = 200_000
    power_mw: float = 30.0
    modulation: str = ""
    spacing_hz: int = 350_000
    guard_hz: dict[str, int] = field(default_factory=dict)
    builtin: bool = False
    needed_db: float = 20.0
    nf_db: float = 8.0
    iip3_dbm: float = 5.0
    body_db: float = 10.0
    gain_dbi: float = 0.0
    origin_hz: int = 0
    rasters: dict[str, tuple[int, int]] = field(default_factory=dict)
    form: Form = "pack"
    audio: Audio = "mono"
    receivers: int = 1
    diversity: bool = True
    powers: tuple[tuple[float, PowerKind], ...] = ()
    latency_ms: float | None = None
    blocking_dbm: float | None = None
    batteries: tuple[tuple[str, float, float], ...] = ()
    chargers: tuple[tuple[str, int, float], ...] = ()
    addresses: int = 0
    dc_w: float = 0.0
    only_groups: bool = False
    groups: dict[str, dict[str, tuple[int, ...]]] = field(default_factory=dict)
    capacity: int = 0
    modes: tuple[tuple[str, int, int, float], ...] = ()
    choosing: Choosing = "is set"
    duty: float = 1.0
    second_radio: bool = False
    rejoin_s: float = 5.0


@record
class Unit(Record):
    """A thing with a serial: a rack unit with receivers or transmitters, or what is `carried`, a pack or a hand-held.

    `receiver_band` is set when it differs from the transmitters'. `site_home_id` is the site that it belongs to,
    where it also is as long as no room is said.

    How it stands follows from its deeds: `state` and `since` when; at which site (`site_at_id`; None: its home) or
    `place` it is; who has it (`holder`); `until` its show loads out, or its loan ends; when it was last `seen`, as it
    was counted or scanned. `cells_since`: the day from which its cells are in use; `ran_min`: how long it last ran on
    full ones.
    """

    model_id: int
    name: str
    band: str
    receiver_band: str = ""
    channels: int = 1
    zone_id: int | None = None
    serial: str = ""
    note: str = ""
    carried: bool = False
    condition: Condition = "good"
    firmware: str = ""
    site_home_id: int | None = None
    state: State = "in case"
    site_at_id: int | None = None
    place: str = ""
    holder: str = ""
    since: datetime | None = None
    until: datetime | None = None
    seen: datetime | None = None
    cells_since: datetime | None = None
    ran_min: float | None = None


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
class Occupant(Record):
    """Somebody else on a band that everybody shares: an access point, a camera, a phone. It fills `width_hz` about its
    centre and arrives with `level_dbm` at our antennas, sending for the share `duty` of the time; heard in one room or
    in all. `place_m` is where it stands (x, y, z), empty where nobody knows."""

    site_id: int
    name: str
    centre_hz: int
    width_hz: int = 16_600_000
    level_dbm: float = -60.0
    duty: float = 1.0
    zone_id: int | None = None
    place_m: tuple[float, ...] = ()
    note: str = ""
    position: int = 0


@record
class RadarEvent(Record):
    """A radar heard, or supposed, on a channel of 5 GHz in a minute of the show."""

    show_id: int
    channel: int
    minute: int = 0
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
class Plan(Record):
    """A set of assignments of a show; `inputs` is the fingerprint of what it was computed from."""

    show_id: int
    name: str
    made_at: datetime = EPOCH
    inputs: dict[str, str] = field(default_factory=dict)
    note: str = ""


@record
class Assignment(Record):
    plan_id: int
    link_id: int
    freq_hz: int
    locked: bool = False


@record
class KeptPlan(Record):
    """A plan as it was adopted: frequencies [Hz] by link id (`link-12`), the names the links had then, and what it was
    made from."""

    show_id: int
    title: str
    made_at: datetime = EPOCH
    made_by: str = ""
    school: School = "spacing"
    density: int = 1
    frequencies: dict[str, int] = field(default_factory=dict)
    names: dict[str, str] = field(default_factory=dict)
    inputs: dict[str, str] = field(default_factory=dict)
    made_from: tuple[str, ...] = ()


@record
class Permit(Record):
    """A licence with its own range and cap, or a recorded decision to plan outside permission."""

    site_id: int
    name: str
    kind: PermitKind = "licence"
    low_hz: int = 0
    high_hz: int = 0
    power_mw: float | None = None
    starts_at: datetime | None = None
    ends_at: datetime | None = None
    note: str = ""


@record
class Wall(Record):
    """A straight wall of the site's plan [m]; `loss_db` stands in for the material's planning value."""

    site_id: int
    x1_m: float
    y1_m: float
    x2_m: float
    y2_m: float
    material: str = "brick"
    loss_db: float | None = None


@record
class Area(Record):
    """A part of a room with its corners [m]: stage, audience, backstage."""

    zone_id: int
    kind: AreaKind
    name: str
    shape: tuple[tuple[float, float], ...] = ()


@record
class Mount(Record):
    """A place where an antenna may be mounted [m]."""

    zone_id: int
    name: str
    kind: MountKind
    x_m: float
    y_m: float
    z_m: float


@record
class Antenna(Record):
    """An antenna that stands somewhere [m, °]; `layout` names the placement it belongs to."""

    zone_id: int
    name: str
    layout: str = "A"
    role: AntennaRole = "receive"
    side: Side = "A"
    kind: AntennaKind = "beam"
    gain_dbi: float = 6.5
    beamwidth_deg: float = 100.0
    front_back_db: float = 15.0
    polarisation: Polarisation = "linear"
    psi_deg: float = 0.0
    x_m: float = 0.0
    y_m: float = 0.0
    z_m: float = 3.0
    azimuth_deg: float = 0.0
    tilt_deg: float = 0.0
    power_dbm: float = 17.0
    carriers: int = 1


@record
class Backdrop(Record):
    """A drawing under the plan of the rooms: the bytes of a PNG, and two points of it whose place is known,
    each as (pixel from the left, pixel from the top, x [m], y [m])."""

    site_id: int
    name: str
    image: bytes = b""
    points: tuple[tuple[float, float, float, float], ...] = ()


@record
class Design(Record):
    """An antenna system: `document` is an `azven-chain` design."""

    site_id: int
    name: str
    document: dict[str, Any] = field(default_factory=dict)
    note: str = ""


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


@record
class Deed(Record):
    """Something done with a unit: when, what, by whom, where it is then, for which show and link, to whom (`holder`)
    and until when, why; its state before and after. `ends_at`: when the show was to load out. A `refused` one changed
    nothing."""

    unit_id: int
    at: datetime = EPOCH
    deed: DeedKind = "scan"
    made_by: str = ""
    site_at_id: int | None = None
    place: str = ""
    show_id: int | None = None
    ends_at: datetime | None = None
    link: str = ""
    holder: str = ""
    until: datetime | None = None
    why: str = ""
    before: State = "in case"
    after: State = "in case"
    refused: bool = False


@record
class Booking(Record):
    """A unit that is planned for a show."""

    show_id: int
    unit_id: int


@record
class Distance(Record):
    """How far two sites are apart, and what a wave loses between them: clutter by its word, obstacles [dB]."""

    site_a_id: int
    site_b_id: int
    km: float
    clutter: Clutter = "town"
    obstacles_db: float = 0.0


@record
class Inquiry(Record):
    """What a site is asked from another one: about what (the key of a case of the board), in which words, by whom and
    when; and what it answers."""

    site_id: int
    site_from_id: int
    about: str = ""
    words: str = ""
    asked_at: datetime = EPOCH
    asked_by: str = ""
    answer: str = ""
    answered_by: str = ""
    answered_at: datetime | None = None


@record
class Hour(Record):
    """An hour of a link as racks told it: the numbers of its show, site and link, and of the unit that somebody wore
    for it (0: nobody has said); how long it was heard and muted [s], the worst level [dBm] of the better antenna, how
    low its battery was [%]. It stays when what it names is gone."""

    show: int
    site: int
    link: int
    unit: int
    at: datetime
    heard_s: float
    muted_s: float = 0.0
    worst_dbm: float | None = None
    battery: float | None = None


@record
class KeptQuestion(Record):
    """A question about units under a name: what is `asked`, by the names of its parts."""

    name: str
    asked: dict[str, Any] = field(default_factory=dict)


@record
class BookKey(Record):
    """What a book is called by others that took something from it: the same for as long as it lives."""

    key: str


@record
class Origin(Record):
    """Where a record came from: the key of a book, kind and number there, and its number `here`."""

    book: str
    kind: str
    there: int
    here: int


@record
class Retention(Record):
    """How much of its history a book keeps: so many edits, the newest; with `bulky` also bins of sweeps and drawings,
    which a removal is otherwise not able to bring back from there."""

    edits: int = 20_000
    bulky: bool = False
