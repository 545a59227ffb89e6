"""Units planned for shows: what a show wants, what is booked, where the rest could come from, what collides."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from azven.book import stock
from azven.book.edits import Edit, add, remove
from azven.book.reading import Making, Reading
from azven.book.records import Booking, Distance, Model, Show, Site, Unit
from azven.book.stock import Filter
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.register import bookings as core
from azven.rf.register.bookings import Distances, Stock, Supply, Want
from azven.work import kit
from azven.work.register.doing import named
from azven.work.register.finding import state_at
from azven.work.register.times import span
from azven.work.scope import of_show

_MOST = 5_000


@dataclass(frozen=True)
class Need:
    """What a show wants of a model in a band, the units booked for it, and where more could come from."""

    id: int
    model: Model
    band: str
    wanted: int
    booked: tuple[Unit, ...]
    supply: Supply

    @property
    def short(self) -> int:
        return self.supply.short


def distances(store: Reading) -> Distances:
    """Kilometres between sites by their numbers."""
    return {frozenset({str(d.site_a_id), str(d.site_b_id)}): d.km for d in store.all(Distance)}


def booking_of(store: Reading, booking: Booking) -> core.Booking | None:
    """A booking with its site and times; None where the show has none."""
    show = store.get(Show, booking.show_id)
    when = span(store, show)
    if when is None:
        return None
    return core.Booking(str(booking.id), str(booking.unit_id), str(show.site_id), when.load_in, when.load_out)


def wants(store: Reading, show: Show) -> list[tuple[Model, str, int]]:
    """Models and bands of a show's links, with how many."""
    models = {m.id: m for m in store.all(Model)}
    counted = Counter((x.model_id, x.band) for x in kit.links(store, of_show(show)) if not x.set_aside)
    order = sorted(counted, key=lambda k: (models[k[0]].name.casefold(), k[1]))
    return [(models[m], band, counted[m, band]) for m, band in order]


def needs(store: Store, show: Show, now: datetime) -> list[Need]:
    """What a show wants, line by line. Refusal where it is not known when it is."""
    when = span(store, show)
    if when is None:
        raise Refusal(f"{show.name} has no times: say its load-in and load-out.")
    asked, km = core.Booking("", "", str(show.site_id), when.load_in, when.load_out), distances(store)
    mine = {b.unit_id for b in store.all(Booking, show_id=show.id)}
    out = []
    for number, (model, band, count) in enumerate(wants(store, show), start=1):
        units = [u for u in stock.found(store, Filter(now=now, model=model.id), count=_MOST) if u.band == band]
        packs = [u for u in units if u.carried]
        booked = tuple(u for u in packs if u.id in mine)
        want = Want(str(model.id), band, max(count - len(booked), 0))
        free = [_stock(store, u, now) for u in packs if u.id not in mine]
        (supply,) = core.supplies(asked, [want], free, km)
        out.append(Need(number, model, band, count, booked, supply))
    return out


def _stock(store: Store, unit: Unit, now: datetime) -> Stock:
    held = [b for x in store.all(Booking, unit_id=unit.id) if (b := booking_of(store, x)) is not None]
    home = unit.site_home_id if unit.site_home_id is not None else unit.site_at_id
    return Stock(id=str(unit.id), model=str(unit.model_id), band=unit.band, home=str(home),
                 state=state_at(unit, now), bookings=tuple(held))  # fmt: skip


def book(store: Making, show: Show, units: Sequence[Unit]) -> Edit:
    """Plan units for a show. Refusal where one of them is booked so that it cannot be there."""
    when = span(store, show)
    if when is None:
        raise Refusal(f"{show.name} has no times: say its load-in and load-out.")
    known = {b.unit_id for b in store.all(Booking, show_id=show.id)}
    new = [u for u in units if u.id not in known]
    if not new:
        raise Refusal("Nothing new to book.")
    asked, km = (str(show.site_id), when.load_in, when.load_out), distances(store)
    for unit in new:
        for other in store.all(Booking, unit_id=unit.id):
            held = booking_of(store, other)
            if held is not None and core.collision(core.Booking("", str(unit.id), *asked), held, km) is not None:
                name = store.get(Show, other.show_id).name
                raise Refusal(f"{unit.name} is booked for {name} then, or too near for the way; take it out there.")
    first = store.reserve(len(new))
    records = [Booking(id=first + k, show_id=show.id, unit_id=u.id) for k, u in enumerate(new)]
    return Edit(f"Book {named(new)} for {show.name}", add(*records))


def unbook(store: Reading, show: Show, units: Sequence[Unit]) -> Edit:
    """Plan units for a show no longer."""
    numbers = {u.id for u in units}
    gone = [b for b in store.all(Booking, show_id=show.id) if b.unit_id in numbers]
    if not gone:
        raise Refusal("Choose units that are booked first.")
    return Edit(f"{len(gone)} units no longer for {show.name}", remove(gone))


def collisions(store: Store, show: Show) -> Mapping[int, str]:
    """By unit, what a booking for a show collides with, in words."""
    km, out = distances(store), dict[int, str]()
    for mine in store.all(Booking, show_id=show.id):
        here = booking_of(store, mine)
        for other in store.all(Booking, unit_id=mine.unit_id):
            there = booking_of(store, other)
            if other.id == mine.id or here is None or there is None:
                continue
            hit = core.collision(here, there, km)
            if hit is not None:
                name = store.get(Show, other.show_id).name
                out[mine.unit_id] = f"{name}: they overlap" if hit.why == "overlap" else (
                    f"{name}: {hit.gap_min:.0f} min between them, {hit.travel_min:.0f} for the way"
                )  # fmt: skip
    return out


def sites_of(store: Reading) -> Mapping[str, str]:
    """Names of sites by their numbers as text."""
    return {str(s.id): s.name for s in store.all(Site)}
