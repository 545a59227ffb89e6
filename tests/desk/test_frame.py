"""The frame: themes, palette, keys, tables, density, ground's deeds, opening and shooting."""

import subprocess
import sys
from dataclasses import fields
from types import SimpleNamespace

import pytest
from PyQt6.QtCore import QAbstractItemModel, Qt
from PyQt6.QtTest import QAbstractItemModelTester
from PyQt6.QtWidgets import QInputDialog

from azven.desk import finding
from azven.desk import theme as look
from azven.desk.axis import polygon, silhouette, stacked
from azven.desk.palette import Palette, matching
from azven.desk.tables import Column, RecordTable
from azven.work import chosen, ground, kit, plan
from azven.work.scope import opening as here
from naming import key
from pictures import colours


def luminance(color):
    def linear(c):
        return c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4

    return 0.2126 * linear(color.redF()) + 0.7152 * linear(color.greenF()) + 0.0722 * linear(color.blueF())


@pytest.mark.parametrize("theme", look.THEMES.values(), ids=lambda t: t.name)
@pytest.mark.parametrize("text", ["ink", "dim", "accent", "ochre_text", "brick_text"])
def test_text_keeps_its_contrast(theme, text):
    for under in ("ground", "side", "field"):
        a, b = sorted((luminance(theme.color(text)), luminance(theme.color(under))))
        assert (b + 0.05) / (a + 0.05) >= 4.5, (theme.name, text, under)
    assert all(f.name == "name" or theme.color(f.name).isValid() for f in fields(theme))


def test_palette_finds_links_rooms_and_deeds(window, qtbot):
    entries = finding.entries(window)
    assert matching(entries, "narr")[0].title.startswith("Narrator")
    assert matching(entries, "mend")[0].title.startswith("Mend broken")
    assert any(e.kind == "room" for e in matching(entries, "rope hall"))
    palette = Palette(window, entries)
    qtbot.addWidget(palette)
    qtbot.keyClicks(palette._text, "narrator")
    qtbot.keyClick(palette._text, Qt.Key.Key_Return)
    assert window.session.link_id == key(window.session, "Narrator")
    assert window.stage.name == "plan"


def test_keys_walk_the_lanes_and_nudge(window, qtbot):
    chart, session = window.open_stage("plan").chart, window.session
    session.select(chosen.Link(key(session, "Narrator")))
    qtbot.keyClick(chart, Qt.Key.Key_Down)
    assert session.link_id == session.board.verdicts[2].id
    before = session.board.frequencies[session.link_id]
    qtbot.keyClick(chart, Qt.Key.Key_Right)
    assert session.board.frequencies[session.link_id] == before + 25_000
    session.step_back()
    assert session.board.frequencies[session.link_id] == before


def test_ctrl_numbers_open_stages_and_folds_fold(window, qtbot):
    for action, name in (("stage-ground", "ground"), ("stage-listen", "listen"), ("stage-kit", "kit")):
        window.actions_table.run(action)
        assert window.stage.name == name
    window.actions_table.run("spine")
    assert window.spine.isHidden()
    window.actions_table.run("reasons")
    assert window.panel.isHidden()


def test_tables_hold_to_qts_rules_and_edit_in_place(window, qtbot):
    window.show_stage("kit")
    stage = window.open_stage("kit")
    for page in (p for p in stage.all if p is not stage.intercom):
        stage.show_page(page.title)
        model = page.table.model()
        assert isinstance(model, QAbstractItemModel)
        QAbstractItemModelTester(model, QAbstractItemModelTester.FailureReportingMode.Fatal)
    stage.show_page("Links")
    model = stage.links.table.records
    assert model.setData(model.index(0, 0), "Harbour Mistress")
    assert kit.links(window.session.store, window.session.scope)[0].name == "Harbour Mistress"
    assert not model.setData(model.index(0, 0), "  ")
    assert "A link needs a name" in window.said()
    assert model.setData(model.index(0, 0), "Narrator")
    assert [x.name for x in kit.links(window.session.store, window.session.scope)].count("Narrator") == 2
    stage.show_page("Models")
    bands = stage.models.table.records
    row = next(i for i, m in enumerate(bands.records) if m.name.startswith("Handheld"))
    assert bands.setData(bands.index(row, 3), "470–542, 600-650")
    assert not bands.setData(bands.index(row, 3), "650–600")
    assert "ends below its start" in window.said()


