"""Wideband carriers of a show: slots, channels, narrow links beside them, packs moved only while they are idle."""

import csv
import io
import time
from dataclasses import replace
from datetime import UTC, datetime

import pytest

from azven.book.edits import Edit, replace_record
from azven.book.records import Link, Model, Show, Site, Wideband, WidePack, Zone
from azven.refusal import Refusal
from azven.rf import wideband as rf
from azven.work import ground, listen, plan, shows, sites
from azven.work.kit import wide_deeds, wide_places, wideband
from azven.work.plan import search, sheet
from azven.work.reasons import wide as wide_reasons
from azven.work.scope import of_show
from azven.work.scope import opening as here


@pytest.fixture
def picture(store):
    return listen.picture(store, here(store))


def carrier(store, name):
    return next(c for c in store.all(Wideband) if c.name == name)


def pack(store, name):
    return next(p for p in store.all(WidePack) if p.name == name)


def change(store, record, **values):
    store.apply(ground.change(record, "t", **values))


def standing(store, picture, name):
    return next(s for s in wideband.view(store, here(store), picture).standings if s.carrier.name == name)


def test_the_demonstration_has_two_carriers_and_a_spare_that_takes_either(store, picture):
    view = wideband.view(store, here(store), picture)
    assert [(s.carrier.name, s.slots, s.share(s.slots), s.lost_state) for s in view.standings] == [
        ("Ferry", 50, 19.5, "tight"), ("Barge", 46, 18.0, "tight"), ("Spare carrier", 0, 0.0, "sound"),
    ]  # fmt: skip
    assert view.open_points == 0
    assert "29 packs" in view.standings[0].if_lost
    assert "Spare carrier can take all of them" in view.standings[0].if_lost


def test_packs_on_one_mix_share_its_slots(store, picture):
    ferry = standing(store, picture, "Ferry")
    mixes = {b.name: (b.slots, len(b.packs)) for b in ferry.blocks if b.down}
    assert mixes == {"Deck": (4, 2), "Band mix": (14, 6), "Choir mix": (4, 16)}
    change(store, pack(store, "Band ears 6"), mix="Band mix 2")
    assert standing(store, picture, "Ferry").slots == ferry.slots + 14


def test_a_carrier_that_no_other_can_stand_in_for_is_told(store, picture):
    store.apply(wide_deeds.remove_carriers(store, [carrier(store, "Spare carrier")]))
    found = standing(store, picture, "Ferry")
    assert found.lost_state == "broken"
    assert "no room was found" in found.if_lost
    store.apply(wide_deeds.remove_carriers(store, [carrier(store, "Barge")]))
    assert "no other carrier" in standing(store, picture, "Ferry").if_lost
    assert pack(store, "Horn 1").wideband_id is None
    assert wideband.view(store, here(store), picture).open_points == 12


def test_more_slots_than_there_are_and_rooms_that_are_not_covered_are_told(store, picture):
    model = replace(store.get(Model, carrier(store, "Barge").model_id), capacity=45)
    store.apply(Edit("t", replace_record(store.get(Model, model.id), model)))
    assert "46 slots are asked for, it has 45." in standing(store, picture, "Barge").wrong
    hall = next(z for z in store.all(Zone) if z.name == "Rope Hall")
    change(store, pack(store, "Horn 1"), rooms=(hall.id,))
    assert "Horn 1 is not covered in Rope Hall." in standing(store, picture, "Barge").wrong


@pytest.mark.parametrize(
    ("channel", "said"),
    [("31", "Channel 31 is taken"), ("99", "The raster has no channel 99."), ("44", "Barge stands in channel 44 too"),
     ("37", "stand closer than 500 kHz")],
)  # fmt: skip
def test_a_channel_that_does_not_do_is_told(store, picture, channel, said):
    change(store, carrier(store, "Spare carrier"), channel=channel)
    assert any(said in w for w in standing(store, picture, "Spare carrier").wrong)


def test_a_channel_that_no_sweep_covers_is_not_called_quiet(store, picture):
    unswept = replace(picture, decisions={"voice": (), "data": ()}, sweeps=())
    assert standing(store, unswept, "Ferry").wrong == ("No sweep covers channel 42: what is there is not known.",)
    found = wide_deeds.ranked(store, here(store), unswept, carrier(store, "Ferry"))
    assert found.rank == ()
    assert "42" in found.unknown


