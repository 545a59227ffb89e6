"""Cases of the register's board as a user sees them: what is heard, what is missing, what other campuses hear."""

from dataclasses import replace
from datetime import timedelta
from types import SimpleNamespace

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog

from azven.book.records import Site, Unit
from azven.desk.points import of_register
from azven.work import chosen, demo, kit, register
from azven.work.kit import persons
from azven.work.register import Asked, asking
from azven.work.register.astray import worn_units
from azven.work.scope import Scope
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
    assert stage.window().panel.shown.options[0].title == row.step.text() == "Take it in"
    row.step.click()
    assert store.get(Unit, item.unit_id).state == "assigned"
    assert "state" not in causes(stage)
    assert session.selection is None
    session.step_back()
    stage.refresh()
    assert causes(stage)[0] == "state"


def test_rows_stay_in_their_places_while_the_pointer_is_on_them(stage, settle, monkeypatch):
    session, board = stage.session, stage.board
    worn = [w for w in persons.worn(session.store, session.scope) if w.unit_id is not None]
    deed(stage, [session.store.get(Unit, worn[0].unit_id)], "hand out", to="Kiln choir", site=other_site(session))
    heard_live(monkeypatch, session, worn[0].link_id)
    stage.refresh()
    settle(stage.window())
    before = causes(stage)
    assert before[0] == "campus"
    board.cases.area.setAttribute(Qt.WidgetAttribute.WA_UnderMouse)
    other = next(w for w in worn if w.unit_id != worn[0].unit_id and w.link_id != worn[0].link_id)
    heard_live(monkeypatch, session, other.link_id)
    board._look()
    assert causes(stage) == before
    board.cases.area.setAttribute(Qt.WidgetAttribute.WA_UnderMouse, False)
    board._look()
    assert causes(stage)[0] == "state"


@pytest.mark.parametrize(("racks", "words"), [
    ((), "No rack is heard, so nobody knows what is on the air. "),
    (("r-1",), "1 of 2 links are heard, nobody knows of the others. "),
    (("r-1", "r-2"), ""),
])  # fmt: skip
def test_what_is_not_heard_is_said_and_nothing_is_called_well(stage, monkeypatch, settle, racks, words):
    session, board = stage.session, stage.board
    settle(stage.window())
    assert "nobody knows what is on the air" in board.words.text()
    links = [SimpleNamespace(id=r, state="live" if r in racks else "lost") for r in ("r-1", "r-2")]
    here = SimpleNamespace(here=SimpleNamespace(hub=SimpleNamespace(links=links)))
    two = kit.links(session.store, session.scope)[:2]
    of_book = watched.of_show(session.store, session.scope, {}, session.now())
    mapped = replace(of_book, links=tuple(two), keys=(("r-1", "1"), ("r-2", "1")))
    seen = Seen(t=1.0, watched=mapped, status=({"tx": "off"}, {"tx": "off"}))  # what a lost rack told last stays
    monkeypatch.setattr(type(session), "live", property(lambda _: seen))
    monkeypatch.setattr(type(session), "racks", property(lambda _: here))
    monkeypatch.setattr(board, "_far", [])
    board._look()
    said = board.words.text()
    assert board._deaf() == words
    assert words in said
    assert ("Nothing is astray" in said) == (not words)


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


def other_site(session):
    return next(s for s in session.store.all(Site) if s.id != session.scope.site)


def test_a_campus_is_asked_once_from_the_reasons_and_its_answer_is_seen(stage, settle, monkeypatch):
    session, board = stage.session, stage.board
    item = next(w for w in persons.worn(session.store, session.scope) if w.unit_id is not None)
    unit, other = session.store.get(Unit, item.unit_id), other_site(session)
    deed(stage, [unit], "hand out", to="Kiln choir", site=other)
    heard_live(monkeypatch, session, item.link_id)
    board._look()
    row = next(r for r in board.cases.rows if r.case.cause == "campus")
    board.cases.picked.emit(row.case)
    offered = [o.title for o in stage.window().panel.shown.options]
    assert offered == ["It is here now", f"Ask {other.name}"]
    session.do(stage.window().panel.shown.options[1].edit)
    stage.refresh()
    assert "waiting" in causes(stage)
    assert [o.title for o in stage.window().panel.shown.options] == ["It is here now"]
    (question,) = asking.asked_of(session.store, other.id)
    session.do(lambda: asking.answer(question, "Ibo took it along", session.now(), "Merle"))
    stage.refresh()
    row = next(r for r in board.cases.rows if r.case.cause == "answered")
    assert row.case.what == "answers: Ibo took it along"
    row.step.click()
    assert asking.asked_by(session.store, session.scope.site) == []
    assert "answered" not in causes(stage)


def test_what_this_campus_is_asked_is_answered_on_its_row(stage, monkeypatch):
    session, board = stage.session, stage.board
    for known in asking.asked_of(session.store, session.scope.site):
        session.do(lambda known=known: asking.answer(known, "no", session.now(), "Wenna"))
    there = Scope(other_site(session).id, session.scope.show)
    here = session.store.get(Site, session.scope.site)
    ask = asking.ask(session.store, there, here, "far:1", "Can Lead 1 move?", session.now(), "Merle")
    session.do(lambda: ask)
    stage.refresh()
    row = next(r for r in board.cases.rows if r.case.cause == "asked")
    assert of_register(session)[0][0] == "1 asked"
    assert row.case.sentence.endswith("asks: Can Lead 1 move?")
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("  ", True))
    row.step.click()
    assert "asked" in causes(stage), "nothing said is no answer"
    assert "An answer says something" in stage.window().said()
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("after the show", True))
    row.step.click()
    assert "asked" not in causes(stage)
    (told,) = [q for q in asking.asked_by(session.store, there.site) if q.about == "far:1"]
    assert (told.answer, told.answered_at is not None) == ("after the show", True)
    session.step_back()
    stage.refresh()
    assert "asked" in causes(stage)
