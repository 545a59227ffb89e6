"""Ground and Kit in detail: rooms, relations, neighbours, models, bulk changes, what is refused."""

import math
from dataclasses import replace
from datetime import UTC, datetime

import pytest

from azven.book import regions
from azven.book.edits import BookError
from azven.book.records import SERVICES, Assignment, Link, Model, Site
from azven.work import ground, ids, kit, listen, plan, reasons
from azven.work.ground import hours, isolation, permission
from azven.work.plan import search
from azven.work.scope import opening as here
from naming import asked, key

NOW = datetime(2026, 11, 25, tzinfo=UTC)


def apply(store, edit):
    return store.apply(edit)


def test_a_new_book_has_a_room_and_the_generic_models(empty):
    place = ground.here(empty, here(empty))
    assert (place.site.name, place.show.name, place.region) == ("New site", "New show", None)
    assert [z.name for z in ground.zones(empty, here(empty))] == ["Main room"]
    services = [m.service for m in ground.models(empty)]
    assert services == sorted(services, key=SERVICES.index)
    assert {"voice", "in-ear", "intercom", "data"} == set(services)
    assert place.channels() == []
    assert ground.open_points(empty, here(empty)) == 1


def test_rooms_are_named_as_people_like_and_renamed(empty):
    for _ in range(2):
        apply(empty, ground.add_zone(empty, here(empty), "Loft"))
    assert [z.name for z in ground.zones(empty, here(empty))] == ["Main room", "Loft", "Loft"]
    loft = ground.zones(empty, here(empty))[1]
    with pytest.raises(ValueError, match="needs a name"):
        ground.rename_zone(empty, loft, "  ")
    apply(empty, ground.rename_zone(empty, loft, "Attic"))
    assert ground.zones(empty, here(empty))[1].name == "Attic"


def test_an_unused_room_goes_with_its_relations_and_comes_back(empty):
    apply(empty, ground.add_zone(empty, here(empty), "Loft"))
    main, loft = ground.zones(empty, here(empty))
    apply(empty, ground.relate(empty, here(empty), main, loft, "near", 20.0))
    gone = apply(empty, ground.remove_zone(empty, here(empty), loft))
    assert ground.relations(empty, here(empty)) == {}
    apply(empty, gone.inverse())
    assert ground.relations(empty, here(empty))[frozenset((main.id, loft.id))].relation == "near"


def test_a_relation_is_changed_in_place(store):
    hall, quay, _ = ground.zones(store, here(store))
    before = len(ground.relations(store, here(store)))
    apply(store, ground.relate(store, here(store), quay, hall, "together"))
    assert len(ground.relations(store, here(store))) == before
    request = asked(store).request
    assert request.relation(ids.of(hall), ids.of(quay)) == "together"


def test_what_is_still_needed_is_not_removed(store):
    model = store.get(Model, kit.links(store, here(store))[0].model_id)
    with pytest.raises(BookError, match="still needs it"):
        apply(store, ground.take_out(model, "Remove"))
    assert store.get(Model, model.id) == model


@pytest.mark.parametrize("freq", [0, 99_000, 10**12])
def test_a_neighbour_needs_a_frequency_that_can_be(store, freq):
    with pytest.raises(ValueError, match="is no frequency"):
        ground.add_neighbour(store, here(store), "x", freq)


def test_a_neighbour_in_a_room_counts_only_where_it_is_heard(store):
    quay = ground.zones(store, here(store))[1]
    apply(store, ground.add_neighbour(store, here(store), "Kiosk", 486_100_000, zone_id=quay.id, mixes=True))
    kiosk = next(c for c in asked(store).request.carriers if c.freq_hz == 486_100_000)
    assert (kiosk.zone, kiosk.radiates) == (ids.of(quay), True)
    # Lamp Choir 5 stands at the same frequency in Rope Hall, which is near: spacing counts
    assert plan.board_of(store, here(store)).verdict(key(store, "Lamp Choir 5")).state == "broken"


def test_a_line_that_is_ours_is_not_foreign(store):
    apply(store, ground.add_neighbour(store, here(store), "Test pack", 486_100_000, kind="ours"))
    assert "Test pack" not in {c.id for c in asked(store).request.carriers}


def test_choosing_a_region_changes_what_is_permitted_and_is_undone(store):
    landed = apply(
        store,
        ground.choose_region(
            store, here(store), next(r for r in regions.shipped() if r["key"] == "north-america-6mhz")
        ),
    )
    assert ground.here(store, here(store)).region.key == "north-america-6mhz"
    board = plan.board_of(store, here(store))
    assert "region" in board.stale
    assert any("reserved" in b.text for b in board.input.bars[key(board, "Brass 1")])
    apply(store, landed.inverse())
    assert store.all(Site)[0].region_id is not None
    assert ground.here(store, here(store)).region.key == "marrowby-coast"


