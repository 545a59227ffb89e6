"""Chain: designs of antenna systems in the book, their values and gains, the staircase, designs side by side."""

import copy
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from azven.book.edits import Edit, add, replace_record
from azven.book.reading import Reading
from azven.book.records import Design as DesignRecord
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.chain.design import Design, Solved, noise_dbm, solve_design
from azven.rf.chain.graph import path
from azven.rf.chain.outgoing import transmit_results
from azven.rf.chain.tune import GainPlan, as_set, limits_of, set_gains
from azven.work import ground
from azven.work.scope import Scope

Document = dict[str, Any]
_HAIR_DB = 1e-3


def read(document: Document) -> Design:
    """A checked design of a document; FormatError in one line when it is none."""
    from azven.book.formats import chain as chain_format

    return chain_format.read(document)


# -- in the book -------------------------------------------------------------------------------------------


def designs(store: Reading, scope: Scope) -> list[DesignRecord]:
    """Designs of the site in the order they were made."""
    return store.all(DesignRecord, site_id=scope.site)


def add_design(store: Store, scope: Scope, document: Document) -> Edit:
    """Keep a design under a name that is not taken. FormatError when it is not one."""
    read(document)
    name = ground.unused(str(document.get("name") or "Design"), [d.name for d in designs(store, scope)])
    record = DesignRecord(id=store.reserve(), site_id=scope.site, name=name, document={**document, "name": name})
    return Edit(f"Design {name}", add(record), (record.id,))


def change(record: DesignRecord, document: Document, title: str) -> Edit:
    """The design with another document; ValueError (FormatError) when that is none."""
    read(document)
    if document == document_of(record):
        return Edit(title)
    name = str(document.get("name") or record.name)
    return Edit(title, replace_record(record, replace(record, document=document, name=name)))


def document_of(record: DesignRecord) -> Document:
    """A copy of the design's document that may be changed."""
    document: Document = thawed(record.document)
    return document


def thawed(value: Any) -> Any:
    """Tuples as lists all the way down, as JSON has them."""
    if isinstance(value, tuple | list):
        return [thawed(v) for v in value]
    if isinstance(value, dict):
        return {k: thawed(v) for k, v in value.items()}
    return copy.copy(value)


def node(document: Document, name: str) -> dict[str, Any]:
    """A node of a document; Refusal when it is not there."""
    found: dict[str, Any] | None = next((n for n in document["nodes"] if n["id"] == name), None)
    if found is None:
        raise Refusal(f"The design has no block {name}.")
    return found


def set_value(record: DesignRecord, name: str, value: float | None) -> Edit:
    """Set an amplifier's gain (None leaves it out), an attenuator's loss or a cable's length."""
    document = document_of(record)
    block = node(document, name)
    if block["type"] == "amp":
        block["gain_db"] = value
        words = "left out" if value is None else f"{value:g} dB"
    elif block["type"] == "cable":
        block["length_m"] = value
        words = f"{value:g} m"
    else:
        block["loss_db"] = value
        words = f"{value:g} dB"
    return change(record, document, f"{name}: {words}")


def set_field(record: DesignRecord, name: str, **fields: Any) -> Edit:
    """Set other fields of a block."""
    document = document_of(record)
    node(document, name).update(fields)
    return change(record, document, f"{name}: {', '.join(fields)}")


def gains_set(record: DesignRecord, plan: GainPlan) -> Edit:
    """The edit that dials in what *Set gains* found."""
    return change(record, with_gains(document_of(record), plan), f"Set gains of {record.name}")


def with_gains(document: Document, plan: GainPlan) -> Document:
    """A document with the settings of a plan."""
    out: Document = thawed(document)
    for name, value in plan.settings.items():
        block = node(out, name)
        block[_knob(block)] = value
    return out


def _knob(block: Mapping[str, Any]) -> str:
    return "gain_db" if block["type"] == "amp" else "loss_db"


def gains_set_in(document: Document) -> tuple[Document, list[str]]:
    """A document with its gains set, and what changed and why, a line each. Refusal when there is none to set."""
    found = plan_gains(read(document))
    out, said = with_gains(document, found), []
    for name in found.settings:
        before, after = (node(d, name).get(_knob(node(d, name)), 0.0) for d in (document, out))
        if before != after:
            why = found.reasons.get(name, "")
            said.append(f"{name}: {_setting(before)} to {_setting(after)}{f' ({why})' if why else ''}")
    return out, [*(said or ["Every gain already stands where it would be set."]), gains_in_words(found)]


def _setting(value: float | None) -> str:
    return "left out" if value is None else f"{value:g} dB"


def plan_gains(design: Design) -> GainPlan:
    """The settings a good engineer would choose, side by side; `chosen` is the side with the weaker worst link.
    Refusal when there is none to set."""
    receivers = design.receivers()
    if not receivers:
        raise Refusal("This design has no receiver whose gains could be set.")
    if not any(b.steps_db for b in design.blocks.values()):
        raise Refusal("No block of this design has steps to choose from.")
    plans: list[GainPlan] = []
    for receiver in receivers:
        plans.append(set_gains(design, receiver))
        design = design.with_settings(plans[-1].settings)
    if not any(p.settings for p in plans):
        raise Refusal("No block between an antenna and a receiver has steps to choose from; nothing was set.")
    return max((_together(design, plans, last) for last in plans), key=_good)


