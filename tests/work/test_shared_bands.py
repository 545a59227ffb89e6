"""Bands that everybody shares, in a show: who else is there, whose turn it is, how links stand, what a radar does."""

from dataclasses import replace

import pytest

from azven.book.edits import Edit, add, replace_record
from azven.book.records import Antenna, Intercom, Link, Model, Occupant, RadarEvent, Show, Site, TalkGroup, Zone
from azven.refusal import Refusal
from azven.rf import bands
from azven.rf.shared import place
from azven.work import ground, ids, kit, listen, plan, reasons, shows, sites
from azven.work.bands import others, views
from azven.work.kit import bands as kit_bands
from azven.work.plan import history, search, sheet, what_if
from azven.work.plan.shared import occupants
from azven.work.scope import of_show
from azven.work.scope import opening as here

ISM, RLAN, DECT = (bands.named(n) for n in (bands.ISM, bands.RLAN, bands.DECT))


@pytest.fixture
def picture(store):
    return listen.picture(store, here(store))


@pytest.fixture
def board(store, picture):
    return plan.board_of(store, here(store), picture)


def link(store, name):
    return next(x for x in kit.links(store, here(store)) if x.name == name)


def verdict(board, name):
    return next(v for v in board.verdicts if v.link.name == name)


def anew(store):
    return plan.board_of(store, here(store))


def look(store, band, board=None):
    return views.view(store, here(store), board or anew(store), band)


def change(store, record, **values):
    store.apply(ground.change(record, "t", **values))


def always(done, total):
    return True


# -- in the plan -----------------------------------------------------------------------------------------


def test_the_demonstration_has_links_in_four_bands_and_all_of_them_hold(store, board):
    used = {u.band.name: u.links for u in kit_bands.in_use(store, here(store))}
    assert used == {"UHF": 29, "1.9 GHz": 8, "2.4 GHz": 4, "5 GHz": 3}
    assert board.count("broken", "unplaced") == 0
    assert {v.link.name for v in board.verdicts if v.slots} == {f"Mooring {i}" for i in range(1, 9)}
    assert all(v.settled and v.freq_hz is None for v in board.verdicts if v.slots)


def test_links_of_shared_bands_are_not_in_the_coordination(store, board):
    asked = {r.id for r in board.input.request.requests}
    shared = {v.id for v in board.verdicts if v.id in board.input.shared}
    assert len(shared) == 15
    assert asked.isdisjoint(shared)
    assert max(r.ranges[0].high_hz for r in board.input.request.requests) < 1e9
    assert set(board.narrow).isdisjoint(shared)


def test_plan_all_places_every_kind_and_locked_ones_stay(store, board):
    guitar = link(store, "Shanty guitar 1")
    store.apply(plan.set_frequencies(store, here(store), {ids.of(guitar): 2_474_000_000}, "m"))
    store.apply(plan.lock(store, here(store), guitar, True))
    now = anew(store)
    found = search.plan_all(now, always, lambda: 0.0, effort=1)
    staying = {k: now.frequencies[k] for k in now.locked}
    store.apply(plan.adopt(store, here(store), found, "Plan all", staying))
    after = anew(store)
    assert after.frequencies[ids.of(guitar)] == 2_474_000_000
    assert after.count("unplaced") == 0
    given = [v for v in after.verdicts if v.slots is None]
    assert all(v.freq_hz is not None for v in given)
    assert found.stats.requested == len(found.assignments) + len(found.unplaced)


def test_mend_moves_a_broken_one_and_leaves_the_others(store, board):
    guitar = link(store, "Shanty guitar 2")
    store.apply(plan.set_frequencies(store, here(store), {ids.of(guitar): 2_412_000_000}, "m"))
    now = anew(store)
    assert verdict(now, "Shanty guitar 2").state == "broken"
    mended = search.mend(now, always, lambda: 0.0)
    store.apply(plan.adopt(store, here(store), mended.plan, "Mend broken"))
    after = anew(store)
    assert after.count("broken", "unplaced") == 0
    moved = {k for k, f in now.frequencies.items() if after.frequencies[k] != f}
    assert moved == {ids.of(guitar)}


