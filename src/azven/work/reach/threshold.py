"""What level a link needs at the antennas of a room: the noise of the system they hang on, as far as that is known."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from azven.book.reading import Reading
from azven.book.records import Model, Zone
from azven.book.records import Sweep as SweepRecord
from azven.rf.chain.design import Design, solve_design
from azven.rf.levels import KT0_DBM_HZ, thermal_noise_dbm
from azven.rf.noise import PEAK_ABOVE_AVERAGE_DB
from azven.rf.occupancy import floors
from azven.rf.sweep import Channel, Sweep
from azven.work import chain, ground, kit
from azven.work.chain import templates
from azven.work.kit.bands import of_model
from azven.work.scope import Scope
from azven.work.wording import decibel

BANDWIDTH_HZ, NF_DB, NEEDED_DB = 200_000, 8.0, 20.0
"""A voice receiver right at the antenna, where no antenna system says better."""


@dataclass(frozen=True)
class Threshold:
    """The level [dBm] a link needs at an antenna of the room: noise referred to there and the ratio of its modulation.

    `design` names the antenna system whose noise counts, empty where none serves the room; `swept_at` the place of the
    sweep whose noise counts, empty where none was taken there; `model` the gear of a shared band.
    """

    noise_dbm: float
    needed_db: float
    design: str = ""
    swept_at: str = ""
    model: str = ""

    @property
    def level_dbm(self) -> float:
        return self.noise_dbm + self.needed_db

    def sentence(self) -> str:
        """What it hangs on, in words."""
        what = f"{decibel(self.level_dbm)} needed at the antenna"
        noise = f", noise as swept at {self.swept_at}" if self.swept_at else ""
        if self.model:
            return f"{what}, by {self.model} with its own antenna there; walls as they are at its band."
        if self.design:
            return f"{what}: noise of {self.design}{noise}."
        return (
            f"{what}, for a receiver of {NF_DB:g} dB right at it{noise}: no antenna system in Chain serves this room, "
            "so cables and combiners are not counted."
        )


def of_room(store: Reading, scope: Scope, zone: Zone, sweeps: Sequence[tuple[SweepRecord, Sweep]] = ()) -> Threshold:
    """The threshold of a room, from the first antenna system that serves it and the newest sweep taken there."""
    name = templates.room_names(ground.zones(store, scope))[zone.id]
    swept = _swept(sweeps, zone.name, ground.here(store, scope).channels())
    fa_db, place = swept if swept is not None else (0.0, "")
    for record in chain.designs(store, scope):
        design = chain.read(chain.document_of(record))
        known = _through(replace(design, fa_db=fa_db) if place else design, name)
        if known is not None:
            return replace(known, design=record.name, swept_at=place)
    return Threshold(float(thermal_noise_dbm(BANDWIDTH_HZ, NF_DB, fa_db)), NEEDED_DB, "", place)


def model_of(store: Reading, scope: Scope, band: str) -> Model | None:
    """The gear of a shared band: that of the show's links there, else the first in the book."""
    found = {m.id: m for m in store.all(Model)}
    used = [found[x.model_id] for x in kit.links(store, scope) if of_model(found[x.model_id], x.band).name == band]
    return next(iter([*used, *(m for m in found.values() if of_model(m, m.bands[0][0]).name == band)]), None)


def of_band(store: Reading, scope: Scope, band: str) -> Threshold:
    """What the gear of a shared band needs at its own antenna."""
    model = model_of(store, scope, band)
    if model is None:
        return Threshold(float(thermal_noise_dbm(2_000_000, NF_DB, 0.0)), NEEDED_DB, "")
    return Threshold(
        float(thermal_noise_dbm(model.bandwidth_hz, model.nf_db, 0.0)), model.needed_db, "", "", model.name
    )


def _through(design: Design, zone: str) -> Threshold | None:
    """The worst of a design's ways from a zone's antennas to a receiver; None where none leads there."""
    if zone not in design.zones or not design.receivers():
        return None
    antennas = design.zones[zone].antennas
    ways = [
        Threshold(p.noise_in_dbm, design.needed_db.get(p.receiver, NEEDED_DB))
        for p in solve_design(design).paths if p.antenna in antennas
    ]  # fmt: skip
    return max(ways, key=lambda t: t.level_dbm, default=None)


def _swept(
    sweeps: Sequence[tuple[SweepRecord, Sweep]], room: str, channels: Sequence[Channel]
) -> tuple[float, str] | None:
    """External noise factor [dB] and place of the newest sweep that receivers hear and whose place names the room; the
    analyser's own noise is in it."""
    wanted = room.casefold()
    for record, sweep in sorted(sweeps, key=lambda s: s[0].taken_at, reverse=True):
        if record.hears == "in-ears" or wanted not in record.place.casefold():
            continue
        known = [f for f in floors(sweep, channels) if f is not None]
        if known:
            peak = PEAK_ABOVE_AVERAGE_DB if sweep.detector == "peak" else 0.0
            density = float(np.median(known)) - peak - 10 * float(np.log10(sweep.rbw_hz))
            return max(density - KT0_DBM_HZ, 0.0), record.place
    return None