def test_the_quietest_channel_with_the_least_harm_comes_first(store, picture):
    found = wide_deeds.ranked(store, here(store), picture, carrier(store, "Ferry"))
    assert found.rank[0] == "42"
    assert "44" not in found.rank, "Barge is in a room of its own that hears this one"
    assert "48" not in found.rank, "the spare is heard in all rooms and stands there"
    levels = [round(found.worst_dbm[c]) for c in found.rank]
    assert levels == sorted(levels)


def test_narrow_links_too_close_are_broken_until_all_is_planned_again(store):
    board = plan.board_of(store, here(store))
    assert board.count("broken") == 0
    change(store, carrier(store, "Spare carrier"), channel="37")
    board = plan.board_of(store, here(store))
    broken = [v for v in board.verdicts if v.state == "broken"]
    assert [v.id for v in broken] == [m for m, f in board.frequencies.items() if too_close(store, f)]
    assert len(broken) == 1
    begun = time.monotonic()
    found = search.plan_all(board, lambda *_: True, lambda: time.monotonic() - begun, effort=1)
    assert found.assignments
    assert not any(too_close(store, a.freq_hz) for a in found.assignments)


def too_close(store, freq_hz):
    """By the definition, written out again: 500 kHz from the edges of the 6 MHz about the centre of channel 37."""
    assert carrier(store, "Spare carrier").channel == "37"
    return abs(freq_hz - 602_000_000) < 3_000_000 + 500_000


def test_a_carrier_in_a_room_apart_costs_nothing(store, picture):
    signal = next(z for z in store.all(Zone) if z.name == "Signal House")
    for relation in ground.relations(store, here(store)).values():
        if signal.id in (relation.zone_a_id, relation.zone_b_id):
            change(store, relation, relation="apart")
    change(store, carrier(store, "Spare carrier"), channel="37", rooms=(signal.id,))
    near = [x for x in store.all(Link) if x.zone_id != signal.id]
    assert near
    assert not any(
        c.name == "Spare carrier" for x in near for *_, c in wide_places.closes(store, here(store), x.zone_id)
    )


def test_a_plan_is_stale_when_a_carrier_moves(store):
    assert not plan.board_of(store, here(store)).stale
    change(store, carrier(store, "Ferry"), channel="32")
    assert plan.board_of(store, here(store)).stale


def test_packing_uses_the_fewest_carriers_and_leaves_what_is_in_use(store):
    change(store, carrier(store, "Barge"), rooms=())
    change(store, pack(store, "Horn 1"), busy=True)
    asked = wide_deeds.to_pack(store, here(store))
    answer = asked.answer()
    assert len(answer.used) == 1
    store.apply(wide_deeds.packed(store, here(store), answer))
    barge = carrier(store, "Barge").id
    assert {p.wideband_id for p in store.all(WidePack)} == {barge}, "all fit where the one in use is"
    with pytest.raises(Refusal, match="only while it is idle"):
        wide_deeds.put_on([pack(store, "Horn 1"), pack(store, "Oar 1")], carrier(store, "Ferry").id)


def test_what_cannot_be_packed_is_refused_with_its_reason(store):
    change(store, pack(store, "Band ears 1"), stereo=False)
    with pytest.raises(Refusal, match="Band mix is heard mono and stereo"):
        wide_deeds.to_pack(store, here(store))
    change(store, pack(store, "Band ears 1"), stereo=True)
    change(store, pack(store, "Oar 1"), mode="whispered")
    with pytest.raises(Refusal, match="Oar 1 is in a mode"):
        wide_deeds.to_pack(store, here(store))
    change(store, pack(store, "Oar 1"), mode="standard", rooms=(999,))
    with pytest.raises(Refusal, match="do not fit"):
        wide_deeds.to_pack(store, here(store)).answer()


def test_packs_are_named_on_and_carriers_only_made_of_what_is_one(store):
    store.apply(wide_deeds.add_packs(store, here(store), "Oar 1", 3, mode="standard"))
    assert len({p.name for p in store.all(WidePack)}) == len(store.all(WidePack))
    with pytest.raises(Refusal, match="sends, or hears"):
        wide_deeds.add_packs(store, here(store), "Oar 9", 1)
    with pytest.raises(Refusal, match="no wideband carrier"):
        wide_deeds.add_carrier(store, here(store), next(m for m in store.all(Model) if not m.capacity))


def test_a_room_that_a_carrier_covers_is_not_removed(store):
    away = store.apply(ground.add_zone(store, here(store), "Loft")).select[0]
    change(store, carrier(store, "Ferry"), rooms=(away,))
    with pytest.raises(Refusal, match="still used by Ferry"):
        ground.remove_zone(store, here(store), store.get(Zone, away))


def copied(store, site):
    show = ground.here(store, here(store)).show
    return of_show(store.get(Show, store.apply(shows.copy_show(store, show, site, "Again")).select[0]))


