"""Who is where, as a user says it: clicks on the plan, texts in the table, entrances, the house; all of it undone."""

import pytest
from PyQt6.QtCore import QPointF, Qt

from azven.book.records import Act, Staging
from azven.desk.watch.stage import REHEARSE
from azven.work import kit

WHO_IS_WHERE = 4


@pytest.fixture
def page(window, qtbot):
    stage = window.open_stage("watch")
    window.show_stage("watch")
    stage.pages.show_page(REHEARSE)
    stage.rehearsal.show_page(WHO_IS_WHERE)
    page = stage.rehearsal.staging
    choose(page.zone, "Rope Hall")
    choose(page.act, "in Tide Concert")
    page.refresh()
    return page


def choose(box, text):
    box.setCurrentIndex(box.findText(text))


def rows(page):
    return page.table.records.records


def row(page, name):
    return next(r for r in rows(page) if r.link.name == name)


def pick(page, *names):
    page.table.choose({r.id for r in rows(page) if r.link.name in names})
    page._show_chosen()


def click(page, qtbot, x, y):
    at = page.plan.pixel(x, y)
    qtbot.mouseClick(page.plan, Qt.MouseButton.LeftButton, pos=QPointF(at).toPoint())


def write(page, name, title, text):
    column = next(i for i, c in enumerate(page.table.records.columns) if c.title == title)
    k = next(k for k, r in enumerate(rows(page)) if r.link.name == name)
    return page.table.records.setData(page.table.records.index(k, column), text)


def near(corner, x, y):
    return abs(corner[0] - x) < 0.3 and abs(corner[1] - y) < 0.3


def test_everybody_of_the_room_who_is_on_is_there_with_whoever_wears_it(page):
    names = [r.link.name for r in rows(page)]
    assert "Narrator" in names
    assert "Brass 6" in names
    assert "Spare voice 1" not in names
    assert "Harbour Master" not in names
    assert row(page, "Brass ear 1").by == "Brass 1"
    assert row(page, "Lamp Choir 3").wearer == "Mirre"
    choose(page.act, "in Blessing of Boats")
    page.refresh()
    assert "Brass 6" not in [r.link.name for r in rows(page)]


def test_a_click_says_where_somebody_stands_in_this_act_alone(page, qtbot):
    pick(page, "Brass 2")
    click(page, qtbot, 3.0, 5.0)
    said = row(page, "Brass 2").said
    assert len(said.corners) == 1
    assert near(said.corners[0], 3.0, 5.0)
    assert said.act_id == page.act.currentData()
    choose(page.act, "in Lantern Parade")
    page.refresh()
    assert not near(row(page, "Brass 2").said.corners[0], 3.0, 5.0)
    page.window().session.step_back()
    choose(page.act, "in Tide Concert")
    page.refresh()
    assert row(page, "Brass 2").said.act_id is None


def test_several_stand_side_by_side(page, qtbot):
    pick(page, "Brass 5", "Brass 6")
    click(page, qtbot, 0.0, 4.0)
    spots = [row(page, n).said.corners[0] for n in ("Brass 5", "Brass 6")]
    assert spots[1][0] - spots[0][0] == pytest.approx(1.0)
    assert spots[0][1] == spots[1][1]


def test_a_way_grows_click_by_click_and_loses_its_last_corner(page, qtbot):
    choose(page.click, "a click: walks on to here")
    pick(page, "Brass ear 6")
    for x, y in ((-4.0, 4.0), (4.0, 4.0), (4.0, 10.0)):
        click(page, qtbot, x, y)
    assert len(row(page, "Brass ear 6").said.corners) == 3
    assert row(page, "Brass ear 6").where.startswith("walks −4")
    page.back.click()
    assert len(row(page, "Brass ear 6").said.corners) == 2
    page.clear.click()
    assert row(page, "Brass ear 6").said is None
    page.clear.click()
    assert "Nothing is said" in page.window().said()


def test_a_click_with_nobody_chosen_says_what_to_do(page, qtbot):
    page.table.choose(set())
    click(page, qtbot, 0.0, 4.0)
    assert "Choose somebody" in page.window().said()
    page.back.click()
    assert "Choose somebody" in page.window().said()


@pytest.mark.parametrize("text", ["2, 5; −3, 6", "walks 2, 5; −3, 6 m", "2,5;-3,6"])
def test_a_way_is_written_as_text(page, text):
    assert write(page, "Brass ear 5", "Where", text)
    assert row(page, "Brass ear 5").said.corners == ((2.0, 5.0), (-3.0, 6.0))
    assert row(page, "Brass ear 5").where == "walks 2, 5; −3, 6 m"


@pytest.mark.parametrize("text", ["somewhere", "1, 2, 3", "nan, 2", "1; 2"])
def test_what_is_no_place_is_refused_and_nothing_is_lost(page, text):
    before = page.window().session.store.all(Staging)
    assert not write(page, "Brass ear 5", "Where", text)
    assert "is no place" in page.window().said()
    assert page.window().session.store.all(Staging) == before


def test_who_comes_on_later_and_leaves_before_the_end(page):
    assert write(page, "Narrator", "On from, min", "12")
    assert write(page, "Narrator", "Off at, min", "40")
    said = row(page, "Narrator").said
    assert (said.enters_min, said.leaves_min) == (12.0, 40.0)
    assert said.corners == ((-5.5, 4.0),)
    assert not write(page, "Narrator", "Off at, min", "3")
    assert "before going off" in page.window().said()
    assert not write(page, "Narrator", "On from, min", "soon")
    assert write(page, "Narrator", "Off at, min", "")
    assert row(page, "Narrator").said.leaves_min is None


def test_the_house_of_an_act_is_an_edit_and_there_is_none_for_every_act(page):
    session = page.window().session
    act = next(a for a in kit.acts(session.store, session.scope) if a.name == "Tide Concert")
    page.house.setValue(30)
    page.house.editingFinished.emit()
    assert session.store.get(Act, act.id).house_percent == 30
    session.step_back()
    assert session.store.get(Act, act.id).house_percent == 100
    choose(page.act, "in every act")
    page.refresh()
    assert page.house.isHidden()


def test_an_empty_site_says_what_to_do(page, monkeypatch):
    from azven.work import ground

    monkeypatch.setattr(ground, "zones", lambda store, scope: [])
    page.refresh()
    assert "add one in Ground" in page.words.text()
