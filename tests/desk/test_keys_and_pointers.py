"""Views that are walked by keys and asked by pointer: blocks, pairs, waterfall, drawings, comparisons, pasting."""

import logging
from datetime import timedelta

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QGuiApplication, QImage

from azven.desk import app as desk
from azven.desk import faults
from azven.desk.reach.backdrop import ScaleDialog
from azven.work import kit, listen
from azven.work.listen import taking
from azven.work.scope import opening as here
from pictures import colours


def test_arrows_walk_the_blocks_of_a_design(window, qtbot):
    window.show_stage("chain")
    stage = window.open_stage("chain")
    strips = stage.strips
    for key, name in (
        (Qt.Key.Key_Right, "Rope Hall antenna"), (Qt.Key.Key_Right, "Rope Hall filter"),
        (Qt.Key.Key_Down, "Quay Stage filter"), (Qt.Key.Key_Left, "Quay Stage antenna"),
        (Qt.Key.Key_Up, "Rope Hall antenna"), (Qt.Key.Key_Left, "Rope Hall antenna"),
    ):  # fmt: skip
        qtbot.keyClick(strips, key)
        assert strips.selected == name
    assert window.session.selection.name == "Rope Hall antenna"
    assert window.panel.shown.title == "Rope Hall antenna"
    box = strips.boxes()["Signal House cable"].center().toPoint()
    qtbot.mouseClick(strips, Qt.MouseButton.LeftButton, pos=box)
    assert strips.selected == "Signal House cable"
    assert "15 m" in stage._words.text()


def test_a_better_cable_is_taken_from_the_reasons_and_undone(window, qtbot):
    window.show_stage("chain")
    stage = window.open_stage("chain")
    stage._pick("Rope Hall cable")
    option = next(o for o in window.panel.shown.options if o.title.startswith("15 mm"))
    before = stage.record().document
    window.session.do(option.edit)
    assert next(n for n in stage.record().document["nodes"] if n["id"] == "Rope Hall cable")["cable"] == "lowloss-15mm"
    window.session.step_back()
    assert stage.record().document == before


def test_pairs_say_what_is_between_two_links_and_select(window, settle, qtbot):
    window.actions_table.run("plan-3")
    settle(window)
    page = window.open_stage("plan").page(3)
    view = page.grid
    names = view.shown.names
    left = view.width() - 12 - len(names) * view._cell
    spot = QPoint(round(left + 0.5 * view._cell), round(1.5 * view._cell))
    assert view.cell_at(spot.x(), spot.y()) == (1, 0)
    before = page.words.text()
    qtbot.mouseMove(view, spot)
    qtbot.waitUntil(lambda: page.words.text() != before, timeout=120_000)
    assert names[0] in page.words.text()
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=spot)
    assert window.session.link_id == view.shown.ids[1]
    assert view.cell_at(-5, 5) is None


def test_the_waterfall_follows_the_pointer_and_pans(window, qtbot):
    window.show_stage("listen")
    stage, session = window.open_stage("listen"), window.session
    stage.show_page(1)
    view = stage.waterfall.view
    for record in listen.sweeps(session.store, session.scope):
        view.add(listen.load(session.store, record), record.taken_at)
    session.view.show(500e6, 560e6)
    before = session.view.hz
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(400, 60))
    qtbot.mouseMove(view, QPoint(340, 60))
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(340, 60))
    assert view.words_at(340, 60).endswith("dBm")
    assert colours(view) > 3
    assert session.view.hz[1] - session.view.hz[0] == pytest.approx(before[1] - before[0])


def test_since_yesterday_chooses_both_sweeps_or_says_that_there_is_none(window):
    window.show_stage("listen")
    stage, store = window.open_stage("listen"), window.session.store
    stage.show_page(3)
    page = stage._pages.currentWidget()
    page.since_yesterday()
    assert "nothing to compare with yet" in window.said()
    newest = listen.sweeps(store, here(store))[0]
    about = taking.About(newest.place, newest.antenna)
    yesterday = newest.taken_at - timedelta(hours=24)
    store.apply(listen.keep(store, here(store), listen.load(store, newest), about, "x", yesterday))
    page.refresh()
    page.since_yesterday()
    assert page.new.currentData() == newest.id
    assert page.old.currentData() == listen.sweeps(store, here(store))[-1].id
    assert page.words.text() == "Nothing differs by more than 6 dB."


def test_two_points_of_a_drawing_are_clicked(window, qtbot):
    image = QImage(400, 200, QImage.Format.Format_RGB32)
    dialog = ScaleDialog(window.session, image, ((-9.0, 0.0), (9.0, 60.0)))
    qtbot.addWidget(dialog)
    dialog.resize(600, 500)
    picture = dialog.picture
    box = picture._box()
    first = list(picture.marks)
    qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=(box.center() - QPointF(20, 10)).toPoint())
    qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=(box.center() + QPointF(30, 10)).toPoint())
    assert picture.marks != first
    assert picture.marks[1].x() > picture.marks[0].x()
    assert colours(picture) > 3


def test_links_are_pasted_from_the_clipboard(window):
    window.show_stage("kit")
    stage, store = window.open_stage("kit"), window.session.store
    clipboard = QGuiApplication.clipboard()
    clipboard.setText("")
    stage.paste()
    assert "Copy rows in a spreadsheet first" in window.said()
    clipboard.setText("name\nPier Crier 1\nPier Crier 2\n")
    stage.paste()
    assert {"Pier Crier 1", "Pier Crier 2"} <= {x.name for x in kit.links(store, here(store))}


@pytest.fixture
def own_log(tmp_path, monkeypatch):
    """A log file in a folder of the test's own."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    monkeypatch.setattr(logging.getLogger("azven"), "handlers", [])
    faults.keep_log()
    faults.keep_log()
    yield tmp_path / "azven" / "azven.log"
    for handler in logging.getLogger("azven").handlers:
        handler.close()


def test_a_fault_of_ours_is_said_and_kept_in_the_log_and_the_edit_is_not_half_done(window, own_log):
    before = kit.links(window.session.store, window.session.scope)

    def torn():
        edit = kit.change_links(window.session.store, before[:1], name="Torn")
        raise RuntimeError(f"the tide is out: {edit.title}")

    assert window.session.do(torn) is False
    assert "Something in Azven went wrong (RuntimeError); what was done before is safe." in window.said()
    assert f"What happened is kept in {own_log}." in window.said()
    assert own_log.read_text("utf-8").count("RuntimeError: the tide is out") == 1
    assert "Traceback" in own_log.read_text("utf-8")
    assert kit.links(window.session.store, window.session.scope) == before
    assert not window.session.undo.canUndo()


def test_the_log_begins_anew_before_it_gets_long(own_log):
    for _ in range(40):
        faults.sentence(RuntimeError("x" * 60_000))
    files = sorted(own_log.parent.iterdir())
    assert len(files) == 4
    assert sum(f.stat().st_size for f in files) < 2_200_000


def test_a_fault_outside_of_an_edit_is_said_too(window):
    desk._Apology(lambda: window)(RuntimeError, RuntimeError("boom"), None)
    assert "Something in Azven went wrong (RuntimeError)" in window.said()
