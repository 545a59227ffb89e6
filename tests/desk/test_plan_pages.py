"""The thinking pages of Plan: margins, pairs, compare, what if, groups, and the way out of no room."""

from PyQt6.QtWidgets import QPushButton

from azven.book.records import Model
from azven.work import chosen, ground, ids, kit, plan
from azven.work.plan import search as planning
from azven.work.scope import opening as here
from naming import key

LANES, PRODUCTS, MARGINS, PAIRS, COMPARE, WHAT_IF, GROUPS = range(7)


def option_buttons(window):
    return [b for b in window.panel.widget().findChildren(QPushButton) if b.objectName() == "option"]


def test_an_unplaced_link_says_why_and_a_way_out_places_it(window, settle, monkeypatch):
    monkeypatch.setattr(planning, "LIMIT_S", 4.0)
    session, store = window.session, window.session.store
    stage = window.open_stage("plan")
    model = next(m for m in ground.models(store) if m.name == "In-ear stereo, FM")
    zone = ground.zones(store, here(store))[0]
    session.do(lambda: kit.add_links(store, here(store), "Late ear 1", 40, model, "518–606", zone))
    stage.add_missing()
    settle(window)
    stuck = [v.id for v in session.board.verdicts if v.state == "unplaced"]
    assert stuck
    session.select(chosen.Link(stuck[0]))
    assert window.panel.shown.state == "no room"
    assert "None of its" in window.panel.shown.verdict
    settle(window)
    titles = [b.accessibleName() for b in option_buttons(window)]
    assert titles
    option_buttons(window)[0].click()
    assert session.board.verdict(stuck[0]).state != "unplaced"
    assert session.board.count("broken") == 0
    session.step_back()
    assert session.board.verdict(stuck[0]).state == "unplaced"


def test_what_if_a_neighbour_is_tried_dropped_kept_and_undone(window, settle):
    session, stage = window.session, window.open_stage("plan")
    stage.show_page(WHAT_IF)
    page, before = stage.page(WHAT_IF), dict(session.board.frequencies)
    name = key(session, "Narrator")
    narrator = before[name]
    page.freq.setText(f"{narrator / 1e6 + 0.1:.3f}")
    page.try_it()
    settle(window)
    assert "break" in page.harm.text()
    assert name in page.outcome.broken
    assert any(m.id == name for m in page.outcome.mended.moves)
    assert session.board.frequencies == before
    page.drop_button.click()
    assert page.outcome is None
    assert session.board.frequencies == before
    page.try_it()
    settle(window)
    page.keep_button.click()
    assert session.board.frequencies[name] != narrator
    assert any(n.name == "New neighbour" for n in ground.neighbours(session.store, session.scope))
    assert session.board.count("broken", "unplaced") == 0
    assert session.board.stale == ()
    session.step_back()
    assert session.board.frequencies == before
    assert not any(n.name == "New neighbour" for n in ground.neighbours(session.store, session.scope))


def test_what_if_more_links_a_multiplex_and_an_open_door(window, settle):
    session, stage = window.session, window.open_stage("plan")
    stage.show_page(WHAT_IF)
    page = stage.page(WHAT_IF)
    for kind in (1, 2, 3):
        page.kind.setCurrentIndex(kind)
        page.try_it()
        settle(window)
        assert page.outcome is not None
        assert page.cost.text().startswith("To mend")
    assert page.outcome.supposition.title.startswith("2 more like")
    count = len(kit.links(session.store, session.scope))
    page.keep_button.click()
    assert len(kit.links(session.store, session.scope)) == count + 2
    page.kind.setCurrentIndex(0)
    page.freq.setText("none")
    page.try_it()
    assert "is not a frequency in MHz" in window.said()


def test_stopping_a_search_half_way_keeps_its_best(window, settle, qtbot):
    session, stage = window.session, window.open_stage("plan")
    model = next(m for m in ground.models(session.store) if m.service == "voice")
    zone = ground.zones(session.store, session.scope)[0]
    session.do(lambda: kit.add_links(session.store, session.scope, "Crowd 1", 60, model, model.bands[0][0], zone))
    notes = []
    session.jobs.noted.connect(notes.append)
    with qtbot.waitSignal(session.jobs.noted, timeout=120_000):
        stage.run_primary()
    session.jobs.stop()
    settle(window)
    assert notes[0].startswith("best so far")
    assert len(session.board.frequencies) >= 20
    assert session.board.count("broken") == 0
    assert "placed" in window.said()