def _together(design: Design, plans: Sequence[GainPlan], last: GainPlan) -> GainPlan:
    """All plans in one; where receivers share a block, `last` decides. What it gives is that of all receivers."""
    settings = {name: value for p in (*plans, last) for name, value in p.settings.items()}
    reasons = {name: text for p in (*plans, last) for name, text in p.reasons.items()}
    set_so = design.with_settings(settings)
    given = [as_set(set_so, r) for r in set_so.receivers()]
    room = min(h for _, h in given)
    chosen = replace(last.chosen, worst_margin_db=min(m for m, _ in given), headroom_db=room)
    lacking = limits_of(design).headroom_db - room
    return GainPlan(settings, chosen, reasons, lacking if lacking > _HAIR_DB else 0.0)


def gains_in_words(plan: GainPlan) -> str:
    """What settings give, or how much of the headroom they lack."""
    worst, room = plan.chosen.worst_margin_db, plan.chosen.headroom_db
    link = f"worst link {worst:.1f} dB over its need" if math.isfinite(worst) else "no wanted level is known"
    if plan.lacking_db > 0:
        text = (
            f"No setting keeps the headroom: the one with most of it is set, {room:.1f} dB, {plan.lacking_db:.1f} dB "
            f"too little; {link}. Filter in front of the first amplifier, or keep the strongest transmitter away."
        )
    else:
        text = f"Gains set: {link}, {f'headroom {room:.1f} dB' if math.isfinite(room) else 'no headroom is known'}."
    return text.replace(" -", " −")


def _good(plan: GainPlan) -> tuple[float, float]:
    return -plan.lacking_db, plan.chosen.worst_margin_db


# -- what follows ---------------------------------------------------------------------------------------------


@dataclass(frozen=True, kw_only=True)
class Stair:
    """One joint of the staircase [dBm]: noise, weakest wanted, strongest composite, and where the block compresses."""

    block: str
    short: str
    kind: str
    noise_dbm: float
    wanted_dbm: float | None
    peak_dbm: float | None
    compression_dbm: float | None
    gain_db: float


def short_name(design: Design, name: str) -> str:
    """A block's name without its room, which is said once for its branch; an antenna's is its room, with a B on that
    side."""
    for zone in design.zones:
        if name.startswith(f"{zone} "):
            side = "B " if design.sides.get(name) == "B" else ""
            return f"{side}{zone}" if design.blocks[name].kind == "antenna" else name[len(zone) + 1 :]
    return name


def staircase(design: Design, solved: Solved, antenna: str) -> list[Stair]:
    """The way of an antenna to its receiver, joint by joint."""
    found = next((p for p in solved.paths if p.antenna == antenna), None)
    if found is None:
        return []
    out = []
    for name in path(solved.system, antenna, found.receiver):
        joint = solved.joints[name]
        wanted = None if found.wanted_dbm is None else found.wanted_dbm + joint.gain_before_db[antenna]
        out.append(
            Stair(
                block=name,
                short=short_name(design, name),
                kind=joint.block.kind,
                noise_dbm=noise_dbm(solved.system, joint),
                wanted_dbm=wanted,
                peak_dbm=joint.peak_in_dbm,
                compression_dbm=joint.block.compression_dbm,
                gain_db=joint.block.gain_at(design.freq_hz),
            )
        )
    return out


@dataclass(frozen=True, kw_only=True)
class Side:
    """One design in a comparison."""

    name: str
    snr_db: Mapping[str, float]
    headroom_db: float | None
    products_dbm: float | None
    eirp_dbm: float | None = None
    """Of all that is sent."""
    radio_headroom_db: float | None = None
    """Headroom while a hand-held radio keys up near the worst placed antenna, where that was worked out."""


def side(name: str, design: Design) -> Side:
    """The figures by which designs are compared: SNR by zone, headroom, strongest three-signal product."""
    solved = solve_design(design)
    snr = {design.branch(p.antenna): p.snr_db for p in solved.paths if p.snr_db is not None}
    headroom = min((r.headroom_db for r in solved.receivers if r.headroom_db is not None), default=None)
    products = [p for pair in solved.products_dbm.values() for p in pair[1:] if p is not None]
    sent = [t.eirp_total_dbm for t in transmit_results(design).values()]
    return Side(
        name=name,
        snr_db=snr,
        headroom_db=headroom,
        products_dbm=max(products, default=None),
        eirp_dbm=max(sent, default=None),
    )


def everything_up(document: Document) -> Document:
    """The naive setting: every amplifier at its highest step, every attenuator at none."""
    out: Document = thawed(document)
    for block in out["nodes"]:
        if block.get("steps_db"):
            block[_knob(block)] = max(block["steps_db"]) if block["type"] == "amp" else min(block["steps_db"])
    return out
