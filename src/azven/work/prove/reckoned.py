"""What Reach reckons for a link's pack, wherever it is: the level that proving is held against."""

import math
from dataclasses import dataclass, field

import numpy as np

from azven.book.records import Model, Zone
from azven.book.store import Store
from azven.rf import reach as rf
from azven.rf.levels import Floats, thermal_noise_dbm
from azven.rf.reach import Wearer
from azven.work import reach
from azven.work.ground import places
from azven.work.scope import Scope

_FREQ_HZ, _CELLS, _WORN_M, _HELD_M = 600_000_000, 12, 1.1, 1.5


@dataclass
class Reckoning:
    """Rooms as the book has them, each read when it is first asked for."""

    store: Store
    scope: Scope
    _rooms: dict[int, reach.Room] = field(default_factory=dict, repr=False)
    _stages: dict[tuple[int, int, int | None], float | None] = field(default_factory=dict, repr=False)

    def room(self, zone: Zone) -> reach.Room:
        """A room with its antennas in the usual placement."""
        if zone.id not in self._rooms:
            self._rooms[zone.id] = reach.room(self.store, self.scope, zone, places.PLACEMENT)
        return self._rooms[zone.id]

    def over_need(self, zone: Zone, model: Model, freq_hz: int | None, at_m: Floats) -> Floats | None:
        """The better antenna over need (n,) [dB], median, with a pack of a model at places (n, 2) [m]; for in-ears what
        the pack hears of the transmit antenna. None without antennas."""
        drawn, ear = self.room(zone), model.service == "in-ear"
        ends = [a for a in drawn.antennas if a.role == ("transmit" if ear else "receive")]
        if not ends or not len(at_m):
            return None
        height = _HELD_M if model.form == "hand-held" else _WORN_M
        who = Wearer(power_dbm=10 * math.log10(model.power_mw), gain_dbi=model.gain_dbi, body_db=model.body_db,
                     freq_hz=float(freq_hz or _FREQ_HZ), height_m=height)  # fmt: skip
        at = np.column_stack([at_m, np.full(len(at_m), height)])
        levels = [rf.level_dbm(at, places.as_end(a), who, reach.surroundings(drawn)) for a in ends]
        alone = float(thermal_noise_dbm(model.bandwidth_hz, model.nf_db)) + model.needed_db
        return np.asarray(np.max(levels, axis=0) - (alone if ear else drawn.threshold.level_dbm))

    def on_stage(self, zone: Zone, model: Model, freq_hz: int | None) -> float | None:
        """What the middle of the places where people are has over need [dB]: the stage, else all of the room."""
        key = zone.id, model.id, freq_hz
        if key not in self._stages:
            found = self.over_need(zone, model, freq_hz, self._places(zone))
            self._stages[key] = None if found is None else float(np.median(found))
        return self._stages[key]

    def _places(self, zone: Zone) -> Floats:
        drawn = self.room(zone)
        shapes = [a.shape for a in drawn.areas if a.kind == "stage" and len(a.shape) > 2] or [drawn.zone.shape]
        low, high = reach.bounds(shapes[0])
        step = max(high[0] - low[0], high[1] - low[1], 1.0) / _CELLS
        grid = rf.grid(low, high, step, _WORN_M).reshape(-1, 3)[:, :2]
        inside = rf.inside(grid, shapes[0])
        return grid[inside] if inside.any() else grid