def test_where_no_plan_places_more_the_head_and_the_reasons_say_so(window, settle):
    """A neighbour that closes the whole spectrum: no search will ever place what it keeps away."""
    session, stage = window.session, window.open_stage("plan")
    store = session.store
    session.do(lambda: ground.add_neighbour(store, session.scope, "Ferry", 540_000_000, spacing_hz=400_000_000))
    stage.mend()
    settle(window)
    missing = next(v for v in session.board.verdicts if v.state == "unplaced")
    assert session.board.ceiling.proof == "no step"
    assert ", no more can be" in stage._detail.text()
    session.select(chosen.Link(missing.id))
    assert "No plan can place more" in window.panel.shown.verdict


def test_acts_that_touch_are_set_in_kit_and_reasons_say_where_links_meet(window, settle):
    """Two links of different acts on one frequency: nothing until their acts touch, then both are broken."""
    session, store = window.session, window.session.store
    first, second = kit.acts(store, session.scope)[:2]
    one, other = [x for x in kit.links(store, session.scope) if x.name in ("Narrator", "Tide Bell")]
    session.do(lambda: kit.change_links(store, [one], acts=(first.id,)))
    session.do(lambda: kit.change_links(store, [other], acts=(second.id,), zone_id=one.zone_id))
    freq = session.board.frequencies[key(session, one.name)]
    session.do(lambda: plan.set_frequencies(store, session.scope, {ids.of(other): freq}, "Move"))
    settle(window)
    assert "broken" not in {session.board.verdict(key(session, x.name)).state for x in (one, other)}
    stage = window.open_stage("kit")
    stage.show_page("Acts")
    column = next(c for c in stage.acts.table.records.columns if c.title == "Change to the next")
    assert [column.show(a) for a in kit.acts(store, session.scope)] == ["one after the other"] * 2 + [""]
    column.change(first, True)
    settle(window)
    assert session.board.verdict(key(session, one.name)).state == "broken"
    session.select(chosen.Link(key(session, one.name)))
    said = window.panel.shown.verdict
    assert f"meet only in a change of act: {first.name} to {second.name}" in said
    session.step_back()
    assert session.board.verdict(key(session, one.name)).state != "broken"


def test_a_plan_whose_inputs_changed_is_said_to_be_stale_until_it_is_mended(window, settle):
    session, stage = window.session, window.open_stage("plan")
    freq = session.board.frequencies[key(session, "Tide Bell")]
    session.do(lambda: ground.add_neighbour(session.store, session.scope, "Ferry", freq + 50_000))
    assert "stale, neighbours changed" in stage._detail.text()
    assert "neighbour Ferry is new" in stage._detail.toolTip()
    assert session.board.verdict(key(session, "Tide Bell")).state == "broken"
    stage.mend()
    settle(window)
    assert session.board.stale == ()
    assert session.board.count("broken") == 0


def test_margins_show_both_schools_and_the_switch_is_undone(window, settle):
    session, stage = window.session, window.open_stage("plan")
    stage.show_page(MARGINS)
    settle(window)
    page = stage.page(MARGINS)
    assert page.schools.text().startswith("The schools differ: levels see ")
    assert "takes part in" in page.harm.text()
    choir = session.board.frequencies
    at = 2 * choir[key(session, "Lamp Choir 2")] - choir[key(session, "Lamp Choir 1")]
    session.do(
        lambda: plan.set_frequencies(session.store, session.scope, {key(session.store, "Lamp Choir 3"): at}, "Move")
    )
    settle(window)
    hall = next(z for z in ground.zones(session.store, session.scope) if z.name == "Rope Hall")
    session.do(lambda: ground.change(hall, "Nobody comes near", near_m=28.0, between_m=10.0))
    settle(window)
    assert "levels excuse" in page.schools.text()
    assert session.board.verdict(key(session, "Lamp Choir 3")).state == "broken"
    stage.school.setCurrentIndex(1)
    stage.school.activated.emit(1)
    assert session.board.verdict(key(session, "Lamp Choir 3")).excused
    session.select(chosen.Link(key(session, "Lamp Choir 3")))
    assert "harmless here" in window.panel.shown.verdict
    session.step_back()
    assert session.board.verdict(key(session, "Lamp Choir 3")).state == "broken"