def test_add_missing_places_only_what_has_no_frequency(store, board):
    frequencies = {k: f for k, f in board.frequencies.items() if k != ids.of(link(store, "Tide wire quay"))}
    store.apply(plan.set_frequencies(store, here(store), frequencies, "without", complete=True))
    now = anew(store)
    assert now.count("unplaced") == 1
    found = search.add_missing(now, always, lambda: 0.0)
    store.apply(plan.adopt(store, here(store), found, "Add missing", now.frequencies))
    assert anew(store).frequencies == board.frequencies


def test_a_trial_says_what_is_over_need_and_whom_it_breaks(store, board):
    one, two = ids.of(link(store, "Shanty guitar 1")), ids.of(link(store, "Shanty guitar 2"))
    good = plan.try_at(board, one, board.frequencies[one])
    assert good.clean
    assert good.sentence().endswith("dB over need")
    onto = plan.try_at(board, one, board.frequencies[two])
    assert not onto.clean
    assert two in onto.breaks
    loud = plan.try_at(board, one, 2_412_000_000)
    assert not loud.clean
    assert loud.spare_db < 0
    assert plan.nearest_step(board.input, one, 2_412_400_000.0) == 2_412_000_000


def test_where_it_is_not_permitted_it_may_not_stand(store, board):
    quay = ids.of(link(store, "Tide wire quay"))
    trial = plan.try_at(board, quay, 5_720_000_000)
    assert "none of the channels" in trial.fault
    assert not trial.clean


def test_what_is_heard_only_rooms_away_does_not_count(store, board):
    other = next(o for o in occupants(store, here(store)) if o.name == "Ferry office access point")
    guitar = link(store, "Shanty guitar 1")
    before = plan.try_at(board, ids.of(guitar), 2_412_000_000).spare_db
    house = next(z for z in store.all(Zone) if z.name == "Signal House")
    change(store, other, zone_id=house.id)
    store.apply(Edit("no sweeps", tuple(c for s in listen.sweeps(store, here(store))
                                        for c in listen.set_used(s, False).changes)))  # fmt: skip
    assert plan.try_at(anew(store), ids.of(guitar), 2_412_000_000).spare_db > before + 20


def test_products_of_another_band_are_kept_clear_of_where_the_model_asks_for_it(store, board):
    model = next(m for m in store.all(Model) if m.name == "Instrument link, 2.4 GHz")
    narrator = link(store, "Narrator")
    change(store, model, guard_hz={"a-b": 0, "3a": 2_000_000})
    guitar = ids.of(link(store, "Shanty guitar 1"))
    quay = next(z for z in store.all(Zone) if z.name == "Quay Stage")
    sender = replace(narrator, id=store.reserve(), name="Ladder", zone_id=quay.id)
    wide = replace(store.get(Model, narrator.model_id), id=store.reserve(), name="Upper UHF",
                   bands=(("780–830", 780_000_000, 830_000_000),))  # fmt: skip
    store.apply(Edit("t", add(wide, replace(sender, model_id=wide.id, band="780–830"))))
    third = board.frequencies[guitar] // 3 // 25_000 * 25_000
    store.apply(plan.set_frequencies(store, here(store), {ids.of(sender): third}, "m"))
    now = anew(store)
    assert "3a of Ladder" in verdict(now, "Shanty guitar 1").fault
    to = search.beside_products(now.input, now.frequencies).seat(guitar).centres
    assert to
    assert all(abs(3 * third - f) >= 2_000_000 for f in to)


