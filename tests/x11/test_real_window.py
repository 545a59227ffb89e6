"""What only a real window shows: who has the keyboard, what a list shows, where the window opens, what a drag does."""

import sqlite3
import subprocess
import sys
import textwrap
import time

import pytest
from x11_screen import virtual_screen

PALETTE = "app.activePopupWidget()"


def open_palette(desk):
    desk.key("ctrl+k")
    desk.until(f"{PALETTE} is not None")


def test_find_or_do_has_the_keyboard_the_moment_it_opens(start):
    desk = start()
    open_palette(desk)
    desk.type("narr")
    desk.until(f"{PALETTE}._text.text()", "narr")
    desk.until(f"{PALETTE}._shown[0].title.split()[0]", "Narrator")
    desk.key("Return")
    desk.until(f"{PALETTE} is None")
    desk.until("session.board.input.name(session.link_id)", "Narrator")
    desk.click(*desk.ask("at(window.header._find)"))
    desk.until(f"{PALETTE} is not None")
    desk.type("brass")
    desk.until(f"{PALETTE}._text.text()", "brass")
    desk.key("Down", "Down", "Up")
    desk.until(f"{PALETTE}._list.currentRow()", 1)
    desk.key("Escape")
    desk.until(f"{PALETTE} is None")
    assert desk.ask("session.board.input.name(session.link_id)") == "Narrator"
    desk.key("ctrl+3")
    desk.until("window.stage.name", "kit")


@pytest.mark.parametrize("stage", ["ground", "listen", "kit", "plan", "chain", "reach"])
def test_every_box_opens_with_all_its_entries_in_view(start, stage):
    desk = start(stage=stage)
    desk.until("session.jobs.idle")
    count = desk.ask("len(boxes(window))")
    assert count
    for i in range(count):
        name = desk.ask(f"boxes(window)[{i}].accessibleName()")
        desk.click(*desk.ask(f"arrow(boxes(window)[{i}])"))
        desk.until(f"boxes(window)[{i}].view().isVisible()")
        _, rows, seen, fits, height = desk.ask(f"open_list(boxes(window)[{i}])")
        assert seen == rows or not fits, f"{name}: {seen} of {rows} in view"
        assert height <= 800
        desk.key("Escape")
        desk.until(f"boxes(window)[{i}].view().isVisible()", False)


@pytest.mark.parametrize("stage", ["ground", "kit", "plan", "prove", "watch"])
def test_tab_walks_through_everything_that_can_be_pressed_and_comes_back(start, stage):
    desk = start(stage=stage)
    desk.until("session.jobs.idle")
    pressable = (
        "[b.text() for b in window.stage.findChildren(QPushButton) if b.isVisible() and b.isEnabled() and "
        "(b.group() is None or b.isChecked())]"  # of a row of titles arrow keys choose
    )
    wanted = set(desk.ask(pressable))
    where = "(lambda f: [id(f), getattr(f, 'text', str)() if isinstance(f, QPushButton) else ''])(app.focusWidget())"
    first, seen = desk.ask(where)[0], set()
    for _ in range(120):
        desk.key("Tab")
        now, text = desk.ask(where)
        assert desk.ask("app.focusWidget() is not None and app.focusWidget().isVisible()")
        seen.add(text)
        if now == first and len(seen) > 3:
            break
    assert wanted <= seen


def test_watch_comes_by_its_key_an_act_runs_by_name_and_the_far_view_closes_with_escape(start):
    desk = start()
    desk.key("ctrl+8")
    desk.until("window.stage.name", "watch")
    desk.until("window.stage.now.empty.isVisible()")
    desk.until("bool(window.stage.watch.seen.watched.names)")
    runs = "getattr(window.stage.watch.seen.watched.on_now(window.stage.watch.live.t), 'name', '')"
    before = desk.ask(runs)  # the evening of the demonstration is today's
    act = "Tide Concert" if before == "Lantern Parade" else "Lantern Parade"
    open_palette(desk)
    desk.type(f"{act.lower()} runs")
    desk.until(f"{PALETTE}._shown[0].title", f"{act} runs now")
    desk.key("Return")
    desk.until(runs, act)
    desk.click(*desk.ask("at(window.stage.far)"))
    far = "[w for w in app.topLevelWidgets() if w.accessibleName() == 'Far view' and w.isVisible()]"
    desk.until(f"len({far})", 1)
    desk.until(f"{far}[0].isActiveWindow()")
    desk.key("Escape")
    desk.until(f"len({far})", 0)
    desk.key("ctrl+z")
    desk.until(runs, before)


