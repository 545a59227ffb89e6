"""The Intercom page in a window: every figure answers at once, the plan is painted, the answer is printed."""

import pytest

from azven.book.records import Mount
from azven.desk.pdf import write_pdf


@pytest.fixture
def page(window):
    window.show_stage("kit")
    stage = window.open_stage("kit")
    stage.show_page("Intercom")
    return stage.intercom


def shown(page):
    return {a.text(): b.text() for a, b in page.lines if a.isVisibleTo(page)}


def test_figures_answer_at_once_and_change_nothing_in_the_book(window, page):
    steps = window.session.undo.count()
    assert shown(page)["transceivers"] == "3"
    assert "no cable length" in page.wrong.text()
    base = next(m for m in window.session.store.all(Mount) if m.name == "Control desk right")
    page.base.setCurrentIndex(page.base.findData(base.id))
    assert not page.wrong.isVisible()
    assert shown(page)["cable to Truss left"] == "42 m of 100 m"
    page.packs.setValue(40)
    assert shown(page)["transceivers"] == "4"
    page.groups.setValue(3)
    assert "one system carries 24" in page.wrong.text()
    page.band.setCurrentIndex(page.band.findData("5 GHz"))
    assert not page.groups.isEnabled()
    assert "slots in the band" not in shown(page)
    assert window.session.undo.count() == steps


def test_rooms_are_ticked_and_stay_so_when_the_book_changes(window, page):
    quay, open_air = list(page.rooms.values())[1]
    quay.setChecked(True)
    open_air.setChecked(True)
    asked = page.asked()
    page.refresh()
    assert page.asked() == asked
    assert len(asked.rooms) == 2
    for inside, _ in page.rooms.values():
        inside.setChecked(False)
    assert "Choose the rooms" in page.wrong.text()
    assert shown(page)["transceivers"] == "not known"


def test_fewer_lines_leave_none_of_the_old_ones_behind(page):
    many = len(shown(page))
    page.indoor.setValue(2)
    assert len(shown(page)) < many
    assert not any(k.startswith("cable to") for k in shown(page))


def test_the_answer_is_painted_and_printed(window, page, tmp_path):
    assert not page.plan.grab().isNull()
    assert write_pdf(page.html(), tmp_path / "intercom.pdf") == 1


def test_keys_and_the_rail_do_no_harm_on_a_page_without_a_table(window, page):
    stage = window.stage
    stage.take_focus()
    stage.remove()
    stage.paste()
    window.show_stage("plan")
    window.show_stage("kit")
    assert stage.page is page
    assert page.packs.value() == 8


def test_an_empty_book_says_what_is_missing(empty_window):
    empty_window.show_stage("kit")
    stage = empty_window.open_stage("kit")
    stage.show_page("Intercom")
    assert "Reach draws rooms" in stage.intercom.empty.text()
    assert shown(stage.intercom)["transceivers"] == "not known"
    assert not stage.intercom.plan.grab().isNull()
    assert not stage.out.isVisible()