def test_systems_of_slots_are_broken_when_too_many_are_there(store, board):
    for i in range(8):
        store.apply(others.add_other(store, here(store), f"Office {i}", "c3", "-70"))
    now = anew(store)
    slots = verdict(now, "Mooring 1").slots
    assert (slots.systems, slots.there_are, slots.taken) == (10, 7, 8)
    assert verdict(now, "Mooring 1").state == "broken"
    moment, picture = listen.sweeps(store, here(store))[0].taken_at, listen.picture(store, here(store))
    said = reasons.for_link(store, here(store), now, picture, verdict(now, "Mooring 1").id, moment).verdict
    assert "8 of 7 slots" in said


def test_a_plan_knows_others_that_come_and_not_who_is_switched_on(store, board):
    store.apply(plan.set_frequencies(store, here(store), board.frequencies, "again", complete=True))
    assert history.changed(store, here(store)) == ()
    store.apply(views.switch([link(store, "Shanty guitar 1")], True))
    assert history.changed(store, here(store)) == ()
    store.apply(others.add_other(store, here(store), "Fish market", "9", "-50"))
    assert [(c.kind, c.name) for c in history.changed(store, here(store))] == [("occupant", "Fish market")]


def test_the_sheet_names_channels_decibels_and_own_choice(store, board):
    rows = {e.link: e for e in sheet.entries(store, here(store), board)}
    assert rows["Tide wire quay"].channel == "104"
    assert rows["Tide wire quay"].margin.endswith("dB")
    assert rows["Mooring 1"].mhz == "own choice"
    assert rows["Mooring 1"].state == "holds"


# -- others ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "centre", "width"),
    [("6", 2_437_000_000, 16_600_000), ("ch 1", 2_412_000_000, 16_600_000), ("6 40+", 2_447_000_000, 36_000_000),
     ("44", 5_220_000_000, 16_600_000), ("44 80", 5_210_000_000, 76_000_000), ("42 80", 5_210_000_000, 76_000_000),
     ("104 40", 5_510_000_000, 36_000_000), ("c5", 1_888_704_000, 1_728_000),
     ("2474 / 6", 2_474_000_000, 6_000_000), ("2474,5 MHz", 2_474_500_000, 16_600_000)],
)  # fmt: skip
def test_channels_are_read_as_people_write_them(text, centre, width):
    assert others.read_channel(text) == (centre, width)


@pytest.mark.parametrize(
    "text",
    ["", "0", "14", "6 40-x", "13 40+", "200", "café", "1e9", "-3", "6 80", "nan", "99", "38", "165 40", "44 160",
     "24.7.4", "2474,5,6", ",", "2474 / ."],
)  # fmt: skip
def test_what_is_no_channel_is_refused(text):
    with pytest.raises(Refusal):
        others.read_channel(text)


@pytest.mark.parametrize("text", ["1", "13", "3 40+", "36", "102 40", "155 80", "c0", "2474 / 6"])
def test_channels_are_said_as_they_were_written(text):
    centre, width = others.read_channel(text)
    assert others.channel_text(Occupant(site_id=1, name="x", centre_hz=centre, width_hz=width)) == text


def test_levels_shares_and_places(store):
    assert others.read_level("−62 dBm") == -62.0
    assert others.read_duty("40 %") == 0.4
    assert others.read_place("1 2") == (1.0, 2.0, 2.0)
    assert others.read_place("1; −2; 3,5") == (1.0, -2.0, 3.5)
    assert others.read_place("  ") == ()
    for wrong in ("loud", "900", "nan"):
        with pytest.raises(Refusal):
            others.read_level(wrong)
    for wrong in ("101", "-1", "nan", "x"):
        with pytest.raises(Refusal):
            others.read_duty(wrong)
    for wrong in ("1", "a b", "1 2 3 4", "inf 2"):
        with pytest.raises(Refusal):
            others.read_place(wrong)


