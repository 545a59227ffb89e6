"""The simulated world behind the stand-ins: the demonstration's venue with our own transmitters in it."""

import math
from collections.abc import Callable
from dataclasses import replace

from azven.book.records import Model
from azven.book.store import Store
from azven.gear.standin import StandInAnalyser
from azven.rf.sweep import Sweep
from azven.rf.venue import Emitter, Settings, Venue
from azven.work import demo, demo_story, ground, ids, kit, plan
from azven.work.scope import Scope

ANTENNAS = {"omni": "whip, omnidirectional, 1.6 m", "rack": "log-periodic pair, aimed 20°"}


class SimulatedVenue:
    """Two stand-in analysers in one venue; `refresh` tells it what our transmitters do now."""

    def __init__(self, store: Store, scope: Scope, pace: float = 1.0) -> None:
        self.own_on = False
        self.site = scope.site
        """Where this is: at another site of the book there is nothing of it."""
        self._world: Venue = demo_story.venue()
        self.analysers = {name: StandInAnalyser(self._reader(name), pace) for name in ANTENNAS}
        self.refresh(store, scope)

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

    def refresh(self, store: Store, scope: Scope) -> None:
        """Take our transmitters from the plan: frequency, power, and a place in their room."""
        places = demo.script()["venue"]["zone_positions"]
        zones = {z.id: z.name for z in ground.zones(store, scope)}
        models = {m.id: m for m in store.all(Model)}
        placed = plan.assignments(store, scope)
        own = []
        for i, link in enumerate(kit.links(store, scope)):
            if link.id in placed:
                x, y, z = places.get(zones[link.zone_id], (0.0, 20.0, 1.5))
                model = models[link.model_id]
                power = 10 * math.log10(model.power_mw)
                spot = (x + i % 6 - 3.0, y + i // 6, z)
                own.append(
                    Emitter(ids.of(link), placed[link.id].freq_hz, power, spot, model.bandwidth_hz / 2, 10.0, ours=True)
                )
        self._world = demo_story.venue(tuple(own))

    def _reader(self, name: str) -> Callable[[Settings, int], Sweep]:
        intercept = demo.script()["venue"]["front_iip3_dbm"].get(name)

        def read(settings: Settings, number: int) -> Sweep:
            world = replace(self._world, front_iip3_dbm=intercept)
            return world.sweep(world.antennas[name], settings, 1_000 + number, self.own_on)

        return read
