"""Watch as a user does it: a log played again with all views, cases taken, racks in trouble, deeds asked once."""

import json
import threading
import time
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from PyQt6.QtGui import QColor

from azven.book.records import Act, Link
from azven.desk.watch import ropes
from azven.desk.watch.alarms import AlarmsDialog, Settings, remembered, tone
from azven.desk.watch.carpet import HEAD, laid_out
from azven.desk.watch.far import FarView
from azven.desk.watch.stage import BATTERIES, LINKS, LOG, NOW
from azven.rf.diagnose.record import LinkHead
from azven.work import chosen, kit
from azven.work.scope import opening as here
from azven.work.watch import report, rings
from azven.work.watch.cases import Alarm

NAMES = ["Narrator", "Choir 1", "Choir 2", "Choir 3"]


@pytest.fixture
def log(tmp_path):
    """Two minutes: Narrator is muted from the thirtieth second on, Choir 2 goes at the sixtieth."""
    links = [
        {"name": n, "freq_hz": 500_000_000 + 3_100_000 * i, "rack": "r-1", "zone": "Hall", "threshold_dbm": -92,
         "needed_db": 20, "battery_min": 240, "priority": 1 if i == 0 else 3}
        for i, n in enumerate(NAMES)
    ]  # fmt: skip
    acts = [{"name": "Concert", "from_s": 0, "to_s": 3600}]
    lines = [
        {"format": "azven-status-log", "version": 1, "start": "2026-09-12T18:00:00Z", "links": links, "acts": acts}
    ]
    for k in range(240):
        t = k / 2
        c = {}
        for i, name in enumerate(NAMES):
            off = i == 2 and t >= 60
            level = -110.0 if off else -60.0 - i
            c[name] = {"a": level, "b": level - 3, "q": 0 if off else 98, "af": -25, "bat": 80, "left_min": 90.0,
                       "tx": "off" if off else "on", "mute": i == 0 and t >= 30}  # fmt: skip
        lines.append({"t": t, "c": c})
    path = tmp_path / "evening.jsonl"
    path.write_text("\n".join(map(json.dumps, lines)) + "\n")
    return path


@pytest.fixture
def played(empty_window, log, qtbot):
    """Watch with the log played up to its hundredth second."""
    stage = empty_window.open_stage("watch")
    empty_window.show_stage("watch")
    stage.watch.play(log)
    stage.watch.set_speed(0.0)
    night = stage.watch.night
    for t in (20.0, 40.0, 70.0, 100.0):
        stage.watch.jump(t)
        qtbot.waitUntil(lambda t=t: night.seen.t >= t, timeout=60_000)
    qtbot.waitUntil(lambda: len(stage.now.rows) == 2, timeout=60_000)
    stage.now.refresh()
    return stage


def words(row):
    return row.who.text(), row.what.text()


def test_without_racks_the_stage_says_what_to_do(empty_window):
    stage = empty_window.open_stage("watch")
    empty_window.show_stage("watch")
    stage.refresh()
    assert "make some in Kit" not in stage.now.empty.text()
    assert stage.primary() == ("I have it", False)
    stage.run_primary()
    for page in (LINKS, BATTERIES, LOG, NOW):
        stage.pages.show_page(page)
        stage.take_focus()
    assert not stage.watch.folder.exists()


def test_a_log_played_again_shows_its_cases_the_important_first(played):
    rows = [played.now.rows[c.number] for c in played.watch.seen.open]
    assert [words(r) for r in rows] == [
        ("Narrator", "Muted at the transmitter."), ("Choir 2", "Its transmitter was switched off."),
    ]  # fmt: skip
    assert "for 70 s" in rows[0].lasts.text()
    assert played.stands.text() == "2 cases touch 2 of 4 links · 2 calm"
    assert [c.place for c in played.now.calm._cells] == [1, 3]
    entries = played.window().rail.entries()
    assert next(e for e in entries if e.name == "watch").points == ()  # what is live counts, not what is played


def test_a_row_that_comes_says_what_it_is_at_once(played):
    page = played.now
    number = next(iter(page.rows))
    page._drop(page.rows.pop(number))
    page._order, page._ticks = ((), ()), 0
    page.tick()
    row = page.rows[number]
    assert row.case.number == number
    assert row.who.text()
    assert row.step.text() or row.step.isHidden()


def test_taken_it_shrinks_to_a_line_and_can_be_opened_and_closed(played, qtbot):
    played.run_primary()
    (line,) = played.now.taken.values()
    assert "has it since" in line.words.text()
    assert list(played.now.rows) != []
    line.open.click()
    assert played.now.taken == {}
    assert len(played.now.rows) == 2
    case = played.watch.seen.open[0]
    played.now.close_case(case)
    played.now.asking.field.setText("the switch was loose")
    played.now.asking.yes.click()
    assert played.now.asking.isHidden()
    assert played.watch.night.cases.all[case.number].ended == "the switch was loose"


