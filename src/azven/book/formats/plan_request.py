"""The open format `azven-plan-request` 2: a coordination to be computed. Version 1, with its codes, is read too."""

from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import Field

from azven.book.formats.errors import FormatError
from azven.book.formats.reading import Document, parse
from azven.rf import request as rf
from azven.rf.band24 import Other, Span
from azven.rf.whole import OWN_LEVEL_DBM, Foreign, Shared, Whole, Wide, WideChannel

NAME, VERSION = "azven-plan-request", 2
CODES = {
    "2T3O": "2a-b", "3T3O": "a+b-c", "2T5O": "3a-2b", "3T5O": "3a-b-c", "2T7O": "4a-3b", "2T9O": "5a-4b",
    "H2": "2a", "H3": "3a", "2T2O": "a-b",
}  # fmt: skip
"""How version 1 names the kinds of products."""
_ONLY_WHOLE = "is not a narrow link; a request with it is planned as a whole"
Hertz = Annotated[int, Field(ge=0, le=10**12)]
_MOST_REQUESTS, _MOST_CARRIERS, _MOST_ZONES, _MOST_RELATIONS, _MOST_RANGES = 5_000, 10_000, 1_000, 20_000, 1_000
"""Far more than any event has; what is longer is refused before it costs time and memory."""


class ProfileDocument(Document):
    spacing_hz: Hertz
    guard_hz: dict[str, Hertz] = {}
    width_hz: Hertz = 200_000
    shared: bool = False


class NamedDocument(Document):
    """A room or an act: its id is the key it stands under."""

    name: str = ""


class RangeDocument(Document):
    low_hz: Hertz
    high_hz: Hertz


class BlockedDocument(RangeDocument):
    reason: str = ""
    zones: list[str] | None = None


class RelationDocument(Document):
    zones: Annotated[list[str], Field(min_length=2, max_length=2)]
    relation: Literal["together", "near", "apart", "far"]


class CarrierDocument(Document):
    id: str
    freq_hz: Hertz
    profile: str
    zone: str
    radiates: bool = True
    times: list[str] = []
    name: str = ""


class WideChannelDocument(RangeDocument):
    name: str
    interference_dbm: float | None = None


class WideDocument(Document):
    """A wideband carrier: it stands on the centre of one of its channels."""

    width_hz: Annotated[int, Field(ge=1, le=10**12)]
    guard_hz: Hertz = 500_000
    channels: Annotated[list[WideChannelDocument], Field(min_length=1, max_length=_MOST_RANGES)]


class RequestDocument(Document):
    id: str
    profile: str
    zone: str
    ranges: Annotated[list[RangeDocument], Field(max_length=_MOST_RANGES)] = []
    step_hz: Hertz = 0
    origin_hz: Hertz = 0
    priority: int = 0
    times: list[str] = []
    allowed: Annotated[list[RangeDocument], Field(max_length=_MOST_RANGES)] | None = None
    name: str = ""
    wide: WideDocument | None = None
    own_level_dbm: float | None = None


class OtherDocument(Document):
    """Somebody else in a shared band."""

    id: str = ""
    centre_hz: Annotated[float, Field(gt=0, le=1e12)]
    width_hz: Annotated[float, Field(gt=0, le=1e12)]
    level_dbm: float
    duty: Annotated[float, Field(ge=0, le=1)] = 1.0
    zones: list[str] | None = None


class PlanRequestDocument(Document):
    """The whole document; what it means is said in the formats page of the documentation."""

    format: Literal["azven-plan-request"]
    version: int
    seed: int = 1
    effort: Annotated[int, Field(ge=1, le=5)] = 3
    time_limit_s: Annotated[float, Field(gt=0, le=86_400, strict=False)] = 10.0
    profiles: Annotated[dict[str, ProfileDocument], Field(max_length=_MOST_ZONES)]
    zones: Annotated[dict[str, NamedDocument], Field(max_length=_MOST_ZONES)]
    acts: Annotated[dict[str, NamedDocument], Field(max_length=_MOST_ZONES)] = {}
    relations: Annotated[list[RelationDocument], Field(max_length=_MOST_RELATIONS)] = []
    blocked: Annotated[list[BlockedDocument], Field(max_length=_MOST_CARRIERS)] = []
    carriers: Annotated[list[CarrierDocument], Field(max_length=_MOST_CARRIERS)] = []
    requests: Annotated[list[RequestDocument], Field(max_length=_MOST_REQUESTS)]
    others: Annotated[list[OtherDocument], Field(max_length=_MOST_CARRIERS)] = []
    own_level_dbm: float = OWN_LEVEL_DBM