def test_a_drill_is_begun_looked_at_and_answered_by_keys(start):
    desk = start(stage="watch")
    open_palette(desk)
    desk.type("rehearse: drill")
    desk.until(f"{PALETTE}._shown[0].title", "Rehearse: drill")
    desk.key("Return")
    page = "window.stage.rehearsal.drill"
    desk.until(f"{page}.isVisible()")
    desk.click(*desk.ask(f"at({page}.go)"))
    desk.until(f"{page}.played is not None")
    desk.until(f"{page}.ropes.hasFocus()")
    desk.until(f"{page}.clock.text() != ''")
    for _ in range(10):
        desk.key("Down")
    desk.key("space")
    desk.until(f"sorted({page}.ropes.chosen)", ["Lamp Choir 4"])
    desk.key("Tab")
    desk.until(f"{page}.cause.hasFocus()")
    desk.key("Down")
    desk.until(f"{page}.cause.currentData()", "own")
    desk.key("Tab")
    desk.until(f"{page}.remedies.hasFocus()")
    right = desk.ask(f"[r.right for r in {page}.played.drill.offered].index(True)")
    desk.key("Home")
    for _ in range(right):
        desk.key("Down")
    desk.until(f"{page}.remedies.currentRow()", right)
    desk.key("Tab")
    desk.until(f"{page}.answer.hasFocus()")
    desk.key("space")
    desk.until(f"{page}.marks is not None and {page}.marks.all")
    desk.until(f"{page}.reasons.isVisible() and {page}.told.text().startswith('All right, in ')")


def test_a_deed_is_chosen_asked_once_and_answered_by_keys(start):
    desk = start(stage="prove")
    desk.until("session.surroundings is not None")
    desk.ask("window.stage.racks.add_simulated()")
    hub = "session.racks.here.hub"
    desk.until(f"sum(x.state == 'live' for x in {hub}.links)", 16)
    desk.until(f"all(len(x.settings) == len(x.card.channels) for x in {hub}.links)")
    desk.ask("window.stage.racks.map_all()")
    desk.key("ctrl+8")
    desk.until("window.stage.name", "watch")
    desk.click(*desk.ask("at(window.stage.pages.tabs._group.buttons()[1])"))
    page = "window.stage.links"
    desk.until(f"{page}.isVisible()")
    place = f"[i for i, r in enumerate({page}._rows()) if r.head.name == 'Lamp Choir 1'][0]"
    table = f"{page}.table"
    desk.until(f"{table}.model().rowCount() > 8")
    cell = f"(lambda r: spot({table}.viewport(), r.center().x(), r.center().y()))"
    desk.click(*desk.ask(f"{cell}({table}.visualRect({table}.model().index({place}, 1)))"))
    lock = f"[b for b in {page}.findChildren(QPushButton) if b.isVisible() and b.text() == 'Lock its switch']"
    desk.until(f"len({lock})", 1)
    link = "next(x.id for x in kit.links(session.store, session.scope) if x.name == 'Lamp Choir 1')"
    unit = f"session.surroundings.racks().members[{link}].channel.settings"
    for _ in range(40):
        if desk.ask(f"app.focusWidget() is {lock}[0]"):
            break
        desk.key("Tab")
    desk.key("space")
    desk.until(f"{page}.asking.isVisible()")
    assert desk.ask(f"{unit}['mute_lock']") is False
    desk.key("Escape")
    desk.until(f"{page}.asking.isVisible()", False)
    assert desk.ask(f"{unit}['mute_lock']") is False
    desk.until(f"app.focusWidget() is {lock}[0]")
    desk.key("space")
    desk.until(f"{page}.asking.isVisible()")
    desk.key("space")
    desk.until("'done and read back' in window.said()")
    assert desk.ask(f"{unit}['mute_lock']") is True