def test_a_case_that_is_selected_has_its_reasons(played):
    case = played.watch.seen.open[0]
    played.now.see(case)
    panel = played.window().panel.shown
    assert panel.title == "Narrator"
    assert "Muted" in panel.verdict
    assert panel.steps
    played.session.select(chosen.Case(99))
    assert played.window().panel.shown is None


def test_the_far_view_says_the_gravest_and_closes_with_escape(played, qtbot):
    played.far_view()
    played.far_view()
    (view,) = played.window().findChildren(FarView)
    for size in ((1280, 800), (640, 400), (1920, 1080)):
        view.resize(*size)
        assert not view.grab().isNull()
    assert "Narrator: Muted at the transmitter." in view.accessibleDescription()
    qtbot.keyClick(view, "\x1b")
    qtbot.waitUntil(lambda: not played.window().findChildren(FarView))


def test_all_links_and_batteries_say_what_each_shows(played):
    played.pages.show_page(LINKS)
    rows = played.links.table.records.records
    assert [r.head.name for r in rows] == NAMES
    shown = [[c.show(r) for c in played.links.table.records.columns] for r in rows]
    assert shown[0][5:8] == ["−60", "−63", "98"]
    assert shown[0][-2] == "muted"
    played.links.table.choose({0})
    played.links.refresh()
    assert "nothing can be done" in played.links.words.text()
    played.pages.show_page(BATTERIES)
    assert {r.charge.left.minutes for r in played.batteries.table.records.records} == {90.0}
    assert "everything lasts" in played.batteries.words.text()


def test_going_back_in_a_log_begins_anew(played, qtbot):
    played.watch.jump(10.0)
    qtbot.waitUntil(lambda: 9.0 < played.watch.seen.t < 15.0 and not played.watch.seen.open, timeout=60_000)
    played.playing.tick()
    assert played.playing.time.text() == "0:00:10 of 0:01:59"
    played.watch.end_replay()
    played.playing.tick()
    assert played.playing.isHidden()
    assert played.watch.seen.watched.names == ()


def test_a_file_that_is_no_log_is_told_and_nothing_is_played(empty_window, tmp_path):
    stage = empty_window.open_stage("watch")
    empty_window.show_stage("watch")
    (tmp_path / "other.jsonl").write_text("{}\n")
    stage.log.play_file(tmp_path / "other.jsonl")
    assert "is no azven-status-log" in empty_window.said()
    assert stage.watch.replay is None


def test_a_log_is_reported_and_written_out(played, log, tmp_path, monkeypatch, settle):
    from azven.desk import files

    monkeypatch.setattr(type(played.watch), "folder", property(lambda self: log.parent))
    played.pages.show_page(LOG)
    played.log.refresh()
    assert [r.path for r in played.log.kept.records.records] == [log]
    for deed, name in ((played.log.write_report, "report.pdf"), (played.log.export, "out.jsonl.gz"),
                       (played.log.export_csv, "out.csv"), (played.log.diagnose, "incidents.csv")):  # fmt: skip
        monkeypatch.setattr(files, "ask_where", lambda *a, name=name: tmp_path / name)
        played.log.kept.choose({0})
        deed()
        settle(played.window())
        assert (tmp_path / name).stat().st_size > 200
    assert "muted" in (tmp_path / "incidents.csv").read_text()
    table = (tmp_path / "out.csv").read_text().splitlines()
    assert table[0].startswith("t,link,a,b")
    assert len(table) == 1 + 240 * 4


def test_reading_a_log_is_stopped_at_once_and_tells_nothing(played, log, tmp_path, monkeypatch, settle, qtbot):
    from azven.desk import files

    goes_on, asked = threading.Event(), []
    monkeypatch.setattr(type(played.watch), "folder", property(lambda self: log.parent))
    monkeypatch.setattr(report, "of_log", lambda path: goes_on.wait(30))
    monkeypatch.setattr(files, "ask_where", lambda *a: asked.append(a))
    played.pages.show_page(LOG)
    played.log.refresh()
    jobs = played.session.jobs
    for deed in (played.log.diagnose, played.log.write_report):
        played.log.kept.choose({0})
        deed()
        qtbot.wait(200)
        jobs.stop()
        qtbot.waitUntil(lambda: jobs.idle, timeout=5_000)
    goes_on.set()
    assert not asked


# ropes