def read(data: Any) -> rf.PlanRequest:
    """A checked request of narrow links alone from parsed JSON; FormatError in one line, with the path, when it cannot
    be used."""
    found = read_whole(data)
    for i, wish in enumerate(data["requests"]):
        if wish["id"] in {w.id for w in found.wides} | {s.request.id for s in found.shareds}:
            raise FormatError(f"requests[{i}]: {_ONLY_WHOLE}")
    return found.narrow


def read_whole(data: Any) -> Whole:
    """A checked request of every kind of link; FormatError as `read`."""
    document = parse(PlanRequestDocument, data, NAME, VERSION)
    _check_parts(document)
    try:
        return _whole(document)
    except FormatError:
        raise
    except ValueError as error:
        raise FormatError(str(error)) from error


def _check_parts(d: PlanRequestDocument) -> None:
    for i, wish in enumerate(d.requests):
        if wish.profile not in d.profiles:
            raise FormatError(f"requests[{i}].profile: unknown profile '{wish.profile}'")
        for field in ("ranges", "step_hz") if wish.wide is None else ():
            if field not in wish.model_fields_set:
                raise FormatError(f"requests[{i}].{field}: field required")
        for j, channel in enumerate(wish.wide.channels if wish.wide is not None else ()):
            if channel.low_hz >= channel.high_hz:
                raise FormatError(f"requests[{i}].wide.channels[{j}]: ends below its start")
    for i, other in enumerate(d.others):
        for zone in other.zones or ():
            if zone not in d.zones:
                raise FormatError(f"others[{i}].zones: unknown zone '{zone}'")


def _whole(d: PlanRequestDocument) -> Whole:
    """The parts of a request; all of it is checked as if every link were narrow, but for the steps of wide ones."""
    wides = [r for r in d.requests if r.wide is not None]
    shareds = [r for r in d.requests if r.wide is None and d.profiles[r.profile].shared]
    apart = {r.id for r in (*wides, *shareds)}
    everyone = _request(d)
    stand_ins = tuple(
        replace(r, ranges=(rf.Range(1, 1),), step_hz=1, allowed=None) if r.id in {w.id for w in wides} else r
        for r in everyone.requests
    )
    narrow = tuple(r for r in everyone.requests if r.id not in apart)
    replace(everyone, requests=stand_ins).validate_members()
    return Whole(
        narrow=replace(everyone, requests=narrow).validate(),
        wides=tuple(_wide(r) for r in wides),
        shareds=tuple(
            Shared(
                request=_wish(r), width_hz=d.profiles[r.profile].width_hz,
                own_level_dbm=d.own_level_dbm if r.own_level_dbm is None else r.own_level_dbm,
            )
            for r in shareds
        ),
        foreign=tuple(
            Foreign(
                Other(Span(o.centre_hz, o.width_hz), o.level_dbm, o.duty),
                None if o.zones is None else frozenset(o.zones),
            )
            for o in d.others
        ),
    )  # fmt: skip


def _wide(r: RequestDocument) -> Wide:
    assert r.wide is not None
    channels = tuple(WideChannel(c.name, c.low_hz, c.high_hz, c.interference_dbm) for c in r.wide.channels)
    return Wide(
        id=r.id, zone=r.zone, channels=channels, width_hz=r.wide.width_hz, guard_hz=r.wide.guard_hz,
        priority=r.priority, times=frozenset(r.times),
    )  # fmt: skip


def _request(d: PlanRequestDocument) -> rf.PlanRequest:
    return rf.PlanRequest(
        profiles={k: rf.Profile(p.spacing_hz, _guards(p, d.version, k), p.width_hz) for k, p in d.profiles.items()},
        zones=tuple(d.zones),
        requests=tuple(_wish(r) for r in d.requests),
        relations=_relations(d),
        blocked=tuple(
            rf.Blocked(b.low_hz, b.high_hz, b.reason, None if b.zones is None else frozenset(b.zones))
            for b in d.blocked
        ),
        carriers=tuple(
            rf.Carrier(
                id=c.id,
                freq_hz=c.freq_hz,
                profile=c.profile,
                zone=c.zone,
                radiates=c.radiates,
                times=frozenset(c.times),
            )
            for c in d.carriers
        ),
        seed=d.seed,
        effort=d.effort,
        time_limit_s=d.time_limit_s,
        names={c.id: c.name for c in d.carriers if c.name} | {r.id: r.name for r in d.requests if r.name},
        zone_names=_names(d.zones),
        act_names=_names(d.acts),
    )


