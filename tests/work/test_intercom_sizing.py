"""How large the intercom of a show has to be: slots, coverage on the site's plan, cables, batteries."""

from dataclasses import replace
from datetime import UTC, datetime

import pytest

from azven.book.records import Mount, Occupant, Zone
from azven.refusal import Refusal
from azven.rf.batteries import Rotation
from azven.work import ground
from azven.work.kit import intercom, printed
from azven.work.kit.intercom import Asked
from azven.work.scope import opening as here


@pytest.fixture
def hall(store):
    return next(z for z in store.all(Zone) if z.name == "Rope Hall")


@pytest.fixture
def asked(store, hall):
    base = next(m for m in store.all(Mount) if m.name == "Control desk right")
    return Asked(rooms=(hall.id,), base=base.id)


def size(store, asked):
    return intercom.size(store, here(store), asked)


def test_the_hall_takes_three_and_no_two_places_do(store, asked):
    found = size(store, asked)
    assert (found.transceivers, found.by_slots, found.wrong) == (3, 1, ())
    used = {c.mount.name for c in found.cables if c.used}
    assert used == {"Truss left", "Control desk right", "Behind the glass"}
    assert found.coverage.exact
    assert found.coverage.covered >= 0.99 * found.coverage.points


def test_many_packs_take_more_than_coverage_does(store, asked):
    assert size(store, replace(asked, packs=40)).transceivers == 4
    assert size(store, replace(asked, packs=40, wide=True)).transceivers == 8
    assert size(store, replace(asked, packs=40, slots_of_one=5)).transceivers == 8


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"rooms": ()}, "Choose the rooms"),
        ({"base": 0}, "no cable length is known"),
        ({"base": 10**6}, "no cable length is known"),
        ({"indoor_m": 3.0}, "together do not cover 99 %"),
        ({"cable_m": 30.0}, "that a cable reaches together do not cover"),
        ({"packs": 37}, "37 slots are asked for, one system carries 36 beside 1 that it is not synchronised with"),
        ({"packs": 30, "groups": 3}, "one system carries 24 beside 2 that it is not synchronised with"),
        ({"region": "north-america", "packs": 19}, "one system carries 18 beside 1"),
        ({"talkers": 17}, "17 are to talk at once, the base allows 16"),
        ({"run_min": 30, "reserve_min": 30}, "Batteries: the reserve leaves nothing"),
    ],
)
def test_what_does_not_work_or_is_missing_is_said(store, asked, change, said):
    assert any(said in w for w in size(store, replace(asked, **change)).wrong)


def test_coverage_that_is_not_known_is_no_number(store, asked):
    found = size(store, replace(asked, indoor_m=3.0))
    assert found.transceivers is None
    assert ("transceivers", "not known") in intercom.in_words(found)


def test_only_the_slotted_band_has_slots(store, asked):
    assert size(store, replace(asked, band="5 GHz", packs=400)).wrong == ()
    with pytest.raises(Refusal):
        size(store, replace(asked, band="900 MHz"))


def test_cables_run_along_the_walls_with_slack(store, asked):
    found = {c.mount.name: c for c in size(store, asked).cables}
    assert found["Control desk right"].length_m == pytest.approx(5.0)
    # from (3, 38, 3) to (-6, 13, 5.5): 9 across, 25 along, 2.5 up, 5 for the ends
    assert found["Truss left"].length_m == pytest.approx(41.5)
    assert found["Mast east"].too_long
    assert not found["Mast east"].used


def test_walls_cost_more_at_higher_frequencies(store):
    low, high = (intercom.walls_at(store, here(store), f) for f in (600e6, 5.5e9))
    assert [h.loss_db / w.loss_db for w, h in zip(low, high, strict=True)] == pytest.approx(
        [1.819] * len(low), rel=1e-3
    )


def test_a_room_without_an_outline_is_not_called_covered(store, asked):
    loft = store.apply(ground.add_zone(store, here(store), "Loft")).select[0]
    found = size(store, replace(asked, rooms=(*asked.rooms, loft)))
    assert found.transceivers is None
    assert "Loft: no outline is drawn" in found.wrong[0]


def test_outdoors_reaches_farther_only_where_both_are_outdoors(store, asked):
    quay = next(z for z in store.all(Zone) if z.name == "Quay Stage")
    away = replace(asked, rooms=(quay.id,), base=0, indoor_m=10.0)
    assert size(store, away).coverage is None
    outside = size(store, replace(away, outdoor=(quay.id,)))
    assert outside.coverage is not None
    assert {c.mount.zone_id for c in outside.cables if c.used} == {quay.id}


def test_batteries_are_those_of_the_rotation(store, asked):
    long = replace(asked, packs=12, show_min=900)
    found = size(store, long)
    same = Rotation(packs=12, show_min=900, run_min=300, reserve_min=30, charge_min=150, bays=5)
    assert (found.batteries, found.changes) == (same.batteries(), 3)
    assert found.batteries > 24


def test_the_page_on_paper_says_all_of_it(store, asked):
    found = size(store, replace(asked, talkers=17))
    html = printed.intercom_sheet(store, here(store), found, datetime(2026, 11, 26, tzinfo=UTC))
    for words in ("17 are to talk at once", "Truss left", "42 m", "never a life-safety link", "Mast east", "too long"):
        assert words in html


@pytest.mark.parametrize(("change", "there_are"), [({}, 120), ({"region": "north-america"}, 60), ({"groups": 2}, 36)])
def test_a_system_that_is_alone_has_every_slot(store, asked, change, there_are):
    assert size(store, asked).slots_there_are == 36  # the demonstration's neighbour has telephones
    for stranger in store.all(Occupant):
        store.apply(ground.take_out(stranger, "g"))
    found = size(store, replace(asked, **change, packs=there_are))
    assert found.slots_there_are == there_are
    assert not any("slots are asked" in w for w in found.wrong)
    assert any("slots are asked" in w for w in size(store, replace(asked, **change, packs=there_are + 1)).wrong)
