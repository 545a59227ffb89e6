"""The open format `azven-plan-request` 2: a coordination to be computed. Version 1, with its codes, is read too."""

from typing import Annotated, Any, Literal

from pydantic import Field

from azven.book.formats.errors import FormatError
from azven.book.formats.reading import Document, parse
from azven.rf import request as rf

NAME, VERSION = "azven-plan-request", 2
CODES = {
    "2T3O": "2a-b", "3T3O": "a+b-c", "2T5O": "3a-2b", "3T5O": "3a-b-c", "2T7O": "4a-3b", "2T9O": "5a-4b",
    "H2": "2a", "H3": "3a", "2T2O": "a-b",
}  # fmt: skip
"""How version 1 names the kinds of products."""
_LATER = "is part of version 2 that this Azven does not plan yet; it was not planned without it"
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
    wide: dict[str, Any] | None = None


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


def read(data: Any) -> rf.PlanRequest:
    """A checked request from parsed JSON; FormatError in one line, with the path, when it cannot be used."""
    document = parse(PlanRequestDocument, data, NAME, VERSION)
    _refuse_what_comes_later(document)
    try:
        return _request(document).validate()
    except FormatError:
        raise
    except ValueError as error:
        raise FormatError(str(error)) from error


def _refuse_what_comes_later(d: PlanRequestDocument) -> None:
    for key, profile in d.profiles.items():
        if profile.shared:
            raise FormatError(f"profiles.{key}.shared: {_LATER}")
    for i, relation in enumerate(d.relations):
        if relation.relation == "far":
            raise FormatError(f"relations[{i}].relation: far {_LATER}")
    for i, wish in enumerate(d.requests):
        if wish.wide is not None:
            raise FormatError(f"requests[{i}].wide: {_LATER}")
        for field in ("ranges", "step_hz"):
            if field not in wish.model_fields_set:
                raise FormatError(f"requests[{i}].{field}: field required")


def _request(d: PlanRequestDocument) -> rf.PlanRequest:
    return rf.PlanRequest(
        profiles={k: rf.Profile(p.spacing_hz, _guards(p, d.version, k)) for k, p in d.profiles.items()},
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
        if r.relation != "far":
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
            k: {"spacing_hz": p.spacing_hz, "guard_hz": dict(p.guard_hz)} for k, p in request.profiles.items()
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
