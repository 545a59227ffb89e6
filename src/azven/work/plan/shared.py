"""Links of shared bands in a plan: what the book says of them, as the arithmetic takes it."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from azven.book.reading import Reading
from azven.book.records import Intercom, Link, Model, Occupant, Zone
from azven.book.regions import Territory
from azven.rf import across, bands, dect, dfs
from azven.rf.band24 import Other, Span
from azven.rf.bands import Band
from azven.rf.coordinate.grid import tunable
from azven.rf.levels import KT0_DBM_HZ, Floats, dbm, free_space_db, indoor_db, milliwatts
from azven.rf.occupancy import LINK_BANDWIDTH_HZ
from azven.rf.request import Request, contains
from azven.rf.shared import Seat, SharedRequest
from azven.rf.sweep import Sweep
from azven.work import ground, kit
from azven.work.kit.bands import of_model
from azven.work.kit.gear import planned
from azven.work.listen import Picture
from azven.work.plan.levels import radio_of
from azven.work.scope import Scope

_ABOVE_NOISE_DB = 3.0
_WHIP_DBI = 2.15
"""The antenna of a receiver of shared bands, where nothing else is said."""


def is_shared(model: Model, band: str) -> bool:
    """Whether a link of a model and a tuning band works where nobody has a frequency of his own."""
    return of_model(model, band).shared


@dataclass(frozen=True, kw_only=True)
class Slots:
    """How a system of time slots stands that chooses its carriers by itself: what it takes, and what is left to it
    beside `systems` in all that are not synchronised with one another. `known`: somebody else is listed there, or a
    sweep reaches all carriers; without that there may be more systems."""

    taken: int
    there_are: int
    systems: int
    known: bool

    @property
    def spare(self) -> int:
        return self.there_are - self.taken


@dataclass(frozen=True, kw_only=True)
class Shared:
    """The links of shared bands: what the arithmetic asks, the request of each as a link, and systems of slots by
    link. `names` are those of strangers, by their id."""

    request: SharedRequest = field(default_factory=SharedRequest)
    wishes: Mapping[str, Request] = field(default_factory=dict)
    slots: Mapping[str, Slots] = field(default_factory=dict)
    names: Mapping[str, str] = field(default_factory=dict)
    guards: Mapping[str, Mapping[str, int]] = field(default_factory=dict)
    """Guards against products of other bands, by link, where its model has some."""

    def __contains__(self, link_id: str) -> bool:
        return link_id in self.wishes


def occupants(store: Reading, scope: Scope) -> list[Occupant]:
    """Everybody else that is known on shared bands at the site."""
    return sorted(store.all(Occupant, site_id=scope.site), key=lambda o: (o.centre_hz, o.position, o.id))


def five_ghz(region: Territory | None) -> dfs.Region:
    """What holds for the channels at 5 GHz, the more careful figures where the region does not say."""
    return region.five_ghz if region is not None and region.five_ghz is not None else dfs.Region()


def dect_region(region: Territory | None) -> str:
    return region.dect if region is not None and region.dect else "europe"


def shared_for(
    store: Reading, scope: Scope, picture: Picture, links: Mapping[str, Link], models: Mapping[int, Model],
    wishes: Mapping[str, Request],
) -> Shared:  # fmt: skip
    """What is asked of the links of shared bands; `wishes` are their requests, with what is closed to each."""
    if not links:
        return Shared()
    place = ground.here(store, scope)
    around = _Around(store, scope, picture, links, models)
    seats = tuple(around.seat(key, wishes[key]) for key in links)
    request = SharedRequest(seats=seats, heard_dbm=around.heard(), region=five_ghz(place.region))
    in_slots = {k: x for k, x in links.items() if around.band(k).name == bands.DECT}
    slots = _slots(store, scope, dect_region(place.region), in_slots, around)
    names = {f"occupant-{o.id}": o.name for o in around.occupants}
    guards = {k: m.guard_hz for k, m in around.models.items() if across.asks(m.guard_hz)}
    return Shared(request=request, wishes=dict(wishes), slots=slots, names=names, guards=guards)


class _Around:
    """What every link of shared bands is judged against, looked up once."""

    def __init__(
        self, store: Reading, scope: Scope, picture: Picture, links: Mapping[str, Link], models: Mapping[int, Model]
    ) -> None:
        self.links = links
        self.models = {k: kit.as_used(models[x.model_id], x) for k, x in links.items()}
        self.zones: dict[int, Zone] = {z.id: z for z in ground.zones(store, scope)}
        self.related = ground.relations(store, scope)
        self.occupants = occupants(store, scope)
        self.region = five_ghz(ground.here(store, scope).region)
        self.sweeps = [(r.own_on, _Running(s)) for r, s in picture.sweeps if bands.shared([(r.low_hz, r.high_hz)])]
        self.readings = [d.reading for d in picture.shared]
        self.own = [f for f in planned(store, scope).values() if bands.of(f).shared]
        self._open: dict[tuple[object, ...], tuple[int, ...]] = {}
        self._known: dict[tuple[object, ...], dict[int, float]] = {}
        self._levels: dict[tuple[int, float, int, int], float] = {}

    def band(self, key: str) -> Band:
        return of_model(self.models[key], self.links[key].band)

    def hears(self, zone: int, other: int | None) -> bool:
        """Whether what is in one room arrives in another; None is every room."""
        if other is None or other == zone:
            return True
        found = self.related.get(frozenset((zone, other)))
        return found is not None and found.relation != "apart"

    def seat(self, key: str, wish: Request) -> Seat:
        link, model, band = self.links[key], self.models[key], self.band(key)
        room = self.zones[link.zone_id]
        middle = (band.low_hz + band.high_hz) / 2
        noise = KT0_DBM_HZ + 10 * math.log10(model.bandwidth_hz) + model.nf_db
        path = float(indoor_db(middle, max(room.far_m, 1.0), room.exponent))
        sent = radio_of(model).power_dbm + model.gain_dbi
        by_radar = band.name == bands.RLAN
        low, high = wish.ranges[0].low_hz, wish.ranges[0].high_hz
        return Seat(
            id=key, centres=self._centres(wish, by_radar) if model.choosing == "is set" else (),
            width_hz=model.bandwidth_hz, wanted_dbm=sent - model.body_db - path + _WHIP_DBI, noise_dbm=noise,
            band_hz=(low - model.bandwidth_hz // 2, high + model.bandwidth_hz // 2),
            needed_db=model.needed_db, duty=model.duty, priority=wish.priority, times=wish.times,
            choosing=model.choosing, by_radar=by_radar and model.choosing == "is set", rejoin_s=model.rejoin_s,
            second_radio=model.second_radio, others=self._others(link.zone_id, band),
            sweep_dbm=self._swept(wish, model, by_radar) if model.choosing == "is set" else {},
            reached=self._reached(wish, model, by_radar) if model.choosing == "is set" else frozenset(),
        )  # fmt: skip

    def _centres(self, wish: Request, by_radar: bool) -> tuple[int, ...]:
        """Channels that are open to a link; links of one kind share them."""
        key = wish.ranges, wish.allowed, wish.step_hz, wish.origin_hz, by_radar
        if key not in self._open:
            self._open[key] = self._open_to(wish, by_radar)
        return self._open[key]

    def _open_to(self, wish: Request, by_radar: bool) -> tuple[int, ...]:
        open_to = wish.allowed if wish.allowed is not None else wish.ranges
        found = [f for f in tunable(wish) if contains(open_to, f)]
        if not by_radar:
            return tuple(found)
        numbers = {dfs.centre_hz(n) for n in bands.RLAN_CHANNELS if self.region.allows(n)}
        return tuple(f for f in found if f in numbers)

    def _others(self, zone: int, band: Band) -> tuple[tuple[str, Other], ...]:
        return tuple(
            (f"occupant-{o.id}", Other(Span(o.centre_hz, o.width_hz), o.level_dbm, o.duty))
            for o in self.occupants if band.holds(o.centre_hz) and self.hears(zone, o.zone_id)
        )  # fmt: skip

    def _swept(self, wish: Request, model: Model, by_radar: bool) -> dict[int, float]:
        """What sweeps heard in each channel [dBm], the worst of them. Where our transmitters were on, theirs is left
        out: they are reckoned."""
        key = wish.ranges, wish.allowed, wish.step_hz, wish.origin_hz, model.bandwidth_hz, by_radar
        if key not in self._known:
            self._known[key] = self._sweep_levels(wish, model, by_radar)
        return self._known[key]

    def _sweep_levels(self, wish: Request, model: Model, by_radar: bool) -> dict[int, float]:
        centres = np.array(self._centres(wish, by_radar) if self.sweeps else (), np.int64)
        own_there = np.array([any(abs(f - o) < model.bandwidth_hz for o in self.own) for f in centres.tolist()], bool)
        worst = np.full(len(centres), -np.inf)
        for own_on, sweep in self.sweeps:
            levels = sweep.powers(centres, model.bandwidth_hz)
            worst = np.fmax(worst, np.where(own_on & own_there, np.nan, levels))
        found = dict(zip(centres.tolist(), worst.tolist(), strict=True))
        return {
            f: level for f, level in found.items()
            if level > -math.inf and not (by_radar and level < self._floor(f, model.bandwidth_hz) + _ABOVE_NOISE_DB)
        }  # fmt: skip

    def _reached(self, wish: Request, model: Model, by_radar: bool) -> frozenset[int]:
        """Channels that a sweep covers."""
        half = model.bandwidth_hz // 2
        centres = self._centres(wish, by_radar) if self.sweeps else ()
        return frozenset(f for f in centres if any(s.covers(f - half, f + half) for _, s in self.sweeps))

    def _floor(self, freq: int, width_hz: int) -> float:
        """Noise of the sweeps in a width [dBm]: what only just tells channels at 5 GHz apart is not somebody."""
        levels = [r.noise_dbm for r in self.readings if r.channel.low_hz <= freq < r.channel.high_hz]
        known = [level for level in levels if level is not None]
        return max(known) + 10 * math.log10(width_hz / LINK_BANDWIDTH_HZ) if known else -math.inf

    def heard(self) -> dict[tuple[str, str], float]:
        """How loud each link arrives at the receivers of the others of its band."""
        out = {}
        for a, sender in self.links.items():
            for b, hearer in self.links.items():
                if a == b or self.band(a) is not self.band(b) or not self.hears(hearer.zone_id, sender.zone_id):
                    continue
                out[a, b] = self._level(a, sender, hearer)
        return out

    def _level(self, key: str, sender: Link, hearer: Link) -> float:
        """Free space from the nearest place in the hearer's room, less half of what stands between the rooms."""
        known = self.models[key].id, self.models[key].power_mw, sender.zone_id, hearer.zone_id
        if known not in self._levels:
            self._levels[known] = self._reckoned(key, sender, hearer)
        return self._levels[known]

    def _reckoned(self, key: str, sender: Link, hearer: Link) -> float:
        model, band = self.models[key], self.band(key)
        sent = radio_of(model).power_dbm + model.gain_dbi + _WHIP_DBI
        room = self.zones[hearer.zone_id]
        relation = self.related.get(frozenset((sender.zone_id, hearer.zone_id)))
        between = (relation.wall_loss_db or 0.0) / 2 if relation is not None else 0.0
        path = float(free_space_db((band.low_hz + band.high_hz) / 2, max(room.near_m, 0.5)))
        return round(sent - path - between, 6)


