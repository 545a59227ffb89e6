"""The whole way through the real window: sweep, claim, add links, plan, lock, drag, mend, undo, print, reopen."""

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtWidgets import QPushButton

from azven.book.store import Store
from azven.desk.plan.lane_ends import ROW
from azven.desk.plan.lanes import HEAD
from azven.work import chosen, kit, listen, plan
from azven.work.scope import opening as here
from naming import key
from pictures import colours


def drag(qtbot, chart, name, to_hz):
    """Drag a pennant with the mouse to a frequency, and give what was said on the way."""
    row = chart._row_of(name)
    y = HEAD + row * ROW + ROW // 2 - chart.verticalScrollBar().value()
    start = QPoint(round(chart._axis.x(chart._board.frequencies[name])) + 3, y)
    end = QPoint(round(chart._axis.x(to_hz)), y)
    qtbot.mousePress(chart.viewport(), Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(chart.viewport(), end)
    qtbot.waitUntil(lambda: chart.trial is not None, timeout=120_000)
    said = chart.trial.sentence()
    qtbot.mouseRelease(chart.viewport(), Qt.MouseButton.LeftButton, pos=end)
    return said


def test_the_whole_way(window, settle, qtbot, tmp_path):
    session, store = window.session, window.session.store
    before = (
        kit.links(store, here(store)),
        plan.assignments(store, here(store)),
        listen.sweeps(store, here(store)),
    )

    window.show_stage("listen")
    stage = window.open_stage("listen")
    qtbot.mouseClick(window.header.primary_button, Qt.MouseButton.LeftButton)
    settle(window)
    assert len(listen.sweeps(store, here(store))) == 5
    assert "Kept 10001 bins" in window.said()

    window.show_stage("listen")
    ear = session.board.verdict(key(session, "Brass ear 5"))
    assert ear.state == "broken"  # by a line that came since the last sweep
    for line in session.picture.lines:
        stage.lines.setCurrentRow(-1)
        stage.lines.setCurrentRow(0)
        assert session.selection == chosen.Line(line)
        claim = next(b for b in window.panel.findChildren(QPushButton) if "neighbour" in b.accessibleName())
        qtbot.mouseClick(claim, Qt.MouseButton.LeftButton)
    assert session.picture.lines == ()
    assert "stale" in dict(window.rail.entries()[3].points)
    assert session.board.count("broken") == 1
    window.actions_table.run("mend")
    settle(window)
    assert session.board.count("broken", "unplaced") == 0
    assert session.board.stale == ()

    window.show_stage("kit")
    entry = window.open_stage("kit").links
    entry.pattern.setText("Herald 1")
    entry.count.setValue(3)
    qtbot.keyClick(entry.pattern, Qt.Key.Key_Return)
    assert {"Herald 1", "Herald 2", "Herald 3"} <= {x.name for x in kit.links(store, here(store))}
    assert session.board.count("unplaced") == 3

    window.show_stage("plan")
    qtbot.mouseClick(window.header.primary_button, Qt.MouseButton.LeftButton)
    settle(window)
    assert session.board.count("broken", "unplaced") == 0
    assert session.board.stale == ()

    chart = window.open_stage("plan").chart
    session.select(chosen.Link(key(session, "Narrator")))
    window.actions_table.run("lock")
    assert session.board.verdict(key(session, "Narrator")).locked

    there = session.board.frequencies[key(session, "Narrator")]
    session.view.show(there - 2e6, there + 4e6)
    mover = next(
        v.id
        for v in session.board.verdicts
        if v.link.name.startswith(("Lamp", "Herald")) and v.freq_hz and chart._axis.inside(chart._axis.x(v.freq_hz))
    )
    target = there + 50_000
    said = drag(qtbot, chart, mover, target)
    assert said.startswith("breaks")
    assert session.board.verdict(key(session, "Narrator")).state == "broken"
    assert session.board.count("broken") >= 2
    assert any("broken" in text for text, _ in window.rail.entries()[3].points)

    window.actions_table.run("mend")
    settle(window)
    assert session.board.count("broken", "unplaced") == 0

    pdf = tmp_path / "sheet.pdf"
    window.open_stage("plan").write_sheet(pdf, show=False)
    document = QPdfDocument(None)
    document.load(str(pdf))
    text = "".join(document.getAllText(i).text() for i in range(document.pageCount()))
    assert "Harbour Master" in text
    assert "Quay Stage" in text
    assert f"page 1 of {document.pageCount()}" in text
    assert "the local regulator decide" in text.replace("\n", " ").replace("\r", "")
    document.close()
    assert "Herald 2" in pdf.with_suffix(".csv").read_text(encoding="utf-8")

    frequencies = dict(session.board.frequencies)
    again = Store.open(store.place.path)
    assert plan.board_of(again, here(again)).frequencies == frequencies
    again.close()

    while session.undo.canUndo():
        session.step_back()
    assert (
        kit.links(store, here(store)),
        listen.sweeps(store, here(store)),
    ) != before  # versions have moved on …
    plain = [(x.name, x.model_id, x.band) for x in kit.links(store, here(store))]
    assert plain == [(x.name, x.model_id, x.band) for x in before[0]]  # … what they say has not
    assert {k: a.freq_hz for k, a in plan.assignments(store, here(store)).items()} == {
        k: a.freq_hz for k, a in before[1].items()
    }
    assert [s.id for s in listen.sweeps(store, here(store))] == [s.id for s in before[2]]
    while session.undo.canRedo():
        session.step_forward()
    assert session.board.frequencies == frequencies


def test_a_sweep_can_be_stopped_and_keeps_what_arrived(open_window, tmp_path, settle, qtbot):
    from azven.work import demo
    from azven.work.simulation import SimulatedVenue

    store = demo.build(tmp_path)
    window = open_window(store, SimulatedVenue(store, here(store), pace=3.0).start(), "listen")
    window.open_stage("listen").run_primary()
    qtbot.waitUntil(lambda: len(window.open_stage("listen").plot.live.get(1, ([], []))[0]) >= 2, timeout=120_000)
    window.session.jobs.stop()
    settle(window)
    newest = listen.sweeps(store, here(store))[0]
    assert 100 < newest.points < 10_001


def test_typing_an_address_makes_sweeping_possible(empty_window):
    empty_window.show_stage("listen")
    assert not empty_window.header.primary_button.isEnabled()
    empty_window.open_stage("listen").instrument.address.setEditText("TCPIP::127.0.0.1::9::SOCKET")
    assert empty_window.header.primary_button.isEnabled()


def test_an_instrument_that_is_not_there_is_said(window, settle):
    stage = window.open_stage("listen")
    window.show_stage("listen")
    stage.instrument.address.setEditText("TCPIP::127.0.0.1::9::SOCKET")
    stage.run_primary()
    settle(window)
    assert "No instrument answers" in window.said()
    assert not stage.plot.live
    assert window.header.primary_button.isEnabled()


def test_planning_can_be_stopped_and_keeps_its_best(window, settle, qtbot):
    session = window.session
    stage = window.open_stage("kit").links
    window.show_stage("kit")
    stage.pattern.setText("Crowd")
    stage.count.setValue(120)
    stage.add_links()
    window.show_stage("plan")
    window.open_stage("plan").run_primary()
    qtbot.waitSignal(session.jobs.progressed, timeout=120_000).wait()
    session.jobs.stop()
    settle(window)
    assert session.board.count("broken") == 0
    assert len(session.board.frequencies) > 30
    assert "found no room" in window.said()


def test_unplaced_link_reasons_way_out_placed(window, settle, qtbot):
    session = window.session
    brass = key(session, "Brass 2")
    placed = plan.assignments(session.store, session.scope)[session.board.verdict(brass).link.id]
    from azven.work import ground

    session.do(lambda: ground.take_out(placed, "Take it off"))
    session.select(chosen.Link(brass))
    settle(window)
    assert window.panel.shown.figure == "no frequency"
    put = next(b for b in window.panel.findChildren(QPushButton) if b.accessibleName().startswith("Put it at"))
    qtbot.mouseClick(put, Qt.MouseButton.LeftButton)
    assert session.board.verdict(brass).state == "sound"


@pytest.mark.parametrize("stage", ["ground", "listen", "kit", "plan"])
def test_every_stage_paints_in_both_themes_with_an_empty_book(empty_window, stage):
    empty_window.show_stage(stage)
    for _ in range(2):
        assert colours(empty_window) > 3
        empty_window.actions_table.run("theme")
