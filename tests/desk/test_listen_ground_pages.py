"""Listen's pages and timetable, Ground's pages, sharing a site; trouble with instruments and files."""

from datetime import UTC, datetime

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from azven.desk import files
from azven.desk.listen.instrument import _local_time
from azven.rf.sweep import SweepSettings
from azven.work import chosen, demo, demo_story, ground, kit, listen
from azven.work.ground import permission
from azven.work.listen import taking
from azven.work.scope import opening as here
from naming import key


def test_repeated_sweeps_go_on_while_something_else_is_edited(window, qtbot, settle):
    session, stage = window.session, window.open_stage("listen")
    before = len(listen.sweeps(session.store, session.scope))
    stage.instrument.repeat.setCurrentIndex(1)
    stage.run_primary()
    qtbot.waitUntil(lambda: len(listen.sweeps(session.store, session.scope)) > before, timeout=120_000)
    window.show_stage("kit")
    session.do(lambda: kit.add_act(session.store, session.scope, "Fireworks"))
    qtbot.waitUntil(lambda: len(listen.sweeps(session.store, session.scope)) > before + 1, timeout=120_000)
    qtbot.waitUntil(lambda: stage.instrument.repeating, timeout=120_000)
    stage.run_primary()
    settle(window)
    assert not stage.instrument.repeating
    assert len(stage.waterfall.view.rows) == len(listen.sweeps(session.store, session.scope)) - before
    assert any(a.name == "Fireworks" for a in kit.acts(session.store, session.scope))


def test_many_sweeps_are_worked_out_beside_the_window_and_nothing_is_planned_before(open_window, settle, tmp_path):
    store, world = demo.build(tmp_path), demo_story.venue()
    taken = world.sweep(
        world.antennas["omni"],
        SweepSettings(start_hz=470_000_000, stop_hz=694_000_000, points=2_001, rbw_hz=120_000),
        1,
    )
    for i in range(70):
        store.apply(listen.keep(store, here(store), taken, taking.About(f"Place {i}", "whip"), "x"))
    window = open_window(store, stage="plan")
    assert window.session.picture.waiting == 14
    assert "14 to read" in [text for text, _ in window.rail.entries()[1].points]
    window.open_stage("plan").run_primary()
    assert "14 sweeps are still being worked out" in window.said()
    settle(window)
    assert window.session.picture.waiting == 0
    assert len(window.session.picture.sweeps) == 74
    assert window.session.picture.lines == listen.picture(store, here(store)).lines
    before = window.session.picture
    window.session.jobs.stop()
    assert window.session.picture is before


@pytest.mark.parametrize(("until", "goes_on"), [("21:00", False), ("21:04", False), ("21:06", True), ("", True)])
def test_a_timetable_ends_when_it_is_told(window, settle, monkeypatch, until, goes_on):
    """A sweep every ten minutes, one of them taken at 20:55 of the site's clock, which is an hour ahead."""
    monkeypatch.setattr(type(window.session), "now", lambda _: datetime(2026, 11, 23, 19, 55, tzinfo=UTC))
    stage = window.open_stage("listen")
    stage.instrument.repeat.setCurrentIndex(stage.instrument.repeat.findData(600))
    stage.instrument.until.setText(until)
    stage.run_primary()
    settle(window)
    assert stage.instrument.repeating is goes_on
    assert ("The timetable ended at" in window.said()) is not goes_on
    if goes_on:
        assert stage.primary() == ("Stop repeating", True)
        stage.instrument.stop_repeating()
    assert not stage.instrument.repeating


def test_a_moment_is_the_next_at_which_a_clock_shows_it():
    evening = datetime(2026, 11, 23, 20, 0)
    assert _local_time("25:00", evening) is None
    assert _local_time("until 00:30", evening) == datetime(2026, 11, 24, 0, 30)
    assert _local_time("20:00", evening) == datetime(2026, 11, 24, 20, 0)
    assert _local_time("20:01", evening) == datetime(2026, 11, 23, 20, 1)


def test_an_instrument_that_is_cut_is_said_and_the_timetable_goes_on(window, settle):
    session, stage = window.session, window.open_stage("listen")
    analyser = session.venue.analysers["omni"]
    before = len(listen.sweeps(session.store, session.scope))
    analyser.cut_after_bytes = 40
    stage.instrument.repeat.setCurrentIndex(stage.instrument.repeat.findData(600))
    stage.run_primary()
    settle(window)
    assert len(listen.sweeps(session.store, session.scope)) == before
    assert "closed the connection" in window.said()
    assert stage.instrument.repeating
    stage.instrument.stop_repeating()
    analyser.cut_after_bytes = None
    stage.run_primary()
    settle(window)
    assert len(listen.sweeps(session.store, session.scope)) == before + 1


