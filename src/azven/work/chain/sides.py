"""Diversity sides of a design: side B is the same as A unless it has its own blocks."""

from collections.abc import Sequence
from typing import Any

from azven.book.edits import Edit
from azven.book.records import Design as DesignRecord
from azven.refusal import Refusal
from azven.work import chain
from azven.work.chain.systems import Document

_SUFFIX = " B"


def has_own_b(document: Document) -> bool:
    """Whether side B is drawn with blocks of its own."""
    return any(n.get("side") == "B" for n in document["nodes"])


def own_b(record: DesignRecord) -> Edit:
    """Side B with blocks of its own, at first like side A's; Refusal when it has them or nothing is received."""
    document = chain.document_of(record)
    if has_own_b(document):
        raise Refusal("Side B has its own blocks already.")
    pairs = chain.read(document).edges
    received = _receive_side(document, pairs)
    if not received:
        raise Refusal("This design receives nothing, so it has no sides.")
    document["nodes"] += [_named_b(n) for n in document["nodes"] if n["id"] in received]
    document["edges"] += [[a + _SUFFIX, b + _SUFFIX] for a, b in pairs if a in received and b in received]
    for zone in document["zones"].values():
        zone["antennas"] += [a + _SUFFIX for a in zone["antennas"] if a in received]
    return chain.change(record, document, f"Own side B of {record.name}")


def like_a(record: DesignRecord) -> Edit:
    """Side B is as side A again: its own blocks go."""
    document = chain.document_of(record)
    pairs = chain.read(document).edges
    gone = {n["id"] for n in document["nodes"] if n.get("side") == "B"}
    document["nodes"] = [n for n in document["nodes"] if n["id"] not in gone]
    document["edges"] = [e for e, pair in zip(document["edges"], pairs, strict=True) if gone.isdisjoint(pair)]
    for zone in document["zones"].values():
        zone["antennas"] = [a for a in zone["antennas"] if a not in gone]
    return chain.change(record, document, f"Side B of {record.name} like side A")


def _named_b(node: dict[str, Any]) -> dict[str, Any]:
    return {**chain.thawed(node), "id": node["id"] + _SUFFIX, "side": "B"}


def _receive_side(document: Document, pairs: Sequence[tuple[str, str]]) -> set[str]:
    """Blocks from which a receiver is reached."""
    reached = {n["id"] for n in document["nodes"] if n["type"] == "receiver"}
    while more := {a for a, b in pairs if b in reached} - reached:
        reached |= more
    return reached
