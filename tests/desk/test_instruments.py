"""Several instruments at once; an overload shown by an attenuator; peaks; the list of stations."""

import socket
import threading
import time

import numpy as np
import pytest

from azven.work import chosen, ground, listen
from azven.work.listen import peaks, spectrum
from azven.work.listen.taking import About
from azven.work.scope import opening as here


def test_two_instruments_sweep_at_once_each_at_its_place(window, settle, qtbot):
    session, stage = window.session, window.open_stage("listen")
    window.show_stage("listen")
    before = len(listen.sweeps(session.store, session.scope))
    first, second = stage.instruments.current, stage.instruments.add()
    assert second.number == 2
    assert "receive antennas" in second.place.text()
    second.rbw.setCurrentIndex(second.rbw.findData(100_000))
    session.venue.analysers["omni"]._pace = 3.0
    stage.instruments.choose(first)
    stage.instruments.take_all()
    assert first.sweeping
    assert second.sweeping
    assert stage.primary() == ("Sweep", False)
    assert "sweeping" in stage.instruments._group.button(1).text()
    qtbot.waitUntil(lambda: not second.sweeping, timeout=120_000)
    assert first.sweeping
    assert session.jobs.shown is not None
    window.open_stage("plan").run_primary()
    assert session.jobs.busy
    settle(window)
    taken = listen.sweeps(session.store, session.scope)[: len(listen.sweeps(session.store, session.scope)) - before]
    assert {(r.place, round(r.rbw_hz)) for r in taken} == {
        ("Rope Hall, riser", 30_000), ("Rope Hall, receive antennas", 100_000),
    }  # fmt: skip
    assert not stage.plot.live
    assert len(stage.waterfall.view.rows) == 2
    stage.instruments.choose(second)
    stage.instruments.remove()
    assert [p.number for p in stage.instruments.panels] == [1]
    stage.instruments.remove()
    assert len(stage.instruments.panels) == 1


def test_stop_ends_the_sweep_that_began_last_and_its_part_is_kept(window, settle, qtbot):
    session, stage = window.session, window.open_stage("listen")
    before = len(listen.sweeps(session.store, session.scope))
    for analyser in session.venue.analysers.values():
        analyser._pace = 3.0
    stage.instruments.add()
    stage.instruments.take_all()
    qtbot.waitUntil(lambda: all(len(f) > 1 for f, _ in stage.plot.live.values()), timeout=120_000)
    window.actions_table.run("stop")
    settle(window)
    points = sorted(
        r.points
        for r in listen.sweeps(session.store, session.scope)[
            : len(listen.sweeps(session.store, session.scope)) - before
        ]
    )
    assert points[0] < points[1] == 10_001


def test_an_overload_is_shown_by_an_attenuator_and_left_out(window, settle, qtbot):
    session, stage = window.session, window.open_stage("listen")
    panel = stage.instruments.add()  # on the receive antennas, behind their amplifiers
    panel.own_on.setChecked(True)
    panel.take()
    settle(window)
    plain = listen.load(session.store, listen.sweeps(session.store, session.scope)[0])
    panel.prove()
    settle(window)
    assert "Overloaded: what it showed at" in window.said()
    record = listen.sweeps(session.store, session.scope)[0]
    truer = listen.load(session.store, record)
    assert len(record.made_inside) > 5
    inside = np.searchsorted(plain.freq_hz, record.made_inside)
    assert np.median(plain.level_dbm[inside] - truer.level_dbm[inside]) > 3
    session.select(chosen.Sweep(record.id))
    assert "The instrument was overloaded" in window.panel.shown.verdict
    panel.own_on.setChecked(False)
    panel.prove()
    qtbot.waitUntil(lambda: "no sign of overload" in window.said(), timeout=120_000)
    settle(window)


