"""Identity is the id: equal names live side by side, no name is read for what it says, acts that go are missed."""

from dataclasses import replace
from types import SimpleNamespace

import pytest

from azven.book.edits import Edit, add
from azven.book.formats import plan as plan_format
from azven.book.formats import plan_request, site_bundle
from azven.book.records import Act, Link, Model, Neighbour, Zone
from azven.rf.chain.design import solve_design
from azven.rf.coordinate import coordinate
from azven.work import chain, demo, ground, ids, kit, listen, plan, reasons, wording
from azven.work.chain import heard, templates
from azven.work.ground import bundle
from azven.work.kit import views
from azven.work.listen import merged
from azven.work.plan import margins, pairs, search, sheet, threats, ways_out, what_if
from azven.work.scope import opening as here
from naming import key

EVIL = (
    "IEM: Anna", 'quote " and \' both', "two\nlines", "\u200fright\u202e to left", "a" * 200, "<b>bold</b>",
    "a; b, c\td", "link-1", "everywhere", "", "🎤",
)  # fmt: skip


def never(done, total):
    return True


def renamed(store, name, new):
    link = next(x for x in kit.links(store, here(store)) if x.name == name)
    store.apply(kit.change_links(store, [link], name=new))
    return ids.of(link)


def test_a_link_off_its_steps_is_told_and_mended_whatever_it_is_called(store):
    ear = renamed(store, "Brass ear 1", "IEM: Anna")
    store.apply(
        plan.set_frequencies(
            store, here(store), {ear: plan.board_of(store, here(store)).frequencies[ear] + 7_000}, "Off its steps"
        )
    )
    board = plan.board_of(store, here(store))
    assert board.verdict(ear).state == "broken"
    assert "is not on its steps" in board.verdict(ear).fault
    assert "is not on its steps" in plan.try_at(board, ear, board.frequencies[ear]).sentence()
    mended = search.mend(board, never, lambda: 0.0)
    move = next(m for m in mended.moves if m.id == ear)
    assert wording.why_moved(move, board.input.name).startswith("IEM: Anna: ")
    store.apply(plan.adopt(store, here(store), mended.plan, "Mend", {}))
    assert plan.board_of(store, here(store)).count("broken") == 0


def test_the_level_schools_mend_a_link_with_a_colon_too(store):
    ear = renamed(store, "Brass ear 1", "IEM: Anna")
    store.apply(plan.set_school(store, here(store), "level"))
    store.apply(
        plan.set_frequencies(
            store, here(store), {ear: plan.board_of(store, here(store)).frequencies[ear] + 7_000}, "Off its steps"
        )
    )
    mended = search.mend(plan.board_of(store, here(store)), never, lambda: 0.0)
    assert [m.cause for m in mended.moves if m.id == ear] == ["not allowed"]


@pytest.fixture
def twins(store):
    """Two of everything under one name."""
    for name in ("Lamp Choir 2", "Lamp Choir 3", "Narrator"):
        renamed(store, name, "Lamp Choir 1")
    for records in (
        ground.zones(store, here(store))[:2],
        kit.acts(store, here(store))[:2],
        ground.models(store)[:2],
    ):
        store.apply(ground.change(records[1], "Rename", name=records[0].name))
    for freq in (650_025_000, 651_000_000):
        store.apply(ground.add_neighbour(store, here(store), "Lamp Choir 1", freq))
    return store


def test_equal_names_live_side_by_side(twins, tmp_path):
    (tmp_path / "plain").mkdir()
    before = demo.build(tmp_path / "plain")
    for i, freq in enumerate((650_025_000, 651_000_000)):
        before.apply(ground.add_neighbour(before, here(before), f"Neighbour {i}", freq))
    plain, board = plan.board_of(before, here(before)), plan.board_of(twins, here(twins))
    assert board.frequencies == plain.frequencies
    assert [(v.id, v.state, v.margin_hz) for v in board.verdicts] == [
        (v.id, v.state, v.margin_hz) for v in plain.verdicts
    ]
    called = [board.input.names[v.id] for v in board.verdicts]
    assert len(set(called)) == len(called)  # told apart for people
    assert len(pairs.matrix(board).ids) == len(pairs.matrix(plain).ids)
    before.close()


