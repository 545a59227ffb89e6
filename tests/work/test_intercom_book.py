"""The intercom as the book keeps it: figures, talk groups, transceivers placed, and where Reach looks at them."""

from dataclasses import replace

import numpy as np
import pytest

from azven.book.edits import Edit, remove
from azven.book.records import Antenna, Intercom, Mount, Show, Site, TalkGroup, Zone
from azven.refusal import Refusal
from azven.work import ground, reach, shows, sites
from azven.work.ground import places
from azven.work.kit import intercom, intercom_book
from azven.work.prove import survey
from azven.work.scope import of_show
from azven.work.scope import opening as here


def asked(store):
    return intercom_book.kept(store, here(store))


def sized(store, **values):
    return intercom.size(store, here(store), replace(asked(store), **values))


def zone(store, name):
    return next(z for z in store.all(Zone) if z.name == name)


def test_the_demonstration_says_what_its_intercom_is_to_do(store):
    said = asked(store)
    assert (said.packs, said.talkers, said.show_min, said.band) == (8, 6, 210, "1.9 GHz")
    assert said.rooms == (zone(store, "Rope Hall").id, zone(store, "Signal House").id)
    assert store.get(Mount, said.base).name == "Control desk left"
    found = sized(store)
    assert found.wrong == ()
    assert found.people == 7
    assert dict(intercom.in_words(found))["people"] == "7 in talk groups, 8 packs"


def test_figures_are_kept_once_for_a_show_and_undone(store):
    before = asked(store)
    landed = store.apply(intercom_book.keep(store, here(store), replace(before, packs=20, wide=True)))
    assert asked(store) == replace(before, packs=20, wide=True)
    store.apply(intercom_book.keep(store, here(store), replace(before, packs=30)))
    assert len(store.all(Intercom)) == 1
    store.apply(intercom_book.keep(store, here(store), replace(before, packs=20, wide=True)))
    store.apply(landed.inverse())
    assert asked(store) == before


def test_what_nobody_has_said_is_as_usual(empty):
    assert asked(empty) == intercom.Asked()
    empty.apply(intercom_book.keep(empty, here(empty), replace(intercom.Asked(), packs=3)))
    assert asked(empty).packs == 3


@pytest.mark.parametrize("figures", [
    {"packs": "many"}, {"packs": None, "rooms": (999,), "base": 999}, {"wide": 3, "indoor_m": "far"}, {"unknown": 1},
])  # fmt: skip
def test_figures_of_a_strange_book_are_passed_over(store, figures):
    record = store.all(Intercom)[0]
    store.apply(ground.change(record, "t", figures=figures))
    said = asked(store)
    assert said == intercom.Asked()


def test_talk_groups_are_judged_by_their_people(store):
    store.apply(intercom_book.add_group(store, here(store), "Boats", "Pilot boats, Rower, Rower; Cox", 4))
    group = next(g for g in intercom.talk_groups(store, here(store)) if g.name == "Boats")
    assert group.people == ("Pilot boats", "Rower", "Cox")
    wrong = " ".join(sized(store).wrong)
    assert "The talk groups need 10 to talk at once, 6 are planned." in wrong
    assert "9 people are in talk groups, there are 8 packs." in wrong
    assert "Boats: 4 are to talk at once, 3 are in it." in wrong
    assert sized(store, packs=9, talkers=10).wrong == ("Boats: 4 are to talk at once, 3 are in it.",)
    with pytest.raises(Refusal, match="needs a name"):
        intercom_book.add_group(store, here(store), "  ")
    store.apply(intercom_book.add_group(store, here(store), "Boats"))
    assert {g.name for g in store.all(TalkGroup)} >= {"Boats", "Boats 2"}


def test_transceivers_are_placed_where_the_answer_has_them(store):
    found = sized(store)
    store.apply(intercom_book.place_all(store, here(store), found))
    placed = [a for a in store.all(Antenna) if a.layout == "intercom 1.9 GHz"]
    assert {a.name for a in placed} == {c.mount.name for c in found.cables if c.used}
    assert {a.kind for a in placed} == {"omni"}
    store.apply(intercom_book.place_all(store, here(store), found))
    assert len([a for a in store.all(Antenna) if a.layout == "intercom 1.9 GHz"]) == len(placed)
    for mount in store.all(Mount):
        store.apply(Edit("t", remove([mount])))
    with pytest.raises(Refusal, match="no place to put a transceiver"):
        intercom_book.place_all(store, here(store), sized(store))