def test_an_instrument_without_an_attenuator_says_so(window, settle):
    session, stage = window.session, window.open_stage("listen")
    panel = stage.instrument
    before = len(listen.sweeps(session.store, session.scope))
    panel.attenuation.setCurrentIndex(panel.attenuation.findData(30))
    panel.prove()  # asks for 40 dB, the stand-in has 30
    settle(window)
    assert len(listen.sweeps(session.store, session.scope)) == before + 1
    assert "no attenuator of 40 dB" in window.said()


def test_peaks_say_whose_they_are(window):
    session, stage = window.session, window.open_stage("listen")
    stage.show_page(2)
    page = stage.peaks
    owners = [p.owner for p in page.table.records.records]
    assert {"Fire Watch", "unclaimed", "multiplex, channel 31"} <= set(owners)
    levels = [p.level_dbm for p in page.table.records.records]
    assert levels == sorted(levels, reverse=True)
    store, scope = session.store, session.scope
    watch = next(n for n in ground.neighbours(store, scope) if n.name == "Fire Watch")
    assert session.do(lambda: ground.change(watch, "Rename", name="ours: unclaimed channel made in the dock"))
    stage.refresh()
    page.only.setCurrentIndex(1)
    assert [p.owner for p in page.table.records.records] == ["unclaimed"]
    page.table.selectRow(0)
    assert isinstance(session.selection, chosen.Line)
    line = session.picture.lines[0]
    session.do(lambda: listen.claim(session.store, session.scope, line, "neighbour", "Pier office"))
    stage.refresh()
    assert "Pier office" in [p.owner for p in peaks.peaks(session.store, session.scope, session.picture)]


def test_the_list_of_stations_is_held_against_the_sweeps(window):
    session, stage = window.session, window.open_stage("listen")
    window.show_stage("listen")
    said = spectrum.against_list(session.store, session.scope, session.picture)
    assert [line.split(":")[0] for line in said] == ["channel 27", "channel 35"]
    stage.show_page(4)
    session.do(
        lambda: ground.set_stations(session.store, session.scope, "22 24, 25 28 29 31 33 34 35 36 39 40 41 43 45 46 47")
    )
    assert spectrum.against_list(session.store, session.scope, session.picture) == []
    with pytest.raises(ValueError, match="99: no such channel"):
        ground.set_stations(session.store, session.scope, "22 99")
    session.step_back()
    assert len(spectrum.against_list(session.store, session.scope, session.picture)) == 2


def test_a_dozen_instruments_stand_in_a_row_and_sweep_together(window, settle, tmp_path):
    window.show_stage("listen")
    stage, store = window.open_stage("listen"), window.session.store
    many = stage.instruments
    before = len(listen.sweeps(store, here(store)))
    while len(many.panels) < 12:
        many.add()
    assert [many._group.button(p.number).text() for p in many.panels] == [str(i) for i in range(1, 13)]
    assert many.width() <= stage.width()
    many.take_all()
    assert sum(p.sweeping for p in many.panels) == 12
    settle(window)
    assert len(listen.sweeps(store, here(store))) == before + 12
    assert many._group.button(3).toolTip().startswith("3")


def test_more_instruments_than_a_row_holds_are_in_a_list(window, settle):
    window.show_stage("listen")
    stage = window.open_stage("listen")
    many, before = stage.instruments, len(listen.sweeps(window.session.store, window.session.scope))
    while len(many.panels) < 20:
        many.add()
    assert many._list.isVisible()
    assert [many._list.itemText(i).split()[0] for i in range(20)] == [str(n) for n in range(1, 21)]
    assert not any(many._group.button(p.number).isVisible() for p in many.panels)
    assert many.width() <= stage.width()
    many._list.setCurrentIndex(6)
    many._list.activated.emit(6)
    assert many.current.number == 7
    many.remove()
    assert 7 not in [p.number for p in many.panels]
    assert many.add().number == 7
    many.take_all()
    assert sum(p.sweeping for p in many.panels) == 20
    assert "sweeping" in many._list.currentText()
    settle(window)
    assert len(listen.sweeps(window.session.store, window.session.scope)) == before + 20
    while len(many.panels) > 16:
        many.remove()
    assert not many._list.isVisible()
    assert many._group.button(many.panels[0].number).isVisible()


