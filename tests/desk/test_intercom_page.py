"""The Intercom page in a window: every figure answers at once, the plan is painted, the answer is printed."""

import pytest
from PyQt6.QtCore import Qt

from azven.book.records import Mount, Show, Site, TalkGroup
from azven.desk.pdf import write_pdf
from azven.work import shows
from azven.work.kit import intercom_book
from azven.work.scope import Scope


@pytest.fixture
def page(window, settle):
    window.show_stage("kit")
    stage = window.open_stage("kit")
    stage.show_page("Intercom")
    settle(window)
    return stage.intercom


@pytest.fixture
def answered(window, settle):
    """Wait for the answer to the figures as they are now."""
    return lambda: settle(window)


def shown(page):
    return {a.text(): b.text() for a, b in page.lines if a.isVisibleTo(page)}


def choose(box, value):
    box.setCurrentIndex(box.findData(value))
    box.activated.emit(box.currentIndex())


def test_figures_answer_at_once(window, page, answered):
    assert shown(page)["transceivers"] == "4"
    assert shown(page)["people"] == "7 in talk groups, 8 packs"
    assert not page.wrong.isVisible()
    choose(page.base, 0)
    answered()
    assert "no cable length" in page.wrong.text()
    base = next(m for m in window.session.store.all(Mount) if m.name == "Control desk right")
    choose(page.base, base.id)
    answered()
    assert shown(page)["cable to Truss left"] == "42 m of 90 m"
    page.packs.setValue(70)
    answered()
    assert shown(page)["transceivers"] == "7"
    page.groups.setValue(3)
    answered()
    assert "one system carries 24" in page.wrong.text()
    choose(page.band, "5 GHz")
    answered()
    assert not page.groups.isEnabled()
    assert "slots in the band" not in shown(page)


def test_the_book_keeps_the_figures_once_nobody_types(window, page, qtbot, answered):
    session = window.session
    steps = session.undo.count()
    for value in range(9, 30):
        page.packs.setValue(value)
    assert session.undo.count() == steps
    qtbot.waitUntil(lambda: intercom_book.kept(session.store, session.scope).packs == 29, timeout=10_000)
    assert session.undo.count() == steps + 1
    session.step_back()
    answered()
    assert page.packs.value() == 8
    assert shown(page)["transceivers"] == "4"


def test_figures_of_one_show_do_not_land_in_another(window, page, qtbot):
    session = window.session
    show = session.store.get(Show, session.scope.show)
    copied = session.store.apply(shows.copy_show(session.store, show, session.store.get(Site, show.site_id), "Other"))
    page.packs.setValue(44)
    other = Scope(show.site_id, copied.select[0])
    session.go(other)
    qtbot.wait(800)
    assert intercom_book.kept(session.store, other).packs == 8


def test_rooms_are_ticked_and_stay_so_when_the_book_changes(window, page, qtbot, answered):
    (house, _), (quay, open_air) = list(page.rooms.values())[2], list(page.rooms.values())[1]
    assert house.isChecked()
    quay.setChecked(True)
    open_air.setChecked(True)
    qtbot.waitUntil(lambda: not page._timer.isActive(), timeout=10_000)
    asked = page.asked()
    page.refresh()
    assert page.asked() == asked
    assert len(asked.rooms) == 3
    for inside, _ in page.rooms.values():
        inside.setChecked(False)
    answered()
    assert "Choose the rooms" in page.wrong.text()
    assert shown(page)["transceivers"] == "not known"


def test_fewer_lines_leave_none_of_the_old_ones_behind(page, answered):
    many = len(shown(page))
    page.indoor.setValue(2)
    answered()
    assert len(shown(page)) < many
    assert not any(k.startswith("cable to") for k in shown(page))


def test_talk_groups_are_added_changed_and_removed(window, page, qtbot, answered):
    page.group.setText("Boats")
    page.people.setText("Cox, Rower")
    page.at_once.setValue(5)
    qtbot.keyClick(page.people, Qt.Key.Key_Return)
    answered()
    assert "Boats: 5 are to talk at once, 2 are in it." in page.wrong.text()
    assert page.group.text() == ""
    new = next(g for g in window.session.store.all(TalkGroup) if g.name == "Boats")
    columns = [c.title for c in page.groups_table.records.columns]
    row = [g.id for g in page.groups_table.records.records].index(new.id)
    index = page.groups_table.records.index(row, columns.index("At once"))
    assert page.groups_table.records.setData(index, "1")
    answered()
    assert "Boats" not in page.wrong.text()
    page.groups_table.choose({new.id})
    window.open_stage("kit").remove()
    assert "Boats" not in {g.name for g in window.session.store.all(TalkGroup)}


def test_transceivers_are_placed_and_reach_looks_at_their_band(window, page, settle):
    page.place_all()
    assert "licensed riggers" in window.said()
    window.show_stage("reach")
    settle(window)
    stage = window.open_stage("reach")
    stage.layout_box.setCurrentIndex(stage.layout_box.findText("intercom 1.9 GHz"))
    stage.layout_box.activated.emit(stage.layout_box.currentIndex())
    settle(window)
    assert stage.band.currentData() == "1.9 GHz"
    assert "Intercom pack, 1.9 GHz" in stage.needs.text()
    assert "served" in stage.words.text()
    assert not stage.pair.isVisible()
    assert not stage.view.grab().isNull()


def test_the_answer_is_painted_and_printed(window, page, tmp_path):
    assert not page.plan.grab().isNull()
    assert write_pdf(page.html(), tmp_path / "intercom.pdf") == 1
    assert "Pilot boats, Harbour desk, Deck" in page.html()


def test_keys_and_the_rail_do_no_harm_on_a_page_without_a_table(window, page):
    stage = window.stage
    stage.take_focus()
    stage.remove()
    stage.paste()
    window.show_stage("plan")
    window.show_stage("kit")
    assert stage.page is page
    assert page.packs.value() == 8


def test_an_empty_book_says_what_is_missing(empty_window, settle):
    empty_window.show_stage("kit")
    stage = empty_window.open_stage("kit")
    stage.show_page("Intercom")
    settle(empty_window)
    assert "Reach draws rooms" in stage.intercom.empty.text()
    assert shown(stage.intercom)["transceivers"] == "not known"
    assert not stage.intercom.plan.grab().isNull()