INK = ropes.ink(QColor("#111111"), QColor("#222222"), QColor("#333333"), QColor("#444444"))


def drawn(a, b, q=100.0, sign=rings.NAMED, height=21):
    readings = np.full((12, 6, 1), np.nan, np.float32)
    readings[:, rings.A], readings[:, rings.B], readings[:, rings.Q] = a, b, q
    rope = ropes.ropes(readings, np.full((12, 1), sign, np.uint8), np.array([-92.0], np.float32), 4)
    return rope, ropes.pixels(rope, height, INK)[0]


def inked(picture, colour):
    return int((picture == colour).sum())


def test_a_rope_tells_by_its_shape():
    both, strong = drawn(-60.0, -60.0)
    assert (both.how == ropes.SOLID).all()
    assert inked(strong, INK.a) == inked(strong, INK.b) > 0
    _, weak = drawn(-90.0, -90.0)
    assert 0 < inked(weak, INK.a) < inked(strong, INK.a)
    _, lost = drawn(-60.0, -100.0)
    assert inked(lost, INK.b) == 0 < inked(lost, INK.a)
    gap, nothing = drawn(-100.0, -100.0, 0.0)
    assert (gap.how == ropes.GAP).all()
    assert not nothing.any()
    disturbed, hatched = drawn(-60.0, -60.0, 20.0)
    assert (disturbed.how == ropes.HATCHED).all()
    assert inked(hatched, INK.wrong) > 0 == inked(hatched, INK.a)
    muted, hollow = drawn(-60.0, -60.0, sign=rings.NAMED | rings.MUTED)
    assert (muted.how == ropes.HOLLOW).all()
    assert 0 < inked(hollow, INK.a) < inked(strong, INK.a)
    unplugged, outline = drawn(-60.0, -60.0, sign=rings.NAMED | rings.UNPLUGGED)
    assert (unplugged.how == ropes.OUTLINE).all()
    assert 0 < inked(outline, INK.a) < inked(hollow, INK.a)
    silent, dots = drawn(np.nan, np.nan, np.nan)
    assert (silent.how == ropes.DOTS).all()
    assert inked(dots, INK.a) > 0
    by_quality, _ = drawn(np.nan, np.nan, 50.0)
    assert (by_quality.how == ropes.SOLID).all()
    assert by_quality.a_db[0, 0] == ropes.BY_QUALITY_DB / 2


def test_every_column_keeps_the_worst_reading():
    readings = np.full((100, 6, 1), np.nan, np.float32)
    readings[:, :2], readings[:, rings.Q] = -60.0, 100.0
    readings[37, rings.B] = -91.0
    rope = ropes.ropes(readings, np.full((100, 1), rings.NAMED, np.uint8), np.array([-92.0], np.float32), 10)
    assert rope.b_db[0].tolist() == [32.0] * 3 + [1.0] + [32.0] * 6


def test_four_thousand_grains_are_drawn_in_one_go():
    readings = np.zeros((120, 6, 4000), np.float32) - 60
    rope = ropes.ropes(readings, np.zeros((120, 4000), np.uint8), np.full(4000, -92.0, np.float32), 8)
    begun = time.process_time()
    assert ropes.pixels(rope, 6, INK).shape == (4000, 6, 8)
    assert time.process_time() - begun < 5.0


# live


def test_an_act_that_runs_now_moves_the_evening_and_can_be_undone(window):
    stage = window.open_stage("watch")
    window.show_stage("watch")
    acts = kit.acts(window.session.store, here(window.session.store))
    before = [(a.starts_at, a.ends_at) for a in acts]
    stage._runs_now(acts[1])
    moved = kit.acts(window.session.store, here(window.session.store))
    assert moved[1].starts_at <= window.session.now() < moved[1].ends_at
    assert [a.ends_at - a.starts_at for a in moved] == [b - a for a, b in before]
    assert moved[2].starts_at - moved[1].ends_at == before[2][0] - before[1][1]
    assert moved[1].starts_at - moved[0].ends_at == before[1][0] - before[0][1]
    window.session.step_back()
    assert [(a.starts_at, a.ends_at) for a in kit.acts(window.session.store, here(window.session.store))] == before


