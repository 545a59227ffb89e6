"""A show goes to the next site, as a user does it; and a register whose server is away."""

import csv
from dataclasses import replace

import pytest
from PyQt6.QtCore import Qt

from azven.book.edits import BookError, Edit, replace_record
from azven.book.records import Act, Show, Site, Unit
from azven.desk import points
from azven.work import books, chosen, plan, register
from azven.work.register import Asked, touring

BOARD, TOUR, TRAILS, REPORTS, HANDOVER, TABLE = 0, 5, 6, 7, 8, 9
pytestmark = pytest.mark.quiet


@pytest.fixture
def stage(window):
    window.show_stage("register")
    return window.stage


@pytest.fixture
def page(stage):
    stage.pages.show_page(TOUR)
    return stage.tour


@pytest.fixture
def worked_out(page, qtbot):
    """The leg to Orchard Ground, on the screen."""
    page.to.setCurrentIndex(page.to.findText("Orchard Ground"))
    page.work.click()
    qtbot.waitUntil(lambda: page.leg is not None, timeout=60_000)
    return page


def test_it_is_worked_out_before_anything_is_changed(stage, worked_out):
    session = stage.session
    before = len(session.store.all(Show))
    shown = worked_out.table.records.records
    assert [s.id for s in shown] == [s.id for s in worked_out.leg.steps]
    assert worked_out.words.text() == touring.in_words(worked_out.leg)
    assert stage.primary() == ("Take it to Orchard Ground", True)
    assert len(session.store.all(Show)) == before
    worked_out.to.setCurrentIndex(worked_out.to.findText("Kiln Yard"))
    worked_out.to.activated.emit(worked_out.to.currentIndex())
    assert worked_out.leg is None  # it was of another site
    assert stage.primary() == ("Take it there", False)


def test_taking_it_brings_one_there_and_undo_takes_it_back(stage, worked_out, window, settle):
    session = stage.session
    home, name = session.scope, session.store.get(Show, session.scope.show).name
    stage.run_primary()
    settle(window)
    store = window.session.store
    there = store.get(Show, window.session.scope.show)
    assert there.name == name
    assert store.get(Site, there.site_id).name == "Orchard Ground"
    assert window.session.board.count("broken") == 0
    window.actions_table.run("undo")
    assert there.id not in {s.id for s in store.all(Show)}
    assert store.get(Show, home.show).name == name


def test_the_sheet_goes_to_a_file(worked_out, tmp_path):
    worked_out.write(tmp_path / "sheet.csv")
    with (tmp_path / "sheet.csv").open(encoding="utf-8", newline="") as file:
        told = list(csv.DictReader(file))
    assert [r["Link"] for r in told] == [s.name for s in worked_out.leg.steps]


def test_a_search_that_is_stopped_is_not_taken(page, stage):
    session, site = stage.session, page.to.currentData()
    where, show = session.store.place, session.scope.show
    page._worked_out(touring.leg_of(where, show, site, lambda done, total: False, lambda: 0.0))
    assert not stage.primary()[1]
    before = len(session.store.all(Show))
    stage.run_primary()
    assert len(session.store.all(Show)) == before
    assert "stopped" in page.words.text()


def test_it_is_found_by_name_and_worked_by_keys(stage, page, window, qtbot):
    window.show()
    page.take_focus()
    assert "register-tour" in {a.id for a in stage.actions_offered()}
    before = page.to.currentText()
    qtbot.keyClick(page.to, Qt.Key.Key_Down)
    assert page.to.currentText() != before
    window.actions_table.run("register-tour")
    qtbot.waitUntil(lambda: page.leg is not None, timeout=60_000)
    assert page.leg.site.name == page.to.currentText()


def test_a_register_that_cannot_be_read_says_so_and_shows_what_it_had(stage, window, monkeypatch):
    stage.pages.show_page(BOARD)
    said = stage.board.words.text()

    def away(*_, **__):
        raise BookError("The book cannot be reached.")

    monkeypatch.setattr(stage.session.store.engine, "rows", away)
    stage.refresh()
    assert "cannot be reached" in window.said()
    assert stage.board.words.text() == said
    monkeypatch.setattr(points.register, "how_many", away)
    assert points.of_register(stage.session) == (("not counted", "dim"),)


def test_the_trail_of_a_frequency_and_of_a_person(stage, qtbot):
    stage.pages.show_page(TRAILS)
    page, session = stage.trails, stage.session
    placed = next(iter(plan.assignments(session.store, session.scope).values()))
    page.text.setText(f"{placed.freq_hz / 1e6:.3f} MHz")
    qtbot.keyClick(page.text, Qt.Key.Key_Return)
    assert any(e.what == "planned" and e.freq_hz == placed.freq_hz for e in page.table.records.records)
    unit = next(u for u in session.store.all(Unit) if u.carried)
    asked = Asked(deed="hand out", at=session.now(), by="Merle", to="Tarn")
    session.do(lambda: register.do(session.store, [unit], asked))
    page.text.setText("tar")
    qtbot.keyClick(page.text, Qt.Key.Key_Return)
    (entry,) = page.table.records.records
    assert entry.unit == unit.id
    assert page.words.text().startswith("1 deed by or with")
    page.table.picked.emit(entry)
    assert session.selection == chosen.Unit(unit.id)
    page.text.setText("Nan")
    qtbot.keyClick(page.text, Qt.Key.Key_Return)
    assert page.words.text().startswith("No deeds")


