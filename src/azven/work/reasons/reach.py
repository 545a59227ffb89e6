"""Reasons for an antenna in a room: its figures, its cautions, and what another kind or height would change."""

import math
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from azven.book.records import Antenna
from azven.rf import reach as rf
from azven.rf.chain.transmit import too_close_for_the_formula
from azven.work import reach
from azven.work.kit.antennas import KINDS
from azven.work.reach import Room
from azven.work.reasons.told import Option, Reasons, Row

_OVER_HEADS_M = 2.5
_CELLS = 40


def for_antenna(drawn: Room, antenna: Antenna, wearer: str) -> Reasons:
    """An antenna's figures, and the cautions that belong to it."""
    rows: list[Row] = [
        ("place", f"{antenna.x_m:g}, {antenna.y_m:g} m".replace("-", "−")), ("height", f"{antenna.z_m:g} m"),
        ("aimed", f"{antenna.azimuth_deg:g}°, tilt {antenna.tilt_deg:g}°".replace("-", "−")),
        ("gain", f"{antenna.gain_dbi:g} dBi, {antenna.beamwidth_deg:g}° wide"),
        ("turned", f"{antenna.psi_deg:+g}° from upright".replace("-", "−")),
    ]  # fmt: skip
    caution = "Work at height and rigging: licensed riggers only."
    if antenna.role == "transmit":
        public, workers = reach.keep_away(antenna)
        close = too_close_for_the_formula(public, reach.FREQ_HZ)
        rows.append(("keep away, public", "under 10 cm" if close else f"{public:.2f} m"))
        rows.append(("keep away, workers", f"{workers:.2f} m"))
        words = f"{antenna.carriers} carriers. Distances count one reflection; the local code decides. {caution}"
        return Reasons(
            title=antenna.name,
            figure=f"{antenna.z_m:g} m up",
            state="transmits",
            verdict=words,
            arithmetic=tuple(rows),
            heading="The antenna",
        )
    spread = reach.near_far(drawn, antenna, wearer)
    rows.append(("nearest over farthest", f"{spread:.0f} dB"))
    low = antenna.z_m < 2.5
    verdict = "Under 2.5 m a performer can stand in front of it: raise it. " if low else "It looks over heads. "
    pairs = [a for a in reach.receive(drawn) if a.id != antenna.id]
    near = [
        a for a in pairs if math.dist((a.x_m, a.y_m, a.z_m), (antenna.x_m, antenna.y_m, antenna.z_m)) < rf.PAIR_APART_M
    ]
    if near:
        verdict += f"Less than {rf.PAIR_APART_M:g} m from {near[0].name}: they fade together. "
    return Reasons(
        title=antenna.name,
        figure=f"{antenna.z_m:g} m up",
        state="tight" if low or near else "stands well",
        verdict=verdict + caution,
        arithmetic=tuple(rows),
        origins=(),
        options=_options(drawn, antenna, wearer),
        heading="The antenna",
    )


def _options(drawn: Room, antenna: Antenna, wearer: str) -> tuple[Option, ...]:
    """Other kinds, higher, crossed with its partner: each with what the room would hear."""
    out = []
    for title, fields in _changes(drawn, antenna):
        changed = replace(antenna, **fields)
        tried = replace(drawn, antennas=tuple(changed if a.id == antenna.id else a for a in drawn.antennas))
        found = reach.coverage(tried, wearer, cells=_CELLS)
        assert found is not None
        weakest = f"{found.margin_db.min():.0f}".replace("-", "−")
        effect = f"{found.served:.0%} of the places served at 99 %, weakest {weakest} dB over need"
        out.append(Option(title, effect, lambda f=fields: reach.move(antenna, **f)))  # type: ignore[misc]
    return tuple(out)


def _changes(drawn: Room, antenna: Antenna) -> Iterator[tuple[str, dict[str, Any]]]:
    if antenna.z_m < _OVER_HEADS_M:
        yield "Raise it to 3 m", {"z_m": 3.0}
    others = [a for a in reach.receive(drawn) if a.id != antenna.id and a.polarisation == "linear"]
    if antenna.polarisation == "linear" and others and abs(others[0].psi_deg - antenna.psi_deg) < 1:
        across = others[0].psi_deg + (90.0 if others[0].psi_deg <= 0 else -90.0)
        yield f"Cross it with {others[0].name}", {"psi_deg": across}
    for words, fields in KINDS.items():
        if any(getattr(antenna, k) != v for k, v in fields.items()):
            yield f"{words[0].upper()}{words[1:]} instead", dict(fields)
