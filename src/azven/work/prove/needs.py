"""What a link needs at its receiver's input, and what is there when nobody sends, from the antenna systems of Chain."""

from dataclasses import dataclass

import numpy as np

from azven.book.records import Model, Zone
from azven.book.store import Store
from azven.rf.chain.design import solve_design
from azven.rf.levels import thermal_noise_dbm
from azven.work import chain, ground
from azven.work.chain import templates
from azven.work.scope import Scope
from azven.work.wording import decibel

QUIET_OVER_NOISE_DB = 6.0
"""What is heard with the transmitter off may stand so far over the noise that is planned with."""
LOW_OVER_NEED_DB = 6.0
"""Under this much over need a level is low (domain, section 8)."""
FULL_OVER_NEED_DB = 10.0


@dataclass(frozen=True)
class Need:
    """Noise that is planned with at a receiver's input [dBm], and the ratio a link needs over it [dB]."""

    noise_dbm: float
    needed_db: float
    source: str

    @property
    def level_dbm(self) -> float:
        """The level under which the link does not work."""
        return self.noise_dbm + self.needed_db

    @property
    def quiet_dbm(self) -> float:
        """What is heard with the transmitter off has to stay under this."""
        return self.noise_dbm + QUIET_OVER_NOISE_DB

    def over(self, level_dbm: float | None) -> float | None:
        """How far a level is over need [dB]."""
        return None if level_dbm is None or np.isnan(level_dbm) else level_dbm - self.level_dbm


def needs(store: Store, scope: Scope) -> "Needs":
    """What every room's receivers need."""
    systems = {}
    names = templates.room_names(ground.zones(store, scope))
    for record in chain.designs(store, scope):
        design = chain.read(chain.document_of(record))
        if not design.receivers():
            continue
        for path in solve_design(design).paths:
            for zone, name in names.items():
                if name in design.zones and path.antenna in design.zones[name].antennas and zone not in systems:
                    systems[zone] = path.noise_in_dbm + path.excess_gain_db, record.name
    return Needs(systems)


@dataclass(frozen=True)
class Needs:
    """By room: noise at the receivers' inputs [dBm], and the antenna system that it is of."""

    systems: dict[int, tuple[float, str]]

    def of(self, model: Model, zone: Zone) -> Need:
        """Of a link of a model in a room."""
        known = self.systems.get(zone.id)
        own = float(thermal_noise_dbm(model.bandwidth_hz, model.nf_db))
        if known is None or model.service == "in-ear":
            return Need(own, model.needed_db, f"receiver alone, {model.nf_db:g} dB, {decibel(own)}")
        return Need(max(known[0], own), model.needed_db, f"{known[1]}: noise {decibel(known[0])} at the receiver")