def test_a_cell_outside_its_choices_is_left_as_it_is_unless_one_is_taken(qtbot):
    taken = []
    column = Column(
        title="Acts",
        width=80,
        show=lambda _: "1, 3",
        change=lambda _, v: taken.append(v) is None,
        choices=lambda _: [("always", ()), ("1", (1,))],
    )
    table = RecordTable([column], "Acts")
    qtbot.addWidget(table)
    table.show_records([SimpleNamespace(id=1)])
    index = table.records.index(0, 0)
    delegate = table.itemDelegate()
    box = delegate.createEditor(table, None, index)
    delegate.setEditorData(box, index)
    delegate.setModelData(box, table.records, index)
    assert taken == []
    box.setCurrentIndex(1)
    delegate.setModelData(box, table.records, index)
    assert taken == [(1,)]


def test_paste_and_remove_with_undo(window):
    stage, store = window.open_stage("kit"), window.session.store
    window.show_stage("kit")
    stage.links.paste_text("Name\tRoom\nHerald\tQuay Stage\nMime\tMoon\n")
    assert "1 links pasted" in window.said()
    assert "no room is named Moon" in window.said()
    stage.links.table.choose({x.id for x in kit.links(store, here(store)) if x.name == "Herald"})
    stage.remove()
    assert "Herald" not in [x.name for x in kit.links(store, here(store))]
    window.session.step_back()
    assert "Herald" in [x.name for x in kit.links(store, here(store))]


def test_density_is_a_slider_with_words_and_undo(window, qtbot):
    stage, session = window.open_stage("plan"), window.session
    stage.density.slider.setFocus()
    qtbot.keyClick(stage.density.slider, Qt.Key.Key_Left)
    assert ground.here(session.store, session.scope).show.density == 0
    assert session.board.count("broken") > 0
    stage.density.slider.hovered.emit(4)
    assert "Two-transmitter guards are halved" in stage.density.words.text()
    qtbot.waitUntil(lambda: 4 in stage.density._prices, timeout=120_000)
    stage.density.slider.hovered.emit(4)
    assert "of 29 find room" in stage.density.words.text()
    session.step_back()
    assert session.board.count("broken") == 0


def test_spares_are_added_beside_the_plan_and_undone(window, settle):
    stage, session = window.open_stage("plan"), window.session
    before = dict(session.board.frequencies)
    stage.more_spares()
    settle(window)
    assert len(session.board.frequencies) > len(before)
    assert session.board.count("broken", "unplaced") == 0
    assert "spares found room" in window.said()
    session.step_back()
    assert session.board.frequencies == before
    stage.add_missing()
    assert "Every link has a frequency." in window.said()


def test_products_are_listed_filtered_selected_and_exported(window, settle, tmp_path):
    stage = window.open_stage("plan")
    window.actions_table.run("plan-1")
    settle(window)
    shown = stage.page(1).table.records.records
    assert shown
    assert shown[0].slack_hz == min(v.margin_hz for v in window.session.board.verdicts if v.margin_hz is not None)
    stage.page(1).victim.setText("narrator")
    rows = stage.page(1).table.records.records
    assert 0 < len(rows) < len(shown)
    stage.page(1).table.selectRow(0)
    assert window.session.link_id == rows[0].victim_id
    stage.page(1).write(tmp_path / "products.csv")
    assert len((tmp_path / "products.csv").read_text(encoding="utf-8").splitlines()) == len(rows) + 1


