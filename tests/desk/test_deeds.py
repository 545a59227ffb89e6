"""Deeds that go through dialogs, tables and jobs."""

import re

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtWidgets import QComboBox, QFileDialog, QInputDialog

from azven.book.edits import same
from azven.book.records import Link, Model
from azven.desk import files
from azven.desk.jobs import Jobs
from azven.desk.pdf import write_pdf
from azven.refusal import Refusal
from azven.work import chosen, ground, ids, kit, listen
from azven.work.scope import opening as here


@pytest.fixture
def answers(monkeypatch):
    """Dialogs that answer at once; what they were asked is kept."""
    asked = []

    def answer(item, ok=True):
        def get(parent, title, question, items, *_):
            asked.append((title, question, list(items)))
            return (item if item in items else items[-1], ok)

        monkeypatch.setattr(QInputDialog, "getItem", get)

    answer.asked = asked
    return answer


def test_import_asks_for_the_unit_and_the_column(window, settle, answers, tmp_path):
    path = tmp_path / "two.csv"
    path.write_text("470.0;-90;-80\n470.1;-91;-70\n", encoding="utf-8")
    answers("column 3")
    stage, store = window.open_stage("listen"), window.session.store
    before = len(listen.sweeps(store, here(store)))
    stage.import_path(path)
    settle(window)
    questions = [q for _, q, _ in answers.asked]
    assert questions[0] == "Which column holds the levels?"
    assert "Read as MHz it covers 470.000 to 470.100 MHz" in questions[1]
    assert len(listen.sweeps(store, here(store))) == before  # the last answer offered was: leave it out
    assert "was not read" in window.said()


def test_import_keeps_what_was_chosen(window, settle, answers, tmp_path):
    path = tmp_path / "plain.csv"
    path.write_text("frequency_hz,a,b\n470000000,-90,-80\n470025000,-91,-70\nrubbish\n", encoding="utf-8")
    answers("b")
    window.open_stage("listen").import_path(path)
    settle(window)
    newest = next(s for s in listen.sweeps(window.session.store, window.session.scope) if s.source == "plain.csv")
    assert listen.load(window.session.store, newest).level_dbm.tolist() == [-80, -70]
    assert "1 rows were not numbers" in window.said()


def test_a_sweep_goes_out_as_csv_and_is_set_aside_by_its_tick(window, monkeypatch, tmp_path):
    window.show_stage("listen")
    session, stage = window.session, window.open_stage("listen")
    target = tmp_path / "out.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    session.select(chosen.Sweep(listen.sweeps(session.store, session.scope)[0].id))
    window.actions_table.run("export-sweep")
    assert target.read_text(encoding="utf-8").startswith("# time: ")
    stage.stack.item(0).setCheckState(Qt.CheckState.Unchecked)
    assert len(session.picture.sweeps) == 3
    session.step_back()
    assert len(session.picture.sweeps) == 4


@pytest.mark.parametrize(("start", "stop", "message"), [("x", "500", "two numbers"), ("600", "500", "above its start")])
def test_a_range_that_makes_no_sense_is_said_before_sweeping(window, start, stop, message):
    stage = window.open_stage("listen")
    stage.instrument.start.setText(start)
    stage.instrument.stop.setText(stop)
    assert message in stage.instrument._forecast.text()
    stage.run_primary()
    assert message in window.said()
    assert not window.session.jobs.busy


def test_a_sheet_whose_plan_changed_meanwhile_goes_without_swap_spares(window, settle, tmp_path, monkeypatch):
    monkeypatch.setattr(files, "ask_where", lambda *_: tmp_path / "sheet.pdf")
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda _: True)
    stage, session = window.open_stage("plan"), window.session
    stage.print_sheet()
    narrator = next(x for x in kit.links(session.store, session.scope) if x.name == "Narrator")
    session.do(lambda: kit.remove_links(session.store, [narrator]))
    settle(window)
    assert "Wrote sheet.pdf" in window.said()
    assert "Narrator" not in (tmp_path / "sheet.csv").read_text(encoding="utf-8")


def test_the_sheet_goes_where_it_is_told_and_says_where_not(window, settle, monkeypatch, tmp_path):
    stage = window.open_stage("plan")
    opened = []
    monkeypatch.setattr("azven.desk.plan.stage.QDesktopServices.openUrl", lambda url: opened.append(url.toLocalFile()))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "sheet.pdf"), ""))
    stage.print_sheet()
    settle(window)
    assert opened == [str(tmp_path / "sheet.pdf")]
    stage.write_sheet(tmp_path / "missing" / "sheet.pdf")
    assert "could not be written" in window.said()


