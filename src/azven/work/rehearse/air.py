"""What else is on the air, as far as the book knows: television as it was swept, neighbours as they are listed."""

from datetime import datetime, timedelta

import numpy as np

from azven.book.reading import Reading
from azven.book.records import Neighbour
from azven.rf.levels import dbm, milliwatts
from azven.rf.sweep import Channel, Sweep
from azven.rf.venue import Emitter, Multiplex, Venue
from azven.work import ground, listen
from azven.work.ground import hours
from azven.work.hall import Hall
from azven.work.scope import Scope

TELEVISION_DBM, NEIGHBOUR_DBM = -55.0, -65.0
"""Planning values of what arrives of a television channel in use and of a neighbour, where nobody measured it."""
_DAY_S = 86_400.0
_NEWEST = 6


def of_book(store: Reading, scope: Scope, hall: Hall, start: datetime) -> tuple[Venue, list[str]]:
    """The venue without our own, and in sentences what of it is not known."""
    here = ground.here(store, scope)
    used, swept = set(here.stations()), _swept(store, scope)
    listed = [c for c in here.channels() if c.name in used]
    levels = [next((x for s in swept if (x := arriving_dbm(s, c)) is not None), None) for c in listed]
    multiplexes = tuple(
        Multiplex(low_hz=c.low_hz, high_hz=c.high_hz, level_dbm=TELEVISION_DBM if level is None else level,
                  bearing_deg=0.0, psi_deg=None)
        for c, level in zip(listed, levels, strict=True)
    )  # fmt: skip
    neighbours = [n for n in store.all(Neighbour, site_id=scope.site) if n.kind != "ours"]
    emitters = tuple(
        Emitter(name=n.name, freq_hz=n.freq_hz, power_dbm=17.0, position=(0.0, 0.0, 2.0),
                arrives_dbm=NEIGHBOUR_DBM, keyed_s=_keyed(n.hours, here.clock, start))
        for n in neighbours
    )  # fmt: skip
    return Venue(multiplexes=multiplexes, emitters=emitters, walls=tuple(hall.walls)), _unsaid(levels, len(neighbours))


def _swept(store: Reading, scope: Scope) -> list[Sweep]:
    """The newest sweeps in which nothing of ours was on."""
    records = [r for r in listen.sweeps(store, scope) if r.used and not r.own_on]
    return [listen.load(store, r) for r in records[:_NEWEST]]


def arriving_dbm(sweep: Sweep, channel: Channel) -> float | None:
    """What a sweep read in a channel as a whole [dBm]; None where it does not cover it."""
    if sweep.freq_hz[0] > channel.low_hz or sweep.freq_hz[-1] < channel.high_hz:
        return None
    inside = (sweep.freq_hz >= channel.low_hz) & (sweep.freq_hz < channel.high_hz)
    read = sweep.level_dbm[inside]
    if not len(read) or not np.isfinite(read).all():
        return None
    spacing = (channel.high_hz - channel.low_hz) / len(read)
    return float(dbm(milliwatts(read).sum() * spacing / sweep.rbw_hz))


def _unsaid(levels: list[float | None], neighbours: int) -> list[str]:
    out, unswept = [], sum(x is None for x in levels)
    if unswept:
        share = f"{unswept} of {len(levels)} listed television channels"
        out.append(f"{share} were not swept: {TELEVISION_DBM:.0f} dBm are taken of each.")
    if neighbours:
        who = "one neighbour arrives" if neighbours == 1 else f"{neighbours} neighbours arrive"
        out.append(f"How strong {who} is not known: {NEIGHBOUR_DBM:.0f} dBm are taken of each.")
    out.append("What nobody listed or swept is not heard: strangers, hand-held radios, lamps and screens.")
    return out


def _keyed(local: str, clock: hours.Clock, start: datetime) -> tuple[float, float, float] | None:
    """Hours of a neighbour, every day; None where it is not said when it is on: always."""
    found = hours.read(local)
    if found is None:
        return None
    midnight = start.astimezone(clock.tz).replace(hour=0, minute=0, second=0, microsecond=0)
    first = (midnight + timedelta(minutes=found[0]) - start).total_seconds()
    return found[1] * 60.0, _DAY_S, first