def test_ground_changes_rooms_relations_neighbours_and_region(window, tmp_path):
    window.show_stage("ground")
    stage, store = window.open_stage("ground"), window.session.store
    stage.room_name.setText("Sail Loft")
    stage.add_room()
    assert [p for p, _ in window.rail.entries()[0].points] == ["3 unrelated"]
    pairs = stage.pairs.records
    row = next(i for i, p in enumerate(pairs.records) if p.b.name == "Sail Loft")
    assert pairs.setData(pairs.index(row, 2), "22")
    assert pairs.records[row].relation.relation == "near"
    stage.neighbour_name.setText("Choir school")
    stage.neighbour_mhz.setText("oops")
    stage.add_neighbour()
    assert "is not a frequency" in window.said()
    stage.neighbour_mhz.setText("612,4")
    stage.add_neighbour()
    assert 612_400_000 in [n.freq_hz for n in ground.neighbours(store, here(store))]
    stage.region.setCurrentIndex(stage.region.findText("Europe, 8 MHz frame"))
    stage._choose_region()
    assert ground.here(store, here(store)).region.key == "europe-8mhz"
    bad = tmp_path / "region.json"
    bad.write_text('{"format": "azven-region", "version": 1, "key": "x"}')
    stage.load_region_from(bad)
    assert "was not used. title: field required" in window.said()


def test_reasons_for_everything_that_can_be_selected(window):
    session, panel = window.session, window.panel
    for what, word in (
        (chosen.Rule(1), "reserved"),
        (chosen.Channel("in-ear", "35"), "taken"),
        (chosen.Sweep(session.picture.sweeps[0][0].id), "in use"),
        (chosen.Neighbour(ground.neighbours(session.store, session.scope)[0].id), "avoid"),
        (chosen.Line(session.picture.lines[0]), "unclaimed"),
        (chosen.Link(key(session, "Narrator")), "holds"),
    ):
        session.select(what)
        assert panel.shown.state == word
    session.select(chosen.Link("nobody"))
    assert panel.shown is None


def test_spine_zooms_pans_and_returns(window, qtbot):
    session = window.session
    whole = session.view.hz
    session.view.zoom(0.25, 500e6)
    assert session.view.hz[1] - session.view.hz[0] == pytest.approx((whole[1] - whole[0]) / 4)
    session.view.pan(1e9)
    assert session.view.hz[1] == pytest.approx(whole[1])
    qtbot.mouseDClick(window.spine, Qt.MouseButton.LeftButton)
    assert session.view.hz == pytest.approx(whole)


def test_import_of_a_hostile_file_says_why(window, settle, tmp_path):
    path = tmp_path / "junk.csv"
    path.write_bytes(b"\x00\xff\xfejunk\n" * 10)
    window.open_stage("listen").import_path(path)
    settle(window)
    assert "nothing was read" in window.said()


def test_two_hundred_links_with_long_names(window, settle):
    stage, session = window.open_stage("kit").links, window.session
    window.show_stage("kit")
    stage.pattern.setText("A very long name that somebody typed in a hurry & <b>never</b> shortened 1")
    stage.count.setValue(156)
    stage.add_links()
    window.show_stage("plan")
    settle(window)
    assert len(session.board.verdicts) == 200
    assert colours(window) > 3
    narrator = key(session, "Narrator")
    trial = plan.try_at(session.board, narrator, session.board.frequencies[narrator] + 25_000)
    assert trial.margin_hz is not None


def test_silhouette_keeps_every_peak_and_stacking_keeps_marks_apart():
    import numpy as np

    freq = np.arange(100_000) * 2_000 + 470_000_000
    level = np.full(100_000, -100.0)
    level[77_777] = -20
    share, curve = silhouette(freq, level, freq[0], freq[-1], 900)
    assert curve.max() == -20
    assert share[np.argmax(curve)] == pytest.approx(0.77777, abs=0.002)
    assert polygon(share, curve).count() == len(share)
    assert stacked([0, 5, 20, 22, 23], 13, 3) == [0, 1, 0, 1, 2]


def azven(*arguments):
    return subprocess.run([sys.executable, "-m", "azven", *arguments], capture_output=True, text=True, timeout=120)


