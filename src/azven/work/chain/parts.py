"""What an antenna system is built of: parts, and cables with what another class would buy."""

from dataclasses import dataclass

from azven.rf.chain.blocks import COAX, COAX_WORDS, coax_db
from azven.rf.chain.design import Design


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


@dataclass(frozen=True, kw_only=True)
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
        choices = ", ".join(
            f"{COAX_WORDS[c].replace(',', '').replace(' class', '')} {loss - o:+.1f}".replace("-", "−", 1)
            if "RG-" not in COAX_WORDS[c] else
            f"{COAX_WORDS[c].split(',')[0]} solid {loss - o:+.1f}".replace("-", "−", 1)
            for o, c in others if c != block.cable and abs(loss - o) >= 0.5
        )  # fmt: skip
        row = len(out) + 1
        out.append(
            CableRow(
                id=row,
                label=f"C{row}",
                where=f"{before} → {after}",
                what=COAX_WORDS.get(block.cable, "own class"),
                length_m=block.length_m,
                loss_db=loss,
                choices=choices,
            )
        )
    return out
