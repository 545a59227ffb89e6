"""What the chain's arithmetic predicts, the simulated venue shows when radios key up."""

import numpy as np
import pytest

from azven.rf.chain.design import solve_design
from azven.rf.sweep import SweepSettings
from azven.rf.venue import Antenna, Emitter, Venue
from azven.work import chain
from azven.work.scope import opening as here

KEYED = (500_000_000, 501_000_000)
SETTINGS = SweepSettings(start_hz=495_000_000, stop_hz=506_000_000, points=2_201, rbw_hz=30_000)


def product_seen(iip3_dbm, level_dbm, time_s):
    """Strongest reading at 2a − b [dBm] of an analyser behind a system with that intercept."""
    radios = tuple(
        Emitter(
            name=f"r{i}",
            freq_hz=f,
            power_dbm=0,
            position=(0, 5, 1.5),
            bandwidth_hz=12_500,
            keyed_s=(5, 60, 10),
            arrives_dbm=level_dbm,
        )
        for i, f in enumerate(KEYED)
    )
    world = Venue(emitters=radios, surroundings=None, front_iip3_dbm=iip3_dbm)
    sweep = world.sweep(Antenna(gain_dbi=0.0), SETTINGS, 1, time_s=time_s)
    at = 2 * KEYED[0] - KEYED[1]
    return float(sweep.level_dbm[sweep.between(at - 20_000, at + 20_000)].max())


def test_the_naive_setting_fills_the_band_with_products_when_radios_key_up(store):
    record = next(d for d in chain.designs(store, here(store)) if d.name == "Three rooms, one rack")
    naive = chain.read(chain.document_of(record))
    tuned = naive.with_settings(chain.plan_gains(naive).settings)
    iip3 = {
        name: next(p.iip3_dbm for p in solve_design(design).paths if design.zone_of(p.antenna) == "Signal House")
        for name, design in (("naive", naive), ("tuned", tuned))
    }
    assert iip3["tuned"] > iip3["naive"] + 10
    quiet = product_seen(iip3["naive"], -30.0, time_s=0.0)
    loud, mild = (product_seen(iip3[name], -30.0, time_s=12.0) for name in ("naive", "tuned"))
    assert loud > quiet + 20
    assert mild < loud - 15
    assert loud == pytest.approx(3 * -30.0 - 2 * iip3["naive"], abs=4.0)
    assert np.isfinite(mild)
