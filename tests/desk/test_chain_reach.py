"""Chain and Reach through the window: build, set, provoke, cure, place, print, undo."""

import json

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtTest import QTest

from azven.book.records import Antenna, Mount, Wall
from azven.desk import files
from azven.desk.reach.backdrop import ScaleDialog
from azven.work import chain, ground, reach
from azven.work.reasons import reach as reasons_reach
from pictures import colours


def pick_design(stage, name):
    stage.chosen.setCurrentIndex(stage.chosen.findText(name))
    stage.refresh()


def key_up(stage, name, at):
    """Choose a threat and move it along the slider."""
    row = stage.troubles.row
    row.kind.setCurrentIndex(next(i for i in range(row.kind.count()) if row.kind.itemText(i).startswith(name)))
    row.distance.setValue(at)
    row._move()


def test_a_two_zone_system_is_built_tuned_overloaded_cured_printed_and_undone(window, settle, tmp_path, monkeypatch):
    window.show_stage("chain")
    session, stage = window.session, window.open_stage("chain")
    count = len(chain.designs(session.store, session.scope))
    stage.template.setCurrentIndex(stage.template.findText("stage and house"))
    stage.new_from_template()
    record = stage.record()
    assert record.name == "Stage and house"
    assert len(stage._solved.paths) == 2
    before = record.document
    stage.run_primary()
    settle(window)
    assert "Gains set: worst link" in window.said()
    assert "The strongest at receiver is" in window.said()
    assert "a 5 W radio 3 m from the antenna in" in window.said()
    assert stage.record().document != before
    assert stage._solved.receivers[0].headroom_db >= 3
    stage.show_page(1)
    key_up(stage, "hand-held radio", 0)
    assert "1 m from the antenna" in stage.troubles.row.said.text()
    assert all(t.text.startswith("Nothing") for t in [n.what for n in stage.troubles.table.records.records])
    session.do(lambda: chain.set_field(stage.record(), "Rope Hall filter", stop=[]))
    key_up(stage, "hand-held radio", 8)
    overloads = [n.what for n in stage.troubles.table.records.records if "headroom" in n.what.text]
    assert overloads
    assert "hand-held radio" in overloads[0].text
    assert "filter in front of the first amplifier" in overloads[0].remedy
    session.step_back()
    key_up(stage, "hand-held radio", 0)
    assert not [n.what for n in stage.troubles.table.records.records if "hand-held" in n.what.text]
    monkeypatch.setattr(files, "ask_where", lambda *_: tmp_path / "design.pdf")
    stage.print_design()
    document = QPdfDocument(None)
    document.load(str(tmp_path / "design.pdf"))
    text = "".join(document.getAllText(i).text() for i in range(document.pageCount()))
    document.close()
    for words in (
        "Stage and house",
        "Settings to dial in",
        "Rope Hall mast",
        "licensed riggers",
        "local code decides",
    ):
        assert words.replace(" ", "") in text.replace(" ", "").replace("\n", "")
    while session.undo.index():
        session.step_back()
    assert len(chain.designs(session.store, session.scope)) == count


def test_moving_a_gain_moves_the_staircase_and_letting_go_writes_it_down(window):
    window.show_stage("chain")
    session, stage = window.session, window.open_stage("chain")
    pick_design(stage, "Three rooms, one rack")
    stage._pick("Rope Hall mast")
    assert window.panel.shown.title == "Rope Hall mast"
    assert stage.knob.isEnabled()
    peak = {s.block: s.peak_dbm for s in stage.stairs.stairs}
    stage.knob.setSliderDown(True)
    stage.knob.setValue(1)
    tried = {s.block: s.peak_dbm for s in stage.stairs.stairs}
    assert tried["receiver"] < peak["receiver"]
    assert chain.node(chain.document_of(stage.record()), "Rope Hall mast")["gain_db"] == 15
    stage.knob.setSliderDown(False)
    stage.knob.sliderReleased.emit()
    assert chain.node(chain.document_of(stage.record()), "Rope Hall mast")["gain_db"] == 0
    session.step_back()
    assert chain.node(chain.document_of(stage.record()), "Rope Hall mast")["gain_db"] == 15
    stage._pick("Rope Hall cable")
    stage.knob.setValue(40)
    assert chain.node(chain.document_of(stage.record()), "Rope Hall cable")["length_m"] == 40
    stage.strips.grab()
    stage.stairs.grab()


