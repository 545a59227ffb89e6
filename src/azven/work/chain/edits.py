"""What could be done with a block of an antenna system: each tried before it is offered, with its effect in numbers."""

from collections.abc import Callable, Iterator
from typing import Any

from azven.book.edits import Edit
from azven.book.records import Design as DesignRecord
from azven.rf.chain.blocks import COAX, COAX_WORDS
from azven.rf.chain.design import Design
from azven.work import chain
from azven.work.chain.systems import Document, Side
from azven.work.chain.templates import AMPLIFIER, FILTER
from azven.work.ground import unused
from azven.work.kit.antennas import KINDS
from azven.work.reasons import Option

_POWERS_DBM = {"10 mW": 10.0, "25 mW": 14.0, "50 mW": 17.0, "100 mW": 20.0}

Change = tuple[str, Document]


def options(record: DesignRecord, name: str) -> tuple[Option, ...]:
    """What could be done with the block `name`; nothing that would leave a design that cannot be read."""
    document = chain.document_of(record)
    before = chain.side("", chain.read(document))
    out = []
    for title, changed in _changes(document, name):
        after = chain.side("", chain.read(changed))
        edit = _edit(record, changed, f"{name}: {title[0].lower()}{title[1:]}")
        out.append(Option(title, effect(before, after), edit))
    return tuple(out)


def _edit(record: DesignRecord, document: Document, title: str) -> Callable[[], Edit]:
    return lambda: chain.change(record, document, title)


def effect(before: Side, after: Side) -> str:
    """How the weakest link, the headroom and the products change."""

    def moved(what: str, a: float | None, b: float | None, unit: str) -> str:
        if a is None or b is None or abs(a - b) < 0.05:
            return ""
        return f"{what} {a:.1f} → {b:.1f} {unit}".replace("-", "−")

    weak, weaker = (min(s.snr_db.values(), default=None) for s in (before, after))
    parts = (
        moved("weakest link over noise", weak, weaker, "dB"),
        moved("headroom", before.headroom_db, after.headroom_db, "dB"),
        moved("strongest product", before.products_dbm, after.products_dbm, "dBm"),
        moved("sent in all, EIRP", before.eirp_dbm, after.eirp_dbm, "dBm"),
    )
    return ", ".join(p for p in parts if p) or "changes none of the design's figures"


def _changes(document: Document, name: str) -> Iterator[Change]:
    block = chain.node(document, name)
    design = chain.read(document)
    kind = block["type"]
    if kind == "cable":
        yield from _other_cables(document, name, block)
    elif kind == "amp":
        yield from _amplifier(document, name, block)
    elif kind == "filter":
        yield "Take it out", without(document, name)
    elif kind == "transmitter":
        for words, power in _POWERS_DBM.items():
            if abs(power - block["power_dbm"]) >= 0.5:
                yield f"Send with {words}", _with(document, name, power_dbm=power)
    elif kind == "antenna":
        yield from _antenna(document, design, name, block)


def _other_cables(document: Document, name: str, block: dict[str, Any]) -> Iterator[Change]:
    for class_ in COAX:
        if class_ != block.get("cable"):
            yield f"{COAX_WORDS[class_]} instead", _with(document, name, cable=class_)


def _amplifier(document: Document, name: str, block: dict[str, Any]) -> Iterator[Change]:
    if block.get("gain_db") is None:
        yield "Put it in", _with(document, name, gain_db=float(min(block.get("steps_db") or [9.0])))
    else:
        yield "Leave it out", _with(document, name, gain_db=None)
    design = chain.read(document)
    if not any(b == name and design.blocks[a].kind == "filter" for a, b in design.edges):
        yield "Put a filter in front of it", _before(document, name, _made(document, f"{name} filter", FILTER))


def _antenna(document: Document, design: Design, name: str, block: dict[str, Any]) -> Iterator[Change]:
    now = {k: block.get(k) for k in ("pattern", "gain_dbi", "beamwidth_deg", "polarisation")}
    for words, like in KINDS.items():
        fields = {("pattern" if k == "kind" else k): v for k, v in like.items()}
        if {**fields, **{k: v for k, v in now.items() if v is not None}} != fields:
            yield f"{words[0].upper()}{words[1:]} instead", _with(document, name, **fields)
    following = next((b for a, b in design.edges if a == name), None)
    if following is None:
        return
    kinds = {design.blocks[n].kind for n in _up_to_cable(design, following)}
    if "filter" not in kinds:
        yield "Put a filter behind it", _before(document, following, _made(document, f"{name} filter", FILTER), name)
    if "amp" not in kinds:
        made = _made(document, f"{name} mast", AMPLIFIER)
        yield "Put a mast-head amplifier behind it", _before(document, following, made, name)


def _up_to_cable(design: Design, start: str) -> list[str]:
    way = [start]
    while design.blocks[way[-1]].kind != "cable" and (onward := [b for a, b in design.edges if a == way[-1]]):
        way.append(onward[0])
    return way


def _made(document: Document, name: str, like: dict[str, Any]) -> dict[str, Any]:
    return {"id": unused(name, [n["id"] for n in document["nodes"]]), **chain.thawed(like)}


def _with(document: Document, name: str, **fields: Any) -> Document:
    out: Document = chain.thawed(document)
    chain.node(out, name).update(fields)
    return out


def _before(document: Document, name: str, made: dict[str, Any], after: str | None = None) -> Document:
    """A new block on the first edge into `name`, or on that from `after`."""
    out: Document = chain.thawed(document)
    edges = [list(e) for e in chain.read(document).edges]
    edge = next(e for e in edges if e[1] == name and after in (None, e[0]))
    edges.append([made["id"], name])
    edge[1] = made["id"]
    out["nodes"].append(made)
    out["edges"] = edges
    return out


def without(document: Document, name: str) -> Document:
    """The design without a block of one input and one output: its neighbours are joined."""
    out: Document = chain.thawed(document)
    edges = [list(e) for e in chain.read(document).edges]
    into, onward = (next(e for e in edges if e[i] == name) for i in (1, 0))
    edges.remove(onward)
    into[1] = onward[1]
    out["nodes"] = [n for n in out["nodes"] if n["id"] != name]
    out["edges"] = edges
    return out
