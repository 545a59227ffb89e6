"""The open format `azven-plan` 1: the answer of a coordination."""

from typing import Any, Literal

from azven.book.formats.plan_request import Hertz
from azven.book.formats.reading import Document, parse
from azven.rf import coordinate as rf
from azven.rf.verdict import Clash, Hit, Limit

NAME, VERSION = "azven-plan", 1


class LimitDocument(Document):
    kind: str
    product_hz: int | None = None
    sources: list[str] = []


class AssignmentDocument(Document):
    id: str
    freq_hz: Hertz
    margin_hz: int | None = None
    limit: LimitDocument | None = None


class BlockerDocument(Document):
    kind: str
    share: float


class UnplacedDocument(Document):
    id: str
    reason: str = ""
    blockers: list[BlockerDocument] = []


class PlanDocument(Document):
    """The whole document; margins and limits are computed again where they matter."""

    format: Literal["azven-plan"]
    version: int
    assignments: list[AssignmentDocument]
    unplaced: list[UnplacedDocument] = []


def read(data: Any) -> dict[str, int]:
    """Frequencies [Hz] by link id; FormatError in one line, with the path, when it cannot be used."""
    document = parse(PlanDocument, data, NAME, VERSION)
    return {a.id: a.freq_hz for a in document.assignments}


def write(plan: rf.Plan) -> dict[str, Any]:
    """The document of a plan, ready for JSON."""
    return {
        "format": NAME,
        "version": VERSION,
        "assignments": [
            {"id": a.id, "freq_hz": a.freq_hz, "margin_hz": a.margin_hz, "limit": _limit(a.limit)}
            for a in plan.assignments
        ],
        "unplaced": [
            {"id": u.id, "reason": u.reason, "blockers": [{"kind": k, "share": round(s, 4)} for k, s in u.blockers]}
            for u in plan.unplaced
        ],
        "given_conflicts": [_conflict(c) for c in plan.given_conflicts],
        "stats": {
            "requested": plan.stats.requested,
            "placed": plan.stats.placed,
            "elapsed_s": round(plan.stats.elapsed_s, 3),
            "seed": plan.stats.seed,
            "timed_out": plan.stats.timed_out,
        },
    }


def _limit(limit: Limit | None) -> dict[str, Any] | None:
    if limit is None:
        return None
    return {"kind": limit.kind, "product_hz": limit.product_hz, "sources": list(limit.sources)}


def _conflict(item: Hit | Clash) -> dict[str, Any]:
    if isinstance(item, Clash):
        victim, other = item.ids
        return {
            "victim": victim, "kind": "spacing", "product_hz": None, "sources": [other],
            "distance_hz": item.distance_hz,
        }  # fmt: skip
    return {
        "victim": item.victim, "kind": item.kind, "product_hz": item.product_hz, "sources": list(item.sources),
        "distance_hz": item.distance_hz,
    }  # fmt: skip