class Silent:
    """An analyser that answers what it is and then says nothing more."""

    def __init__(self):
        self.server = socket.create_server(("127.0.0.1", 0))
        self.ended = threading.Event()
        threading.Thread(target=self._serve, daemon=True).start()

    @property
    def resource(self):
        return f"TCPIP::127.0.0.1::{self.server.getsockname()[1]}::SOCKET"

    def _serve(self):
        with self.server, self.server.accept()[0] as there:
            there.recv(1_000)
            there.sendall(b"Nobody,Silent,1,1\n")
            while there.recv(1_000):
                pass
        self.ended.set()


def test_stop_closes_the_connection_to_a_silent_instrument_at_once(window, settle, qtbot):
    session, stage = window.session, window.open_stage("listen")
    silent = Silent()
    said = []
    session.jobs.trouble.connect(said.append)
    panel = stage.instruments.panels[0]
    panel._sweep(silent.resource, panel.settings(), About("here", "whip"), False)
    qtbot.wait(600)
    assert not session.jobs.idle
    started = time.monotonic()
    window.actions_table.run("stop")
    qtbot.waitUntil(lambda: session.jobs.idle, timeout=5_000)
    assert time.monotonic() - started < 0.5
    assert silent.ended.wait(1.0)
    assert said == ["The sweep was stopped before anything had arrived."]


def test_closing_the_window_never_waits_long_for_an_instrument(window, qtbot):
    session, stage = window.session, window.open_stage("listen")
    silent = Silent()
    panel = stage.instruments.panels[0]
    panel._sweep(silent.resource, panel.settings(), About("here", "whip"), False)
    qtbot.wait(600)
    started = time.monotonic()
    assert session.jobs.wait()
    assert time.monotonic() - started < 1.0
    assert silent.ended.wait(1.0)


def test_closing_does_not_wait_for_work_that_heeds_nothing(window, qtbot):
    release = threading.Event()
    window.session.jobs.start("Deaf", lambda progress: release.wait(30), lambda _: None)
    qtbot.wait(200)
    started = time.monotonic()
    assert not window.session.jobs.wait()
    assert 1.5 < time.monotonic() - started < 2.5
    release.set()


def test_how_an_instrument_speaks_is_tried_with_everything_shown(window, settle, qtbot, tmp_path):
    from azven.gear import dialects

    stage = window.open_stage("listen")
    window.show_stage("listen")
    panel = stage.instruments.current
    panel.address.setCurrentIndex(2)
    panel.choose_speech()
    dialog = panel.dialog
    dialog.attempt()
    qtbot.waitUntil(lambda: "speaks" in dialog.words.text(), timeout=20_000)
    assert "Plain text" in dialog.words.text()
    assert "→ START " in dialog.heard.toPlainText()
    assert "← READY" in dialog.heard.toPlainText()
    dialog.which.setCurrentIndex(dialog.which.findText(dialects.block().name))
    dialog.attempt()
    qtbot.waitUntil(lambda: "Trying" not in dialog.words.text(), timeout=20_000)
    assert "speaks" not in dialog.words.text()
    broken = tmp_path / "quay.json"
    broken.write_text("{}")
    dialog.take_file(broken)
    assert "quay.json: format" in dialog.words.text()
    dialog.which.setCurrentIndex(0)
    dialog.accept()
    assert panel.speech is None
    before = len(listen.sweeps(window.session.store, window.session.scope))
    panel.count.setCurrentIndex(0)
    panel.take()
    settle(window)
    assert len(listen.sweeps(window.session.store, window.session.scope)) == before + 1
