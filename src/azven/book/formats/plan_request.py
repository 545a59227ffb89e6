"""The open format `azven-plan-request` 1: a coordination to be computed."""

from typing import Annotated, Any, Literal

from pydantic import Field

from azven.book.formats.errors import FormatError
from azven.book.formats.reading import Document, parse
from azven.rf import request as rf

NAME, VERSION = "azven-plan-request", 1
Hertz = Annotated[int, Field(ge=0, le=10**12)]


class ProfileDocument(Document):
    spacing_hz: Hertz
    guard_hz: dict[str, Hertz] = {}


class RangeDocument(Document):
    low_hz: Hertz
    high_hz: Hertz


class BlockedDocument(RangeDocument):
    reason: str = ""
    zones: list[str] | None = None


class RelationDocument(Document):
    zones: Annotated[list[str], Field(min_length=2, max_length=2)]
    relation: Literal["together", "near", "apart"]


class CarrierDocument(Document):
    id: str
    freq_hz: Hertz
    profile: str
    zone: str
    radiates: bool = True
    times: list[str] = []


class RequestDocument(Document):
    id: str
    profile: str
    zone: str
    ranges: list[RangeDocument]
    step_hz: Hertz
    origin_hz: Hertz = 0
    priority: int = 0
    times: list[str] = []
    allowed: list[RangeDocument] | None = None


class PlanRequestDocument(Document):
    """The whole document; what it means is said in the formats page of the documentation."""

    format: Literal["azven-plan-request"]
    version: int
    seed: int = 1
    effort: Annotated[int, Field(ge=1, le=5)] = 3
    time_limit_s: Annotated[float, Field(gt=0, le=86_400, strict=False)] = 10.0
    profiles: dict[str, ProfileDocument]
    zones: dict[str, dict[str, Any]]
    relations: list[RelationDocument] = []
    blocked: list[BlockedDocument] = []
    carriers: list[CarrierDocument] = []
    requests: list[RequestDocument]


def read(data: Any) -> rf.PlanRequest:
    """A checked request from parsed JSON; FormatError in one line, with the path, when it cannot be used."""
    document = parse(PlanRequestDocument, data, NAME, VERSION)
    try:
        return _request(document).validate()
    except FormatError:
        raise
    except ValueError as error:
        raise FormatError(str(error)) from error


def _request(d: PlanRequestDocument) -> rf.PlanRequest:
    return rf.PlanRequest(
        profiles={k: rf.Profile(p.spacing_hz, p.guard_hz) for k, p in d.profiles.items()},
        zones=tuple(d.zones),
        requests=tuple(_wish(r) for r in d.requests),
        relations=_relations(d),
        blocked=tuple(
            rf.Blocked(b.low_hz, b.high_hz, b.reason, None if b.zones is None else frozenset(b.zones))
            for b in d.blocked
        ),
        carriers=tuple(
            rf.Carrier(c.id, c.freq_hz, c.profile, c.zone, c.radiates, frozenset(c.times)) for c in d.carriers
        ),
        seed=d.seed,
        effort=d.effort,
        time_limit_s=d.time_limit_s,
    )


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
        r.id, r.profile, r.zone, _ranges(r.ranges), r.step_hz, r.origin_hz, r.priority, frozenset(r.times),
        None if r.allowed is None else _ranges(r.allowed),
    )  # fmt: skip


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
        "zones": {z: {} for z in request.zones},
        "relations": [{"zones": sorted(pair), "relation": r} for pair, r in request.relations.items()],
        "blocked": [],
        "carriers": [
            {
                "id": c.id, "freq_hz": c.freq_hz, "profile": c.profile, "zone": c.zone, "radiates": c.radiates,
                "times": sorted(c.times),
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
            "step_hz": r.step_hz, "priority": r.priority, "times": sorted(r.times),
        }  # fmt: skip
        out["requests"].append(wish if r.allowed is None else wish | {"allowed": ranges(r.allowed)})
    return out