def test_the_naive_setting_stands_beside_set_gains(window, settle):
    window.show_stage("chain")
    stage = window.open_stage("chain")
    pick_design(stage, "Three rooms, one rack")
    stage.show_page(3)
    stage.compare._ask()
    settle(window)
    sides = {n.what.name: n.what for n in stage.compare.table.records.records}
    naive, best = sides["everything turned up"], sides["Set gains"]
    assert naive.headroom_db < 0 < best.headroom_db
    assert naive.products_dbm > best.products_dbm + 20
    assert max(naive.snr_db.values()) > max(best.snr_db.values())
    assert "keeps its sensitivity" in stage.compare.reasons.text()


def test_the_venue_is_heard_through_the_design_when_radios_key_up(window, settle):
    window.show_stage("chain")
    stage = window.open_stage("chain")
    pick_design(stage, "Three rooms, one rack")
    stage.show_page(4)
    settle(window)
    calm = stage.heard.words.text()
    assert calm.startswith("as it is: noise −")
    stage.heard.row.kind.setCurrentIndex(1)
    stage.heard.row.distance.setValue(18)
    settle(window)
    assert stage.heard.words.text() != calm
    assert [h.name for h in stage.heard.view.heard] == ["as it is", "Set gains", "as it is, without filters"]
    assert colours(stage) > 3
    pick_design(stage, "In-ear rack")
    assert stage.heard.words.text() == "This design hears nothing."


def test_parts_cables_and_ears(window):
    window.show_stage("chain")
    stage = window.open_stage("chain")
    pick_design(stage, "Three rooms, one rack")
    stage.show_page(2)
    cables = stage.parts.cables.records.records
    assert [c.label for c in cables] == ["C1", "C2", "C3"]
    assert cables[0].choices.startswith("15 mm low loss +2.6, 10 mm solid −4.9")
    assert any(p.what.startswith("antenna") and p.count == 3 for p in stage.parts.parts.records.records)
    pick_design(stage, "In-ear rack")
    stage.show_page(1)
    assert "keep away" in stage.troubles.keep_away.text()
    assert "local code decides" in stage.troubles.keep_away.text()
    assert stage.stairs.stairs == []


def test_designs_go_out_and_come_in_and_nonsense_is_refused(window, tmp_path, monkeypatch):
    window.show_stage("chain")
    session, stage = window.session, window.open_stage("chain")
    monkeypatch.setattr(files, "ask_where", lambda *_: tmp_path / "out.json")
    stage.export()
    monkeypatch.setattr(files, "ask_which", lambda *_: tmp_path / "out.json")
    count = len(chain.designs(session.store, session.scope))
    stage.load()
    assert len(chain.designs(session.store, session.scope)) == count + 1
    assert stage.record().name.endswith(" 2")
    (tmp_path / "bad.json").write_text(json.dumps({"format": "azven-chain", "version": 1}), encoding="utf-8")
    stage.load_from(tmp_path / "bad.json")
    assert "was not read" in window.said()
    stage.remove()
    assert len(chain.designs(session.store, session.scope)) == count


def test_an_empty_book_says_what_to_do(empty_window):
    empty_window.show_stage("chain")
    stage = empty_window.open_stage("chain")
    assert stage._nothing.isVisible()
    stage.new_from_template()
    assert not stage._nothing.isVisible()
    empty_window.show_stage("reach")
    assert empty_window.open_stage("reach").room() is not None


