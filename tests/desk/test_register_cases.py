"""Cases of the register's board as a user sees them: what is heard, what is missing, what other campuses hear."""

from datetime import timedelta

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from azven.book.records import Unit
from azven.desk.points import of_register
from azven.work import chosen, demo, kit, register
from azven.work.kit import persons
from azven.work.register import Asked
from azven.work.register.astray import worn_units
from azven.work.watch import watched
from azven.work.watch.night import Seen

pytestmark = pytest.mark.quiet


@pytest.fixture
def stage(window):
    window.show_stage("register")
    return window.stage


def rows(table):
    return table.records.records


def deed(stage, units, kind, **more):
    session = stage.session
    asked = Asked(deed=kind, at=session.now() - timedelta(hours=1), by="Wenna", **more)
    assert session.do(lambda: register.do(session.store, units, asked))


def heard_live(monkeypatch, session, link_id, **told):
    of_book = watched.of_show(session.store, session.scope, {}, session.now())
    status = tuple({"tx": "on", **told} if x.id == link_id else {} for x in of_book.links)
    seen = Seen(t=1.0, watched=of_book, status=status)
    monkeypatch.setattr(type(session), "live", property(lambda _: seen))


def causes(stage):
    return [c.cause for c in stage.board.cases.cases]


def test_a_unit_that_is_heard_is_a_case_looked_at_and_taken_in(stage, monkeypatch, settle):
    session, board = stage.session, stage.board
    store, scope = session.store, session.scope
    item = next(w for w in persons.worn(store, scope) if w.unit_id is not None)
    settle(stage.window())
    assert "state" not in causes(stage)
    heard_live(monkeypatch, session, item.link_id)
    board._look()
    assert causes(stage)[0] == "state"
    assert of_register(session)[0][0] == "1 astray"
    row = board.cases.rows[0]
    assert [u.id for u in row.case.units] == [item.unit_id]
    QTest.mouseClick(row, Qt.MouseButton.LeftButton)
    assert session.selection == chosen.BoardCase(row.case)
    assert row.is_selected
    assert stage.window().panel.shown.options[0].title == row.step.text() == "Take it in where it is"
    row.step.click()
    assert store.get(Unit, item.unit_id).state == "assigned"
    assert "state" not in causes(stage)
    assert session.selection is None
    session.step_back()
    stage.refresh()
    assert causes(stage)[0] == "state"


def test_cases_lead_to_where_something_can_be_done(stage, settle, monkeypatch):
    session, board = stage.session, stage.board
    units = sorted(session.store.all(Unit, carried=True), key=lambda u: u.name)[:2]
    deed(stage, units, "lost")
    stage.pages.show_page(0)
    stage.refresh()
    settle(stage.window())
    assert causes(stage)[-1] == "missing"
    row = board.cases.rows[-1]
    assert (row.case.count, row.step.text()) == (2, "Show them")
    row.step.click()
    assert stage.page is stage.list
    assert {u.id for u in rows(stage.list.table)} == {u.id for u in units}
    stage.pages.show_page(0)
    link = next(
        x for x in kit.links(session.store, session.scope) if x.id not in worn_units(session.store, session.scope)
    )
    heard_live(monkeypatch, session, link.id, txn="P99")
    board._look()
    row = next(r for r in board.cases.rows if r.case.cause == "unknown")
    assert "P99" in row.case.what
    row.step.click()
    assert stage.window().stage.name == "kit"


def test_links_that_another_campus_hears_are_a_case_with_rings_in_both_bands(open_window, tmp_path, settle):
    window = open_window(demo.build(tmp_path), stage="register")
    settle(window)
    stage = window.stage
    (case,) = (c for c in stage.board.cases.cases if c.cause == "far")
    assert {s.toward for s in case.spots} == {window.session.scope.site}
    assert all(s.site != window.session.scope.site for s in case.spots)
    row = next(r for r in stage.board.cases.rows if r.case == case)
    row.step.click()
    assert stage.page is stage.across
    assert len(rows(stage.across.pairs)) == case.count
