"""How a link stands, and how it would stand elsewhere; links of shared bands are judged here."""

from collections.abc import Mapping
from dataclasses import dataclass

from azven.book.records import Link
from azven.rf import across
from azven.rf.across import Strike
from azven.rf.request import meet_in_time
from azven.rf.schools import Standing
from azven.rf.shared import SharedStanding, standing, standings
from azven.rf.verdict import Limit
from azven.work import ids
from azven.work.plan.input import PlanInput
from azven.work.plan.shared import Slots
from azven.work.wording import formula, khz, listed

TIGHT_DB = 3.0


@dataclass(frozen=True, kw_only=True)
class Verdict:
    """How a link stands: `sound`, `tight`, `broken` or `unplaced`, its margin and what sets it.

    In the level schools `level` says how it stands by level; `excused`: a guard is broken, which is harmless here. A
    link of a band that everybody shares stands by `shared` interference, or by the time slots that are left.
    """

    link: Link
    state: str
    freq_hz: int | None = None
    margin_hz: int | None = None
    limit: Limit | None = None
    locked: bool = False
    fault: str = ""
    level: Standing | None = None
    excused: bool = False
    shared: SharedStanding | None = None
    slots: Slots | None = None

    @property
    def settled(self) -> bool:
        """Whether it has a frequency, or needs none given."""
        return self.freq_hz is not None or self.shared is not None or self.slots is not None

    @property
    def id(self) -> str:
        """The link's id in the plan."""
        return ids.of(self.link)


@dataclass(frozen=True)
class Trial:
    """What would happen if a link stood at `freq_hz`: its own margin, and who (id → name) would break."""

    freq_hz: int
    margin_hz: int | None
    limit: Limit | None
    fault: str
    breaks: Mapping[str, str]
    spare_db: float | None = None
    """In a shared band: what the wanted signal would have over need."""

    @property
    def clean(self) -> bool:
        if self.spare_db is not None and self.spare_db < 0:
            return False
        return not self.fault and not self.breaks and (self.margin_hz is None or self.margin_hz >= 0)

    def sentence(self) -> str:
        """One line for the person dragging."""
        if self.fault:
            return self.fault
        if self.breaks:
            names = list(self.breaks.values())
            more = f" and {len(names) - 2} more" if len(names) > 2 else ""
            return f"breaks {', '.join(names[:2])}{more}"
        if self.spare_db is not None:
            return f"{self.spare_db:.0f} dB over need".replace("-", "−")
        if self.margin_hz is None:
            return "clear of everything"
        return f"margin {self.margin_hz / 1e3:g} kHz"


def shared_verdicts(found: PlanInput, frequencies: Mapping[str, int], locked: frozenset[str]) -> dict[str, Verdict]:
    """How links of shared bands stand, by what interferes or by their time slots."""
    request, out = found.shared.request, dict[str, Verdict]()
    placed = {k: f for k, f in frequencies.items() if k in found.shared}
    known = standings(request, placed)
    for seat in request.seats:
        link, slots = found.links[seat.id], found.shared.slots.get(seat.id)
        if slots is not None and seat.choosing != "is set":
            state = "broken" if slots.spare < 0 else "sound" if slots.known else "tight"
            out[seat.id] = Verdict(link=link, state=state, slots=slots)
            continue
        stands = known.get(seat.id)
        if stands is None:
            out[seat.id] = Verdict(link=link, state="unplaced")
            continue
        freq = placed.get(seat.id)
        fault = "" if freq is None else fault_in_shared(found, frequencies, seat.id, freq)
        spare = stands.spare_db
        state = "broken" if fault or spare < 0 else "tight" if spare < TIGHT_DB or not stands.known else "sound"
        out[seat.id] = Verdict(link=link, state=state, freq_hz=freq, locked=seat.id in locked, fault=fault,
                               shared=stands)  # fmt: skip
    return out


def struck(found: PlanInput, frequencies: Mapping[str, int], link_id: str, freq_hz: int) -> Strike | None:
    """The product of carriers of other bands that falls onto a link of a shared band, where its model asks for that."""
    guards = found.shared.guards.get(link_id)
    if guards is None:
        return None
    request, wish = found.request, found.shared.wishes[link_id]
    placed = [r.at(frequencies[r.id]) for r in request.requests if r.id in frequencies]
    sources = [
        (c.id, c.freq_hz) for c in (*request.carriers, *placed)
        if c.radiates and request.relation(c.zone, wish.zone) == "together" and meet_in_time(c.times, wish.times)
    ]  # fmt: skip
    return across.strike(freq_hz, guards, sources)


def fault_in_shared(found: PlanInput, frequencies: Mapping[str, int], link_id: str, freq_hz: int) -> str:
    """Why a link of a shared band may not stand at a frequency, empty where it may."""
    seat = found.shared.request.seat(link_id)
    hit = struck(found, frequencies, link_id, freq_hz)
    if hit is not None:
        names = listed([found.name(s) for s in hit.sources])
        return f"the product {formula(hit.kind)} of {names} falls {khz(hit.distance_hz)} away"
    if seat is None or freq_hz in seat.centres:
        return ""
    bar = next((b.text for b in found.bars[link_id] if b.low_hz <= freq_hz < b.high_hz), "")
    return bar or "is none of the channels that are open to it"


def try_in_shared(
    found: PlanInput, frequencies: Mapping[str, int], before: Mapping[str, str], link_id: str, freq_hz: int
) -> Trial:
    """What would happen if a link of a shared band stood at a frequency, `before` how all stand now: who of its like
    then falls below need."""
    request = found.shared.request
    after = {k: f for k, f in frequencies.items() if k in found.shared} | {link_id: freq_hz}
    seat = request.seat(link_id)
    assert seat is not None
    stands = standings(request, after)
    broken = [k for k, s in stands.items() if k != link_id and s.spare_db < 0 and before.get(k) != "broken"]
    breaks = {k: found.name(k) for k in broken}
    return Trial(freq_hz, None, None, fault_in_shared(found, frequencies, link_id, freq_hz), breaks,
                 standing(request, seat, after).spare_db)  # fmt: skip