def _names(named: dict[str, NamedDocument]) -> dict[str, str]:
    return {key: item.name for key, item in named.items() if item.name}


def _guards(profile: ProfileDocument, version: int, key: str) -> dict[str, int]:
    """Guards by formula; what a version does not name stays as it is and is refused by name later."""
    if version > 1:
        return profile.guard_hz
    if wrong := next((k for k in profile.guard_hz if k not in CODES), None):
        raise FormatError(f"profiles.{key}.guard_hz.{wrong}: unknown product kind; known: {', '.join(CODES)}")
    return {CODES[k]: g for k, g in profile.guard_hz.items()}


def _relations(d: PlanRequestDocument) -> dict[frozenset[str], rf.Relation]:
    out: dict[frozenset[str], rf.Relation] = {}
    for i, r in enumerate(d.relations):
        pair = frozenset(r.zones)
        for zone in r.zones:
            if zone not in d.zones:
                raise FormatError(f"relations[{i}].zones: unknown zone '{zone}'")
        if len(pair) == 1:
            raise FormatError(f"relations[{i}].zones: a zone is always together with itself")
        if pair in out:
            raise FormatError(f"relations[{i}].zones: {' and '.join(r.zones)} stand twice")
        out[pair] = r.relation
    return out


def _ranges(items: list[RangeDocument]) -> tuple[rf.Range, ...]:
    return tuple(rf.Range(r.low_hz, r.high_hz) for r in items)


def _wish(r: RequestDocument) -> rf.Request:
    return rf.Request(
        id=r.id,
        profile=r.profile,
        zone=r.zone,
        ranges=_ranges(r.ranges),
        step_hz=r.step_hz,
        origin_hz=r.origin_hz,
        priority=r.priority,
        times=frozenset(r.times),
        allowed=None if r.allowed is None else _ranges(r.allowed),
    )


def write(request: rf.PlanRequest) -> dict[str, Any]:
    """The document of a request, ready for JSON."""

    def ranges(items: tuple[rf.Range, ...]) -> list[dict[str, int]]:
        return [{"low_hz": r.low_hz, "high_hz": r.high_hz} for r in items]

    out: dict[str, Any] = {
        "format": NAME,
        "version": VERSION,
        "seed": request.seed,
        "effort": request.effort,
        "time_limit_s": request.time_limit_s,
        "profiles": {
            k: {"spacing_hz": p.spacing_hz, "guard_hz": dict(p.guard_hz), "width_hz": p.width_hz}
            for k, p in request.profiles.items()
        },
        "zones": {z: _named(request.zone_names.get(z)) for z in request.zones},
        "acts": {a: _named(name) for a, name in request.act_names.items()},
        "relations": [{"zones": sorted(pair), "relation": r} for pair, r in request.relations.items()],
        "blocked": [],
        "carriers": [
            {
                "id": c.id, "freq_hz": c.freq_hz, "profile": c.profile, "zone": c.zone, "radiates": c.radiates,
                "times": sorted(c.times), **_named(request.names.get(c.id)),
            }
            for c in request.carriers
        ],
        "requests": [],
    }  # fmt: skip
    for b in request.blocked:
        entry: dict[str, Any] = {"low_hz": b.low_hz, "high_hz": b.high_hz, "reason": b.reason}
        out["blocked"].append(entry if b.zones is None else entry | {"zones": sorted(b.zones)})
    for r in request.requests:
        wish = {
            "id": r.id, "profile": r.profile, "zone": r.zone, "ranges": ranges(r.ranges), "origin_hz": r.origin_hz,
            "step_hz": r.step_hz, "priority": r.priority, "times": sorted(r.times), **_named(request.names.get(r.id)),
        }  # fmt: skip
        out["requests"].append(wish if r.allowed is None else wish | {"allowed": ranges(r.allowed)})
    return out


def _named(name: str | None) -> dict[str, str]:
    return {"name": name} if name else {}
