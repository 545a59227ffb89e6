"""Register as a user does it: units found, deeds done with one and with many, labels scanned, all of it undone."""

from datetime import timedelta

import pytest
from PyQt6.QtCore import Qt

from azven.book.records import Deed, Model, Site, Unit
from azven.desk.points import of_register
from azven.desk.stage import pick
from azven.refusal import Refusal
from azven.work import chosen, register
from azven.work.register import Asked, Question, kept

pytestmark = pytest.mark.quiet


@pytest.fixture
def stage(window):
    window.show_stage("register")
    window.stage.pages.show_page(1)
    return window.stage.list


def rows(stage):
    return stage.table.records.records


def units(stage, count=2):
    return sorted(stage.session.store.all(Unit, carried=True), key=lambda u: u.name)[:count]


def choose(stage, *wanted):
    stage.table.choose({u.id for u in wanted})
    stage.table.selected.emit()


def fresh(stage, unit):
    return stage.session.store.get(Unit, unit.id)


def lend(stage, unit, days_ago=9, until=None):
    now = stage.session.now()
    asked = Asked(deed="hand out", at=now - timedelta(days=days_ago), by="Merle", to="Ferry office", until=until)
    stage.session.do(lambda: register.do(stage.session.store, [fresh(stage, unit)], asked))


def test_every_unit_of_the_book_is_there_and_typing_finds_some(stage, qtbot):
    assert len(rows(stage)) == len(stage.session.store.all(Unit))
    assert stage.words.text() == f"{len(rows(stage))} units"
    first = units(stage)[0]
    qtbot.keyClicks(stage.asked.text, first.serial.lower())
    qtbot.waitUntil(lambda: [u.id for u in rows(stage)] == [first.id])
    stage.asked.text.setText("nothing like that")
    qtbot.waitUntil(lambda: not rows(stage))
    assert stage.words.text() == "No unit is like that."


def test_units_are_handed_out_together_and_come_back_with_one_undo(stage):
    two = units(stage)
    assert not stage.primary()[1]
    choose(stage, *two)
    assert stage.primary() == ("Hand out, 2 units", True)
    stage.deeds.to.setText("Ferry office")
    stage.deeds.until.setText("2031-01-31")
    stage.run_primary()
    lent = [fresh(stage, u) for u in two]
    assert {(u.state, u.holder) for u in lent} == {("on loan", "Ferry office")}
    assert {u.until.astimezone(stage.session.clock.tz).date().isoformat() for u in lent} == {"2031-01-31"}
    assert stage.deeds.to.text() == ""
    assert stage.session.store.all(Deed, unit_id=two[0].id)[0].made_by == stage.session.store.author.who
    stage.session.step_back()
    assert {fresh(stage, u).state for u in two} == {"in case"}
    assert stage.session.store.all(Deed, unit_id=two[0].id) == []


@pytest.mark.parametrize(("deed", "told"), [("hand out", "who has it"), ("move", "where it goes")])
def test_what_a_deed_needs_is_asked_for_and_nothing_is_done(stage, deed, told):
    choose(stage, units(stage)[0])
    stage._choose(deed)
    stage.run_primary()
    assert told in stage.window().said()
    assert stage.session.store.all(Deed, unit_id=units(stage)[0].id) == []


def test_a_day_that_is_none_is_refused_and_what_was_typed_stays(stage):
    choose(stage, units(stage)[0])
    stage.deeds.to.setText("Ferry office")
    stage.deeds.until.setText("soon")
    stage.run_primary()
    assert "is no day" in stage.window().said()
    assert stage.deeds.to.text() == "Ferry office"


def test_only_what_a_deed_asks_for_is_shown(stage):
    for deed, shown in (("hand out", {"to", "until", "site", "place"}), ("assign", {"show", "link"}), ("lost", set())):
        stage._choose(deed)
        assert {name for name, part in stage.deeds._parts.items() if not part.isHidden()} == shown


def test_a_label_that_is_scanned_says_where_the_unit_is_and_finds_it(stage, qtbot):
    first = units(stage)[0]
    now = stage.session.now()
    lost = Asked(deed="lost", at=now - timedelta(days=1), by="Merle")
    stage.session.do(lambda: register.do(stage.session.store, [fresh(stage, first)], lost))
    stage.label.setFocus()
    qtbot.keyClicks(stage.label, first.serial)
    qtbot.keyClick(stage.label, Qt.Key.Key_Return)
    site = stage.session.store.get(Site, stage.session.scope.site)
    assert stage.scanned.text() == f"{first.name}: was missing, is in case, at {site.name}."
    assert fresh(stage, first).site_at_id == site.id
    assert stage.session.selection == chosen.Unit(first.id)
    assert stage.label.text() == ""
    qtbot.keyClicks(stage.label, "RG-0000")
    qtbot.keyClick(stage.label, Qt.Key.Key_Return)
    assert stage.scanned.text() == "No unit has the serial RG-0000."


