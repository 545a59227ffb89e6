"""Chain: designs of antenna systems from templates, their gains, warnings in words, parts and cables."""

import copy
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from azven.book.edits import Edit, add, replace_record
from azven.book.records import Design as DesignRecord
from azven.book.store import Store
from azven.rf.chain.blocks import COAX, COAX_WORDS, coax_db
from azven.rf.chain.dc import WORDS
from azven.rf.chain.design import Design, Solved, noise_dbm, solve_design
from azven.rf.chain.graph import path
from azven.rf.chain.outgoing import supplies, transmit_results
from azven.rf.chain.transmit import too_close_for_the_formula
from azven.rf.chain.tune import GainPlan, set_gains
from azven.rf.links import path_db
from azven.work import ground

RADIO_DBM, RADIO_HZ = 37.0, 460_000_000
RADIO_ID = "hand-held radio"
LEAST_HEADROOM_DB = 3.0
_SHORT_EARS = 2

Document = dict[str, Any]


def read(document: Document) -> Design:
    """A checked design of a document; FormatError in one line when it is none."""
    from azven.book.formats import chain as chain_format

    return chain_format.read(document)


# -- in the book -------------------------------------------------------------------------------------------


def designs(store: Store) -> list[DesignRecord]:
    """Designs of the site in the order they were made."""
    return store.all(DesignRecord, site_id=ground.current(store).site.id)


def add_design(store: Store, document: Document) -> Edit:
    """Keep a design under a name that is not taken. FormatError when it is not one."""
    read(document)
    name = ground.unused(str(document.get("name") or "Design"), [d.name for d in designs(store)])
    record = DesignRecord(
        id=store.reserve(), site_id=ground.current(store).site.id, name=name, document={**document, "name": name}
    )
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
    """A node of a document; ValueError when it is not there."""
    found: dict[str, Any] | None = next((n for n in document["nodes"] if n["id"] == name), None)
    if found is None:
        raise ValueError(f"The design has no block {name}.")
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
    document = document_of(record)
    for name, value in plan.settings.items():
        block = node(document, name)
        block["gain_db" if block["type"] == "amp" else "loss_db"] = value
    return change(record, document, f"Set gains of {record.name}")


def plan_gains(design: Design) -> GainPlan:
    """The settings a good engineer would choose, side by side; `chosen` is the side with the weaker worst link.
    ValueError when there is none to set."""
    receivers = design.receivers()
    if not receivers:
        raise ValueError("This design has no receiver whose gains could be set.")
    if not any(b.steps_db for b in design.blocks.values()):
        raise ValueError("No block of this design has steps to choose from.")
    plans: list[GainPlan] = []
    for receiver in receivers:
        plans.append(set_gains(design, receiver))
        design = design.with_settings(plans[-1].settings)
    settings = {name: value for p in plans for name, value in p.settings.items()}
    reasons = {name: text for p in plans for name, text in p.reasons.items()}
    return GainPlan(settings, min((p.chosen for p in plans), key=lambda c: c.worst_margin_db), reasons)


# -- what follows ---------------------------------------------------------------------------------------------


@dataclass(frozen=True)
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
        out.append(Stair(
            name, short_name(design, name), joint.block.kind, noise_dbm(solved.system, joint), wanted,
            joint.peak_in_dbm, joint.block.compression_dbm, joint.block.gain_at(design.freq_hz),
        ))  # fmt: skip
    return out


@dataclass(frozen=True)
class Trouble:
    """Something wrong with a design: the sentence with its number, and the remedy."""

    block: str
    text: str
    remedy: str


