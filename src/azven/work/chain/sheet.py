"""The design on paper: signal path, settings to dial in, parts, cables, cautions."""

from azven.rf.chain.design import Design, Solved
from azven.work import chain
from azven.work.chain import parts
from azven.work.chain import troubles as chain_troubles
from azven.work.chain.systems import side
from azven.work.chain.troubles import Trouble
from azven.work.rendering import render

CAUTIONS = (
    "Work at height and rigging: licensed riggers only, with the site's permission.",
    "Mains: equipment and racks are earthed; nobody opens a live rack.",
    "Exposure: keep-away distances are cautions with one reflection counted; the local code decides.",
    "Cables on the floor are trip hazards: route, cover, tape.",
    "Power and frequencies are limited by the licence; a wireless link is never a life-safety link.",
)


def html(design: Design, solved: Solved, troubles: list[Trouble], show: str, made: str) -> str:
    """The design as HTML for Qt's document; `made` says when, in local time."""
    settings = [
        (n, "left out" if b.left_out else f"{b.gain_db:g} dB" if b.kind == "amp" else f"{b.loss_db:g} dB")
        for n, b in design.blocks.items() if b.kind in ("amp", "split") or b.steps_db
    ]  # fmt: skip
    return render(
        "chain", name=design.name, show=show, made=made, figures=side(design.name, design),
        paths=solved.paths, zone=design.zone_of, receivers=solved.receivers, settings=settings,
        parts=parts.parts(design), cables=parts.cables(design), troubles=troubles,
        keep_away=chain_troubles.keep_away(design), cautions=CAUTIONS,
        lines=[" → ".join(s.block for s in chain.staircase(design, solved, p.antenna)) for p in solved.paths],
    )  # fmt: skip