def test_everything_works_on_a_book_of_equal_names(twins):
    board, picture = plan.board_of(twins, here(twins)), listen.picture(twins, here(twins))
    for verdict in board.verdicts[:6]:
        assert reasons.for_link(twins, here(twins), board, picture, verdict.id, demo.datetime.now(demo.UTC)).verdict
    assert threats.threats(board, 60_000).found
    assert margins.rows(*margins.judged_both_ways(board.input, board))
    assert sheet.csv_text(twins, here(twins), board).count("Lamp Choir 1") == 4
    chosen = key(board, "Lamp Choir 1")
    supposed = what_if.neighbour_appears(twins, here(twins), board.frequencies[chosen] + 50_000, None, False)
    outcome = what_if.try_out(supposed, supposed.input(twins, here(twins), picture), board, never, lambda: 0.0)
    assert chosen in outcome.broken
    landed = twins.apply(what_if.keep(twins, here(twins), outcome))
    assert plan.board_of(twins, here(twins)).verdict(chosen).state != "broken"
    twins.apply(landed.inverse())
    assert plan.board_of(twins, here(twins)).frequencies == board.frequencies
    link = board.verdict(chosen).link
    assert ways_out.variants(twins, here(twins), picture, board.input, link)
    emitters = [e.name for e in heard.world(twins, here(twins), picture).emitters]
    assert len(set(emitters)) == len(emitters)


def test_a_model_that_takes_the_name_of_another_changes_nothing_else(store):
    before = plan.board_of(store, here(store))
    a, b = ground.models(store)[:2]
    store.apply(ground.change(b, "Rename", name=a.name))
    after = plan.board_of(store, here(store))
    assert after.stale == ()
    assert after.input.request.profiles == before.input.request.profiles
    assert [(v.state, v.margin_hz) for v in after.verdicts] == [(v.state, v.margin_hz) for v in before.verdicts]


@pytest.mark.parametrize("name", EVIL)
def test_any_name_at_all(store, name):
    links = kit.links(store, here(store))
    scope = here(store)
    for kind, record in ((Link, links[0]), (Zone, ground.zones(store, scope)[0]),
                         (Act, kit.acts(store, scope)[0]), (Neighbour, ground.neighbours(store, scope)[0]),
                         (Model, ground.models(store)[0])):  # fmt: skip
        assert isinstance(record, kind)
        store.apply(ground.change(record, "Rename", name=name))
    board = plan.board_of(store, here(store))
    assert board.count("broken", "unplaced") == 0
    assert board.stale == ()
    shown = board.input.name(ids.of(links[0]))
    assert "\n" not in shown
    assert not set(shown) & {"\u200f", "\u202e"}
    document = plan_request.write(board.input.request)
    assert plan_request.read(document) == board.input.request
    answer = plan_format.write(coordinate(replace(board.input.request, effort=1)), 2, board.input.request.names)
    assert {a["id"] for a in answer["assignments"]} <= set(board.input.links)
    html = sheet.html(store, here(store), board, demo.datetime.now(demo.UTC), {})
    assert "<b>bold" not in html


def test_pasted_names_stay_as_they_are_and_a_doubtful_room_is_refused(store):
    model, hall = ground.models(store)[0], ground.zones(store, here(store))[0]
    pasted = kit.paste(store, here(store), "Wide\nWide\nWide", model, hall)
    store.apply(pasted.edit)
    assert [x.name for x in kit.links(store, here(store))].count("Wide") == 3
    quay = ground.zones(store, here(store))[1]
    store.apply(ground.change(quay, "Rename", name=hall.name))
    pasted = kit.paste(store, here(store), f"name\troom\nNew\t{hall.name}", model, hall)
    assert (pasted.used, pasted.refused) == (0, (f"row 2: 2 rooms are named {hall.name}",))


