"""Other bands in a window: the switch of bands, others typed and pasted, links in turn, radars, lanes of one band."""

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from azven.book.records import Link, Model, Occupant, RadarEvent, Zone
from azven.desk.plan.lane_ends import NAME_W, ROW
from azven.desk.plan.lanes import HEAD
from azven.work import chosen, ids, kit, plan
from azven.work.bands import views


@pytest.fixture
def page(window):
    window.show_stage("kit")
    stage = window.open_stage("kit")
    stage.show_page("Other bands")
    return stage.other_bands


def link(window, name):
    return next(x for x in window.session.store.all(Link) if x.name == name)


def set_cell(table, title, record, value):
    records = table.records
    column = next(i for i, c in enumerate(records.columns) if c.title == title)
    row = [r.id for r in records.records].index(record.id)
    return records.setData(records.index(row, column), value)


def shown(table, title, record):
    records = table.records
    column = next(i for i, c in enumerate(records.columns) if c.title == title)
    return records.data(records.index([r.id for r in records.records].index(record.id), column))


def switch(window):
    return window.spine.switch


def press_band(window, name):
    made = next(b for b in switch(window)._group.buttons() if b.text() == name)
    QTest.mouseClick(made, Qt.MouseButton.LeftButton)


def without_guitars(window):
    session = window.session
    gone = {ids.of(link(window, f"Shanty guitar {i}")) for i in range(1, 5)}
    kept = {k: f for k, f in session.board.frequencies.items() if k not in gone}
    session.do(lambda: plan.set_frequencies(session.store, session.scope, kept, "Without", complete=True))


# -- the switch ------------------------------------------------------------------------------------------


def test_bands_are_seen_one_at_a_time_on_spine_and_lanes(window):
    window.show_stage("plan")
    chart = window.open_stage("plan").chart
    assert [b.text() for b in switch(window)._group.buttons()] == ["UHF", "1.9 GHz", "2.4 GHz", "5 GHz"]
    assert window.session.view.band.name == "UHF"
    assert len(chart._rows) == 29
    press_band(window, "2.4 GHz")
    assert [v.link.name for v in chart._rows] == [f"Shanty guitar {i}" for i in range(1, 5)]
    low, high = window.session.view.hz
    assert low < 2.400e9 < 2.4835e9 < high < 2.5e9
    press_band(window, "1.9 GHz")
    assert len(chart._rows) == 8
    assert not chart.grab().isNull()
    press_band(window, "UHF")
    assert window.session.view.hz[1] < 700e6


def test_what_is_selected_brings_its_band_into_view(window):
    window.session.select(chosen.Link(ids.of(link(window, "Tide wire quay"))))
    assert window.session.view.band.name == "5 GHz"
    assert next(b for b in switch(window)._group.buttons() if b.isChecked()).text() == "5 GHz"
    window.session.select(chosen.Link(ids.of(link(window, "Narrator"))))
    assert window.session.view.band.name == "UHF"


def test_a_band_is_kept_when_another_gets_more_links(window):
    session = window.session
    guitar = link(window, "Shanty guitar 1")
    model, zone = session.store.get(Model, guitar.model_id), session.store.get(Zone, guitar.zone_id)
    session.do(lambda: kit.add_links(session.store, session.scope, "More 1", 40, model, guitar.band, zone))
    assert session.view.band.name == "UHF"
    assert session.view.hz[1] < 700e6


def test_the_first_links_of_a_book_bring_their_band(empty_window):
    session = empty_window.session
    model = next(m for m in session.store.all(Model) if m.name == "Instrument link, 2.4 GHz")
    zone = session.store.all(Zone)[0]
    session.do(lambda: kit.add_links(session.store, session.scope, "Guitar 1", 2, model, model.bands[0][0], zone))
    assert session.view.band.name == "2.4 GHz"
    assert 2.39e9 < session.view.hz[0] < session.view.hz[1] < 2.5e9
    session.step_back()
    assert session.view.band.name == "UHF"
    assert session.view.hz[1] < 1e9