def test_deeds_from_a_table_are_shown_done_and_left(stage, window, tmp_path, qtbot):
    stage.pages.show_page(TABLE)
    page, session = stage.table, stage.session
    unit = next(u for u in session.store.all(Unit) if u.carried)
    path = tmp_path / "deeds.csv"
    path.write_text(f"serial,deed,colour\n{unit.serial},lost,blue\nnone,lost,\n")
    page.look_through(path)
    qtbot.waitUntil(lambda: page.read_in is not None, timeout=20_000)
    assert stage.primary() == ("Do 1 deed", True)
    assert page.words.text() == "deeds.csv: of 2 lines 1 would do something. 1 cannot be read and would be left out."
    assert page.unknown.text().endswith("colour.")
    page.leave.click()
    assert stage.primary() == ("Do them", False)
    page.look_through(path)
    qtbot.waitUntil(lambda: page.read_in is not None, timeout=20_000)
    stage.run_primary()
    assert session.store.get(Unit, unit.id).state == "missing"
    assert page.read_in is None
    window.actions_table.run("undo")
    assert session.store.get(Unit, unit.id).state == "in case"
    path.write_text("nothing of that kind")
    page.look_through(path)
    qtbot.waitUntil(lambda: "has a column “deed”" in window.said(), timeout=20_000)
    page.look_through(tmp_path / "none.csv")
    assert "cannot be read" in window.said()


def test_a_package_is_written_shown_taken_over_and_taken_back(stage, open_window, tmp_path, settle, qtbot):
    page, path = stage.handover, tmp_path / "next.zip"
    stage.pages.show_page(HANDOVER)
    page.notes.setPlainText("Mind the tide.")
    page.write(path)
    qtbot.waitUntil(path.exists, timeout=60_000)
    other = open_window(books.new_book(tmp_path / "other.azven"), stage="register")
    settle(other)
    session, theirs = other.session, other.stage.handover
    other.stage.pages.show_page(HANDOVER)
    before = len(session.store.all(Show))
    theirs.look_through(path)
    qtbot.waitUntil(lambda: theirs.primary()[1], timeout=60_000)
    assert theirs.said.text() == "Mind the tide."
    assert {x.what for x in theirs.table.records.records} >= {"site", "show", "link", "unit", "frequency"}
    assert len(session.store.all(Show)) == before
    theirs.run_primary()
    (came,) = (s for s in session.store.all(Show) if s.name == "Marrowby Lantern Regatta")
    assert came.note == "Mind the tide."
    assert session.scope.show == came.id
    settle(other)
    again = other.stage.handover
    other.stage.pages.show_page(HANDOVER)
    again.look_through(path)
    qtbot.waitUntil(lambda: "is here already" in again.words.text(), timeout=60_000)
    assert not again.primary()[1]
    session.step_back()
    assert len(session.store.all(Show)) == before
    settle(other)
    last = other.stage.handover
    last.look_through(path)
    qtbot.waitUntil(lambda: last.primary()[1], timeout=60_000)


def test_what_is_no_package_is_said_and_nothing_is_shown(stage, tmp_path, settle, window):
    path = tmp_path / "no.zip"
    path.write_text("not a zip")
    stage.handover.look_through(path)
    settle(window)
    assert stage.handover.table.records.records == []
    assert not stage.handover.primary()[1]


def test_a_report_is_read_printed_and_written_as_a_table(stage, tmp_path, settle, window):
    page = stage.reports
    stage.pages.show_page(REPORTS)
    settle(window)
    assert "Narrator" in page.text.toPlainText()
    page.ask("antennas")
    settle(window)
    assert page.text.toPlainText().startswith("Antennas")
    page.write_pdf(tmp_path / "report.pdf")
    page.write_csv(tmp_path / "report.csv")
    page.write_labels(tmp_path / "labels.pdf")
    page.write_cards(tmp_path / "cards.pdf")
    for name in ("report.pdf", "labels.pdf", "cards.pdf"):
        assert (tmp_path / name).read_bytes().startswith(b"%PDF")
    told = list(csv.reader((tmp_path / "report.csv").read_text("utf-8").splitlines()))
    assert told[0][:2] == ["Section", "Antenna"]
    assert len(told) == page.report.count + 1


def test_a_report_that_cannot_be_made_says_why_and_the_last_one_stays(stage, settle, window):
    session = stage.session
    for act in session.store.all(Act):
        session.do(lambda act=act: Edit("x", replace_record(act, replace(act, starts_at=None, ends_at=None))))
    stage.pages.show_page(REPORTS)
    settle(window)
    before = stage.reports.report
    stage.reports.ask("bring")
    settle(window)
    assert stage.reports.report is before