def test_a_pennant_is_dragged_in_its_lane_and_the_band_on_the_spine(start):
    desk = start()
    desk.until("session.jobs.idle")
    link = desk.ask("session.board.verdicts[1].id")
    desk.ask(f"session.select(chosen.Link({link!r}))")
    desk.ask("session.view.show(session.board.verdicts[1].freq_hz - 2e6, session.board.verdicts[1].freq_hz + 6e6)")
    before = desk.ask(f"session.board.frequencies[{link!r}]")
    chart = "window.stage.chart"
    place = f"spot({chart}.viewport(), {chart}._axis.x({{}}) + 3, 33 + 21 * 1.5 - {chart}.verticalScrollBar().value())"
    desk.drag(desk.ask(place.format(before)), desk.ask(place.format(before + 2_000_000)))
    desk.until(f"session.board.frequencies[{link!r}] != {before}")
    assert abs(desk.ask(f"session.board.frequencies[{link!r}]") - before - 2_000_000) < 300_000
    desk.key("ctrl+z")
    desk.until(f"session.board.frequencies[{link!r}]", before)
    view = desk.ask("session.view.hz")
    desk.drag(desk.ask("at(window.spine, 0.6, 0.85)"), desk.ask("at(window.spine, 0.4, 0.85)"))
    desk.until(f"session.view.hz[0] > {view[0]}")
    desk.do("mousemove", *desk.ask("at(window.spine)"), "click", 4)
    desk.until(f"session.view.hz[1] - session.view.hz[0] < {view[1] - view[0]}")


def test_an_antenna_is_dragged_on_the_room_plan(start):
    desk = start(stage="reach")
    desk.until("session.jobs.idle")
    antenna = "[a for a in window.stage.room().antennas if a.role == 'receive'][0]"
    x, y = desk.ask(f"[{antenna}.x_m, {antenna}.y_m]")
    point = "(lambda p: spot(window.stage.view, p.x(), p.y()))(window.stage.view.pixel({}, {}))"
    desk.drag(desk.ask(point.format(x, y)), desk.ask(point.format(x + 4, y + 12)))
    desk.until(f"abs({antenna}.y_m - {y + 12}) < 1.0")
    desk.key("ctrl+z")
    desk.until(f"abs({antenna}.y_m - {y}) < 0.01")


def test_rows_are_pasted_from_another_program(start, tmp_path):
    desk = start(stage="kit")
    rows = "name\troom\nVisitor 1\tRope Hall\nVisitor 2\tQuay Stage\nVisitor 2\tQuay Stage\n"
    program = textwrap.dedent(f"""
        from PyQt6.QtWidgets import QApplication
        app = QApplication([])
        app.clipboard().setText({rows!r})
        print("there", flush=True)
        app.exec()
    """)
    other = subprocess.Popen([sys.executable, "-c", program], env=desk.environment, stdout=subprocess.PIPE)
    try:
        assert other.stdout.readline() == b"there\n"
        desk.click(*desk.ask("at(window.stage.files)"))
        desk.until("QApplication.activePopupWidget() is not None")
        desk.key("Down", "Return")
        desk.until("[x.name for x in kit.links(session.store, session.scope)].count('Visitor 2')", 2)
        assert "3 links pasted" in desk.ask("window.said()")
    finally:
        other.kill()
        other.communicate()


def test_the_sheet_goes_where_the_file_dialog_says(start, tmp_path):
    desk = start()
    desk.until("session.jobs.idle")
    desk.key("ctrl+p")
    desk.until("app.activeModalWidget() is not None")
    desk.key("ctrl+a")
    desk.type(str(tmp_path / "evening.pdf"))
    desk.key("Return")
    desk.until("app.activeModalWidget() is None")
    desk.until("'Wrote evening.pdf' in window.said()")
    assert (tmp_path / "evening.pdf").read_bytes().startswith(b"%PDF")
    assert "Harbour Master" in (tmp_path / "evening.csv").read_text("utf-8")
    desk.key("ctrl+p")
    desk.until("app.activeModalWidget() is not None")
    desk.key("Escape")
    desk.until("app.activeModalWidget() is None")


INSIDE = (
    "(lambda f, s: [f.left() >= s.left(), f.top() >= s.top(), f.right() <= s.right(), f.bottom() <= s.bottom()])"
    "(window.frameGeometry(), window.screen().availableGeometry())"
)


@pytest.mark.parametrize("size", ["1024x660", "1280x800", "1920x1080"])
def test_the_window_opens_inside_the_screen(start, size):
    with virtual_screen(size) as screen:
        desk = start(screen=screen)
        desk.until(INSIDE, [True] * 4)
        assert desk.ask("window.spine.mapToGlobal(window.spine.rect().bottomLeft()).y()") < int(size.split("x")[1])
        desk.close()
        assert desk.process.returncode == 0