def test_headings_stay_with_their_tables_over_many_pages(qapp, tmp_path):
    rows = "".join(f"<tr><td>row {i}</td></tr>" for i in range(40))
    html = "".join(f"<h2>Room {n}</h2><table><thead><tr><th>Link</th></tr></thead>{rows}</table>" for n in range(8))
    path = tmp_path / "long.pdf"
    pages = write_pdf(f"<html><body>{html}</body></html>", path)
    document = QPdfDocument(None)
    document.load(str(path))
    assert document.pageCount() == pages > 3
    for page in range(pages):
        text = "".join(document.getAllText(page).text().split())
        assert f"page{page + 1}of{pages}" in text
        body = text.replace("Azvenfrequencysheet", "").split("page")[0]
        assert not re.search(r"Room\d(Link)?$", body)
    document.close()


def edit(table, row, column, value):
    return table.records.setData(table.records.index(row, column), value)


def column_of(table, title):
    return next(i for i, c in enumerate(table.records.columns) if c.title == title)


@pytest.mark.parametrize(
    ("title", "value", "shown"),
    [
        ("Band", "518–606", "518–606"),
        ("Importance", 4, "4 low"),
        ("Spectrum", "quiet", "quiet"),
        ("Role", (True, False), "spare"),
        ("Role", (False, True), "set aside"),
        ("Acts", (), "always"),
        ("Power", 10.0, "10 mW conducted"),
        ("Receiver", ("none", 0, 0), ""),
    ],
)
def test_every_field_of_a_link_is_edited_in_place(window, title, value, shown):
    window.show_stage("kit")
    table = window.open_stage("kit").links.table
    before = table.records.records[0]
    column = column_of(table, title)
    assert edit(table, 0, column, value)
    store = window.session.store
    window.open_stage("kit").links.refresh()
    link = store.get(Link, before.id)
    assert table.records.columns[column].show(link) == shown
    window.session.step_back()
    assert same(store.get(Link, before.id), before)


@pytest.mark.qt_log_ignore("commitData called with an editor")  # the renewed table has let go of it already
def test_choices_of_a_cell_are_a_box(window, qtbot):
    window.show_stage("kit")
    table = window.open_stage("kit").links.table
    column = column_of(table, "Acts")
    table.edit(table.records.index(0, column))
    box = table.findChild(QComboBox)
    assert box is not None
    offered = [box.itemText(i) for i in range(box.count())]
    assert offered[:2] == ["always", "Blessing of Boats"]
    assert "Blessing of Boats, Tide Concert" in offered  # not only acts that follow one another
    box.setCurrentIndex(0)
    box.activated.emit(0)
    assert kit.links(window.session.store, window.session.scope)[0].acts == ()


@pytest.mark.parametrize(
    ("title", "value", "message"),
    [
        ("Step kHz", "twelve", "is not a number"),
        ("Power mW", "-3", "out of range"),
        ("Tuning bands MHz", "470", "is written low–high"),
        ("Service", "in-ear", ""),
        ("Guard 2a − b kHz", "0", ""),
        ("Blocked from dBm", "−12", ""),
        ("Power steps", "ten", "is written like"),
        ("Batteries", "two AA alkaline 30 mW 480 min; big one 30 mW 900 min", ""),
        ("Modes", "fast 8 14", "It is written like"),
    ],
)
def test_models_are_edited_and_nonsense_is_refused(window, title, value, message):
    window.show_stage("kit")
    page = window.open_stage("kit").models
    window.open_stage("kit").show_page("Models")
    page.table.selectRow(0)
    before = page.table.records.records[0]
    row = next(i for i, f in enumerate(page.sheet.records.records) if f.name == title)
    done = edit(page.sheet, row, 1, value)
    assert done == (not message)
    assert message in window.said()
    after = window.session.store.get(Model, before.id)
    assert (after == before) == bool(message)


def test_acts_take_times_in_one_form(window):
    window.show_stage("kit")
    stage = window.open_stage("kit")
    stage.show_page("Acts")
    assert edit(stage.acts.table, 0, 1, "2026-08-14 19:30")
    assert (
        f"{kit.acts(window.session.store, window.session.scope)[0].starts_at:%H:%M}" == "17:30"
    )  # UTC, two hours before summer time
    assert not edit(stage.acts.table, 0, 1, "half past seven")
    assert "write it like" in window.said()
    stage.run_primary()
    assert kit.acts(window.session.store, window.session.scope)[-1].name == "Act"


def test_rows_are_removed_from_the_table_in_view(window):
    window.show_stage("kit")
    stage, store = window.open_stage("kit"), window.session.store
    stage.show_page("Units")
    stage.remove()
    assert "Select the rows" in window.said()
    first = next(u for u in kit.units(store, here(store)) if u.name == "Voice rack 2")
    stage.units.table.choose({first.id})
    stage.remove()
    assert all(x.unit_id != first.id for x in kit.links(store, here(store)))
    window.session.step_back()
    stage.units.table.choose(set())
    stage.run_primary()
    new = max(kit.units(store, here(store)), key=lambda u: u.id)
    stage.units.table.choose({new.id})
    stage.remove()
    assert new.id not in {u.id for u in kit.units(store, here(store))}


