"""The simulated world behind the stand-ins: the demonstration's venue with our own transmitters in it."""

import math
from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from azven.book.edits import Edit
from azven.book.records import Assignment, Hears, Link, Model, Zone
from azven.book.store import Store
from azven.gear.standin import Speech, StandInAnalyser
from azven.rf.sweep import Sweep, SweepSettings
from azven.rf.venue import Emitter, Venue
from azven.work import demo, demo_story, ground, ids, kit, plan
from azven.work.scope import Scope, exists
from azven.work.surroundings import OnOffer

if TYPE_CHECKING:
    from azven.work.simulated_racks import SimulatedRacks

_STANDS: dict[str, tuple[str, str, Hears]] = {
    "omni": ("whip, omnidirectional, 1.6 m", "Rope Hall, riser", "in-ears"),
    "rack": ("log-periodic pair, aimed 20°", "Rope Hall, receive antennas", "receivers"),
    "plain": ("whip, omnidirectional, speaks plain text", "Rope Hall, green room", "in-ears"),
}
"""Antenna, place and who hears so, by the name of the antenna in the venue."""
_ANTENNAS = {"plain": "omni"}
_SPEECH: dict[str, Speech] = {"plain": "plain"}
_HEARD = {Assignment, Link, Model, Zone}


class SimulatedVenue:
    """Two stand-in analysers in one venue, in which our transmitters do what the book says."""

    def __init__(self, store: Store, scope: Scope, pace: float = 1.0) -> None:
        self.own_on = False
        self.site = scope.site
        self._store = store
        self._racks: SimulatedRacks | None = None
        self.analysers = {
            name: StandInAnalyser(self._reader(name), pace, _SPEECH.get(name, "block")) for name in _STANDS
        }
        self.follow(scope)
        store.listen(self._landed)

    @property
    def world(self) -> Venue:
        """Everything that radiates there now, our own included."""
        return self._world

    def start(self) -> "SimulatedVenue":
        for analyser in self.analysers.values():
            analyser.start()
        return self

    def stop(self) -> None:
        for analyser in self.analysers.values():
            analyser.stop()
        if self._racks is not None:
            self._racks.stop()

    def racks(self) -> "SimulatedRacks":
        if self._racks is None:
            from azven.work.simulated_racks import SimulatedRacks

            faults = demo.script()["rack_faults"]
            self._racks = SimulatedRacks(self._store, self._scope, demo_story.venue(), faults).start()
        return self._racks

    def instruments(self) -> tuple[OnOffer, ...]:
        return tuple(OnOffer(a.resource, *_STANDS[name]) for name, a in self.analysers.items())

    def follow(self, scope: Scope) -> None:
        if scope.site == self.site:
            self._scope = scope
            self._world = demo_story.venue(_ours(self._store, scope))

    def _landed(self, edit: Edit) -> None:
        if {c.kind for c in edit.changes} & _HEARD and exists(self._store, self._scope):
            self.follow(self._scope)

    def _reader(self, name: str) -> Callable[[SweepSettings, int], Sweep]:
        intercept = demo.script()["venue"]["front_iip3_dbm"].get(name)

        def read(settings: SweepSettings, number: int) -> Sweep:
            heard = self._world if self.own_on or self._racks is None else self._racks.air.world()
            world = replace(heard, front_iip3_dbm=intercept, antennas=self._world.antennas)
            there = world.antennas[_ANTENNAS.get(name, name)]
            return world.sweep(there, settings, 1_000 + number, self.own_on or self._racks is not None)

        return read


def _ours(store: Store, scope: Scope) -> tuple[Emitter, ...]:
    """Our transmitters as the plan has them: frequency, power, and a place in their room."""
    places = demo.script()["venue"]["zone_positions"]
    zones = {z.id: z.name for z in ground.zones(store, scope)}
    models = kit.models_by_link(store, kit.links(store, scope))
    placed = plan.assignments(store, scope)
    own = []
    for i, link in enumerate(kit.links(store, scope)):
        if link.id in placed:
            x, y, z = places.get(zones[link.zone_id], (0.0, 20.0, 1.5))
            model = models[link.id]
            power = 10 * math.log10(model.power_mw)
            spot = (x + i % 6 - 3.0, y + i // 6, z)
            own.append(
                Emitter(
                    name=ids.of(link),
                    freq_hz=placed[link.id].freq_hz,
                    power_dbm=power,
                    position=spot,
                    bandwidth_hz=model.bandwidth_hz / 2,
                    extra_loss_db=10.0,
                    ours=True,
                )
            )
    return tuple(own)
