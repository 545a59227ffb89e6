"""A shared band as it stands: our links in turn, others, receivers too near to access points, radar events."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from azven.book.edits import Edit, add, replace_record
from azven.book.reading import Reading
from azven.book.records import Act, Antenna, Link, Occupant, RadarEvent
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf import band24, bands, dect, dfs
from azven.rf.bands import Band
from azven.rf.shared import Seat, SharedRequest, Spell, best_for, channel_of, events, standing
from azven.work import ground, plan
from azven.work.kit import intercom_book
from azven.work.kit.bands import of_link
from azven.work.plan import Board, Verdict
from azven.work.plan.search import beside_products
from azven.work.plan.shared import dect_region, five_ghz, occupants
from azven.work.scope import Scope
from azven.work.wording import decibel, listed, mhz, over_need

_OFFERED = 14
DAY_MIN = 24 * 60


@dataclass(frozen=True, kw_only=True)
class Timeline:
    """One transceiver at 5 GHz over the show."""

    link_id: str
    spells: tuple[Spell, ...]

    @property
    def silent_s(self) -> float:
        return sum((s.to_s or s.from_s) - s.from_s for s in self.spells if s.silent)


@dataclass(frozen=True, kw_only=True)
class BandView:
    """A shared band. `turn` says what is to be done next in the sequence school, `next_id` whose turn it is and `to_hz`
    the channel that suits it; `wrong` what is unsafe, in sentences."""

    band: Band
    ours: tuple[Verdict, ...]
    others: tuple[Occupant, ...]
    wrong: tuple[str, ...]
    turn: str
    next_id: str = ""
    to_hz: int | None = None
    events: tuple[RadarEvent, ...] = ()
    timelines: tuple[Timeline, ...] = ()
    told: tuple[str, ...] = ()
    """What happens after each radar event, or what the band holds, in sentences."""
    show_min: int = 240


def view(store: Reading, scope: Scope, board: Board, band: Band) -> BandView:
    """How a shared band stands."""
    ours = tuple(v for v in board.verdicts if v.id in board.input.shared and of_link(store, v.link) is band)
    others = tuple(o for o in occupants(store, scope) if band.holds(o.centre_hz))
    turn, next_id, to = _turn(board, band, ours, bool(others))
    radars = radar_events(store, scope) if band.name == bands.RLAN else []
    lines = _timelines(board, ours, radars)
    told = _told(board, lines, radars) if band.name == bands.RLAN else ()
    if band.name == bands.DECT:
        told = capacity(store, scope, board, ours)
    return BandView(
        band=band, ours=ours, others=others, wrong=_wrong(store, scope, board, band, ours, others), turn=turn,
        next_id=next_id, to_hz=to, events=tuple(radars), timelines=lines, told=told,
        show_min=show_minutes(store, scope),
    )  # fmt: skip


def show_minutes(store: Reading, scope: Scope) -> int:
    """How long the show is: from its first act to its last where they have times, else what the intercom says."""
    acts = store.all(Act, show_id=scope.show)
    starts = [a.starts_at for a in acts if a.starts_at is not None]
    ends = [a.ends_at for a in acts if a.ends_at is not None]
    if starts and ends and min(starts) < max(ends):
        return max(int((max(ends) - min(starts)).total_seconds() // 60), 1)
    return int(intercom_book.figures(store, scope).get("show_min", 240))


def radar_events(store: Reading, scope: Scope) -> list[RadarEvent]:
    """Radar events of the show in their order."""
    return sorted(store.all(RadarEvent, show_id=scope.show), key=lambda e: (e.minute, e.channel, e.id))


# -- the sequence school ---------------------------------------------------------------------------------


def _turn(board: Board, band: Band, ours: Sequence[Verdict], others: bool) -> tuple[str, str, int | None]:
    """What is to be done next, whose turn it is, and the channel that suits it."""
    given = [v for v in ours if v.slots is None and not (v.shared is not None and v.freq_hz is None)]
    if not given:
        return ("", "", None) if ours else ("No link of ours works in this band.", "", None)
    missing = [v for v in given if v.freq_hz is None]
    if not missing:
        return "Every link here has a channel. Look again whenever somebody else switches something on.", "", None
    silent = [board.input.name(v.id) for v in given if v.freq_hz is not None and not v.link.switched_on]
    now = missing[0]
    seat = board.input.shared.request.seat(now.id)
    name = board.input.name(now.id)
    if silent:
        said = f"Switch on {listed(silent, 3)} and tick it under On: it has to be heard while {name} looks."
        return said, now.id, None
    if seat is None or not seat.centres:
        return f"{name} has no channel that is open to it here.", now.id, None
    if not others and not seat.sweep_dbm and not seat.reached:
        said = f"Nobody has looked: sweep {band.name} with everybody else's transmitters on, or list them."
        return said, now.id, None
    placed = {k: f for k, f in board.frequencies.items() if k in board.input.shared}
    beside = beside_products(board.input, board.frequencies)
    seat = beside.seat(now.id) or seat
    to = best_for(beside, seat, placed)
    if to is None:
        return f"{name} has no channel that is open to it here.", now.id, None
    found = standing(board.input.shared.request, seat, placed | {now.id: to})
    level = "nothing known there" if found.interference_dbm is None else f"{decibel(found.interference_dbm)} there"
    return f"Next is {name}: {channel_words(to)}, {level}.", now.id, to


def channel_words(freq_hz: int) -> str:
    number = bands.channel_at(freq_hz)
    return f"channel {number}" if number else f"{mhz(freq_hz)} MHz"


def assign_next(store: Store, scope: Scope, found: BandView, board: Board) -> Edit:
    """Give the link whose turn it is the channel that suits it. Refusal where something else has to be done first."""
    if found.to_hz is None:
        raise Refusal(found.turn or "No link here is waiting for a channel.")
    title = f"{board.input.name(found.next_id)} to {channel_words(found.to_hz)}"
    return plan.set_frequencies(store, scope, {found.next_id: found.to_hz}, title)


def to_assign(store: Reading, board: Board, band: Band) -> tuple[SharedRequest, dict[str, int], frozenset[str]]:
    """What `assigned` hangs on: the request, the links that keep their channel, and those of the band that get one."""
    request = beside_products(board.input, board.frequencies)
    mine = {v.id for v in board.verdicts if v.id in board.input.shared and of_link(store, v.link) is band}
    held = {k: f for k, f in board.frequencies.items()
            if k in board.input.shared and (k not in mine or k in board.locked)}  # fmt: skip
    return request, held, frozenset(mine - held.keys())


def assigned(store: Store, scope: Scope, board: Board, band: Band, placed: Mapping[str, int]) -> Edit:
    """The edit that gives links of a band the channels that were found. Refusal where nothing would change."""
    changed = {k: f for k, f in placed.items() if board.frequencies.get(k) != f}
    if not changed:
        raise Refusal("Nothing to assign: no link here takes another channel than it has.")
    count = f"{len(changed)} link{'' if len(changed) == 1 else 's'}"
    return plan.set_frequencies(store, scope, changed, f"Channels of {count} at {band.name}")


def offers(board: Board, verdict: Verdict) -> list[tuple[str, int]]:
    """Channels for a link, the best first, with what each leaves over need."""
    request = board.input.shared.request
    seat = request.seat(verdict.id)
    if seat is None or seat.choosing != "is set":
        return []
    others = {k: f for k, f in board.frequencies.items() if k in board.input.shared and k != verdict.id}
    found = []
    for freq in seat.centres:
        spare = standing(request, seat, others | {verdict.id: freq}).spare_db
        found.append((-round(spare, 1), freq))
    out = [(f"{channel_words(f)}: {over_need(-s)}{_listening(board, seat, f)}", f) for s, f in sorted(found)[:_OFFERED]]
    if verdict.freq_hz is not None and verdict.freq_hz not in [f for _, f in out]:
        out.insert(0, (f"{channel_words(verdict.freq_hz)}: as it is", verdict.freq_hz))
    return out


def _listening(board: Board, seat: Seat, freq: int) -> str:
    wait = board.input.shared.request.region.listen_s(channel_of(freq)) if seat.by_radar else 0.0
    return f", {wait:.0f} s of listening" if wait else ""


# -- what is wrong ---------------------------------------------------------------------------------------


def _wrong(
    store: Reading, scope: Scope, board: Board, band: Band, ours: Sequence[Verdict], others: Sequence[Occupant]
) -> tuple[str, ...]:
    out = []
    if ours and band.name == bands.ISM:
        least = f"closer than {band24.ACCESS_POINT_M:g} m to an access point"
        out += [f"{name}: {least}." for name in near(store, scope, others)]
    duty = [v for v in ours if v.freq_hz is not None and band.name == bands.RLAN
            and board.input.shared.request.region.listen_s(channel_of(v.freq_hz))]  # fmt: skip
    alone = [board.input.name(v.id) for v in duty if _nowhere(board, v)]
    if alone:
        out.append(f"{listed(alone, 3)} would have no other channel after a radar event: silent for half an hour.")
    unknown = [board.input.name(v.id) for v in ours if v.shared is not None and not v.shared.known]
    if any(v.slots is not None and not v.slots.known for v in ours):
        out.append("Nobody has looked for other systems: sweep all of the band or list who is on it.")
    if unknown:
        out.append(f"Nobody has looked at the channel of {listed(unknown, 3)}: sweep there or list who is on it.")
    return tuple(out)


def _nowhere(board: Board, verdict: Verdict) -> bool:
    seat = board.input.shared.request.seat(verdict.id)
    return seat is not None and len(seat.centres) < 2


def near(store: Reading, scope: Scope, others: Sequence[Occupant]) -> list[str]:
    """Receive antennas that stand too near to somebody whose place is known."""
    where = [o.place_m for o in others if len(o.place_m) == 3]
    receivers = {}
    for zone in ground.zones(store, scope):
        for antenna in store.all(Antenna, zone_id=zone.id, role="receive"):
            receivers[f"{antenna.name} in {zone.name}"] = (antenna.x_m, antenna.y_m, antenna.z_m)
    return list(band24.too_near(receivers, where))


# -- 5 GHz and 1.9 GHz -----------------------------------------------------------------------------------


def _timelines(board: Board, ours: Sequence[Verdict], radars: Sequence[RadarEvent]) -> tuple[Timeline, ...]:
    placed = {k: f for k, f in board.frequencies.items() if k in board.input.shared}
    found = events(board.input.shared.request, placed, [(e.channel, 60.0 * e.minute) for e in radars])
    return tuple(Timeline(link_id=v.id, spells=found[v.id]) for v in ours if v.id in found)


def _told(board: Board, lines: Sequence[Timeline], radars: Sequence[RadarEvent]) -> tuple[str, ...]:
    """What each radar event does, in a sentence."""
    out = []
    for event in radars:
        hit = []
        for line in lines:
            spell = next((s for s in line.spells if s.silent and s.from_s == 60.0 * event.minute), None)
            if spell is not None and spell.to_s is not None:
                silent = spell.to_s - spell.from_s
                hit.append(f"{board.input.name(line.link_id)} is silent for {_time(silent)}, then on {spell.channel}")
        opens = event.minute + dfs.CLOSED_S / 60
        what = "; ".join(hit) or "none of ours is there"
        out.append(f"Minute {event.minute}, radar on {event.channel}: {what}. {event.channel} is closed until minute "
                   f"{opens:g}, then to be listened to again.")  # fmt: skip
    return tuple(out)


def _time(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 180 else f"{seconds / 60:.0f} min"


def capacity(store: Reading, scope: Scope, board: Board, ours: Sequence[Verdict]) -> tuple[str, ...]:
    """What one space carries at 1.9 GHz, by how many systems are not synchronised with one another."""
    region = dect_region(ground.here(store, scope).region)
    carriers = len(dect.carriers_hz(region))
    counts = [f"{n} systems {dect.slots_each(carriers, n)} each" for n in range(2, 6)]
    where = "Europe" if region == "europe" else "North America"
    out = [
        f"{carriers} carriers of {dect.SLOTS} slots ({where}): {carriers * dect.SLOTS} for systems that are all "
        f"synchronised; not synchronised: {', '.join(counts)}."
    ]
    systems = list(dict.fromkeys((v.slots.taken, v.slots.there_are, v.slots.systems) for v in ours if v.slots))
    out += [f"Ours takes {taken} of {there} slots, as one of {count} systems here." for taken, there, count in systems]
    return tuple(out)


def listening(store: Reading, scope: Scope) -> str:
    """How long is listened before a channel at 5 GHz is used here, in a sentence."""
    region = five_ghz(ground.here(store, scope).region)
    free = [n for n in bands.RLAN_CHANNELS if region.allows(n) and not region.listen_s(n)]
    slow = [n for n in bands.RLAN_CHANNELS if region.allows(n) and region.listen_s(n) > dfs.LISTEN_S]
    lower, upper = [n for n in free if n < 149], [n for n in free if n >= 149]
    ranges = [f"{part[0]}–{part[-1]}" for part in (lower, upper) if part]
    weather = f", {listed([str(n) for n in slow])} {region.weather_s / 60:g} min" if slow else ""
    none = listed(ranges) if ranges else "none"
    return f"No listening: {none}; others {dfs.LISTEN_S:.0f} s{weather}. 36–64 mostly indoors only."


def add_radar(store: Store, scope: Scope, channel: int, minute: int, note: str = "") -> Edit:
    """Suppose, or write down, a radar event. Refusal for a channel without radar duty here, or no such minute."""
    region = five_ghz(ground.here(store, scope).region)
    if channel not in bands.RLAN_CHANNELS or not region.allows(channel):
        raise Refusal(f"Channel {channel} is not in use here.")
    if not region.listen_s(channel):
        raise Refusal(f"Channel {channel} has no radar duty: nobody leaves it because of a radar.")
    if not 0 <= minute <= DAY_MIN:
        raise Refusal(f"Minute {minute} is in no show.")
    event = RadarEvent(id=store.reserve(), show_id=scope.show, channel=channel, minute=minute, note=note.strip())
    return Edit(f"Radar on {channel} in minute {minute}", add(event), (event.id,))


def switch(chosen: Sequence[Link], on: bool) -> Edit:
    """Tick, or do not tick, that links are switched on now."""
    who = chosen[0].name if len(chosen) == 1 else f"{len(chosen)} links"
    title = f"{who} {'on' if on else 'off'}"
    return Edit(title, tuple(c for x in chosen for c in replace_record(x, replace(x, switched_on=on))))