def test_antennas_are_suggested_placed_moved_compared_and_undone(window, settle, qtbot):
    window.show_stage("reach")
    session, stage = window.session, window.open_stage("reach")
    settle(window)
    first = [(a.name, a.x_m) for a in stage.room().antennas]
    assert "served at 99 %" in stage.words.text()
    stage.copy_layout()
    assert stage.placement == "B"
    stage.run_primary()
    settle(window)
    names = {a.name for a in reach.receive(stage.room())}
    assert names <= {m.name for m in stage.room().mounts}
    assert "Behind the glass" not in names
    assert "licensed riggers" in window.said()
    settle(window)
    assert stage.compared.text().startswith("A: ")
    antenna = reach.receive(stage.room())[0]
    at = stage.view.pixel(antenna.x_m, antenna.y_m).toPoint()
    qtbot.mouseClick(stage.view, Qt.MouseButton.LeftButton, pos=at)
    assert window.panel.shown.title == antenna.name
    stage.fields["z_m"].setValue(2.0)
    stage.fields["z_m"].editingFinished.emit()
    assert session.store.get(Antenna, antenna.id).z_m == 2.0
    assert "raise it" in window.panel.shown.verdict
    qtbot.mousePress(stage.view, Qt.MouseButton.LeftButton, pos=at)
    qtbot.mouseMove(stage.view, at + QPoint(40, 10))
    qtbot.mouseRelease(stage.view, Qt.MouseButton.LeftButton, pos=at + QPoint(40, 10))
    assert session.store.get(Antenna, antenna.id).y_m != antenna.y_m
    for title in ("which antenna carries", "dropout risk"):
        stage.map.setCurrentIndex(stage.map.findText(title))
        stage._show_map()
        stage.view.grab()
    stage.pattern.grab()
    stage.graph.grab()
    while session.undo.index():
        session.step_back()
    stage.layout_box.setCurrentIndex(0)
    stage.refresh()
    assert [(a.name, a.x_m) for a in stage.room().antennas] == first


def test_walls_mounts_antennas_and_walks_are_drawn_with_the_pointer(window, settle, qtbot):
    window.show_stage("reach")
    session, stage = window.session, window.open_stage("reach")
    settle(window)

    def tool(name):
        stage.tool.setCurrentIndex(stage.tool.findData(name))
        stage._tool_chosen()

    def spot(x, y):
        return stage.view.pixel(x, y).toPoint()

    walls, mounts = len(session.store.all(Wall)), len(session.store.all(Mount))
    tool("wall")
    stage.material.setCurrentIndex(stage.material.findText("steel"))
    qtbot.mousePress(stage.view, Qt.MouseButton.LeftButton, pos=spot(-6, 30))
    qtbot.mouseMove(stage.view, spot(6, 30))
    qtbot.mouseRelease(stage.view, Qt.MouseButton.LeftButton, pos=spot(6, 30))
    assert [w.material for w in session.store.all(Wall)][walls:] == ["steel"]
    tool("mount")
    qtbot.mouseClick(stage.view, Qt.MouseButton.LeftButton, pos=spot(0, 40))
    assert len(session.store.all(Mount)) == mounts + 1
    tool("transmit")
    qtbot.mouseClick(stage.view, Qt.MouseButton.LeftButton, pos=spot(0, 50))
    sender = stage.room().antennas[-1]
    assert sender.role == "transmit"
    zone = stage.zone_record()
    assert "keep away" in str(reasons_reach.for_antenna(stage.room(), sender, "handheld").arithmetic)
    tool("walk")
    for y in (10, 20, 55):
        qtbot.mouseClick(stage.view, Qt.MouseButton.LeftButton, pos=spot(2, y))
    settle(window)
    assert stage.graph.walk.along_m[-1] > 40
    tool("receive")
    assert stage.view.antenna_at(QPointF(-50, -50)) is None
    tool("out")
    qtbot.mouseClick(stage.view, Qt.MouseButton.LeftButton, pos=spot(0, 40))
    assert len(session.store.all(Mount)) == mounts
    areas = len(stage.room().areas)
    drag_box(stage, qtbot, tool, spot, "audience", (-4, 14), (4, 20))
    assert [a.name for a in stage.room().areas][areas:] == ["Audience 2"]
    drag_box(stage, qtbot, tool, spot, "outline", (-8, 2), (8, 58))
    low, high = stage.room().low, stage.room().high
    assert [*low, *high] == pytest.approx([-8, 2, 8, 58], abs=0.3)
    session.step_back()
    assert stage.room().high[1] == 60
    drag_box(stage, qtbot, tool, spot, "stage", (0, 5), (0.2, 5.1))
    assert "at least a metre each way" in window.said()
    stage.view.selected = sender.id
    stage.remove()
    assert sender.id not in {a.id for a in stage.room().antennas}
    assert ground.zones(session.store, session.scope)[0].id == zone.id