def test_an_act_that_goes_is_taken_out_of_its_links_and_they_say_so(store):
    tide = next(a for a in kit.acts(store, here(store)) if a.name == "Tide Concert")
    only = [x.id for x in kit.links(store, here(store)) if x.acts == (tide.id,)]
    also = [x.id for x in kit.links(store, here(store)) if tide.id in x.acts and len(x.acts) > 1]
    assert only
    points, _ = views.open_points(store, here(store))
    before = kit.links(store, here(store))
    landed = store.apply(kit.remove_acts(store, here(store), [tide]))
    links = {x.id: x for x in kit.links(store, here(store))}
    assert not any(tide.id in x.acts for x in links.values())
    assert all("Tide Concert, which was removed" in kit.acts_note(links[i]) for i in only)
    assert all(kit.acts_note(links[i]) == "" for i in also)
    assert views.open_points(store, here(store))[0] == points + len(only)
    assert "act" in plan.board_of(store, here(store)).stale or "acts" in plan.board_of(store, here(store)).stale
    store.apply(kit.change_links(store, [links[only[0]]], acts=()))
    assert kit.acts_note(next(x for x in kit.links(store, here(store)) if x.id == only[0])) == ""
    now = next(x for x in kit.links(store, here(store)) if x.id == only[0])
    store.apply(Edit("back", ()))
    store.apply(ground.change(now, "note back", acts_gone=links[only[0]].acts_gone))
    store.apply(landed.inverse())
    assert [replace(x, version=0) for x in kit.links(store, here(store))] == [replace(x, version=0) for x in before]


def test_two_links_of_one_name_are_ours_each_for_itself_in_a_sweep_with_them_on(store):
    """Lines of two links of one name are told as two, not as one."""
    board = plan.board_of(store, here(store))
    for name in ("Lamp Choir 2", "Lamp Choir 3"):
        renamed(store, name, "Lamp Choir 1")
    picture = listen.picture(store, here(store))
    (record, held), *_ = picture.sweeps
    ours = [board.frequencies[k] for k, x in board.input.links.items() if x.name.startswith("Lamp Choir")][:3]
    seen = SimpleNamespace(
        sweep=held,
        survey=SimpleNamespace(impulse_share=0.0),
        lines=tuple(replace(picture.lines[0], freq_hz=f) for f in ours),
    )
    _, told = merged._claimed(store, here(store), [(replace(record, own_on=True), seen)])
    assert len(told) == 3


def test_designs_of_rooms_and_links_of_one_name_hold_together(twins):
    for make in templates.TEMPLATES.values():
        design = chain.read(make(twins, here(twins)))
        assert solve_design(design).receivers or "transmit_hz" in make(twins, here(twins))
    every = templates.TEMPLATES["every room into one rack"](twins, here(twins))
    assert len(every["zones"]) == len(ground.zones(twins, here(twins)))
    for zone in ground.zones(twins, here(twins))[:1]:
        twins.apply(ground.change(zone, "Rename", name="ear"))
    assert chain.read(templates.TEMPLATES["both sides of one rack"](twins, here(twins))).zones.keys() == {"ear room"}


def test_records_of_an_edit_without_ids_are_refused(store):
    with pytest.raises(ValueError, match="reserve an id"):
        store.apply(Edit("x", add(replace(kit.links(store, here(store))[0], id=0))))


def test_a_shared_site_with_two_rooms_of_one_name_comes_back_with_both(store, empty, tmp_path):
    hall, quay = ground.zones(store, here(store))[:2]
    store.apply(ground.change(quay, "Rename", name=hall.name))
    store.apply(ground.add_neighbour(store, here(store), "Kiosk", 486_100_000, zone_id=quay.id, hours="19:00–23:30"))
    bundle.write(store, here(store), tmp_path / "site.azven-site")
    empty.apply(ground.set_time_zone(empty, here(empty), "UTC"))
    merged = bundle.merge(empty, here(empty), site_bundle.read(tmp_path / "site.azven-site"))
    empty.apply(merged.edit)
    twins = [z for z in ground.zones(empty, here(empty)) if z.name == hall.name]
    assert [z.far_m for z in twins] == [hall.far_m, quay.far_m]
    kiosk = next(n for n in ground.neighbours(empty, here(empty)) if n.name == "Kiosk")
    assert kiosk.zone_id == twins[1].id
    assert (kiosk.hours, kiosk.note) == ("", "(19:00–23:30 in CET)")  # never taken for hours of another clock
    assert any("always on" in line for line in merged.said)
    again = bundle.merge(empty, here(empty), site_bundle.read(tmp_path / "site.azven-site"))
    assert not [c for c in again.edit.changes if isinstance(c.after, Zone)]
