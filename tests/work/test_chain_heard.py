"""An antenna system in the simulated venue: the naive setting, Set gains, no filter, as receivers hear them."""

import pytest

from azven.book.records import Wideband
from azven.work import chain, demo, ids, listen, plan
from azven.work.chain import heard as chain_heard
from azven.work.chain import threats
from azven.work.scope import opening as here
from naming import key

ANTENNA = "Quay Stage antenna"


@pytest.fixture
def heard(store):
    record = next(d for d in chain.designs(store, here(store)) if d.name == "Three rooms, one rack")
    document, picture = chain.document_of(record), listen.picture(store, here(store))
    quiet = chain_heard.quiet_channels(picture)
    world = chain_heard.world(store, here(store), picture)

    def hear(threat, metres=3.0):
        found = chain_heard.settings_heard(world, document, ANTENNA, threat, metres, quiet)
        return {h.name: h for h in found}

    return hear


def test_when_radios_key_up_set_gains_makes_less_and_a_missing_filter_much_more(heard):
    calm, keyed = heard(None), heard(threats.RADIO)
    assert list(keyed) == ["as it is", "Set gains", "as it is, without filters"]
    assert keyed["as it is, without filters"].made_dbm > keyed["as it is"].made_dbm + 30
    assert keyed["Set gains"].made_dbm < keyed["as it is"].made_dbm - 4
    assert keyed["Set gains"].made_dbm == pytest.approx(calm["Set gains"].made_dbm, abs=0.5)
    assert "where no transmitter is on" in keyed["Set gains"].sentence()


def test_wanted_signals_coincide_once_gains_are_taken_back(heard, store):
    found = heard(None)
    marshals = plan.board_of(store, here(store)).frequencies[key(store, "Dock Marshals 1")]
    levels = [h.sweep.level_dbm[h.sweep.between(marshals - 30_000, marshals + 30_000)].max() for h in found.values()]
    assert levels[0] == pytest.approx(levels[1], abs=0.5)
    assert levels[0] > -90


def test_the_front_of_a_way_is_its_arithmetic(store):
    design = chain.read(chain.document_of(chain.designs(store, here(store))[0]))
    front = chain_heard.front(design, ANTENNA)
    assert front.loss_before_db([460_000_000, 500_000_000]).tolist() == [40.0, 0.0]
    with pytest.raises(ValueError, match="leads to no receiver"):
        chain_heard.front(design, "receiver")


def test_the_books_own_venue_holds_its_links_its_walls_and_its_television(store):
    world = chain_heard.world(store, here(store), listen.picture(store, here(store)))
    carriers = {ids.of(c) for c in store.all(Wideband) if not c.spare}
    assert len(carriers) == 2
    assert {e.name for e in world.emitters} == set(plan.board_of(store, here(store)).frequencies) | carriers
    assert len(world.walls) == len(demo.script()["walls"])
    assert len(world.multiplexes) >= 15
