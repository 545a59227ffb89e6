"""What levels need to know of a show: every link's radio and wearer, rooms with their antennas, wideband carriers."""

import math
from collections.abc import Mapping
from dataclasses import replace

from azven.book.reading import Reading
from azven.book.records import Link, Model, Wall
from azven.rf.by_level import Levels
from azven.rf.imlevels import CONVERSION_LOSS_DB, ISOLATED_CONVERSION_LOSS_DB
from azven.rf.levels import free_space_db, milliwatts
from azven.rf.radios import Radio, Room, Rooms, Spot, Wide
from azven.work import ground, ids, kit
from azven.work.ground import places
from azven.work.kit import wide_places
from azven.work.scope import Scope
from azven.work.wording import one_line


def levels_for(store: Reading, scope: Scope, links: Mapping[str, Link], models: Mapping[int, Model]) -> Levels:
    """What levels need to know: every link's radio and wearer, the rooms with the antennas that Reach has in them, and
    what stands between."""
    spots = kit.spots(store, scope)
    radios = {
        key: _radio(kit.as_used(models[link.model_id], link), link, spots.get(link.id, ()))
        for key, link in links.items()
    }
    zones = {z.id: z for z in ground.zones(store, scope)}
    rooms = {
        ids.of(z): Room(
            near_m=z.near_m,
            far_m=z.far_m,
            between_m=z.between_m,
            exponent=z.exponent,
            receive=places.ends(store, z, "receive"),
            transmit=places.ends(store, z, "transmit"),
        )
        for z in zones.values()
    }
    isolation = {
        frozenset(ids.of(zones[i]) for i in pair): (r.wall_loss_db or 0.0) / 2
        for pair, r in ground.relations(store, scope).items()
        if pair <= zones.keys()
    }
    walls = places.wall_lines(store.all(Wall, site_id=scope.site))
    return Levels(radios, Rooms(rooms, isolation, walls, _wide(store, scope, rooms)))


def _wide(store: Reading, scope: Scope, rooms: Mapping[str, Room]) -> dict[str, Wide]:
    """Average power of wideband carriers at receivers of each room; a spare is off."""
    found = [(w, radio_of(store.get(Model, w.model_id))) for w in wide_places.beside(store, scope) if not w.spare]
    out = {}
    for zone, room in rooms.items():
        here = [(w, radio) for w, radio in found if zone in w.rooms]
        racks = [(_arriving(radio, w.centre_hz, room.near_m, room.best_gain_dbi("receive")), w.id) for w, radio in here]
        worn = [_arriving(radio, w.centre_hz, room.between_m, 0.0) for w, radio in here]
        if here:
            out[zone] = Wide(max(racks)[1], sum(mw for mw, _ in racks), sum(worn))
    return out


def _arriving(radio: Radio, freq_hz: int, distance_m: float, gain_dbi: float) -> float:
    """Power [mW] of a pack that faces a receiver, in free space."""
    sent = radio.power_dbm + radio.gain_dbi - radio.least_body_db + gain_dbi
    return float(milliwatts(sent - float(free_space_db(freq_hz, max(distance_m, 0.3)))))


def _radio(model: Model, link: Link, spots: tuple[Spot, ...]) -> Radio:
    """`spots`: where it is worn; where nobody has said that, the performer has it on."""
    performer = one_line(link.performer).casefold()
    return replace(
        radio_of(model), fixed=link.service == "in-ear", worn=spots or ((Spot(performer),) if performer else ())
    )


def radio_of(model: Model) -> Radio:
    """The radio of a model, wherever it is."""
    fixed = model.service == "in-ear"
    return Radio(
        power_dbm=10 * math.log10(max(model.power_mw, 1e-3)), gain_dbi=model.gain_dbi, body_db=model.body_db,
        bandwidth_hz=model.bandwidth_hz, needed_db=model.needed_db, iip3_dbm=model.iip3_dbm, nf_db=model.nf_db,
        conversion_loss_db=ISOLATED_CONVERSION_LOSS_DB if fixed else CONVERSION_LOSS_DB, fixed=fixed,
        blocking_dbm=model.blocking_dbm,
    )  # fmt: skip