def test_closing_while_a_search_runs_ends_it(start):
    desk = start()
    desk.until("session.jobs.idle")
    like = "next(x for x in kit.links(session.store, session.scope) if x.name == 'Lamp Choir 1')"
    desk.ask(
        "(lambda x: session.do(lambda: kit.add_links(session.store, session.scope, 'Crowd 1', 150, "
        f"session.store.get(Model, x.model_id), x.band, session.store.get(Zone, x.zone_id))))({like})"
    )
    desk.until("session.jobs.idle")
    desk.key("ctrl+Return")
    desk.until("session.jobs.busy")
    time.sleep(1.0)
    began = time.monotonic()
    desk.key("alt+F4")
    desk.process.wait(20)
    assert time.monotonic() - began < 15
    assert desk.process.returncode == 0


def test_a_second_start_on_the_same_book_works_beside_the_first(start, tmp_path):
    book = tmp_path / "evening.azven"
    one = start(book, "kit")
    two = start(book, "kit")
    for desk, name in ((one, "First"), (two, "Second")):
        desk.ask("window.activateWindow() or window.raise_()")
        desk.until("window.isActiveWindow()")
        desk.click(*desk.ask("at(window.stage.links.pattern)"))
        desk.type(f"{name} desk")
        desk.click(*desk.ask("at(window.header.primary_button)"))
        desk.until(f"{name + ' desk'!r} in [x.name for x in kit.links(session.store, session.scope)]")
    both = ["First desk", "Second desk"]
    one.until(f"sorted(x.name for x in kit.links(session.store, session.scope)) == {both!r}")
    one.until("'Second desk' in str([r.name for r in window.stage.links.table.records.records])")
    one.close()
    two.close()
    with sqlite3.connect(book) as connection:
        assert connection.execute("PRAGMA integrity_check").fetchone() == ("ok",)


HISTORY = "next((w for w in app.topLevelWidgets() if type(w).__name__ == 'HistoryDialog' and w.isVisible()), None)"


def test_the_history_is_searched_walked_and_taken_back_by_keys(start):
    desk = start(stage="kit")
    name = desk.ask("kit.links(session.store, session.scope)[0].name")
    desk.click(*desk.ask("at(window.stage.links.pattern)"))
    desk.type("Pepper Tiller")
    desk.click(*desk.ask("at(window.header.primary_button)"))
    desk.until("'Pepper Tiller' in [x.name for x in kit.links(session.store, session.scope)]")
    desk.key("ctrl+h")
    desk.until(f"{HISTORY} is not None and {HISTORY}.isActiveWindow()")
    desk.type("pepper")
    desk.until(f"{HISTORY}.lines.records.rowCount()", 1)
    desk.until(f"{HISTORY}.details.records.records[0].thing", "link “Pepper Tiller”")
    desk.click(*desk.ask(f"at({HISTORY}.back)"))
    desk.until("'Pepper Tiller' in [x.name for x in kit.links(session.store, session.scope)]", False)
    desk.key("Escape")
    desk.until(f"{HISTORY} is None")
    desk.key("ctrl+z")
    desk.until("'Pepper Tiller' in [x.name for x in kit.links(session.store, session.scope)]")
    assert name in desk.ask("[x.name for x in kit.links(session.store, session.scope)]")


def test_an_act_that_touches_the_next_is_chosen_by_keys(start):
    desk = start(stage="kit")
    desk.until("session.jobs.idle")
    desk.ask("window.stage.show_page('Acts')")
    desk.ask("window.stage.acts.table.setFocus() or window.stage.acts.table.setCurrentIndex("
             "window.stage.acts.table.records.index(0, 3))")  # fmt: skip
    desk.until("window.stage.acts.table.hasFocus()")
    desk.key("F2")
    desk.until("window.stage.acts.table.findChild(QComboBox) is not None")
    desk.key("Down", "Return")
    desk.until("kit.acts(session.store, session.scope)[0].touches_next")
    desk.key("ctrl+z")
    desk.until("kit.acts(session.store, session.scope)[0].touches_next", False)


PERSONS = "window.stage.persons"


