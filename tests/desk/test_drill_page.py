"""A drill as a user does it, by pointer and by keys: begun, looked at, answered, told why."""

import pytest
from PyQt6.QtCore import Qt

from azven.desk.rehearse.drill_ropes import figures
from azven.desk.watch.stage import REHEARSE
from azven.work.rehearse import drills

DRILL, _LONG = 5, 60_000


@pytest.fixture
def page(window):
    stage = window.open_stage("watch")
    window.show_stage("watch")
    stage.pages.show_page(REHEARSE)
    stage.rehearsal.show_page(DRILL)
    stage.rehearsal.drill.best.clear()
    return stage.rehearsal.drill


@pytest.fixture
def begun(page, qtbot):
    page.drill.setCurrentIndex(next(k for k, d in enumerate(drills.shipped()) if d.upset.kind == "muted"))
    page._forget()
    page.go.click()
    qtbot.waitUntil(lambda: page.played is not None, timeout=_LONG)
    return page


def answer(page, cause="muted", right=True):
    page.cause.setCurrentIndex(page.cause.findData(cause))
    offered = page.played.drill.offered
    page.remedies.setCurrentRow(next(k for k, r in enumerate(offered) if r.right == right))
    page.answer.click()


def test_ten_are_offered_and_the_story_is_told_before_one_begins(page):
    assert page.drill.count() == 10
    assert page.story.text() == drills.shipped()[0].story
    assert page.asked.isHidden()
    assert page.reasons.isHidden()


def test_nothing_tells_the_answer_while_it_is_played(begun):
    assert begun.asked.isVisible()
    assert begun.reasons.isHidden()
    assert begun.cause.currentData() == ""
    assert begun.remedies.currentRow() == -1
    assert begun.ropes.told == frozenset()
    assert begun.window().stage.watch.replay is None


def test_the_clock_runs_and_the_ropes_grow(begun, qtbot):
    qtbot.waitUntil(lambda: begun.clock.text() == "0:01", timeout=5_000)
    assert begun.ropes._t > 1.0
    begun._began -= 1_000
    begun._tick()
    assert begun.ropes._t == begun.played.record.at_s[-1]


def test_a_right_answer_stops_the_clock_and_is_remembered(begun, qtbot):
    qtbot.mouseClick(begun.ropes, Qt.MouseButton.LeftButton, pos=begun.ropes.row_at("Brass 3").toPoint())
    assert begun.whose.text() == "Brass 3"
    answer(begun)
    assert begun.marks.all
    assert not begun._timer.isActive()
    assert begun.told.text().startswith("All right, in ")
    assert "Muted at the transmitter" in begun.told.text()
    assert "Diagnosis: Muted" in begun.told.text()
    assert begun.ropes.told == {"Brass 3"}
    assert "best" in begun.drill.currentText()
    assert begun._remembered.drills["eight"] == begun.best["eight"]


def test_rows_are_chosen_by_keys_and_chosen_again_no_longer(begun, qtbot):
    names = [x.name for x in begun.played.record.head.links]
    begun.ropes.setFocus()
    for _ in range(names.index("Brass 3")):
        qtbot.keyClick(begun.ropes, Qt.Key.Key_Down)
    qtbot.keyClick(begun.ropes, Qt.Key.Key_Space)
    assert begun.ropes.chosen == {"Brass 3"}
    qtbot.keyClick(begun.ropes, Qt.Key.Key_Space)
    assert begun.ropes.chosen == set()
    assert begun.whose.text() == "nobody yet"


def test_a_wrong_answer_is_told_part_by_part_and_not_remembered(begun):
    begun.ropes.chosen = {"Narrator"}
    answer(begun, cause="battery", right=False)
    told = begun.told.text()
    assert told.startswith("None of it was right.")
    assert "You would: " in told
    assert "Do this: Ask him to unmute" in told
    assert "best" not in begun.drill.currentText()
    begun.go.click()
    assert begun.drill.currentData() == "eight"


def test_an_answer_with_parts_missing_is_asked_for_and_the_clock_goes_on(begun):
    begun.answer.click()
    assert "Say what it is, whose it is, what is to be done first" in begun.window().said()
    assert begun._timer.isActive()
    assert begun.marks is None


def test_figures_are_those_of_the_moment(begun):
    record = begun.played.record
    i = [x.name for x in record.head.links].index("Brass 3")
    assert figures(record, i, 10)[3].endswith("%")
    assert figures(record, i, len(record.at_s) - 1)[3] == "muted"
    assert figures(record, i, 10)[0] == "549.250"


def test_another_drill_begins_with_its_story(begun):
    begun.drill.setCurrentIndex(0)
    begun.drill.activated.emit(0)
    assert begun.played is None
    assert begun.story.text() == drills.shipped()[0].story
    assert begun.asked.isHidden()
