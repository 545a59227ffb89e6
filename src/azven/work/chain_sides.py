"""Diversity sides of a design: side B is the same as A unless it has its own blocks."""

from typing import Any

from azven.book.edits import Edit
from azven.book.records import Design as DesignRecord
from azven.work import chain
from azven.work.chain import Document

_SUFFIX = " B"


def has_own_b(document: Document) -> bool:
    """Whether side B is drawn with blocks of its own."""
    return any(n.get("side") == "B" for n in document["nodes"])


def own_b(record: DesignRecord) -> Edit:
    """Side B with blocks of its own, at first like side A's; ValueError when it has them or nothing is received."""
    document = chain.document_of(record)
    if has_own_b(document):
        raise ValueError("Side B has its own blocks already.")
    received = _receive_side(document)
    if not received:
        raise ValueError("This design receives nothing, so it has no sides.")
    document["nodes"] += [_named_b(n) for n in document["nodes"] if n["id"] in received]
    pairs = [_ends(e) for e in document["edges"]]
    document["edges"] += [[a + _SUFFIX, b + _SUFFIX] for a, b in pairs if a in received and b in received]
    for zone in document["zones"].values():
        zone["antennas"] += [a + _SUFFIX for a in zone["antennas"] if a in received]
    return chain.change(record, document, f"Own side B of {record.name}")


def like_a(record: DesignRecord) -> Edit:
    """Side B is as side A again: its own blocks go."""
    document = chain.document_of(record)
    gone = {n["id"] for n in document["nodes"] if n.get("side") == "B"}
    document["nodes"] = [n for n in document["nodes"] if n["id"] not in gone]
    document["edges"] = [e for e in document["edges"] if not gone & set(_ends(e))]
    for zone in document["zones"].values():
        zone["antennas"] = [a for a in zone["antennas"] if a not in gone]
    return chain.change(record, document, f"Side B of {record.name} like side A")


def _ends(edge: Any) -> tuple[str, str]:
    """Start and end of an edge in its short or long form."""
    return (edge["from"], edge["to"]) if isinstance(edge, dict) else (edge[0], edge[1])


def _named_b(node: dict[str, Any]) -> dict[str, Any]:
    return {**chain.thawed(node), "id": node["id"] + _SUFFIX, "side": "B"}


def _receive_side(document: Document) -> set[str]:
    """Blocks from which a receiver is reached."""
    reached = {n["id"] for n in document["nodes"] if n["type"] == "receiver"}
    pairs = [_ends(e) for e in document["edges"]]
    while more := {a for a, b in pairs if b in reached} - reached:
        reached |= more
    return reached