def test_the_waterfall_holds_averages_freezes_and_tells(window, settle):
    window.show_stage("listen")
    stage = window.open_stage("listen")
    stage.show_page(1)
    view = stage.waterfall.view
    for record in (r for r in listen.sweeps(window.session.store, window.session.scope) if r.high_hz < 1e9):
        view.add(listen.load(window.session.store, record), record.taken_at)
    hold, last = [], view.trace().level_dbm
    for mode in (1, 2):
        stage.waterfall.mode.setCurrentIndex(mode)
        hold.append(view.trace().level_dbm)
    assert np.all(hold[1] >= last)
    assert np.all(hold[1] >= hold[0] - 1e-9)
    window.grab()
    assert "MHz" in view.words_at(300, 20)
    assert " CE" in view.words_at(300, 170)  # the site's own time
    stage.waterfall.frozen.click()
    view.add(
        listen.load(window.session.store, listen.sweeps(window.session.store, window.session.scope)[0]), datetime.now()
    )
    assert len(view.rows) == 2
    view.clear()
    assert view.trace() is None


def test_two_sweeps_are_compared_and_advice_sets_the_controls(window):
    window.show_stage("listen")
    stage = window.open_stage("listen")
    stage.show_page(3)
    shown = stage.compare.table.records.records
    assert shown
    assert all(n.what.matters for n in shown)
    stage.compare.folded.click()
    everything = stage.compare.table.records.records
    assert len(everything) > len(shown)
    assert everything[0].what == shown[0].what  # what matters stays first
    stage.compare.folded.click()
    assert len(stage.compare.table.records.records) == len(shown)
    stage.compare.table.selectRow(0)
    low, high = window.session.view.hz
    assert high - low < 100e6
    stage.show_page(4)
    from azven.work.listen import spectrum

    proposal = spectrum.proposals(window.session.store, window.session.scope)[0]
    stage.advice.wanted.emit(proposal)
    assert stage.instrument.settings().rbw_hz == proposal.rbw_hz


HOSTILE = {
    "empty.csv": b"", "blank.csv": b"\n\n\n", "binary.csv": bytes(range(256)) * 40,
    "words.csv": b"frequency,level\na,b\n", "one.csv": b"470000000,-90\n",
    "same.csv": b"470000000,-90\n470000000,-91\n", "nan.csv": b"470000000,nan\n471000000,inf\n",
    "negative.csv": b"-5,-90\n-6,-91\n", "formula.csv": b"=cmd(),-90\n@x,-91\n",
    "huge.csv": b"1e300,-90\n2e300,-91\n",
}  # fmt: skip


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_files_are_refused_in_a_line_and_change_nothing(window, settle, tmp_path, name):
    path = tmp_path / name
    path.write_bytes(HOSTILE[name])
    before = len(listen.sweeps(window.session.store, window.session.scope))
    window.open_stage("listen").import_path(path)
    settle(window)
    assert len(listen.sweeps(window.session.store, window.session.scope)) == before
    assert name in window.said()


def test_a_site_is_shared_and_taken_in_through_the_window(window, empty_window, settle, tmp_path, monkeypatch):
    path = tmp_path / "harbour.zip"
    monkeypatch.setattr(files, "ask_where", lambda *_: path)
    window.open_stage("ground").share()
    assert "4 sweeps" in window.said()
    store = empty_window.session.store
    monkeypatch.setattr(files, "ask_which", lambda *_: path)
    empty_window.open_stage("ground").take_in()
    settle(empty_window)
    assert "4 sweeps" in empty_window.said()
    assert len(ground.zones(store, here(store))) == 4
    empty_window.session.step_back()
    assert len(ground.zones(store, here(store))) == 1
    assert listen.sweeps(store, here(store)) == []
    path.write_bytes(b"nothing")
    empty_window.open_stage("ground").take_in_from(path)
    settle(empty_window)
    assert "is not a site bundle" in empty_window.said()