def test_shot_of_the_demo(tmp_path):
    picture = tmp_path / "shot.png"
    done = azven("--demo", "--stage", "plan", "--theme", "backstage", "--shot", str(picture))
    assert (done.returncode, done.stderr) == (0, "")
    from PyQt6.QtGui import QImage

    assert (QImage(str(picture)).width(), QImage(str(picture)).height()) == (1280, 800)


def test_a_file_that_is_no_book_ends_with_one_sentence(tmp_path):
    path = tmp_path / "letter.txt"
    path.write_text("dear all")
    done = azven("--book", str(path))
    assert done.returncode == 2
    assert done.stderr.strip() == f"{path} is not an Azven book; it was left as it is."
    assert path.read_text() == "dear all"


def test_a_damaged_book_opens_for_reading_and_says_so(tmp_path, qtbot):
    import sqlite3

    from azven.desk.app import start
    from azven.work import demo

    store = demo.build(tmp_path)
    store.close()
    connection = sqlite3.connect(store.place.path)
    connection.execute("PRAGMA ignore_check_constraints = ON")
    connection.execute("UPDATE neighbour SET kind = 'ghost' WHERE id = (SELECT max(id) FROM neighbour)")
    connection.commit()
    connection.close()
    window = start(False, store.place.path, "ground", None)
    qtbot.addWidget(window)
    assert "Open for reading only. 1 damaged records are set aside: neighbour " in window._said.text()
    links = kit.links(window.session.store, window.session.scope)
    assert not window.session.do(lambda: kit.remove_links(window.session.store, links[:1]))
    assert "for reading only" in window._said.text()
    assert (window.header._lasting.text(), window.header._lasting.isHidden()) == ("Reading only: 1 damaged", False)
    assert "neighbour" in window.header._lasting.toolTip()
    window.close()
    window.session.store.close()


def test_damage_among_the_many_is_said_a_while_after_the_book_is_open(tmp_path, qtbot):
    import sqlite3

    from azven.desk.app import start
    from azven.work import demo

    store = demo.build(tmp_path)
    store.close()
    connection = sqlite3.connect(store.place.path)
    connection.execute("UPDATE unit SET channels = 'many' WHERE id = (SELECT max(id) FROM unit)")
    connection.commit()
    connection.close()
    window = start(False, store.place.path, "ground", None)
    qtbot.addWidget(window)
    assert window.header._lasting.isHidden()
    qtbot.waitUntil(lambda: not window.header._lasting.isHidden(), timeout=30_000)
    assert "damaged" in window.header._lasting.text()
    assert "Open for reading only" in window._said.text()
    window.close()
    window.session.store.close()


def test_kit_says_what_worn_by_is_for(window):
    window.show_stage("kit")
    models = [t.model() for t in window.open_stage("kit").findChildren(RecordTable)]
    model = next(m for m in models if any(c.title == "Worn by" for c in m.columns))
    at = [c.title for c in model.columns].index("Worn by")
    assert "one body" in model.headerData(at, Qt.Orientation.Horizontal, Qt.ItemDataRole.ToolTipRole)
    assert model.headerData(0, Qt.Orientation.Horizontal, Qt.ItemDataRole.ToolTipRole) is None


def test_every_part_stage_and_dialog_is_dressed_in_the_theme_that_is_chosen(window, qtbot):
    session, kit = window.session, window.open_stage("kit")
    window.show_stage("plan")
    session.set_theme(look.BACKSTAGE)
    dark = look.sheet(look.BACKSTAGE)
    assert kit.styleSheet() != dark  # nobody sees it
    window.show_stage("kit")
    assert kit.styleSheet() == window.rail.styleSheet() == window.panel.styleSheet() == dark
    asking = QInputDialog(window)
    asking.show()
    qtbot.waitUntil(lambda: asking.styleSheet() == dark)
    asking.close()
    assert window.grab().toImage().pixelColor(60, 30) == look.BACKSTAGE.color("side")
