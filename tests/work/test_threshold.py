"""What a link needs at the antennas of a room hangs on the system behind them and on the noise that was swept there."""

import numpy as np
import pytest

from azven.book.records import Design
from azven.rf.sweep import Sweep
from azven.work import chain, ground, listen, reach
from azven.work.ground import places, take_out
from azven.work.listen.taking import About
from azven.work.scope import opening as here


def room(store, name="Rope Hall", picture=None):
    hall = next(z for z in ground.zones(store, here(store)) if z.name == name)
    return reach.room(store, here(store), hall, places.PLACEMENT, picture)


def test_the_threshold_is_the_noise_of_the_system_that_serves_the_room(store):
    design = chain.designs(store, here(store))[0]
    assert room(store).threshold.design == design.name
    before = room(store).threshold.level_dbm
    cable = next(n["id"] for n in design.document["nodes"] if n["type"] == "cable" and "Rope Hall" in n["id"])
    store.apply(chain.set_value(design, cable, 150.0))
    assert room(store).threshold.level_dbm > before + 0.2
    served = reach.coverage(room(store), "pack, facing away")
    store.apply(chain.set_value(chain.designs(store, here(store))[0], cable, 3_000.0))
    assert reach.coverage(room(store), "pack, facing away").served < served.served


def test_a_room_without_a_system_says_so(store):
    for design in store.all(Design):
        store.apply(take_out(design, "Out"))
    found = room(store).threshold
    assert found.design == ""
    assert found.level_dbm == pytest.approx(-173.975 + 53.01 + 8 + 20, abs=0.1)
    assert "no antenna system in Chain serves this room" in found.sentence()


def test_noise_that_was_swept_in_the_room_counts(store):
    freq = np.arange(470_000_000, 694_000_000, 50_000)
    noisy = np.random.default_rng(1).normal(-95.0, 0.3, len(freq))
    quiet = room(store).threshold.level_dbm
    about = About("Rope Hall, stage", "omni", own_on=False, hears="receivers")
    when = listen.sweeps(store, here(store))[0].taken_at
    store.apply(
        listen.keep(store, here(store), Sweep(freq, noisy, 50_000.0), about, "analyser", when.replace(year=2031))
    )
    found = room(store, picture=listen.picture(store, here(store))).threshold
    assert found.swept_at == "Rope Hall, stage"
    swept = -95.0 + 10 * np.log10(200 / 50)
    assert found.noise_dbm > swept - 0.5  # the other rooms' antennas bring theirs into the combiner as well
    assert found.level_dbm > quiet + 10
    for design in store.all(Design):
        store.apply(take_out(design, "Out"))
    alone = room(store, picture=listen.picture(store, here(store))).threshold
    assert (alone.design, alone.noise_dbm) == ("", pytest.approx(swept, abs=0.5))
    elsewhere = room(store, "Boat Shed" if any(z.name == "Boat Shed" for z in ground.zones(store, here(store))) else
                     ground.zones(store, here(store))[1].name,
                     listen.picture(store, here(store))).threshold  # fmt: skip
    assert elsewhere.swept_at == "" or "Rope Hall" not in elsewhere.swept_at