def test_planning_by_level_in_the_window(window, settle):
    session, stage = window.session, window.open_stage("plan")
    session.do(lambda: plan.set_school(session.store, session.scope, "level"))
    stage.run_primary()
    settle(window)
    assert session.board.count("broken") == 0
    assert all(v.level is not None for v in session.board.verdicts if v.freq_hz and v.shared is None)
    assert ground.here(session.store, session.scope).show.school == "level"


def test_pairs_are_painted_told_selected_and_exported(window, settle, tmp_path, monkeypatch):
    from azven.desk import files

    stage = window.open_stage("plan")
    stage.show_page(PAIRS)
    settle(window)
    page = stage.page(PAIRS)
    grid = page.grid
    n = len(grid.shown.names)
    assert n == len(window.session.board.input.request.carriers) + len(window.session.board.narrow) + 3
    assert grid.cell_at(5, 5) is None
    assert grid.cell_at(grid.width() - 20, 1) == (0, n - 1)
    assert "kHz apart" in grid.shown.words(0, 1) or "never meet" in grid.shown.words(0, 1)
    monkeypatch.setattr(files, "ask_where", lambda *_: tmp_path / "pairs.csv")
    page.export()
    assert len((tmp_path / "pairs.csv").read_text("utf-8").splitlines()) == n + 1


def test_two_plans_are_compared_and_the_old_one_comes_back(window, settle):
    session, stage = window.session, window.open_stage("plan")
    before = dict(session.board.frequencies)
    session.do(
        lambda: plan.lock(session.store, session.scope, session.board.verdict(key(session, "Narrator")).link, True)
    )
    session.do(lambda: ground.add_neighbour(session.store, session.scope, "Ferry", before[key(session, "Tide Bell")]))
    stage.mend()
    settle(window)
    stage.show_page(COMPARE)
    page = stage.page(COMPARE)
    page.old.setCurrentIndex(page.old.count() - 1)
    page.old.activated.emit(page.old.count() - 1)
    moved = [d.name for d in page.table.records.records if d.change == "moved"]
    assert "Tide Bell" in moved
    assert len(moved) <= 2
    assert "Made " in page.origin.text()
    assert "sweep Rope Hall" in page.origin.text()
    page.back.click()
    assert session.board.frequencies[key(session, "Tide Bell")] == before[key(session, "Tide Bell")]
    session.step_back()
    assert session.board.frequencies[key(session, "Tide Bell")] != before[key(session, "Tide Bell")]


def test_groups_are_computed_read_judged_and_mixing_is_warned_about(window, settle, tmp_path, monkeypatch):
    from azven.desk import files

    session, stage = window.session, window.open_stage("plan")
    stage.show_page(GROUPS)
    page = stage.page(GROUPS)
    page.groups.setText("2")
    page.channels.setText("6")
    page.compute()
    settle(window)
    assert "Take group" in page.words.text()
    monkeypatch.setattr(files, "ask_where", lambda *_: tmp_path / "table.csv")
    page.export()
    choir = [session.board.frequencies[key(session, f"Lamp Choir {i}")] / 1e6 for i in (1, 2)]
    path = tmp_path / "two.csv"
    path.write_text(f"group,MHz\nA,{choir[0]}\nB,{choir[1]}\nB,nonsense\n", encoding="utf-8")
    model = session.store.get(Model, session.board.verdict(key(session, "Lamp Choir 1")).link.model_id)
    page.model.setCurrentIndex(page.model.findData(model.id))
    page.read(path)
    settle(window)
    assert "use 2 groups" in page.warning.text()
    assert "line 4" in window.said()
    page.read(tmp_path / "table.csv")
    settle(window)
    assert len(page.table.records.records) == 2
    (tmp_path / "bad.csv").write_text("nothing here", encoding="utf-8")
    page.read(tmp_path / "bad.csv")
    assert "holds no line with a group" in window.said()
    page.groups.setText("900")
    page.compute()
    assert "Between 1 and 60" in window.said()