def test_carriers_go_along_with_a_show_and_stand_nowhere_at_another_site(store):
    place = ground.here(store, here(store))
    again = copied(store, place.site)
    ours = wide_places.carriers(store, again)
    assert [(c.name, c.channel) for c in ours] == [("Ferry", "42"), ("Barge", "44"), ("Spare carrier", "48")]
    assert [c.rooms for c in ours] == [c.rooms for c in wide_places.carriers(store, here(store))]
    assert {p.wideband_id for p in wide_places.packs(store, again)} == {c.id for c in ours[:2]}
    away = store.get(Show, store.apply(sites.add_site(store, "Far quay")).select[0])
    on_tour = copied(store, store.get(Site, away.site_id))
    rooms = {z.id for z in store.all(Zone, site_id=away.site_id)}
    assert [c.channel for c in wide_places.carriers(store, on_tour)] == ["", "", ""]
    assert all(set(c.rooms) <= rooms for c in wide_places.carriers(store, on_tour))


def test_the_sheet_names_carriers_with_their_width_and_what_is_wrong(store):
    def printed():
        moment = datetime(2026, 11, 26, tzinfo=UTC)
        return sheet.html(store, here(store), plan.board_of(store, here(store)), moment)

    assert "639–645" in printed()
    assert "BROKEN" not in printed()
    change(store, carrier(store, "Barge"), channel="31")
    assert "Channel 31 is taken" in printed()
    assert "1 broken." in printed()
    rows = list(csv.DictReader(io.StringIO(sheet.csv_text(store, here(store), plan.board_of(store, here(store))))))
    assert [(r["Link"], r["MHz"], r["State"]) for r in rows[-3:]] == [
        ("Ferry", "642.000", "holds"), ("Barge", "554.000", "BROKEN"), ("Spare carrier", "690.000", "holds"),
    ]  # fmt: skip


def told(store, picture, name):
    return wide_reasons.for_carrier(store, here(store), picture, carrier(store, name).id)


def test_reasons_say_what_is_wrong_and_a_way_that_does_mends_it(store, picture):
    assert (told(store, picture, "Ferry").state, told(store, picture, "Ferry").options) == ("holds", ())
    change(store, carrier(store, "Ferry"), channel="31")
    found = told(store, picture, "Ferry")
    assert found.state == "broken"
    assert found.verdict.startswith("Channel 31 is taken")
    assert [o.title for o in found.options] == ["Put it into channel 42", "Put it into channel 32"]
    store.apply(found.options[0].edit())
    assert told(store, picture, "Ferry").state == "holds"


def test_a_spare_is_offered_where_nothing_would_take_the_packs_and_then_does(store, picture):
    store.apply(wide_deeds.remove_carriers(store, [carrier(store, "Spare carrier")]))
    found = told(store, picture, "Ferry")
    assert found.state == "holds, barely"
    (option,) = found.options
    store.apply(option.edit())
    made = next(c for c in store.all(Wideband) if c.spare)
    assert made.channel
    assert made.channel not in ("42", "44")
    assert standing(store, picture, "Ferry").lost_state == "tight"
    assert standing(store, picture, made.name).wrong == ()


def test_reasons_of_what_is_not_there_or_not_placed(store, picture):
    assert wide_reasons.for_carrier(store, here(store), picture, 10**6) is None
    change(store, carrier(store, "Barge"), channel="")
    assert "not placed yet" in told(store, picture, "Barge").verdict


@pytest.mark.parametrize("channel", ["23", "32", "37"])
def test_links_of_one_name_are_told_apart(store, picture, channel):
    change(store, carrier(store, "Spare carrier"), channel=channel)
    lost = standing(store, picture, "Spare carrier").lost_links
    assert lost
    for link in store.all(Link):
        change(store, link, name="Oar")
    assert standing(store, picture, "Spare carrier").lost_links == ("Oar",) * len(lost)


@pytest.mark.parametrize("channel", ["", "31", "99"])
def test_a_spare_that_cannot_stand_where_it_is_takes_nothing(store, picture, channel):
    change(store, carrier(store, "Spare carrier"), channel=channel)
    assert standing(store, picture, "Ferry").lost_state == "broken"


def test_a_mix_heard_mono_and_stereo_is_counted_at_its_widest():
    mono, stereo = (rf.Pack(id=i, downlink=("Mix", "standard"), downlink_slots=n) for i, n in (("a", 4), ("b", 7)))
    assert rf.load([mono, stereo]) == rf.load([stereo, mono]) == 7