def test_placed_transceivers_do_not_count_for_the_plan(store):
    from azven.work import plan

    before = plan.board_of(store, here(store))
    store.apply(intercom_book.place_all(store, here(store), sized(store)))
    assert plan.board_of(store, here(store)).asks_the_same(before)


def test_reach_looks_at_a_band_with_its_gear_and_its_walls(store):
    hall = zone(store, "Rope Hall")
    store.apply(intercom_book.place_all(store, here(store), sized(store)))
    assert reach.layouts(store, hall) == ["A", "intercom 1.9 GHz"]
    assert reach.band_of("intercom 1.9 GHz") == "1.9 GHz"
    assert reach.band_of("A") == reach.band_of("intercom later") == ""
    drawn = {b: reach.room(store, here(store), hall, "intercom 1.9 GHz", band=b) for b in ("", "1.9 GHz", "5 GHz")}
    assert drawn[""].radio is None
    assert drawn["1.9 GHz"].radio.power_dbm == pytest.approx(23.98, abs=0.01)
    assert "Intercom pack, 1.9 GHz" in drawn["1.9 GHz"].threshold.sentence()
    walls = {b: reach.surroundings(d).walls[0].loss_db for b, d in drawn.items()}
    assert walls[""] < walls["1.9 GHz"] < walls["5 GHz"]
    assert walls["5 GHz"] / walls[""] == pytest.approx((5.52e9 / 600e6) ** 0.27, rel=1e-3)
    levels = {b: reach.coverage(d, "pack, facing away", cells=20).levels_dbm.max() for b, d in drawn.items()}
    assert levels["5 GHz"] < levels["1.9 GHz"]


def test_a_band_without_gear_in_the_book_is_still_looked_at(empty):
    drawn = reach.room(empty, here(empty), empty.all(Zone)[0], "A", band="2.4 GHz")
    assert drawn.threshold.level_dbm < -60


def test_walls_cost_more_at_higher_bands_as_the_sizing_takes_them(store):
    lines = intercom.walls_at(store, here(store), 1.2e9)
    plain = places.walls_of(store, here(store).site)
    assert [a.loss_db for a in lines] == pytest.approx([b.loss_db * 2**0.27 for b in plain])


def test_a_copy_at_another_site_leaves_rooms_and_places_behind(store):
    show = store.get(Show, here(store).show)
    away = store.apply(sites.add_site(store, "Mole")).select[0]
    site = store.get(Site, store.get(Show, away).site_id)
    copied = store.apply(shows.copy_show(store, show, site, "There"))
    said = intercom_book.kept(store, of_show(store.get(Show, copied.select[0])))
    assert (said.packs, said.rooms, said.base) == (8, (), 0)


def test_a_survey_is_beside_transceivers_that_stand_and_not_beside_places_where_some_could(store):
    hall = zone(store, "Rope Hall")
    (mount, *_) = store.all(Mount, zone_id=hall.id)
    at = np.array([[mount.x_m, mount.y_m], [mount.x_m + 500.0, mount.y_m]])
    assert survey.by_transceivers(store, here(store), hall, at) == []
    store.apply(intercom_book.place_all(store, here(store), sized(store)))
    (one, *_) = intercom_book.placed(store, here(store), "1.9 GHz")
    at = np.array([[one.x_m + away, one.y_m] for away in (0.0, 2.0, 500.0)])
    assert survey.by_transceivers(store, here(store), hall, at) == ["good", "good", "none"]
    store.apply(intercom_book.keep(store, here(store), replace(asked(store), indoor_m=1.0)))
    assert survey.by_transceivers(store, here(store), hall, at) == ["good", "none", "none"]
    store.apply(intercom_book.keep(store, here(store), replace(asked(store), band="5 GHz")))
    assert survey.by_transceivers(store, here(store), hall, at) == []  # those of another band are not its