def drag_box(stage, qtbot, tool, spot, name, start, end):
    """Draw with a tool from corner to corner."""
    tool(name)
    qtbot.mousePress(stage.view, Qt.MouseButton.LeftButton, pos=spot(*start))
    qtbot.mouseMove(stage.view, spot(*end))
    assert colours(stage.view) > 3
    qtbot.mouseRelease(stage.view, Qt.MouseButton.LeftButton, pos=spot(*end))


def test_a_drawing_is_put_to_scale_and_taken_away(window, settle, tmp_path, monkeypatch):
    window.show_stage("reach")
    stage, session = window.open_stage("reach"), window.session
    settle(window)
    path = tmp_path / "hall.png"
    monkeypatch.setattr(files, "ask_which", lambda *_: path)
    path.write_bytes(b"\x89PNG\r\n\x1a\nnot a picture")
    stage.choose_drawing()
    assert "cannot be read as a picture" in window.said()
    image = QImage(300, 900, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.white)
    assert image.save(str(path))

    def click_and_accept(dialog):
        dialog.resize(760, 620)
        dialog.show()
        box = dialog.picture._box()
        for at in (box.bottomLeft() + QPointF(2, -2), box.topRight() + QPointF(-2, 2)):
            QTest.mouseClick(dialog.picture, Qt.MouseButton.LeftButton, pos=at.toPoint())
        return True

    monkeypatch.setattr(ScaleDialog, "exec", click_and_accept)
    stage.choose_drawing()
    settle(window)
    shown = stage.view.backdrop
    assert shown is not None
    (ax, ay, x1, y1), (bx, by, x2, y2) = shown[1]
    assert (x1, y1) == stage.view.room.low
    assert (x2, y2) == stage.view.room.high
    assert ax < 10
    assert ay > 890
    assert bx > 290
    assert by < 10
    window.grab()
    window.actions_table.run("no-drawing")
    assert stage.view.backdrop is None
    session.step_back()
    assert stage.view.backdrop is not None


def test_a_packed_house_and_a_fence_change_the_map(window, settle, qtbot):
    window.show_stage("reach")
    stage = window.open_stage("reach")
    settle(window)
    empty = stage.coverage.margin_db
    stage.packed.setChecked(True)
    settle(window)
    assert (empty - stage.coverage.margin_db).max() == pytest.approx(9.0)
    stage.tool.setCurrentIndex(stage.tool.findData("wall"))
    stage.material.setCurrentIndex(stage.material.findData(reach.MESH))
    stage._tool_chosen()
    assert not stage.opening.isHidden()
    assert stage.aim.isHidden()
    start, end = (stage.view.pixel(x, 30.0).toPoint() for x in (-8.0, 8.0))
    qtbot.mousePress(stage.view, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(stage.view, end)
    qtbot.mouseRelease(stage.view, Qt.MouseButton.LeftButton, pos=end)
    settle(window)
    fence = next(w for w in stage.view.room.walls if w.material == reach.MESH)
    assert 6 < fence.loss_db < 12
    assert "crossed" in stage.pair.text()


def test_side_b_is_drawn_with_its_own_blocks_and_back(window, settle):
    window.show_stage("chain")
    stage, session = window.open_stage("chain"), window.session
    rows = len(stage.strips._rows)
    window.actions_table.run("sides")
    assert len(stage.strips._rows) == 2 * rows
    assert stage.sides.text() == "Side B like A"
    stage._pick("Rope Hall mast B")
    stage.knob.setValue(0)
    assert chain.node(chain.document_of(stage.record()), "Rope Hall mast B")["gain_db"] is None
    assert chain.node(chain.document_of(stage.record()), "Rope Hall mast")["gain_db"] is not None
    stage.run_primary()
    settle(window)
    assert "Gains set" in window.said()
    window.actions_table.run("sides")
    assert len(stage.strips._rows) == rows
    for _ in range(4):
        session.step_back()
    assert len(stage.strips._rows) == rows