def test_a_muted_pack_is_a_case_its_lock_is_asked_once_sent_read_back_and_written_down(watching, qtbot):
    window, session = watching.window(), watching.session
    store = session.store
    act = store.all(Act, show_id=session.scope.show)[1]
    watching._runs_now(act)
    link = next(x for x in store.all(Link, show_id=session.scope.show) if x.name == "Lamp Choir 1")
    there = session.surroundings.racks()
    pack, channel = there.pack(link.id), there.members[link.id].channel
    session.racks.send(session.racks.here.differences(session.racks.now, {link.id}), lambda calls: None)
    qtbot.waitUntil(lambda: not session.racks.here.differences(session.racks.now, {link.id}), timeout=60_000)
    pack.on, pack.freq_hz, pack.name = True, channel.tuned_hz, link.name
    pack.mute = True
    qtbot.waitUntil(
        lambda: any(c.incident.cause == "muted" and c.links == ("Lamp Choir 1",) for c in watching.watch.seen.open),
        timeout=120_000,
    )
    case = next(c for c in watching.watch.seen.open if c.links == ("Lamp Choir 1",))
    assert next(e for e in window.rail.entries() if e.name == "watch").points
    deed = watching.now.doing.offers(case)[0]
    assert deed.title == "Lock its switch"
    watching.now.doing.ask(deed)
    assert not watching.now.asking.isHidden()
    assert channel.settings["mute_lock"] is False
    watching.now.asking.yes.click()
    qtbot.waitUntil(lambda: "done and read back" in window.said(), timeout=60_000)
    assert channel.settings["mute_lock"] is True
    path = watching.watch.keeping.path

    def written():
        return [json.loads(x)["event"] for x in path.read_text().splitlines() if '"kind":"deed"' in x]

    qtbot.waitUntil(lambda: bool(written()), timeout=60_000)
    (event,) = written()
    assert (event["before"], event["values"]) == ({"mute_lock": False}, {"mute_lock": True})
    assert event["outcome"] == "done"


# the carpet


@pytest.mark.parametrize(("count", "rooms", "size"), [(1000, 5, (860, 180)), (200, 3, (860, 180)), (45, 1, (400, 90)),
                                                      (7, 7, (200, 60))])  # fmt: skip
def test_every_grain_has_its_place_and_is_painted_there(count, rooms, size):
    links = [LinkHead(name=f"L{i}", zone=f"Room {i % rooms}") for i in range(count)]
    laid = laid_out(links, *size)
    assert sorted(laid.boxes) == list(range(count))
    places = {(b.left(), b.top()) for b in laid.boxes.values()}
    assert len(places) == count
    assert max(b.bottom() for b in laid.boxes.values()) <= size[1]
    grains = np.arange(1, count + 1, dtype=np.uint32)[:, None, None] * np.ones((1, laid.high, laid.wide), np.uint32)
    canvas = laid.picture(grains, size[0])
    for i, box in laid.boxes.items():
        x, y = int(box.left()), int(box.top()) - HEAD
        if x + laid.wide <= size[0]:
            assert (canvas[y : y + laid.high, x : x + laid.wide] == i + 1).all()
    for a, b in pairwise(laid.blocks):
        assert a.left + a.columns * laid.step[0] < b.left


# hushing, notes, alarms


def test_hushed_it_is_a_line_and_notes_stay_with_it(played):
    case = played.watch.seen.open[1]
    played.now.rows[case.number].hush.click()
    (line,) = played.now.taken.values()
    assert "hushed by" in line.words.text()
    line.note.click()
    played.now.asking.field.setText("ask at the desk")
    played.now.asking.yes.click()
    assert [n.text for n in played.watch.night.cases.all[case.number].notes] == ["ask at the desk"]
    played.session.select(chosen.Case(case.number))
    who = played.session.racks.here.who
    assert ("note", f"{who}: ask at the desk") in played.window().panel.shown.origins


def test_alarms_are_off_until_they_are_chosen_and_a_wrong_target_is_told(played, qtbot):
    alarms = played.watch.alarms
    assert (alarms.settings.device, alarms.settings.notes, alarms.settings.osc) == ("", False, "")
    played.show_alarms()
    (dialog,) = played.window().findChildren(AlarmsDialog)
    dialog.again.setValue(5)
    dialog.notes.setChecked(True)
    dialog._try()
    assert alarms.settings == Settings(), "a sound that is tried changes nothing"
    dialog.notes.setChecked(False)
    dialog.osc.setText("nowhere")
    dialog._use()
    assert "no target" in played.window().said()
    assert played.watch.live.cases.again_s == 300.0
    assert remembered().again_min == 5
    alarms.use(replace(Settings(), osc="127.0.0.1:9"))
    alarms._ring([Alarm("new", played.watch.seen.open[0])])
    alarms._look()
    alarms.sound("")
    alarms.use(Settings())
    assert 2 * 48_000 * 0.15 < len(tone()) < 2 * 48_000 * 0.25


def test_without_a_sign_off_there_is_nothing_to_put_back(played):
    played.put_back()
    assert "sign off in Prove" in played.window().said()
