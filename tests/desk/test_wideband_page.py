"""The Wideband page in a window: carriers and packs made, placed, packed, lost, undone; painted over their slots."""

import time

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from azven.book.records import Model, Wideband, WidePack
from azven.desk.finding import entries
from azven.work import chosen, processes
from azven.work.kit import catalogue, wide_deeds


@pytest.fixture
def page(window):
    window.show_stage("kit")
    stage = window.open_stage("kit")
    stage.show_page("Wideband")
    return stage.wideband


def cell(table, title, record):
    records = table.records
    column = next(i for i, c in enumerate(records.columns) if c.title == title)
    return records.index([r.id for r in records.records].index(record.id), column)


def set_cell(table, title, record, value):
    assert table.records.setData(cell(table, title, record), value)


def by_name(window, kind, name):
    return next(r for r in window.session.store.all(kind) if r.name == name)


def free_of(page, name):
    return next(s.capacity - s.slots for s in page.columns.found.standings if s.carrier.name == name)


def test_a_part_of_a_strip_chooses_the_packs_in_it(window, page):
    box, block = next((b, k) for b, k in page.strips.blocks() if k.name == "Band mix")
    QTest.mouseClick(page.strips, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    assert {p.name for p in page.of_packs.chosen()} == {p.name for p in block.packs}
    assert page.table is page.of_packs
    assert page.strips.chosen_parts() == {p.id for p in block.packs}


def test_parts_lie_side_by_side_within_the_strip(page):
    boxes = [b for b, _ in page.strips.blocks()]
    assert all(b.left() >= 0 and b.right() <= page.strips.width() for b in boxes)
    for i, a in enumerate(boxes):
        assert not any(a.adjusted(1, 1, -1, -1).intersects(b.adjusted(1, 1, -1, -1)) for b in boxes[i + 1 :])


def test_a_carrier_is_added_placed_and_its_spectrum_closed_to_links(window, page):
    session = window.session
    page.add()
    new = by_name(window, Wideband, "Carrier")
    offered = dict(page.columns.channel_choices(new))
    assert offered["not placed"] == ""
    assert not {"42", "44", "48"} & set(offered.values()), "others that share its rooms stand there"
    set_cell(page.of_carriers, "Channel", new, "37")
    standing = next(s for s in page.columns.found.standings if s.carrier.id == new.id)
    assert standing.low_hz == 599_000_000
    assert "stand closer than 500 kHz" in standing.wrong[0]
    assert session.board.count("broken") == 1
    session.step_back()
    assert session.board.count("broken") == 0
    session.step_back()
    assert not any(c.name == "Carrier" for c in session.store.all(Wideband))


def test_packs_are_added_and_packed_and_all_comes_back_with_undo(window, page, settle):
    session = window.session
    page.pattern.setText("Lamp 1")
    page.count.setValue(5)
    page.sends.setCurrentIndex(page.sends.findText("standard"))
    QTest.keyClick(page.pattern, Qt.Key.Key_Return)
    assert "on no carrier: Lamp 1" in page.words.text()
    before = free_of(page, "Ferry") + free_of(page, "Barge")
    page.pack_all()
    settle(window)
    assert all(p.wideband_id for p in session.store.all(WidePack))
    assert free_of(page, "Ferry") + free_of(page, "Barge") == before - 5 * 4
    session.step_back()
    assert by_name(window, WidePack, "Lamp 1").wideband_id is None
    session.step_back()
    assert not any(p.name == "Lamp 1" for p in session.store.all(WidePack))


def test_packing_is_stopped_within_half_a_second_and_moves_nothing(window, page, settle, monkeypatch):
    monkeypatch.setattr(wide_deeds.ToPack, "answer", lambda _: time.sleep(3))
    before = window.session.store.all(WidePack)
    page.pack_all()
    QTest.qWait(300)
    asked = time.monotonic()
    window.session.jobs.shown.stop()
    settle(window)
    assert time.monotonic() - asked < 0.5
    assert window.session.store.all(WidePack) == before


def test_a_pack_in_use_is_not_moved(window, page):
    pack = by_name(window, WidePack, "Horn 1")
    set_cell(page.of_packs, "Now", pack, True)
    told = []
    window.session.said.connect(lambda text, trouble: told.append((text, trouble)))
    page.of_packs.records.setData(cell(page.of_packs, "Carrier", pack), by_name(window, Wideband, "Ferry").id)
    assert told[-1] == ("Horn 1 in use: a pack is moved only while it is idle.", True)
    assert by_name(window, WidePack, "Horn 1").wideband_id == by_name(window, Wideband, "Barge").id


def test_a_lost_carrier_is_told_at_the_rail_and_comes_back(window, page):
    page.of_carriers.choose({by_name(window, Wideband, "Barge").id})
    window.open_stage("kit").remove()
    assert "on no carrier" in page.words.text()
    assert page.columns.found.open_points == 12
    window.session.step_back()
    assert page.columns.found.open_points == 0


def test_an_empty_book_says_what_to_do_first(empty_window):
    empty_window.show_stage("kit")
    stage = empty_window.open_stage("kit")
    stage.show_page("Wideband")
    page, store = stage.wideband, empty_window.session.store
    assert "Add carrier" in page.empty.text()
    assert not page.within.isVisible()
    if not any(m.capacity for m in store.all(Model)):
        page.add()
        assert not store.all(Wideband)
        empty_window.session.do(lambda: catalogue.missing_generic(store).edit)
    page.add()
    assert len(store.all(Wideband)) == 1
    assert page.within.isVisible()


def test_two_hundred_packs_on_eight_carriers_are_packed_and_painted(window, page, settle, monkeypatch):
    store, scope = window.session.store, window.session.scope
    for _ in range(5):
        page.add()
    for row in range(10):
        said = {"mode": "standard", "mix": f"Mix {row}", "mix_mode": "standard", "stereo": row % 2 == 0}
        edit = wide_deeds.add_packs(store, scope, f"Row {row} 1", 20, **said)
        window.session.do(lambda made=edit: made)
    monkeypatch.setattr(processes, "_LOOK_S", 0.05)
    page.pack_all()
    settle(window)
    assert not page.columns.found.loose
    assert all(s.slots <= s.capacity for s in page.columns.found.standings)
    assert not page.strips.grab().isNull()


def test_choosing_a_carrier_gives_its_reasons_and_finding_leads_there(window, page):
    ferry = by_name(window, Wideband, "Ferry")
    QTest.mouseClick(page.strips, Qt.MouseButton.LeftButton, pos=QPoint(200, 8))
    assert window.session.selection == chosen.Wideband(ferry.id)
    assert window.panel.shown.title == "Ferry"
    window.show_stage("plan")
    entry = next(e for e in entries(window) if e.title.startswith("Barge"))
    entry.run()
    assert window.panel.shown.title == "Barge"
    assert page.table is page.of_carriers