def test_a_person_is_added_walked_to_and_dressed_by_keys(start):
    desk = start(stage="kit")
    desk.until("session.jobs.idle")
    desk.ask("window.stage.show_page('Persons')")
    desk.click(*desk.ask(f"at({PERSONS}.name)"))
    desk.type("Hedra")
    desk.key("Tab")
    desk.type("bells")
    desk.key("Return")
    desk.until(f"[p.name for p in {PERSONS}._view.evening.persons][-1]", "Hedra")
    desk.ask(f"{PERSONS}.chart.rows.setFocus()")
    desk.key("End")
    desk.until(f"[p.name for p in {PERSONS}.chart.rows.persons()]", ["Hedra"])
    desk.until("window.panel.shown.title", "Hedra")
    desk.key("Return")
    desk.until(f"{PERSONS}.editor.link.hasFocus()")
    desk.type("Lamp")
    desk.key("Down", "Down", "Down", "Down")
    desk.until(f"{PERSONS}.editor.link.currentText()", "Lamp Choir 5")
    desk.key("Tab", "Tab", "space")
    desk.until(f"len({PERSONS}.table.records.records)", 1)
    desk.key("ctrl+z")
    desk.until(f"len({PERSONS}.table.records.records)", 0)


WIDE = "window.stage.wideband"


def test_packs_are_added_and_taken_back_by_keys(start):
    desk = start(stage="kit")
    desk.until("session.jobs.idle")
    desk.ask("window.stage.show_page('Wideband')")
    desk.click(*desk.ask(f"at({WIDE}.pattern)"))
    desk.type("Lamp 1")
    desk.key("Tab", "Up")
    desk.until(f"{WIDE}.count.value()", 2)
    desk.ask(f"{WIDE}.pattern.setFocus()")
    desk.key("Return")
    desk.until(f"'Lamp 1 and Lamp 2' in {WIDE}.words.text()")
    desk.ask(f"{WIDE}.of_packs.setFocus()")
    desk.key("ctrl+z")
    desk.until(f"'Lamp 1' in {WIDE}.words.text()", False)


def test_a_link_is_brought_up_with_the_keyboard(start):
    desk = start()
    desk.key("ctrl+7")
    desk.until("window.stage.name", "prove")
    desk.until("session.surroundings is not None")
    for words in ("take in the stand-in", "put links on channels"):
        open_palette(desk)
        desk.type(words)
        desk.until(f"{PALETTE}._text.text()", words)
        desk.key("Return")
        desk.until(f"{PALETTE} is None")
        desk.until("sum(x.state == 'live' for x in session.racks.here.hub.links)", 16)
    desk.until("len(session.racks.now.keys)", 44)
    open_palette(desk)
    desk.type("bring-up")
    desk.key("Return")
    desk.until("window.stage.pages.currentIndex()", 0)
    desk.until("window.stage.bring_up.panel.all.isVisible() and session.jobs.idle")
    desk.ask("window.stage.bring_up.panel.all.setFocus()")
    desk.key("space")
    desk.until("window.stage.bring_up.lanes._due[1] != 'reset'")
    desk.ask("window.stage.bring_up.lanes.setFocus()")
    desk.key("Home", "Down")
    desk.until("session.link_id is not None")
    desk.ask("window.stage.bring_up.panel.open.setFocus()")
    desk.key("space")
    desk.until("window.stage.bring_up.reason.isVisible()")
    desk.type("second truck")
    desk.key("Return")
    desk.until("window.stage.bring_up.reason.isVisible()", False)
    desk.until("[p.note for p in session.racks.now.lanes[1].open]", ["second truck"])


def test_a_show_goes_on_tour_and_a_trail_is_asked_for_by_keys(start):
    desk = start(stage="register")
    open_palette(desk)
    desk.type("register: tour")
    desk.until(f"{PALETTE}._shown[0].title", "Register: tour")
    desk.key("Return")
    page = "window.stage.tour"
    desk.until(f"{page}.isVisible()")
    desk.until(f"{page}.to.count()", 3)
    desk.click(*desk.ask(f"at({page}.work)"))
    desk.until(f"{page}.leg is not None")
    home = desk.ask("session.scope.site")
    there = desk.ask(f"{page}.leg.site.id")
    desk.click(*desk.ask("at(window.header.primary_button)"))
    desk.until("session.scope.site", there)
    desk.until("session.board.count('broken')", 0)
    desk.key("ctrl+z")
    desk.until("session.scope.site", home)
    open_palette(desk)
    desk.type("register: trails")
    desk.key("Return")
    trails = "window.stage.trails"
    desk.until(f"{trails}.isVisible()")
    desk.click(*desk.ask(f"at({trails}.text, 0.2)"))
    desk.type("511.725")
    desk.key("Return")
    desk.until(f"[e.what for e in {trails}.table.records.records][0]", "planned")