def test_stock_is_taken_by_scanning_until_nothing_is_left_to_count(stage, qtbot):
    pick(stage.asked.quiet, -0.5)
    stage.asked.quiet.activated.emit(stage.asked.quiet.currentIndex())
    left = stage.table.records.records
    assert len(left) == len(stage.session.store.all(Unit))
    there = next(u for u in left if u.serial)
    qtbot.keyClicks(stage.label, there.serial)
    qtbot.keyClick(stage.label, Qt.Key.Key_Return)
    stage.refresh()
    assert {u.id for u in stage.table.records.records} == {u.id for u in left} - {there.id}


def test_who_is_retired_refuses_aloud(stage):
    first = units(stage)[0]
    choose(stage, first)
    stage._choose("retire")
    stage.run_primary()
    stage._choose("lost")
    choose(stage, fresh(stage, first))
    stage.run_primary()
    assert "refused" in stage.window().said()
    assert fresh(stage, first).state == "retired"
    assert len(stage.session.store.all(Deed, unit_id=first.id)) == 2


def test_by_state_and_by_how_long_nobody_touched_them(stage):
    first, second = units(stage)
    lend(stage, first, days_ago=60)
    lend(stage, second, days_ago=2)
    stage.asked.state.setCurrentIndex(stage.asked.state.findData("on loan"))
    stage._show()
    assert {u.id for u in rows(stage)} == {first.id, second.id}
    stage.asked.quiet.setCurrentIndex(stage.asked.quiet.findData(30))
    stage._show()
    assert [u.id for u in rows(stage)] == [first.id]


def test_the_rail_counts_what_is_missing_and_what_is_late(stage):
    first, second = units(stage)
    assert of_register(stage.session) == ()
    lend(stage, first, until=stage.session.now() - timedelta(days=1))
    choose(stage, second)
    stage._choose("lost")
    stage.run_primary()
    assert [text for text, _ in of_register(stage.session)] == ["1 missing", "1 late"]
    assert [stage._mark(fresh(stage, u)) for u in (first, second)] == ["tight", "broken"]


def test_reasons_tell_the_trail_the_newest_first(stage, window):
    first = units(stage)[0]
    lend(stage, first)
    choose(stage, fresh(stage, first))
    stage._choose("take back")
    stage.deeds.why.setText("rain")
    stage.run_primary()
    stage.session.select(chosen.Unit(first.id))
    shown = window.panel.shown
    assert shown.title == first.name
    assert [text.split(",")[0] for _, text in shown.arithmetic] == [
        f"take back, {stage.session.store.author.who}: rain".split(",")[0], "hand out",
    ]  # fmt: skip
    assert "rain" in shown.arithmetic[0][1]
    assert shown.figure == "in case"


def test_a_question_is_kept_under_a_name_asked_again_and_forgotten(stage):
    session, asked = stage.session, stage.asked
    band = "518–606"
    pick(asked.band, band)
    asked.band.activated.emit(asked.band.currentIndex())
    pick(asked.quiet, -30)
    asked.quiet.activated.emit(asked.quiet.currentIndex())
    like_that = [u.name for u in rows(stage)]
    assert like_that
    assert like_that == sorted(u.name for u in session.store.all(Unit) if u.band == band)
    asked.keep_as("Band B, not seen")
    assert asked.kept.currentText() == "Band B, not seen"
    pick(asked.band, "")
    asked.band.activated.emit(asked.band.currentIndex())
    assert len(rows(stage)) > len(like_that)
    assert not asked.forget.isEnabled()
    asked.kept.setCurrentIndex(asked.kept.findText("Band B, not seen"))
    asked.kept.activated.emit(asked.kept.currentIndex())
    assert [u.name for u in rows(stage)] == like_that
    assert (asked.band.currentData(), asked.quiet.currentData()) == (band, -30)
    asked.forget.click()
    assert asked.kept.count() == 1
    session.step_back()
    assert asked.kept.count() == 2


def test_a_question_about_what_is_gone_or_about_nothing_is_refused_in_words(stage):
    store = stage.session.store
    with pytest.raises(Refusal, match="every unit"):
        kept.keep(store, "All", Question())
    with pytest.raises(Refusal, match="a name"):
        kept.keep(store, " ", Question(state="missing"))
    store.apply(kept.keep(store, "Elsewhere", Question(at=99_999)))
    with pytest.raises(Refusal, match="a site that is gone"):
        kept.question_of(store, kept.questions(store)[0])
    store.apply(kept.keep(store, "elsewhere", Question(state="missing")))
    assert [q.asked for q in kept.questions(store)] == [{"state": "missing"}]


def test_a_model_offers_its_bands_alone(stage):
    asked = stage.asked
    model = next(m for m in stage.session.store.all(Model) if m.name == "Handheld voice, companded FM")
    pick(asked.model, model.id)
    asked.model.activated.emit(asked.model.currentIndex())
    offered = {asked.band.itemData(i) for i in range(asked.band.count())} - {""}
    assert offered == {b[0] for b in model.bands}
    assert {u.model_id for u in rows(stage)} == {model.id}