def warnings(design: Design, solved: Solved) -> list[Trouble]:
    """Everything that would go wrong, the worst first."""
    out: list[Trouble] = []
    for receiver in solved.receivers:
        if receiver.headroom_db is not None and receiver.headroom_db < LEAST_HEADROOM_DB and receiver.limiting_stage:
            out.append(_overload(solved, receiver.limiting_stage, receiver.headroom_db))
    for p in solved.paths:
        zone = design.branch(p.antenna)
        needed = design.needed_db.get(p.receiver, 20.0)
        if p.gain_flag == "high":
            out.append(Trouble(p.antenna, f"{zone}: {p.excess_gain_db:+.1f} dB more gain than loss.",
                                "Take gain away, or turn the input down."))  # fmt: skip
        if p.snr_db is not None and p.snr_db < needed:
            out.append(Trouble(p.antenna, f"{zone}: {p.snr_db:.1f} dB over noise, {needed:g} needed.",
                                "A thicker cable, an amplifier at the antenna, or the antenna closer."))  # fmt: skip
    for feed in supplies(design).values():
        out += [Trouble(n, f"{n} {WORDS[code]}.", "Look at what passes and what blocks DC on this line.")
                for n, code in feed.errors]  # fmt: skip
    return out + _transmit_warnings(design)


def _overload(solved: Solved, stage: str, headroom: float) -> Trouble:
    joint = solved.joints[stage]
    strongest = max(joint.signals.items(), key=lambda kv: kv[1], default=("", 0.0))
    foreign = {s.id for s in solved.system.signals if s.foreign}
    remedy = "Turn down what is in front of it."
    if strongest[0] in foreign:
        remedy = "Put a filter in front of the first amplifier; behind it, it is too late."
    who = strongest[0].split(" @ ")[0]
    room, level = (f"{headroom:+.1f}".replace("-", "−"), f"{strongest[1]:.0f}".replace("-", "−"))
    text = f"{stage} has {room} dB of headroom; {who} is the strongest there ({level} dBm)."
    return Trouble(stage, text, remedy)


def _transmit_warnings(design: Design) -> list[Trouble]:
    out = []
    for antenna, sent in transmit_results(design).items():
        for name in sent.over_rating:
            out.append(Trouble(name, f"{name} puts more into the combiner than it is rated for.", "Lower its power."))
        if sent.headroom_peak_db is not None and sent.headroom_peak_db < 0:
            out.append(Trouble(antenna, f"The combiner compresses by {-sent.headroom_peak_db:.1f} dB at the peaks.",
                                "Fewer transmitters on it, or less power."))  # fmt: skip
        if sent.blocking_margin_db is None and design.receive_antennas():
            out.append(Trouble(antenna, "How far it stands from the receive antennas is not known.",
                                "Place both in Reach and start from the template again: what it does to the receivers "
                                "is worked out from their distance."))  # fmt: skip
        if sent.blocking_margin_db is not None and sent.blocking_margin_db < 0:
            out.append(Trouble(antenna, f"It blocks receivers by {-sent.blocking_margin_db:.1f} dB.",
                                "Move the antennas apart and out of each other's main lobe."))  # fmt: skip
    direct = [t for t in design.powers_dbm if not any(b for a, b in design.edges if a == t)]
    if len(direct) > _SHORT_EARS:
        out.append(Trouble(direct[0], f"{len(direct)} transmitters in one rack, each on its own antenna.",
                            "More than two are due for an active combiner into one antenna."))  # fmt: skip
    return out


def keep_away(design: Design) -> list[str]:
    """Keep-away distances of the transmitting antennas, in words that defer to the local code."""
    out = []
    for antenna, t in transmit_results(design).items():
        public = _distance(max(t.icnirp_public_m, t.fcc_public_m), design.freq_hz)
        workers = _distance(max(t.icnirp_occupational_m, t.fcc_occupational_m), design.freq_hz)
        out.append(
            f"{antenna}: {t.eirp_total_w:.2f} W EIRP; keep away {public} (general public), {workers} (workers). "
            "A caution with one reflection counted; the local code decides."
        )
    return out


def _distance(metres: float, freq_hz: float) -> str:
    return "under 10 cm" if too_close_for_the_formula(metres, freq_hz) else f"{metres:.2f} m"


def radio_level_dbm(design: Design, antenna: str, distance_m: float) -> float:
    """What a 5 W hand-held radio at a distance puts into an antenna in its main lobe [dBm]."""
    gain = design.antennas[antenna].gain_dbi if antenna in design.antennas else 0.0
    return RADIO_DBM + gain - float(path_db(RADIO_HZ, distance_m))


