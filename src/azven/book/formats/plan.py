"""The open format `azven-plan` 2: the answer of a coordination. Version 1 names products by the older codes."""

from collections.abc import Callable, Mapping
from typing import Any, Literal

from azven.book.formats.plan_request import CODES, Hertz
from azven.book.formats.reading import Document, parse
from azven.rf import coordinate as rf
from azven.rf.verdict import Clash, Hit, Limit
from azven.rf.whole import Whole, WholePlan

NAME, VERSION = "azven-plan", 2
_OLD = {formula: code for code, formula in CODES.items()}


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


def write(plan: rf.Plan, version: int = VERSION, names: Mapping[str, str] | None = None) -> dict[str, Any]:
    """The document of a plan, ready for JSON, in the `version` of the request it answers; `names` are for people."""
    called = names or {} if version > 1 else {}

    def kind(formula: str) -> str:
        return formula if version > 1 else _OLD.get(formula, formula)

    return {
        "format": NAME,
        "version": version,
        "assignments": [
            {"id": a.id, **_name(called, a.id), "freq_hz": a.freq_hz, "margin_hz": a.margin_hz,
             "limit": None if a.limit is None else _limit(a.limit, kind(a.limit.kind))}
            for a in plan.assignments
        ],
        "unplaced": [
            {"id": u.id, **_name(called, u.id), "reason": u.reason,
             "blockers": [{"kind": kind(k), "share": round(s, 4)} for k, s in u.blockers]}
            for u in plan.unplaced
        ],
        "given_conflicts": [_conflict(c, kind) for c in plan.given_conflicts],
        "stats": _stats(plan.stats, version),
    }  # fmt: skip


def write_whole(found: WholePlan, wanted: Whole, version: int = VERSION) -> dict[str, Any]:
    """The document of a plan of every kind of link: wideband carriers with their channel, links of shared bands with
    their interference."""
    out = write(found.narrow, version, wanted.narrow.names)
    called = wanted.narrow.names if version > 1 else {}
    for name, (channel, margin) in found.wides.items():
        out["assignments"].append({
            "id": name, **_name(called, name), "freq_hz": channel.centre_hz, "channel": channel.name,
            "margin_hz": margin, "limit": None,
        })  # fmt: skip
    for name, (freq, interference) in found.shareds.items():
        out["assignments"].append({
            "id": name, **_name(called, name), "freq_hz": freq, "margin_hz": None, "limit": None,
            "interference_dbm": interference,
        })  # fmt: skip
    out["unplaced"] += [{"id": n, **_name(called, n), "reason": why, "blockers": []} for n, why in found.unplaced]
    others = len(found.wides) + len(found.shareds)
    if others or found.unplaced:
        stats = out["stats"]
        stats["requested"] += others + len(found.unplaced)
        stats["placed"] += others
        if stats.get("proof") != "all placed" or found.unplaced:  # other channels might leave more
            stats |= {k: v for k, v in (("bound", None), ("proved", False), ("proof", None)) if k in stats}
    return out


def _name(names: Mapping[str, str], member: str) -> dict[str, str]:
    return {"name": names[member]} if member in names else {}


def _stats(stats: rf.Stats, version: int) -> dict[str, Any]:
    out: dict[str, Any] = {
        "requested": stats.requested, "placed": stats.placed, "elapsed_s": round(stats.elapsed_s, 3),
        "seed": stats.seed, "timed_out": stats.timed_out,
    }  # fmt: skip
    if version > 1:
        out |= {"bound": stats.bound, "proved": stats.proof is not None, "proof": stats.proof}
    return out


def _limit(limit: Limit, kind: str) -> dict[str, Any]:
    return {"kind": kind, "product_hz": limit.product_hz, "sources": list(limit.sources)}


def _conflict(item: Hit | Clash, kind: Callable[[str], str]) -> dict[str, Any]:
    if isinstance(item, Clash):
        victim, other = item.ids
        return {
            "victim": victim, "kind": "spacing", "product_hz": None, "sources": [other],
            "distance_hz": item.distance_hz,
        }  # fmt: skip
    return {
        "victim": item.victim, "kind": kind(item.kind), "product_hz": item.product_hz, "sources": list(item.sources),
        "distance_hz": item.distance_hz,
    }  # fmt: skip