def test_selecting_a_row_selects_the_link_everywhere(window):
    window.show_stage("kit")
    window.open_stage("kit").links.table.selectRow(4)
    link = window.open_stage("kit").links.table.records.records[4]
    assert window.session.selection == chosen.Link(ids.of(link))
    assert window.panel.shown.title == link.name


def test_selection_in_a_table_survives_an_edit(window):
    window.show_stage("kit")
    table = window.open_stage("kit").links.table
    table.selectRow(2)
    picked = [x.id for x in table.chosen()]
    edit(table, 2, column_of(table, "Worn by"), "Somebody")
    assert [x.id for x in table.chosen()] == picked


def test_neighbours_are_edited_in_ground(window):
    window.show_stage("ground")
    stage, store = window.open_stage("ground"), window.session.store
    table = stage.neighbours
    assert edit(table, 0, column_of(table, "MHz"), "477,2")
    assert ground.neighbours(store, here(store))[0].freq_hz == 477_200_000
    assert edit(table, 0, column_of(table, "Kind"), "neighbour")
    assert edit(table, 0, column_of(table, "Where"), ground.zones(store, here(store))[0].id)
    table.selectRow(0)
    assert isinstance(window.session.selection, chosen.Neighbour)
    stage.remove_neighbour()
    assert len(ground.neighbours(store, here(store))) == 2
    stage.rooms.selectRow(0)
    stage.remove_room()
    assert "is still used by" in window.said()


def test_one_visible_job_at_a_time_and_trouble_is_told(qapp, qtbot):
    jobs = Jobs()
    told, done = [], []
    jobs.trouble.connect(told.append)

    def patient(progress):
        while progress(1, 2):
            pass
        return "stopped"

    assert jobs.start("first", patient, done.append) is not None
    assert jobs.start("second", patient, done.append) is None
    assert told == ["“first” is still running; stop it first."]
    jobs.stop()
    qtbot.waitUntil(lambda: jobs.idle, timeout=120_000)
    assert done == ["stopped"]

    def broken(progress):
        raise Refusal("no such luck")

    jobs.start("third", broken, done.append)
    qtbot.waitUntil(lambda: jobs.idle, timeout=120_000)
    assert told[-1] == "no such luck"

    def faulty(progress):
        raise KeyError("no such key")

    jobs.start("fourth", faulty, done.append)
    qtbot.waitUntil(lambda: jobs.idle, timeout=120_000)
    assert told[-1].startswith("Something in Azven went wrong (KeyError)")
    jobs.wait()


def test_only_the_newest_quiet_job_of_a_name_counts(qapp, qtbot):
    jobs = Jobs()
    done = []
    for n in range(3):
        jobs.quiet("same", lambda _, n=n: n, done.append)
    qtbot.waitUntil(lambda: jobs.idle, timeout=120_000)
    assert done == [2]
    jobs.wait()
    jobs.quiet("late", lambda _: 9, done.append)
    assert jobs.idle


def test_a_conflict_with_another_writer_is_said_and_undo_stays(window):
    from azven.book.store import Store

    session = window.session
    link = kit.links(session.store, session.scope)[0]
    session.do(lambda: kit.change_links(session.store, [link], performer="Mine"))
    other = Store.open(session.store.place.path)
    theirs = kit.links(other, here(other))[0]
    other.apply(kit.change_links(other, [theirs], performer="Theirs"))
    other.close()
    asked = []
    session.drops = lambda title, why: bool(asked.append((title, why)))
    session.step_back()
    assert "performer is “Theirs”, yours is " in window.said()
    assert [title for title, _ in asked] == [session.undo.undoText()]
    assert session.undo.canUndo()
    assert kit.links(session.store, session.scope)[0].performer == "Theirs"


def test_a_home_that_cannot_be_written_is_one_sentence(monkeypatch, tmp_path):
    from azven.book.edits import BookError
    from azven.work.books import default_book

    (tmp_path / "file").write_text("no folder")
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "file"))
    with pytest.raises(
        BookError, match=r"No folder for the book can be made in your home folder .* name one with --book"
    ):
        default_book()


def test_default_book_is_made_where_the_platform_keeps_data(monkeypatch, tmp_path):
    from azven.work.books import default_book, open_book

    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    path = default_book().path
    assert path.is_relative_to(tmp_path)
    first = open_book(path)
    first.apply(ground.add_zone(first, here(first), "Kept"))
    first.close()
    again = open_book(path)
    assert [z.name for z in ground.zones(again, here(again))] == ["Main room", "Kept"]
    again.close()


def test_a_sweep_that_was_taken_away_is_not_exported(window, monkeypatch):
    window.show_stage("listen")
    stage, store = window.open_stage("listen"), window.session.store
    record = listen.sweeps(store, here(store))[0]
    window.session.select(chosen.Sweep(record.id))
    action = next(a for a in window.actions_table.all() if a.id == "export-sweep")
    assert action.enabled()
    window.session.do(lambda: listen.remove_sweep(store, record))
    assert not action.enabled()
    monkeypatch.setattr(files, "ask_where", lambda *_: pytest.fail("nothing to ask"))
    stage.export_file()