def test_grounds_pages_take_distances_licences_and_limits(window):
    window.show_stage("ground")
    stage, session = window.open_stage("ground"), window.session
    stage.show_page(2)
    table = stage.distances.table
    assert table.records.setData(table.records.index(0, 1), "4,5")
    assert ground.zones(session.store, session.scope)[0].near_m == 4.5
    assert not table.records.setData(table.records.index(0, 1), "far")
    assert "is not a number" in window.said()
    stage.show_page(3)
    page = stage.licences
    for field, text in ((page.name, "EV-9"), (page.low, "470"), (page.high, "606"), (page.cap, "30")):
        field.setText(text)
    page.add()
    assert [p.name for p in permission.permits(session.store, session.scope)] == ["EV-9"]
    page.table.selectRow(0)
    page.remove()
    assert permission.permits(session.store, session.scope) == []
    stage.show_page(4)
    stage.limits.guard.setText("300")
    stage.limits.guard.editingFinished.emit()
    assert ground.here(session.store, session.scope).site.tv_guard_hz == 300_000
    stage.limits.limits["voice"].setText("−95")
    stage.limits.limits["voice"].editingFinished.emit()
    assert listen.tolerated(session.store, session.scope)["voice"] == -95
    assert "channels quiet" in stage.limits.effect.text()
    for _ in range(5):
        session.step_back()
    assert ground.here(session.store, session.scope).site.tv_guard_hz == 0


def test_rooms_are_related_from_the_plan_through_the_window_and_undone(window):
    window.show_stage("ground")
    stage, store = window.open_stage("ground"), window.session.store
    before = {r.wall_loss_db for r in ground.relations(store, here(store)).values()}
    stage.relate_from_plan()
    assert "Rope Hall – Quay Stage: walls 6 dB" in window.said()
    assert {r.wall_loss_db for r in ground.relations(store, here(store)).values()} != before
    window.session.step_back()
    assert {r.wall_loss_db for r in ground.relations(store, here(store)).values()} == before


def test_frequencies_next_door_are_proposed_kept_and_written(window, settle, tmp_path, monkeypatch):
    window.show_stage("ground")
    stage, session = window.open_stage("ground"), window.session
    stage.show_page(5)
    page = stage.next_door
    page.propose()
    assert "who the frequencies are for" in window.said()
    page.who.setText("Chapel choir")
    page.count.setText("2")
    page.propose()
    settle(window)
    assert len(page.found) == 2
    assert "Chapel choir 1" in page.text.toPlainText()
    monkeypatch.setattr(files, "ask_where", lambda *_: tmp_path / "slip.txt")
    page.export()
    assert "Chapel choir 2" in (tmp_path / "slip.txt").read_text("utf-8")
    page.keep()
    assert sum(n.name.startswith("Chapel choir") for n in ground.neighbours(session.store, session.scope)) == 2
    assert session.board.count("broken") == 0


def test_the_plot_answers_the_mouse(window, qtbot):
    window.show_stage("listen")
    plot = window.open_stage("listen").plot
    qtbot.mouseMove(plot, plot.rect().center())
    window.grab()
    line = window.session.picture.lines[0]
    at = QPointF(plot._axis.x(line.freq_hz), float(plot._y(np.array([line.level_dbm]))[0]) - 8)
    qtbot.mouseClick(plot, Qt.MouseButton.LeftButton, pos=at.toPoint())
    assert isinstance(window.session.selection, chosen.Line)
    here = plot.words_at(521_408_000.0)
    assert "channel 27" in here
    assert "marker" not in here
    qtbot.mouseClick(plot, Qt.MouseButton.RightButton, pos=plot.rect().center())
    assert "from the marker" in plot.words_at(521_408_000.0)
    window.grab()
    qtbot.mouseClick(plot, Qt.MouseButton.RightButton, pos=plot.rect().center())
    assert "marker" not in plot.words_at(521_408_000.0)


def test_a_few_links_are_brought_up_one_by_one(window, settle):
    session = window.session
    model = next(m for m in ground.models(session.store) if "robust" in m.name)
    zone = ground.zones(session.store, session.scope)[0]
    session.do(lambda: kit.add_links(session.store, session.scope, "Late 1", 2, model, model.bands[1][0], zone))
    window.show_stage("listen")
    stage = window.open_stage("listen")
    stage.show_page(5)
    page = stage.sequence
    before = len(listen.sweeps(session.store, session.scope))
    assert "stays on" in page.words.text()
    for _ in range(8):
        page.next_step()
        settle(window)
    assert "All links are on" in page.words.text()
    assert len(listen.sweeps(session.store, session.scope)) == before + 2
    assert [s.own_on for s in listen.sweeps(session.store, session.scope)[:2]] == [True, False]
    assert session.board.verdict(key(session, "Late 1")).state != "unplaced"
    assert session.board.verdict(key(session, "Late 2")).state != "unplaced"
    assert [v.id for v in session.board.verdicts if v.state == "broken"] == [key(session, "Brass ear 5")]  # by the line
    page.restart()
    assert not page.go.isEnabled()