def test_rows_are_pasted_and_what_cannot_be_read_is_left_out_and_said(store):
    text = (
        "Name\tChannel\tdBm\t%\nPier Wi-Fi\t3\t-61\t35\nPier Wi-Fi\t44\t−70\n\nodd\t250\t-60\nshort\t5\nUHF\t600\t-50\n"
    )
    before = len(occupants(store, here(store)))
    pasted = others.paste(store, here(store), text)
    store.apply(pasted.edit)
    assert pasted.used == 2
    assert len(pasted.refused) == 3
    assert pasted.refused[0].startswith("row 5")
    assert len(occupants(store, here(store))) == before + 2
    names = [o.name for o in occupants(store, here(store))]
    assert len(set(names)) == len(names)
    assert others.paste(store, here(store), "nothing here").used == 0


def test_others_go_with_their_site_and_hold_their_room(store):
    site = store.get(Site, here(store).site)
    quay = next(z for z in store.all(Zone) if z.name == "Quay Stage")
    change(store, occupants(store, here(store))[0], zone_id=quay.id)
    store.apply(sites.duplicate_site(store, site, "Second harbour"))
    again = next(s for s in store.all(Site) if s.name == "Second harbour")
    copies = store.all(Occupant, site_id=again.id)
    assert len(copies) == len(occupants(store, here(store)))
    assert {c.zone_id for c in copies if c.zone_id} <= {z.id for z in store.all(Zone, site_id=again.id)}
    room = Zone(id=store.reserve(), site_id=site.id, name="Shed")
    store.apply(Edit("t", add(room)))
    change(store, occupants(store, here(store))[0], zone_id=room.id)
    with pytest.raises(Refusal, match="still used"):
        ground.remove_zone(store, here(store), room)


def test_a_show_takes_its_intercom_and_radars_along(store):
    show = store.get(Show, here(store).show)
    edit = shows.copy_show(store, show, store.get(Site, show.site_id), "Again")
    store.apply(edit)
    scope = of_show(store.get(Show, edit.select[0]))
    for kind in (Intercom, TalkGroup, RadarEvent):
        assert len(store.all(kind, show_id=scope.show)) == len(store.all(kind, show_id=show.id)) > 0
    store.apply(shows.remove_show(store, store.get(Show, scope.show)))
    assert not store.all(Intercom, show_id=scope.show)


# -- the sequence school ---------------------------------------------------------------------------------


def without(store, *names):
    gone = {ids.of(link(store, n)) for n in names}
    board = anew(store)
    kept = {k: f for k, f in board.frequencies.items() if k not in gone}
    store.apply(plan.set_frequencies(store, here(store), kept, "without", complete=True))


def test_one_after_the_other_with_the_earlier_ones_on(store, board):
    without(store, "Shanty guitar 1", "Shanty guitar 2", "Shanty guitar 3", "Shanty guitar 4")
    for i in range(1, 5):
        found = look(store, ISM)
        assert found.turn.startswith(f"Next is Shanty guitar {i}")
        store.apply(views.assign_next(store, here(store), found, anew(store)))
        waiting = look(store, ISM)
        if i < 4:
            assert f"Switch on {'Shanty guitar 1' if i == 1 else ''}" in waiting.turn
            with pytest.raises(Refusal, match="Switch on"):
                views.assign_next(store, here(store), waiting, anew(store))
        store.apply(views.switch([link(store, f"Shanty guitar {i}")], True))
    assert look(store, ISM).turn.startswith("Every link here has a channel")
    assert anew(store).frequencies == board.frequencies


def test_nobody_assigns_where_nobody_has_looked(store):
    without(store, "Shanty guitar 1", "Shanty guitar 2", "Shanty guitar 3", "Shanty guitar 4")
    for record in [*occupants(store, here(store))]:
        store.apply(ground.take_out(record, "g"))
    for sweep in listen.sweeps(store, here(store)):
        store.apply(listen.set_used(sweep, False))
    found = look(store, ISM)
    assert found.turn.startswith("Nobody has looked")
    assert found.to_hz is None