def with_radio(document: Document, zone: str, distance_m: float | None) -> Document:
    """The document with a hand-held radio keyed up in a zone at a distance, or without one."""
    out: Document = thawed(document)
    out["carriers"] = [c for c in out.get("carriers", []) if c["id"] != RADIO_ID]
    if distance_m is not None:
        design = read(document)
        antenna = design.zones[zone].antennas[0]
        level = round(radio_level_dbm(design, antenna, distance_m), 2)
        radio = {"id": RADIO_ID, "freq_hz": RADIO_HZ, "zone": zone, "level_dbm": level, "role": "foreign"}
        out["carriers"].append(radio)
    return out


# -- parts --------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Part:
    """One line of the parts list."""

    id: int
    what: str
    count: int
    where: str


def parts(design: Design) -> list[Part]:
    """What has to be in the case: like blocks counted together, cables by class and length."""
    groups: dict[str, list[str]] = {}
    for name, block in design.blocks.items():
        if block.left_out or (block.kind == "loss" and block.steps_db):
            continue
        groups.setdefault(describe(design, name), []).append(name)
    return [Part(i, what, len(names), ", ".join(names)) for i, (what, names) in enumerate(groups.items(), start=1)]


def describe(design: Design, name: str) -> str:
    """A block in words, with what tells it from others of its kind."""
    block = design.blocks[name]
    if block.kind == "cable":
        return f"cable {COAX_WORDS.get(block.cable, 'own class')}, {block.length_m:g} m"
    if block.kind == "antenna":
        end = design.antennas.get(name)
        return f"antenna, {end.kind if end else ''} {end.gain_dbi if end else 0:g} dBi"
    if block.kind in ("hybrid", "split", "combiner"):
        size = {"hybrid": block.ports, "split": block.outputs, "combiner": block.ports}[block.kind]
        return f"{'passive combiner' if block.kind == 'hybrid' else block.kind}, {size} ways"
    words = {"amp": "amplifier", "loss": "attenuator", "dc": "supply inserter"}
    return words.get(block.kind, block.kind)


@dataclass(frozen=True)
class CableRow:
    """A cable with its loss, and what other classes would buy [dB] on its branch."""

    id: int
    label: str
    where: str
    what: str
    length_m: float
    loss_db: float
    choices: str


def cables(design: Design) -> list[CableRow]:
    """Every cable labelled, with the total cost of each choice."""
    out: list[CableRow] = []
    for name, block in design.blocks.items():
        if block.kind != "cable":
            continue
        before = next((a for a, b in design.edges if b == name), "")
        after = next((b for a, b in design.edges if a == name), "")
        loss = -block.gain_at(design.freq_hz)
        others = sorted((coax_db(design.freq_hz, block.length_m, c, connectors=block.connectors), c) for c in COAX)
        choices = "; ".join(
            f"{COAX_WORDS[c].split(',')[0]} instead {'buys' if o < loss else 'costs'} {abs(loss - o):.1f} dB"
            for o, c in others if c != block.cable and abs(loss - o) >= 0.5
        )  # fmt: skip
        row = len(out) + 1
        out.append(CableRow(row, f"C{row}", f"{before} → {after}", COAX_WORDS.get(block.cable, "own class"),
                            block.length_m, loss, choices))  # fmt: skip
    return out


@dataclass(frozen=True)
class Side:
    """One design in a comparison."""

    name: str
    snr_db: Mapping[str, float]
    headroom_db: float | None
    products_dbm: float | None


def side(name: str, design: Design) -> Side:
    """The figures by which designs are compared: SNR by zone, headroom, strongest three-signal product."""
    solved = solve_design(design)
    snr = {design.branch(p.antenna): p.snr_db for p in solved.paths if p.snr_db is not None}
    headroom = min((r.headroom_db for r in solved.receivers if r.headroom_db is not None), default=None)
    products = [p for pair in solved.products_dbm.values() for p in pair[1:] if p is not None]
    return Side(name, snr, headroom, max(products, default=None))


def everything_up(document: Document) -> Document:
    """The naive setting: every amplifier at its highest step, every attenuator at none."""
    out: Document = thawed(document)
    for block in out["nodes"]:
        if block.get("steps_db"):
            block["gain_db" if block["type"] == "amp" else "loss_db"] = (
                max(block["steps_db"]) if block["type"] == "amp" else min(block["steps_db"])
            )
    return out