def test_a_model_over_the_cap_of_a_rule_may_not_go_there_and_reasons_name_the_rule(store):
    narrator = next(x for x in kit.links(store, here(store)) if x.name == "Narrator")
    model = store.get(Model, narrator.model_id)
    rows = dict(
        reasons.for_link(
            store,
            here(store),
            plan.board_of(store, here(store)),
            listen.picture(store, here(store)),
            key(store, "Narrator"),
            NOW,
        ).origins
    )
    assert rows["permitted by"] == "event radio between the television channels"
    assert rows["power cap"] == "50 mW e.r.p."
    apply(store, ground.change(model, "More power", power_mw=150.0))
    verdict = plan.board_of(store, here(store)).verdict(key(store, "Narrator"))
    assert verdict.state == "broken"
    assert any(
        "allows 50 mW e.r.p." in b.text for b in plan.board_of(store, here(store)).input.bars[key(store, "Narrator")]
    )


def test_caps_are_compared_as_the_rule_counts_power():
    model = Model(name="m", service="voice", bands=(), power_mw=50.0, gain_dbi=2.15)
    allowed = {"conducted": True, "EIRP": False, "e.r.p.": True}
    for kind, ok in allowed.items():
        rule = regions.Rule(low_hz=1, high_hz=2, kind="permitted", title="t", power_mw=50.0, power_kind=kind)
        assert (permission.over_cap(model, rule) == "") is ok
    assert (
        permission.over_cap(
            model, regions.Rule(low_hz=1, high_hz=2, kind="permitted", title="t", power_mw=10.0, body_power_mw=50.0)
        )
        == ""
    )


def test_a_licence_counts_only_while_it_covers_every_act(store):
    acts = kit.acts(store, here(store))
    apply(store, permission.add_permit(store, here(store), "licence", "EV-2", 470_000_000, 606_000_000))
    (permit,) = permission.permits(store, here(store))
    apply(store, permission.set_dates(permit, acts[0].starts_at, acts[-1].ends_at))
    before = plan.board_of(store, here(store)).count("broken")
    (permit,) = permission.permits(store, here(store))
    apply(store, permission.set_dates(permit, acts[1].starts_at, acts[-1].ends_at))
    assert plan.board_of(store, here(store)).count("broken") > before
    (permit,) = permission.permits(store, here(store))
    with pytest.raises(ValueError, match="end after it begins"):
        permission.set_dates(permit, acts[1].starts_at, acts[0].starts_at)


@pytest.mark.parametrize(
    ("text", "met"),
    [
        ("", set()),
        ("Sundays", set()),
        ("18:30-19:00", {"Blessing of Boats"}),
        ("20:00–23:30", {"Lantern Parade", "Tide Concert"}),
        ("23:00–18:30", {"Blessing of Boats"}),
        ("03:00–04:00", None),
    ],
)
def test_a_neighbour_meets_the_acts_of_its_hours(store, text, met):
    acts = kit.acts(store, here(store))
    wanted = {ids.of(a) for a in acts if a.name in met} if met is not None else {hours.NEVER_WITH_US}
    assert ground.here(store, here(store)).clock.acts_during(text, acts) == wanted
    first = ground.neighbours(store, here(store))[0]
    apply(store, ground.change(first, "Hours", hours=text))
    carrier = next(c for c in plan.board_of(store, here(store)).input.request.carriers if c.id == ids.of(first))
    assert carrier.times == wanted
    assert bool(plan.board_of(store, here(store)).stale) == bool(text)


def test_hours_that_cannot_be_read_are_refused():
    for text in ("25:00–26:00", "late", "19–23"):
        with pytest.raises(ValueError, match="no time of day"):
            hours.checked(text)


def test_without_a_region_everything_is_permitted_and_said_so(empty):
    ((low, high, rule),) = permission.permitted(None, 1, 2)
    assert (low, high, rule.title) == (1, 2, "no region chosen")


def test_links_are_changed_together_and_follow_their_model(store):
    ears = [x for x in kit.links(store, here(store)) if x.service == "in-ear"]
    voice = next(m for m in ground.models(store) if m.name == "Voice, dense digital")
    apply(store, kit.change_links(store, ears, model_id=voice.id))
    changed = [x for x in kit.links(store, here(store)) if x.id in {e.id for e in ears}]
    assert {x.service for x in changed} == {"voice"}
    assert {x.band for x in changed} == {voice.bands[0][0]}


@pytest.mark.parametrize(
    ("pattern", "count", "band", "message"),
    [
        ("", 1, "470–542", "need a name"),
        ("x", 0, "470–542", "Between 1 and 500"),
        ("x", 501, "470–542", "Between 1 and 500"),
        ("x", 1, "1–2", "has no tuning band 1–2"),
    ],
)
def test_links_that_cannot_be_meant_are_refused(store, pattern, count, band, message):
    model, zone = ground.models(store)[0], ground.zones(store, here(store))[0]
    with pytest.raises(ValueError, match=message):
        kit.add_links(store, here(store), pattern, count, model, band, zone)


def test_removing_links_takes_their_frequencies_and_brings_them_back(store):
    board = plan.board_of(store, here(store))
    chosen = [v.link for v in board.verdicts[:3]]
    gone = apply(store, kit.remove_links(store, chosen))
    assert not any(a.link_id in {x.id for x in chosen} for a in store.all(Assignment))
    apply(store, gone.inverse())
    assert plan.board_of(store, here(store)).frequencies == board.frequencies


