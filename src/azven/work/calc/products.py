"""Calculations on intermodulation: products, hits, clashes and margins of given carriers."""

from typing import Any

from azven.book.formats.plan_request import CODES
from azven.rf.products import Situation, products
from azven.rf.request import KINDS as FORMULAS
from azven.rf.request import Carrier, Profile
from azven.rf.verdict import clashes, hits, margins
from azven.work.calc.given import Input, Kind, listed, whole

_MOST = 400


def _formula(kind: str) -> str:
    """The name of a kind; cases may use the codes of version 1."""
    found = CODES.get(kind, kind)
    if found not in FORMULAS:
        raise ValueError(f"there is no kind of product {str(kind)[:40]!r}")
    return found


def _situation(given: Input) -> Situation:
    profiles = {
        str(name): Profile(
            whole(p, "spacing_hz", 0), {_formula(k): whole(p["guard_hz"], k) for k in p.get("guard_hz", {})}
        )
        for name, p in given["profiles"].items()
    }
    relations = {frozenset(r["zones"]): r["relation"] for r in given.get("relations", ())}
    if len(listed(given, "carriers")) > _MOST:
        raise ValueError(f"at most {_MOST} carriers")
    carriers = [
        Carrier(
            id=str(c["id"]), freq_hz=whole(c, "freq_hz"), profile=c["profile"], zone=c.get("zone", ""),
            radiates=c.get("radiates", True), times=frozenset(c.get("times", ())),
        )
        for c in given["carriers"]
    ]  # fmt: skip
    if unknown := {c.profile for c in carriers} - profiles.keys():
        raise ValueError(f"there is no profile {min(unknown)[:40]!r}")
    return Situation(carriers, profiles, relations)


def _intermod(given: Input) -> dict[str, Any]:
    """`products` lists all products of the kinds named there, as a list or as keys."""
    situation = _situation(given)
    wanted = {str(kind): _formula(kind) for kind in given.get("products", ())}
    called = {formula: kind for kind, formula in CODES.items()} if _by_code(given) else {}
    out: dict[str, Any] = {"products": {k: _all_of(situation, f) for k, f in wanted.items()}} if wanted else {}
    out["hits"] = [
        {"victim": h.victim, "kind": called.get(h.kind, h.kind), "product_hz": h.product_hz, "sources": h.sources,
         "coefficients": h.coefficients, "distance_hz": h.distance_hz}
        for h in hits(situation)
    ]  # fmt: skip
    out["clashes"] = [
        {"ids": c.ids, "distance_hz": c.distance_hz, "spacing_hz": c.spacing_hz} for c in clashes(situation)
    ]
    out["margins"] = {
        name: {"margin_hz": m.margin_hz, "limits": [] if m.limit is None else [_limit(m.limit, called)]}
        for name, m in margins(situation).items()
    }
    return out


def _by_code(given: Input) -> bool:
    return any(k in CODES for p in given["profiles"].values() for k in p.get("guard_hz", {}))


def _limit(limit: Any, called: dict[str, str]) -> dict[str, Any]:
    return {"kind": called.get(limit.kind, limit.kind), "product_hz": limit.product_hz, "sources": limit.sources}


def _all_of(situation: Situation, kind: str) -> list[dict[str, Any]]:
    found = [
        {"product_hz": int(p), "sources": [situation.ids[s] for s in row], "coefficients": f.coefficients}
        for f in products(situation, kind)
        for p, row in zip(f.product, f.sources, strict=True)
    ]
    return sorted(found, key=lambda p: p["product_hz"])


KINDS = {"intermod": Kind(_intermod, "products, hits, clashes and margins of given carriers")}
