"""What a coordination is asked to do: profiles, zones, given carriers and the links to place.

Frequencies are integer hertz throughout. Every record is frozen; `PlanRequest.validate`
refuses what cannot be planned, with the path of the offending entry in the message.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Literal

KINDS = ("2a-b", "a+b-c", "3a-2b", "3a-b-c", "4a-3b", "5a-4b", "2a", "3a", "a-b")

MOST_STEPS, MOST_LAID_OUT, _FINEST_HZ = 1_000_000, 400_000_000, 5_000
"""Steps that one request may have; requests × finest steps of the raster that they share."""

Relation = Literal["together", "near", "apart", "far"]
"""How two zones hear one another: as one; spacing alone; not at all; so little that emissions must not overlap."""
WIDTH_HZ = 200_000


@dataclass(frozen=True)
class Profile:
    """What a receiver asks of its surroundings: spacing and a guard per product kind [Hz]; 0 = off. `width_hz` is that
    of its emission."""

    spacing_hz: int
    guard_hz: Mapping[str, int] = field(default_factory=dict)
    width_hz: int = WIDTH_HZ

    def guard(self, kind: str) -> int:
        return self.guard_hz.get(kind, 0)


def apart_hz(a: Profile, b: Profile, relation: Relation) -> int:
    """How far two carriers of these profiles have to stay from one another [Hz]: the larger of their spacings; where
    their zones are far, half of their widths together; nothing where they are apart."""
    if relation == "apart":
        return 0
    return -(-(a.width_hz + b.width_hz) // 2) if relation == "far" else max(a.spacing_hz, b.spacing_hz)


@dataclass(frozen=True)
class Range:
    """Closed range of centre frequencies [Hz]."""

    low_hz: int
    high_hz: int


@dataclass(frozen=True)
class Blocked:
    """Half-open range `[low_hz, high_hz)` that no centre may use; `zones` None means everywhere."""

    low_hz: int
    high_hz: int
    reason: str = ""
    zones: frozenset[str] | None = None


@dataclass(frozen=True, kw_only=True)
class Carrier:
    """A carrier at a fixed frequency [Hz]; a listener (`radiates` False) is protected but makes no products."""

    id: str
    freq_hz: int
    profile: str
    zone: str
    radiates: bool = True
    times: frozenset[str] = frozenset()


@dataclass(frozen=True, kw_only=True)
class Request:
    """A link to place: tunable to `origin_hz + k·step_hz` within `ranges` and, if given, `allowed`."""

    id: str
    profile: str
    zone: str
    ranges: tuple[Range, ...]
    step_hz: int
    origin_hz: int = 0
    priority: int = 0
    times: frozenset[str] = frozenset()
    allowed: tuple[Range, ...] | None = None

    def at(self, freq_hz: int) -> Carrier:
        """This link as a carrier at `freq_hz` [Hz]."""
        return Carrier(
            id=self.id, freq_hz=freq_hz, profile=self.profile, zone=self.zone, radiates=True, times=self.times
        )


def meet_in_time(a: frozenset[str], b: frozenset[str]) -> bool:
    """Whether two items are ever on at once: they share an act, or either is always on."""
    return not a or not b or not a.isdisjoint(b)


@dataclass(frozen=True, kw_only=True)
class PlanRequest:
    """Everything the search needs to know; the open format `azven-plan-request` in memory.

    Ids decide, names are for people: `names` of carriers and requests, `zone_names` and `act_names`, each by id.
    """

    profiles: Mapping[str, Profile]
    zones: tuple[str, ...]
    requests: tuple[Request, ...]
    relations: Mapping[frozenset[str], Relation] = field(default_factory=dict)
    blocked: tuple[Blocked, ...] = ()
    carriers: tuple[Carrier, ...] = ()
    seed: int = 1
    effort: int = 3
    time_limit_s: float = 10.0
    names: Mapping[str, str] = field(default_factory=dict)
    zone_names: Mapping[str, str] = field(default_factory=dict)
    act_names: Mapping[str, str] = field(default_factory=dict)

    def relation(self, a: str, b: str) -> Relation:
        """Relation of two zones; a zone is together with itself, an unlisted pair is apart."""
        return "together" if a == b else self.relations.get(frozenset((a, b)), "apart")

    def validate(self) -> "PlanRequest":
        """Return self, or raise ValueError naming the path of the first entry that cannot be used."""
        self.validate_members()
        _validate_size(self)
        return self

    def validate_members(self) -> None:
        """As `validate`, but for how much a search would have to lay out."""
        _validate_head(self)
        for i, blocked in enumerate(self.blocked):
            _validate_blocked(self, blocked, f"blocked[{i}]")
        seen: set[str] = set()
        for i, carrier in enumerate(self.carriers):
            _validate_member(self, carrier, f"carriers[{i}]", seen)
        for i, request in enumerate(self.requests):
            path = f"requests[{i}]"
            _validate_member(self, request, path, seen)
            _validate_tuning(request, path)


def _refuse(path: str, message: str) -> None:
    raise ValueError(f"{path}: {message}")


def _validate_head(request: PlanRequest) -> None:
    if not 1 <= request.effort <= 5:
        _refuse("effort", f"must be 1 to 5, not {request.effort}")
    if not request.time_limit_s > 0:
        _refuse("time_limit_s", f"must be above 0, not {request.time_limit_s}")
    for name, profile in request.profiles.items():
        if profile.spacing_hz < 0:
            _refuse(f"profiles.{name}.spacing_hz", "must not be negative")
        if profile.width_hz < 0:
            _refuse(f"profiles.{name}.width_hz", "must not be negative")
        for kind, guard in profile.guard_hz.items():
            if kind not in KINDS:
                _refuse(f"profiles.{name}.guard_hz.{kind}", f"unknown product kind; known: {', '.join(KINDS)}")
            if guard < 0:
                _refuse(f"profiles.{name}.guard_hz.{kind}", "must not be negative")
    for pair in request.relations:
        for zone in pair:
            if zone not in request.zones:
                _refuse("relations", f"unknown zone '{zone}'")


def _validate_blocked(request: PlanRequest, blocked: Blocked, path: str) -> None:
    if blocked.low_hz >= blocked.high_hz:
        _refuse(path, f"low_hz {blocked.low_hz} is not below high_hz {blocked.high_hz}")
    if blocked.zones is None:
        return
    if not blocked.zones:
        _refuse(f"{path}.zones", "is empty; leave it out to block every zone")
    for zone in sorted(blocked.zones):
        if zone not in request.zones:
            _refuse(f"{path}.zones", f"unknown zone '{zone}'")


def _validate_member(request: PlanRequest, member: Carrier | Request, path: str, seen: set[str]) -> None:
    if member.id in seen:
        _refuse(f"{path}.id", f"'{member.id}' stands twice")
    seen.add(member.id)
    if member.profile not in request.profiles:
        _refuse(f"{path}.profile", f"unknown profile '{member.profile}'")
    if member.zone not in request.zones:
        _refuse(f"{path}.zone", f"unknown zone '{member.zone}'")
    if isinstance(member, Carrier) and member.freq_hz <= 0:
        _refuse(f"{path}.freq_hz", f"must be above 0, not {member.freq_hz}")


def _validate_tuning(request: Request, path: str) -> None:
    if request.step_hz <= 0:
        _refuse(f"{path}.step_hz", f"must be above 0, not {request.step_hz}")
    if not request.ranges:
        _refuse(f"{path}.ranges", "is empty")
    if request.allowed is not None and not request.allowed:
        _refuse(f"{path}.allowed", "is empty; leave it out to allow everything")
    for name, ranges in (("ranges", request.ranges), ("allowed", request.allowed or ())):
        for j, item in enumerate(ranges):
            if not 0 < item.low_hz <= item.high_hz:
                _refuse(f"{path}.{name}[{j}]", f"low_hz {item.low_hz} must be above 0 and not above {item.high_hz}")


def _validate_size(request: PlanRequest) -> None:
    """Refuse what no search could lay out: too many steps of one request, or too wide a raster for so many."""
    for i, wish in enumerate(request.requests):
        steps = sum((r.high_hz - r.low_hz) // wish.step_hz + 1 for r in wish.ranges)
        if steps > MOST_STEPS:
            _refuse(f"requests[{i}].ranges", f"hold {steps} steps; at most {MOST_STEPS} can be searched")
    ends = [f for wish in request.requests for r in wish.ranges for f in (r.low_hz, r.high_hz)]
    ends += [c.freq_hz for c in request.carriers]
    span = max(ends, default=0) - min(ends, default=0)
    most = min(MOST_STEPS * 4, MOST_LAID_OUT // max(len(request.requests), 1)) * _FINEST_HZ
    if span > most:
        _refuse("requests", f"reach over {span / 1e6:g} MHz; so many can be laid out over {most / 1e6:g} MHz at most")


def contains(ranges: Iterable[Range], freq_hz: int) -> bool:
    """Whether `freq_hz` [Hz] lies in one of the closed `ranges`."""
    return any(r.low_hz <= freq_hz <= r.high_hz for r in ranges)