def test_one_band_needs_no_switch(empty_window):
    assert not switch(empty_window).isVisible()
    assert empty_window.session.view.band.name == "UHF"


def test_a_band_that_is_gone_gives_way_to_one_that_is_there(window):
    press_band(window, "1.9 GHz")
    store = window.session.store
    gone = [x for x in kit.links(store, window.session.scope) if x.name.startswith("Mooring")]
    window.session.do(lambda: kit.remove_links(store, gone))
    phones = next(o for o in store.all(Occupant) if "telephones" in o.name)
    window.open_stage("kit").other_bands.remove([phones])
    assert [b.text() for b in switch(window)._group.buttons()] == ["UHF", "2.4 GHz", "5 GHz"]
    assert window.session.view.band.name == "UHF"
    window.session.step_back()
    window.session.step_back()
    assert len(switch(window)._group.buttons()) == 4


def test_a_pennant_of_a_shared_band_is_nudged_and_dragged(window):
    window.show_stage("plan")
    chart = window.open_stage("plan").chart
    guitar = link(window, "Shanty guitar 4")
    window.session.select(chosen.Link(ids.of(guitar)))
    before = window.session.board.frequencies[ids.of(guitar)]
    QTest.keyClick(chart, Qt.Key.Key_Right)
    assert window.session.board.frequencies[ids.of(guitar)] == before + 1_000_000
    y = HEAD + 3 * ROW + ROW // 2
    port = chart.viewport()
    at = QPoint(round(chart._axis.x(before + 1_000_000)) + 3, y)
    QTest.mousePress(port, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(port, QPoint(round(chart._axis.x(2_412_000_000)), y))
    assert chart.trial is not None
    assert not chart.trial.clean
    QTest.mouseRelease(port, Qt.MouseButton.LeftButton, pos=QPoint(round(chart._axis.x(2_475_000_000)), y))
    assert chart._axis.left == NAME_W


def test_lanes_of_a_shared_band_are_tinted_where_others_are(window, qtbot):
    window.show_stage("plan")
    chart = window.open_stage("plan").chart
    press_band(window, "2.4 GHz")
    guitar = ids.of(link(window, "Shanty guitar 1"))
    qtbot.waitUntil(lambda: guitar in chart._tints, timeout=60_000)
    tint = chart._tints[guitar]
    closed = dict(zip(tint.freq_hz.tolist(), (tint.cause > 0).tolist(), strict=True))
    assert closed[2_412_000_000]
    assert not closed[window.session.board.frequencies[guitar]]


# -- the page --------------------------------------------------------------------------------------------


def test_the_bands_of_the_page_follow_the_spine_and_lead_it(window, page):
    assert page.found.band.name == "2.4 GHz"
    page.show_band(1)
    assert window.session.view.band.name == "5 GHz"
    assert page.radars.isVisible()
    assert "Minute 95, radar on 104" in page.told.text()
    page.show_band(2)
    assert not page.next.isVisible()
    assert "120 for systems" in page.told.text()
    assert [x.name for x in page.of_ours.records.records] == [f"Mooring {i}" for i in range(1, 9)]


def test_links_take_their_turns_and_are_ticked_by_hand(window, page, settle):
    without_guitars(window)
    assert page.turn.text().startswith("Next is Shanty guitar 1")
    QTest.mouseClick(page.next, Qt.MouseButton.LeftButton)
    assert page.turn.text().startswith("Switch on Shanty guitar 1")
    assert not page.next.isEnabled()
    assert set_cell(page.of_ours, "On", link(window, "Shanty guitar 1"), True)
    assert page.turn.text().startswith("Next is Shanty guitar 2")
    page.add()
    settle(window)
    assert page.turn.text().startswith("Every link here has a channel")
    assert window.session.board.count("unplaced") == 0


def test_a_channel_is_chosen_from_what_it_leaves(window, page):
    guitar = link(window, "Shanty guitar 1")
    column = next(c for c in page.of_ours.records.columns if c.title == "Channel")
    offered = column.choices(guitar)
    assert offered[0][0].endswith("dB")
    assert set_cell(page.of_ours, "Channel", guitar, 2_412_000_000)
    assert shown(page.of_ours, "Over need", guitar).startswith("−")
    assert shown(page.of_ours, "Mostly from", guitar)
    window.session.step_back()
    assert shown(page.of_ours, "Over need", guitar).startswith("+")


def test_others_are_typed_pasted_changed_and_removed(window, page):
    count = len(page.of_others.records.records)
    for field, text in zip(page._fields, ("Fish market", "9", "-55", "30"), strict=True):
        field.setText(text)
    QTest.keyClick(page.duty, Qt.Key.Key_Return)
    new = next(o for o in window.session.store.all(Occupant) if o.name == "Fish market")
    assert (new.centre_hz, new.level_dbm, new.duty) == (2_452_000_000, -55.0, 0.3)
    assert page.who.text() == ""
    assert set_cell(page.of_others, "Channel", new, "1")
    assert not set_cell(page.of_others, "Channel", new, "400")
    assert set_cell(page.of_others, "Stands at m", new, "4 10 2")
    QApplication.clipboard().setText("Pier\t3\t-60\nodd\t3\n")
    page.paste_text(QApplication.clipboard().text())
    assert len(page.of_others.records.records) == count + 2
    page.of_others.choose({new.id})
    page.of_others.selected.emit()
    window.open_stage("kit").remove()
    assert len(page.of_others.records.records) == count + 1


def test_wrong_entries_are_refused_and_keep_what_was_typed(window, page):
    said = []
    window.session.said.connect(lambda text, trouble: said.append((text, trouble)))
    for field, text in zip(page._fields, ("Fish market", "99", "-55", ""), strict=True):
        field.setText(text)
    page.add_other()
    assert said[-1] == ("There is no channel 99: 1 to 13 at 2.4 GHz, 36 to 165 at 5 GHz.", True) or said[-1][1]
    assert page.who.text() == "Fish market"


def test_radars_are_supposed_moved_and_taken_away(window, page):
    page.show_band(1)
    page.channel.setValue(108)
    page.minute.setValue(20)
    page.add_radar()
    new = next(e for e in window.session.store.all(RadarEvent) if e.channel == 108)
    assert "Tide wire pontoon is silent for 65 s" in page.told.text()
    assert set_cell(page.of_radars, "Minute", new, "40")
    assert "Minute 40, radar on 108" in page.told.text()
    page.channel.setValue(36)
    page.add_radar()
    assert len(window.session.store.all(RadarEvent)) == 2
    page.of_radars.choose({new.id})
    page.of_radars.selected.emit()
    assert page.table is page.of_radars
    window.open_stage("kit").remove()
    assert len(window.session.store.all(RadarEvent)) == 1


def test_charts_are_painted_in_every_band_and_theme(window, page):
    from azven.desk.theme import BACKSTAGE

    for number in range(3):
        page.show_band(number)
        assert not page.chart.grab().isNull()
        assert not page.radar.grab().isNull()
    window.session.set_theme(BACKSTAGE)
    page.show_band(0)
    assert len(page.chart.plates()) == 5
    assert all(box.width() > 0 for box, _ in page.chart.plates())
    assert "% of the time" in page.chart.plates()[0][1]


def test_without_links_the_page_says_what_to_do(empty_window, settle):
    stage = empty_window.open_stage("kit")
    empty_window.show_stage("kit")
    stage.show_page("Other bands")
    for number in range(3):
        stage.other_bands.show_band(number)
        assert "No link of ours works at" in stage.other_bands.empty.text()
    stage.other_bands.add()
    settle(empty_window)
    assert "Nothing to assign" in empty_window.said()
    assert views.show_minutes(empty_window.session.store, empty_window.session.scope) == 240