def test_a_placed_link_that_nobody_looked_for_is_never_called_sound(store, board):
    for record in [*occupants(store, here(store))]:
        store.apply(ground.take_out(record, "g"))
    for sweep in listen.sweeps(store, here(store)):
        store.apply(listen.set_used(sweep, False))
    now = anew(store)
    assert verdict(now, "Shanty guitar 4").state == "tight"
    assert "Nobody has looked" in look(store, ISM).wrong[-1]


def test_a_system_of_slots_that_nobody_looked_for_is_never_called_sound(store, board):
    assert verdict(board, "Mooring 1").state == "sound"
    for record in [*occupants(store, here(store))]:
        store.apply(ground.take_out(record, "g"))
    now, picture = anew(store), listen.picture(store, here(store))
    assert verdict(now, "Mooring 1").state == "tight"
    assert any("Nobody has looked" in w for w in look(store, DECT).wrong)
    moment = listen.sweeps(store, here(store))[0].taken_at
    said = reasons.for_link(store, here(store), now, picture, verdict(now, "Mooring 1").id, moment).verdict
    assert "there may be more" in said
    store.apply(others.add_other(store, here(store), "Ferry office telephones", "c5", "-70"))
    assert verdict(anew(store), "Mooring 1").state == "sound"


def assigned(store, board, band):
    """Channels for all links of a band, as the page gives them."""
    request, held, mine = views.to_assign(store, board, band)
    placed = {k: f for k, f in place(request, held).items() if k in mine}
    return views.assigned(store, here(store), board, band, placed)


def test_assign_all_gives_channels_to_one_band_only(store, board):
    without(store, "Shanty guitar 1", "Shanty guitar 2", "Tide wire quay")
    store.apply(assigned(store, anew(store), ISM))
    after = anew(store)
    assert verdict(after, "Shanty guitar 1").freq_hz is not None
    assert verdict(after, "Tide wire quay").freq_hz is None
    with pytest.raises(Refusal, match="Nothing to assign"):
        assigned(store, after, ISM)


def test_offers_are_the_best_first_and_name_the_listening(store, board):
    found = views.offers(board, verdict(board, "Tide wire quay"))
    spares = [plan.try_at(board, verdict(board, "Tide wire quay").id, f).spare_db for _, f in found]
    assert spares == sorted(spares, reverse=True)
    assert all("60 s of listening" in text or "600 s" in text for text, _ in found)
    assert views.offers(board, verdict(board, "Mooring 1")) == []


def test_receivers_too_near_to_an_access_point_are_told(store, board):
    assert look(store, ISM, board).wrong == ()
    antenna = next(a for a in store.all(Antenna) if a.role == "receive")
    other = next(o for o in occupants(store, here(store)) if ISM.holds(o.centre_hz))
    change(store, other, place_m=(antenna.x_m + 2.9, antenna.y_m, antenna.z_m))
    assert any(antenna.name in w and "closer than 3 m" in w for w in look(store, ISM).wrong)
    change(store, next(o for o in occupants(store, here(store)) if o.id == other.id),
           place_m=(antenna.x_m + 30.0, antenna.y_m, antenna.z_m))  # fmt: skip
    assert look(store, ISM).wrong == ()


# -- radar, capacity -------------------------------------------------------------------------------------


def test_the_supposed_radar_is_told_minute_by_minute(store, board):
    found = look(store, RLAN, board)
    assert found.show_min == 210 or found.show_min > 0
    assert {t.silent_s for t in found.timelines} == {0.0, 65.0}
    (told,) = found.told
    assert "Minute 95, radar on 104: " in told
    assert "Tide wire quay is silent for 65 s" in told
    assert "closed until minute 125" in told


def test_radars_are_only_supposed_where_there_is_duty(store):
    for channel, why in ((36, "no radar duty"), (144, "not in use here"), (101, "not in use here")):
        with pytest.raises(Refusal, match=why):
            views.add_radar(store, here(store), channel, 10)
    with pytest.raises(Refusal, match="in no show"):
        views.add_radar(store, here(store), 100, 99_999)
    store.apply(views.add_radar(store, here(store), 108, 30))
    assert len(look(store, RLAN).told) == 2


