"""Models and units, and what the register knows of them: deeds, bookings, distances, hours, questions."""

from dataclasses import field
from datetime import datetime
from typing import Any

from azven.book.records.base import EPOCH, Record, record
from azven.book.records.words import Audio, Choosing, Clutter, Condition, Form, PowerKind, Service
from azven.rf.register.deeds import DeedKind, State


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
