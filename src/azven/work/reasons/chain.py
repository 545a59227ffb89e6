"""Reasons for a joint of an antenna system: the cascade up to there with this case's numbers."""

from azven.rf.chain.design import Design, Solved, noise_dbm
from azven.rf.chain.graph import path
from azven.rf.chain.outgoing import transmit_results
from azven.work.reasons.told import Reasons, Row


def _db(value: float | None, unit: str = "dB") -> str:
    return "none" if value is None else f"{value:.1f} {unit}".replace("-", "−")


def for_joint(design: Design, solved: Solved, name: str) -> Reasons | None:
    """What arrives at a block, and how it came about; None for a block that is not on the receive side."""
    joint = solved.joints.get(name)
    if joint is None:
        return None
    rows: list[Row] = []
    antenna = next(iter(joint.gain_before_db), None)
    way = path(solved.system, antenna, name) if antenna and antenna != name else [name]
    for block_id in way[:-1]:
        block = solved.joints[block_id].block
        if block.kind == "antenna" or block.left_out:
            continue
        gain = f"{block.gain_at(design.freq_hz):+.1f} dB".replace("-", "−")
        rows.append((block_id, f"{gain}, NF {block.nf_db:g}" if block.nf_db is not None else gain))
    rows += [
        ("gain before it", _db(joint.gain_before_db.get(antenna or ""))),
        ("noise here", _db(noise_dbm(solved.system, joint), "dBm")),
        ("all carriers, average", _db(joint.average_in_dbm, "dBm")),
        ("all carriers, peak", _db(joint.peak_in_dbm, "dBm")),
        ("compresses at", _db(joint.block.compression_dbm, "dBm")),
        ("margin", _db(joint.headroom_peak_db)),
    ]
    headroom = joint.headroom_peak_db
    state = "holds"
    verdict = "It does not compress, or nothing loads it."
    if headroom is not None:
        state = "broken" if headroom < 0 else "holds, barely" if headroom < 3 else "holds"
        verdict = (
            f"The peak of all carriers stands {abs(headroom):.1f} dB {'under' if headroom >= 0 else 'over'} where it "
        )
        verdict += "compresses. At least 3 dB are wanted, 10 where the carriers' own peaks are not counted."
    strongest = sorted(joint.signals.items(), key=lambda kv: -kv[1])[:3]
    origins = tuple((k.split(" @ ")[0], _db(v, "dBm")) for k, v in strongest)
    return Reasons(
        title=name,
        figure=_db(headroom) + " headroom" if headroom is not None else joint.block.kind,
        state=state,
        verdict=verdict,
        arithmetic=tuple(rows),
        origins=origins,
        heading="The cascade",
    )


def for_system(design: Design, solved: Solved, name: str = "") -> Reasons:
    """The whole design in its figures, perhaps for a block `name` on its transmitting side."""
    rows: list[Row] = []
    for p in solved.paths:
        zone = design.zone_of(p.antenna) or p.antenna
        rows.append((f"{zone}: over noise", _db(p.snr_db)))
        rows.append((f"{zone}: excess gain", _db(p.excess_gain_db)))
        rows.append((f"{zone}: loses because of the others", _db(p.penalty_db)))
    for r in solved.receivers:
        rows.append((f"headroom, at {r.limiting_stage or 'nothing'}", _db(r.headroom_db)))
        rows.append(("noise rise at the receiver", _db(r.noise_rise_db)))
        rows.append(("strongest a+b-c there", _db(solved.products_dbm[r.receiver][1], "dBm")))
    for antenna, sent in transmit_results(design).items():
        rows += [
            (f"{antenna}: EIRP in all", f"{sent.eirp_total_w:.2f} W"),
            ("EIRP of the strongest carrier", _db(max(sent.eirp_each_dbm), "dBm")),
            ("headroom of the combiners", _db(sent.headroom_peak_db)),
            ("strongest product, under a carrier", _db(sent.im_3t3o_dbc if sent.im_3t3o_dbc else sent.im_2t3o_dbc)),
            ("before it blocks our receivers", _db(sent.blocking_margin_db)),
        ]
    verdict = "" if name else "Select a block to see the cascade up to it."
    return Reasons(
        title=name or design.name, figure="", state="", verdict=verdict, arithmetic=tuple(rows), heading="The system"
    )
