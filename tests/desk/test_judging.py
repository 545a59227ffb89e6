"""The plan of a big show is judged beside the window: what is shown meanwhile, and what counts in the end."""

import pytest

from azven.book.records import Design
from azven.desk import session as sessions
from azven.work import chain, chosen, kit, plan
from azven.work.scope import Scope
from azven.work.scope import opening as here
from naming import key

LINK = "Narrator"


@pytest.fixture(autouse=True)
def every_show_is_big(monkeypatch):
    monkeypatch.setattr(sessions, "_JUDGED_AT_ONCE", 0)


def move(session, freq_hz):
    link = key(session, LINK)
    assert session.do(lambda: plan.set_frequencies(session.store, here(session.store), {link: freq_hz}, "Move"))
    return link


def design(session):
    return chain.document_of(session.store.all(Design)[0])


def test_an_edit_is_judged_beside_the_window_and_shown_when_it_is(window, settle, qtbot):
    session, before = window.session, window.session.board
    with qtbot.waitSignal(session.judged) as judged:
        link = move(session, 470_900_000)
        assert not judged.signal_triggered
        assert session.shown is before
    assert session.shown.frequencies[link] == 470_900_000
    assert session.shown.verdict(link).state == plan.board_of(session.store, here(session.store)).verdict(link).state
    session.select(chosen.Link(link))
    assert "470.900" in window.panel.shown.figure


def test_a_deed_never_acts_on_a_plan_that_is_not_so_any_more(window):
    session = window.session
    link = move(session, 470_900_000)
    assert session.board.frequencies[link] == 470_900_000  # asked for before anybody has judged it


def test_of_edits_in_a_row_the_last_is_what_stays(window, settle):
    session = window.session
    for freq_hz in (470_900_000, 471_900_000, 472_900_000):
        link = move(session, freq_hz)
    session.step_back()
    settle(window)
    assert session.shown is session.board
    assert session.shown.frequencies[link] == 471_900_000


def test_what_was_judged_for_one_show_is_not_shown_for_another(window, settle):
    session = window.session
    move(session, 470_900_000)
    other = next(s for s in session.store.all(sessions.Show) if s.site_id != session.scope.site)
    assert session.go(Scope(other.site_id, other.id))
    settle(window)
    assert set(session.shown.input.links) == {sessions.ids.of(x) for x in kit.links(session.store, session.scope)}


def test_an_edit_that_the_plan_does_not_depend_on_leaves_it_as_it_is(window):
    session, before = window.session, window.session.board
    amplifier = next(n["id"] for n in design(session)["nodes"] if n["type"] == "amp")
    assert session.do(lambda: chain.set_field(session.store.all(Design)[0], amplifier, note="Another"))
    assert session.board is before


def test_no_screen_waits_for_a_plan_that_is_being_judged(window, settle, monkeypatch):
    session = window.session
    session.select(chosen.Link(key(session, LINK)))
    settle(window)
    move(session, 470_900_000)
    assert session.judging
    monkeypatch.setattr(plan, "board_from", lambda *a: pytest.fail("judged on the window's thread"))
    for stage in ("kit", "plan", "chain"):
        window.show_stage(stage)
    session.select(chosen.Link(key(session, "Lamp Choir 1")))
    window.look_up()
    window.spine.grab()


def test_while_one_is_judged_the_next_waits_for_it(window, settle, monkeypatch):
    session, calls = window.session, []
    real = plan.board_from
    monkeypatch.setattr(plan, "board_from", lambda *a: calls.append(1) or real(*a))
    for i in range(8):
        move(session, 470_900_000 + 25_000 * i)
    settle(window)
    assert len(calls) == 2  # the first, and once more for the other seven
    assert session.shown.frequencies[key(session, LINK)] == 470_900_000 + 25_000 * 7


def test_a_fault_in_judging_is_said_and_the_next_edit_judges_again(window, settle, monkeypatch):
    session = window.session
    with monkeypatch.context() as broken:
        broken.setattr(plan, "board_from", lambda *a: 1 / 0)
        move(session, 470_900_000)
        settle(window)
    assert "went wrong" in window.said()
    link = move(session, 471_900_000)
    settle(window)
    assert session.shown.frequencies[link] == 471_900_000