class _Running:
    """A sweep of which the power in many channels is asked for."""

    def __init__(self, sweep: Sweep) -> None:
        self._freq = sweep.freq_hz
        self._low, self._high = int(sweep.freq_hz[0]), int(sweep.freq_hz[-1] + sweep.spacing_hz)
        self._sums = np.r_[0.0, np.cumsum(milliwatts(sweep.level_dbm))] * sweep.spacing_hz / sweep.bandwidth_hz

    def powers(self, centres: NDArray[np.int64], width_hz: int) -> Floats:
        """Power [dBm] (n,) in channels about some centres [Hz]; NaN where the sweep does not reach all of one."""
        low, high = centres - width_hz // 2, centres + width_hz // 2
        power = self._sums[np.searchsorted(self._freq, high)] - self._sums[np.searchsorted(self._freq, low)]
        whole = (low >= self._low) & (high <= self._high) & (power > 0)
        return np.where(whole, dbm(np.where(whole, power, 1.0)), np.nan)

    def covers(self, low_hz: int, high_hz: int) -> bool:
        return self._low <= low_hz and high_hz <= self._high


def _slots(
    store: Reading, scope: Scope, region: str, links: Mapping[str, Link], around: _Around
) -> dict[str, Slots]:  # fmt: skip
    """What systems at 1.9 GHz take: links of one base station are one system, so are those without one; every stranger
    there is a system more. All are taken to hear one another."""
    if not links:
        return {}
    said = store.all(Intercom, show_id=scope.show)
    each_takes = 2 if said and said[0].figures.get("wide") else 1
    systems: dict[int, list[str]] = {}
    for key, link in links.items():
        systems.setdefault(link.unit_id or 0, []).append(key)
    dect_band = bands.named(bands.DECT)
    strangers = sum(dect_band.holds(o.centre_hz) for o in around.occupants)
    count = len(systems) + strangers
    carriers = dect.carriers_hz(region)
    each = dect.slots_each(len(carriers), count)
    known = strangers > 0 or any(s.covers(min(carriers), max(carriers)) for _, s in around.sweeps)
    found = {n: Slots(taken=each_takes * len(keys), there_are=each, systems=count, known=known)
             for n, keys in systems.items()}  # fmt: skip
    return {key: found[link.unit_id or 0] for key, link in links.items()}
