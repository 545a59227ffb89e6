"""Reasons for a wideband carrier: what is on it, what it keeps from narrow links, where else it could stand."""

from collections.abc import Callable
from functools import partial

from azven.book.edits import Edit
from azven.book.records import Wideband
from azven.book.store import Store
from azven.work.kit import wide_deeds, wideband
from azven.work.kit.wideband import Standing
from azven.work.listen import Picture
from azven.work.reasons.told import Option, Reasons, Row
from azven.work.scope import Scope
from azven.work.wording import decibel, khz

_MOST_CHANNELS = 2


def for_carrier(store: Store, scope: Scope, picture: Picture, number: int) -> Reasons | None:
    """Reasons for a carrier by number; None where there is none."""
    view = wideband.view(store, scope, picture)
    found = next((s for s in view.standings if s.carrier.id == number), None)
    if found is None:
        return None
    lost = f"If it is lost: {found.if_lost}" if found.if_lost else "Nothing is on it."
    placed = found.low_hz is not None
    state = "broken" if found.wrong else "holds, barely" if found.lost_state == "broken" else "holds" if placed else ""
    return Reasons(
        title=found.carrier.name,
        figure=f"{found.share(found.slots):.1f} % of its slots",
        state=state,
        verdict=" ".join([*found.wrong, *([] if placed or found.wrong else ["It is not placed yet."]), lost]),
        arithmetic=_arithmetic(found),
        origins=_origins(found, picture),
        options=_elsewhere(store, scope, picture, found) + _spare(store, scope, picture, found),
        heading="On the carrier",
    )


def _arithmetic(found: Standing) -> tuple[Row, ...]:
    rows: list[Row] = []
    for down, said in ((False, "packs send"), (True, "packs hear")):
        blocks = [b for b in found.blocks if b.down is down]
        if blocks:
            slots = sum(b.slots for b in blocks)
            rows.append((f"{said}, {len(blocks)}", f"{slots} slots, {found.share(slots):.1f} %"))
    for block in (b for b in found.blocks if b.down and len(b.packs) > 1):
        rows.append((f"{block.name}, shared by {len(block.packs)}", f"{block.slots} slots once"))
    rows.append(("left", f"{found.capacity - found.slots} of {found.capacity} slots".replace("-", "−")))
    if found.low_hz is not None:
        guard, high = found.carrier.guard_hz, found.low_hz + found.model.bandwidth_hz
        rows += [
            ("guard at each edge", khz(guard)),
            ("closed to narrow links", f"{(found.low_hz - guard) / 1e6:g}–{(high + guard) / 1e6:g} MHz"),
        ]
    return tuple(rows)


def _origins(found: Standing, picture: Picture) -> tuple[Row, ...]:
    reading = wideband.heard_in(picture, found.carrier.channel)
    heard = "not swept" if reading is None or reading.power_dbm is None else decibel(reading.power_dbm)
    rows: list[Row] = [("slots and modes", f"model {found.model.name}")]
    if found.channel is not None:
        rows.insert(0, (f"heard in channel {found.carrier.channel}", heard))
    for antenna in (r for r in found.rows if r.over_db):
        least = f"{min(antenna.over_db.values()):.0f} dB over need at least".replace("-", "−")
        rows.append((f"{antenna.antenna.name}, {antenna.room}", least))
    return tuple(rows)


def _elsewhere(store: Store, scope: Scope, picture: Picture, found: Standing) -> tuple[Option, ...]:
    """The best channels, where something is wrong with its own or it has none."""
    if found.channel is not None and not found.wrong:
        return ()
    carrier = found.carrier
    ways = _quiet(store, scope, picture, carrier)
    return tuple(
        Option(f"Put it into channel {name}", effect, partial(wide_deeds.place, store, carrier, name))
        for name, effect in ways if name != carrier.channel
    )[:_MOST_CHANNELS]  # fmt: skip


def _spare(store: Store, scope: Scope, picture: Picture, found: Standing) -> tuple[Option, ...]:
    """One more carrier that stands ready, where the others do not take what is on this one."""
    ways = _quiet(store, scope, picture, found.carrier)
    free = [(name, effect) for name, effect in ways if name != found.carrier.channel]
    if found.lost_state != "broken" or not free:
        return ()
    name, effect = free[0]
    make: Callable[[], Edit] = partial(
        wide_deeds.add_carrier, store, scope, found.model, "", spare=True, channel=name, rooms=found.carrier.rooms,
        guard_hz=found.carrier.guard_hz,
    )  # fmt: skip
    return (Option(f"Keep a spare in channel {name}", f"{effect}; it takes all that is on {found.carrier.name}", make),)


def _quiet(store: Store, scope: Scope, picture: Picture, carrier: Wideband) -> list[tuple[str, str]]:
    """Channels that are not taken, the best first, with what standing there means."""
    out = []
    for offer in wide_deeds.offers(store, scope, picture, carrier)[0]:
        costs = f"{offer.cost} narrow link{'' if offer.cost == 1 else 's'} too close"
        if not offer.taken:
            said = costs if offer.cost else "no narrow link too close"
            out.append((offer.channel, f"{decibel(offer.power_dbm)} there, {said}"))
    return out