def test_a_site_is_put_in_a_district_that_is_opened_and_asked_for_by_keys(start):
    desk = start(stage="register")
    view = "window.stage.board.view"
    open_palette(desk)
    desk.type("district of")
    desk.until(f"{PALETTE}._shown[0].title", "District of this site…")
    desk.key("Return")
    desk.until("QApplication.activeModalWidget() is not None")
    desk.type("Harbour side")
    desk.key("Return")
    desk.until("QApplication.activeModalWidget() is None")
    desk.until("window.stage.board.rows.isVisible()")
    desk.ask("window.stage.board.rows.setFocus()")
    desk.key("Down")  # every campus, by district, in Harbour side
    desk.until(f"'Harbour side' in [c.name for c in {view}.campuses]")
    desk.until("session.jobs.idle")
    desk.ask(f"{view}.setFocus()")
    k = desk.ask(f"[c.name for c in {view}.campuses].index('Harbour side')")
    desk.key(*["Down"] * k, "Left")
    desk.key("Return")
    desk.until(f"[c.name for c in {view}.campuses]", ["Marrowby Harbour"])
    desk.key("Right", "Return")
    desk.until("window.stage.list.isVisible()")
    desk.until("window.stage.list.asked.site.currentText()", "at Marrowby Harbour")
    desk.ask("window.stage.list.table.setFocus()")
    desk.key("ctrl+z")
    desk.until("session.undo.canRedo() and not session.undo.canUndo()")
    open_palette(desk)
    desk.type("register: board")
    desk.key("Return")
    desk.until("window.stage.board.isVisible() and window.stage.board.rows.isHidden()")


def test_a_question_is_kept_and_asked_again_and_campuses_are_planned_together_by_keys(start):
    desk = start(stage="register")
    open_palette(desk)
    desk.type("register: list")
    desk.key("Return")
    page = "window.stage.list"
    desk.until(f"{page}.isVisible()")
    desk.click(*desk.ask(f"at({page}.asked.text, 0.2)"))
    desk.type("bent ant")
    desk.until(f"0 < len({page}.table.records.records) < 60")
    desk.click(*desk.ask(f"at({page}.asked.keep)"))
    desk.until("QApplication.activeModalWidget() is not None")
    desk.type("Bent")
    desk.key("Return")
    desk.until(f"{page}.asked.kept.currentText()", "Bent")
    open_palette(desk)
    desk.type("plan all campuses")
    desk.key("Return")
    across = "window.stage.across"
    desk.until(f"{across}.together is not None")
    open_palette(desk)
    desk.type("register: across")
    desk.key("Return")
    desk.until(f"{across}.isVisible()")
    before = desk.ask(f"len({across}.pairs.records.records)")
    assert before > 0
    desk.click(*desk.ask("at(window.header.primary_button)"))
    desk.until(f"len({across}.pairs.records.records)", 0)
    desk.key("ctrl+z")
    desk.until(f"len({across}.pairs.records.records)", before)


def test_a_case_of_the_board_is_looked_at_and_a_question_answered_by_keys(start):
    desk = start(stage="register")
    board = "window.stage.board"
    causes = f"[c.cause for c in {board}.cases.cases]"
    desk.until(f"{causes}[:2]", ["far", "asked"])
    open_palette(desk)
    desk.type("register: board")
    desk.until(f"{PALETTE}._shown[0].title", "Register: board")
    desk.key("Return")
    desk.until(f"{board}.cases.rows[0].hasFocus()")
    desk.key("Return")
    desk.until("window.panel.shown.figure", "3 pairs")
    desk.key("Tab", "Tab", "Return")
    desk.until("window.panel.shown.figure", "asked")
    desk.click(*desk.ask(f"at({board}.cases.rows[1].step)"))
    desk.until("QApplication.activeModalWidget() is not None")
    desk.type("They are in the red case")
    desk.key("Return")
    desk.until(f"'asked' in {causes}", False)
    desk.key("ctrl+z")
    desk.until(f"'asked' in {causes}", True)