def test_a_cell_without_another_channel_is_told(store, board):
    model = next(m for m in store.all(Model) if m.name == "Intercom pack, 5 GHz")
    one = replace(model, id=store.reserve(), name="One channel", bands=(("5520", 5_520_000_000, 5_520_000_001),),
                  rasters={}, origin_hz=5_520_000_000)  # fmt: skip
    quay = link(store, "Tide wire quay")
    store.apply(Edit("t", (*add(one), *replace_record(quay, replace(quay, model_id=one.id, band="5520")))))
    assert any("silent for half an hour" in w for w in look(store, RLAN).wrong)


def test_what_the_band_of_slots_holds_is_said(store, board):
    told = look(store, DECT, board).told
    assert told[0].startswith("10 carriers of 12 slots (Europe): 120 ")
    assert "2 systems 36 each" in told[0]
    assert told[1] == "Ours takes 8 of 36 slots, as one of 2 systems here."


def test_listening_by_region(store):
    assert views.listening(store, here(store)).startswith("No listening: 36–48; others 60 s, 120, 124 and 128 10 min")


def test_an_empty_show_has_nothing_to_say(empty):
    board = plan.board_of(empty, here(empty))
    for band in bands.SHARED:
        found = look(empty, band, board)
        assert found.ours == found.others == found.wrong == ()
    assert [u.band.name for u in kit_bands.in_use(empty, here(empty))] == ["UHF"]


def test_reasons_name_the_arithmetic_of_a_shared_band(store, board, picture):
    moment = listen.sweeps(store, here(store))[0].taken_at
    found = reasons.for_link(store, here(store), board, picture, ids.of(link(store, "Tide wire quay")), moment)
    assert found.figure == "channel 104, 5520.000 MHz"
    assert dict(found.origins)["listening before use"] == "60 s"
    assert found.state == "holds"
    store.apply(plan.set_frequencies(store, here(store), {ids.of(link(store, "Shanty guitar 1")): 2_412_000_000}, "m"))
    now = anew(store)
    bad = reasons.for_link(store, here(store), now, picture, ids.of(link(store, "Shanty guitar 1")), moment)
    assert bad.state == "broken"
    assert "under what it needs" in bad.verdict
    (better,) = reasons.better_place(store, here(store), now, ids.of(link(store, "Shanty guitar 1")))
    store.apply(better.edit())
    assert verdict(anew(store), "Shanty guitar 1").state == "sound"


def test_two_hundred_links_of_a_shared_band_are_placed_and_judged_quickly(store, board):
    guitar = link(store, "Shanty guitar 1")
    first = store.reserve(196)
    more = [replace(guitar, id=first + i, version=0, name=f"Shanty {i}", acts=()) for i in range(196)]
    store.apply(Edit("many", add(*more)))
    now = anew(store)
    found = search.with_shared(now, search.rf.coordinate(replace(now.input.request, requests=())), {}, always)
    assert len([a for a in found.assignments if a.id in {ids.of(x) for x in more}]) == 196
    assert isinstance(link(store, "Shanty 7"), Link)


def test_a_supposition_loses_nobody_who_chooses_by_himself(store, board, picture):
    hall = next(z for z in store.all(Zone) if z.name == "Rope Hall")
    supposed = what_if.neighbour_appears(store, here(store), 611_000_000, hall, False)
    asked = supposed.input(store, here(store), picture)
    outcome = what_if.try_out(supposed, asked, board, always, lambda: 0.0)
    assert outcome.lost == ()
    shared = {k for k in board.frequencies if k in board.input.shared}
    assert {k: outcome.after.frequencies[k] for k in shared} == {k: board.frequencies[k] for k in shared}
