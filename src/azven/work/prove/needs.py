"""What the receivers of every room need, from the antenna systems of Chain."""

from dataclasses import dataclass

from azven.book.reading import Reading
from azven.book.records import Model, Zone
from azven.rf.chain.design import solve_design
from azven.rf.levels import thermal_noise_dbm
from azven.work import chain, ground
from azven.work.chain import templates
from azven.work.prove.need import Need
from azven.work.scope import Scope
from azven.work.wording import decibel


def needs(store: Reading, scope: Scope) -> "Needs":
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
                    gain = path.excess_gain_db
                    systems[zone] = path.noise_in_dbm + gain, record.name, gain
    return Needs(systems)


@dataclass(frozen=True)
class Needs:
    """By room: noise at the receivers' inputs [dBm], the antenna system that it is of, and what that does to a level on
    its way from the antenna to the receiver [dB]."""

    systems: dict[int, tuple[float, str, float]]

    def gain_db(self, zone_id: int) -> float | None:
        """From the antennas of a room to its receivers; None where no antenna system is known."""
        known = self.systems.get(zone_id)
        return known[2] if known is not None else None

    def of(self, model: Model, zone: Zone) -> Need:
        """Of a link of a model in a room."""
        known = self.systems.get(zone.id)
        own = float(thermal_noise_dbm(model.bandwidth_hz, model.nf_db))
        if known is None or model.service == "in-ear":
            return Need(own, model.needed_db, f"receiver alone, {model.nf_db:g} dB, {decibel(own)}")
        return Need(max(known[0], own), model.needed_db, f"{known[1]}: noise {decibel(known[0])} at the receiver")