def test_in_ears_ask_for_quiet_spectrum_unless_told(store):
    model = next(m for m in ground.models(store) if m.service == "in-ear")
    apply(
        store,
        kit.add_links(
            store, here(store), "Guest ear", 1, model, model.bands[0][0], ground.zones(store, here(store))[0]
        ),
    )
    guest = next(x for x in kit.links(store, here(store)) if x.name == "Guest ear")
    assert (guest.service, guest.use_class) == ("in-ear", "quiet")


def test_units_models_and_acts_are_added(store):
    model = ground.models(store)[0]
    apply(store, kit.add_unit(store, "Rack 9", model, model.bands[0][0], channels=2))
    assert kit.units(store, here(store))[-1].channels == 2
    with pytest.raises(ValueError, match="needs a name"):
        kit.add_unit(store, " ", model, model.bands[0][0])
    apply(store, kit.add_model(store, model, model.name))
    copied = next(m for m in store.all(Model) if m.name == f"{model.name} 2")
    assert not copied.builtin
    apply(store, kit.add_act(store, here(store), "Encore"))
    assert [a.position for a in kit.acts(store, here(store))] == [0, 1, 2, 3]


@pytest.mark.parametrize(
    ("transmit", "receive", "note"),
    [
        ("470–542", "470–542", ""),
        ("470–542", "518–606", "Only 518–542 MHz"),
        ("470–542", "606–694", "share no frequency"),
    ],
)
def test_notes_where_bands_do_not_meet(store, transmit, receive, note):
    model = ground.models(store)[0]
    link = replace(kit.links(store, here(store))[0], model_id=model.id, band=transmit)
    unit = replace(kit.units(store, here(store))[0], receiver_band=receive)
    assert note in kit.band_note(link, unit, model)
    assert bool(kit.band_note(link, unit, model)) == bool(note)
    assert kit.band_note(link, None, model) == ""


def test_a_receiver_band_shuts_the_rest_of_the_lane(store):
    unit = next(u for u in kit.units(store, here(store)) if u.name == "Voice rack 2")
    apply(store, ground.change(unit, "x", receiver_band="518–606"))
    bars = [b for b in asked(store).bars[key(store, "Narrator")] if b.cause == "tuning"]
    assert [(b.low_hz, b.high_hz) for b in bars] == [(470_000_000, 518_000_000)]


def test_emission_width_keeps_links_off_the_edges(store):
    found = asked(store)
    bar = next(b for b in found.bars[key(found, "Narrator")] if b.text == "channel 22 is taken")
    assert (bar.low_hz, bar.high_hz) == (478_000_000 - 100_000, 486_000_000 + 100_000)
    assert all(r.low_hz >= 470_100_000 for r in found.wish(key(found, "Narrator")).allowed)


def test_a_link_that_may_go_nowhere_is_planned_around(store):
    unit = next(u for u in kit.units(store, here(store)) if u.name == "Voice rack 2")
    apply(store, ground.change(unit, "x", receiver_band="606–694"))
    board = plan.board_of(store, here(store))
    found = search.plan_all(board, lambda done, total: done < 200, lambda: 0.0)
    unplaced = {u.id for u in found.unplaced}
    assert key(board, "Narrator") in unplaced
    assert key(board, "Harbour Master") not in unplaced


def test_quiet_links_avoid_channels_that_are_only_usable(store):
    link = next(x for x in kit.links(store, here(store)) if x.name == "Brass 1")
    apply(store, kit.change_links(store, [link], use_class="quiet"))
    request = asked(store)
    causes = {b.cause for b in request.bars[key(request, "Brass 1")]}
    assert "television" in causes
    assert isinstance(request.links[key(request, "Brass 1")], Link)


def test_rooms_are_related_by_walls_and_distance_of_their_plan(store):
    hall, quay, house = ground.zones(store, here(store))
    found = isolation.between(store, here(store), hall, house)
    assert found.walls_db == 26.0  # the hall's brick and the concrete side of the house that faces it
    assert found.relation == "near"
    far = isolation.between(store, here(store), hall, quay)
    assert far.walls_db == 6.0
    assert far.distance_m > 36
    assert far.loss_db == pytest.approx(6.0 + 20 * math.log10(far.distance_m / 10), abs=0.06)
    edit, said = isolation.from_plan(store, here(store))
    landed = store.apply(edit)
    related = ground.relations(store, here(store))
    assert related[frozenset((hall.id, quay.id))].wall_loss_db == far.loss_db
    assert len(said) == 3
    store.apply(landed.inverse())
    assert ground.relations(store, here(store))[frozenset((hall.id, quay.id))].wall_loss_db == 22.0


def test_undrawn_rooms_cannot_be_related_by_a_plan(empty):
    with pytest.raises(ValueError, match="at least two rooms"):
        isolation.from_plan(empty, here(empty))
    zone = ground.zones(empty, here(empty))[0]
    with pytest.raises(ValueError, match="has no outline yet"):
        isolation.between(empty, here(empty), zone, zone)
