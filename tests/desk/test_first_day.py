"""What a new user sees: whole headings, figures on every axis, names that keep their ends, pages that say more."""

import re
from itertools import pairwise
from pathlib import Path

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QFontMetrics
from PyQt6.QtPdf import QPdfDocument

from azven.desk import theme as look
from azven.desk.axis import mhz_ticks
from azven.desk.ground.ladder import Ladder
from azven.desk.pdf import write_pdf
from azven.desk.plan.lane_ends import ROW
from azven.desk.stage import FittedLabel, shortened, tip
from azven.desk.tables import RecordTable
from azven.work import chosen, ground, ids, kit, plan
from azven.work.plan import sheet
from azven.work.scope import opening as here
from pictures import colours

ROOT = Path(__file__).resolve().parents[2]


@pytest.mark.parametrize("stage", ["ground", "listen", "kit", "plan", "chain", "reach"])
def test_every_heading_fits_into_its_column(window, stage):
    window.show_stage(stage)
    made = window.open_stage(stage)
    for number in range(7 if stage == "plan" else 0):
        made.show_page(number)
    tables = made.findChildren(RecordTable)
    for table in tables:
        header = table.horizontalHeader()
        metrics = header.fontMetrics()
        for i, column in enumerate(table.records.columns):
            text = table.records.headerData(i, Qt.Orientation.Horizontal)
            widest = max(metrics.horizontalAdvance(line) for line in text.split("\n"))
            assert widest + 18 <= header.sectionSize(i), f"{column.title} in {table.accessibleName()}"
            assert " ".join(text.split()) == column.title
    assert tables or stage == "reach"


@pytest.mark.parametrize(
    ("low", "high", "width"),
    [(470e6, 694e6, 1100), (470e6, 694e6, 200), (521.3e6, 521.5e6, 900), (0.1e6, 6e9, 800), (470e6, 470.2e6, 60)],
)
def test_an_axis_has_round_figures_far_enough_apart(low, high, width):
    ticks = mhz_ticks(low, high, width)
    places = [(f - low) / (high - low) * width for f, _ in ticks]
    assert all(b - a >= 57 for a, b in pairwise(places))
    assert all(abs(float(text) * 1e6 - freq) < 1 for freq, text in ticks)
    assert len(ticks) >= width // 58 // 3
    assert all(low <= f <= high for f, _ in ticks)


def inked(widget, top, bottom):
    """How many pixels of a strip differ from its ground."""
    image = widget.grab().toImage()
    ground_color = image.pixelColor(2, top)
    return sum(image.pixelColor(x, y) != ground_color for x in range(60, 700) for y in range(top, bottom, 2))


def test_axes_have_figures_without_a_region(empty_window):
    empty_window.show_stage("ground")
    spine = empty_window.spine
    assert inked(spine, spine.height() - 13, spine.height() - 2) > 40
    ladder = empty_window.findChild(Ladder)
    assert inked(ladder, round(ladder._foot(None)) + 1, ladder.height()) > 40


def test_names_lose_their_middle_and_markup_stays_text():
    long = "A very long performer name that the office gave us, number 17"
    assert shortened(long, 20).startswith("A very lon")
    assert shortened(long, 20).endswith("number 17")
    assert len(shortened(long, 20)) == 20
    assert shortened("two\nlines\u202e", 20) == "two lines"
    assert tip("<b>x</b>") == "&lt;b&gt;x&lt;/b&gt;"


def test_a_line_that_does_not_fit_keeps_the_whole_in_its_tip(qtbot):
    made = FittedLabel()
    qtbot.addWidget(made)
    made.setText("words " * 60)
    made.resize(120, 20)
    assert made.toolTip() == "words " * 60
    assert made.minimumSizeHint().width() == 0
    assert colours(made) > 3
    made.setToolTip("more")
    assert made.toolTip() == "more"


def test_neighbours_are_named_in_the_ladder_and_picked_there(window, qtbot):
    window.show_stage("ground")
    ladder = window.findChild(Ladder)
    session, store = window.session, window.session.store
    for i in range(40):
        session.do(
            lambda i=i: ground.add_neighbour(
                store, here(store), f"Neighbour with a long name {i}", 480_000_000 + i * 4_000_000
            )
        )
    span = ladder._span(ground.here(store, here(store)).region)
    labels = ladder._labels(span, QFontMetrics(look.font(look.SMALL_PX)))
    boxes = [box for _, _, box, text in labels if text]
    assert len(boxes) >= 9
    assert not any(a.intersects(b) for i, a in enumerate(boxes) for b in boxes[i + 1 :])
    picked, _, box, _ = next(entry for entry in labels if entry[3])
    assert ladder.neighbour_at(box.center()).id == picked.id
    qtbot.mouseClick(ladder, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    assert session.selection == chosen.Neighbour(picked.id)
    assert ladder.neighbour_at(QPointF(-50, -50)) is None


def test_the_time_zone_is_chosen_and_followed(window):
    window.show_stage("ground")
    stage, session = window.open_stage("ground"), window.session
    act = kit.acts(session.store, session.scope)[0]
    was = session.clock.said(act.starts_at)
    stage.zone.setCurrentIndex(stage.zone.findData("UTC"))
    stage._choose_zone()
    assert session.clock.zone == "UTC"
    assert session.clock.said(act.starts_at) != was
    assert "UTC" in stage._clock.text()
    session.step_back()
    assert session.clock.said(act.starts_at) == was
    assert not session.do(lambda: ground.set_time_zone(session.store, session.scope, "Nowhere/At all"))


def test_lanes_stop_at_whole_rows(window, settle):
    settle(window)
    chart = window.open_stage("plan").chart
    bar = chart.verticalScrollBar()
    for verdict in window.session.board.verdicts[::3]:
        window.session.select(chosen.Link(verdict.id))
        assert bar.value() % ROW == 0
        top = bar.value() // ROW
        row = chart._row_of(verdict.id)
        assert top <= row < top + bar.pageStep() // ROW
    bar.setValue(ROW + 7)
    assert bar.value() == ROW


def test_chain_and_reach_say_what_to_do_when_there_is_nothing(empty_window):
    empty_window.show_stage("chain")
    stage = empty_window.open_stage("chain")
    assert stage._nothing.isVisible()
    assert not stage._scroll.isVisible()
    starters = [b for b in stage._nothing.findChildren(type(stage._remove)) if b.isVisible()]
    assert len(starters) == 5
    starters[0].click()
    assert stage.record() is not None
    assert not stage._nothing.isVisible()
    empty_window.show_stage("reach")
    reach_stage = empty_window.open_stage("reach")
    assert not reach_stage.primary()[1]
    reach_stage._covered(reach_stage.room(), None, None)
    assert "Suggest antennas" not in reach_stage.words.text()
    assert "place receive antenna" in reach_stage.words.text()


def test_the_shades_of_reach_are_said_in_figures(window, settle):
    window.show_stage("reach")
    settle(window)
    view = window.open_stage("reach").view
    said = {}
    for name in ("margin", "which antenna carries", "dropout risk"):
        view.map = name
        said[name] = [text for _, text in view._shades(window.session.theme)]
        assert colours(view) > 3
    assert said["margin"][1:] == ["dB over need:", "0", "10", "20", "30", "40", "50 and more"]
    assert said["which antenna carries"] == ["Receive A", "Receive B"]
    assert "0.01 %" in said["dropout risk"]


def test_the_sheet_prints_the_region_with_its_date_and_the_sentence_on_licences(window, tmp_path):
    session = window.session
    write_pdf(sheet.html(session.store, session.scope, session.board, session.now(), {}), tmp_path / "sheet.pdf")
    document = QPdfDocument(None)
    document.load(str(tmp_path / "sheet.pdf"))
    text = "".join(document.getAllText(i).text() for i in range(document.pageCount()))
    text = " ".join(text.split())
    assert "Rules of Marrowby Coast (invented territory), as of 2026-11" in text
    assert "your licence and the local regulator decide" in text
    assert "times of CE" in text
    last = session.board.input.name(ids.of(kit.links(session.store, session.scope)[-1]))
    assert text.count(last) >= 2  # by room and by act: nothing is lost at the end
    document.close()


def test_a_long_sheet_loses_nothing_at_its_end(window, tmp_path):
    session = window.session
    html = sheet.html(session.store, session.scope, session.board, session.now(), {})
    html = html.replace("</body>", "<h2>Room</h2>" + "<p>line</p>" * 90 + "<h2>Room</h2><p>the last words</p></body>")
    write_pdf(html, tmp_path / "long.pdf")
    document = QPdfDocument(None)
    document.load(str(tmp_path / "long.pdf"))
    assert "thelastwords" in "".join(document.getAllText(document.pageCount() - 1).text().split())
    document.close()


def test_readme_shows_every_picture_and_no_code_of_old_stands_where_people_read():
    text = (ROOT / "README.md").read_text("utf-8")
    pictures = {p.name for p in (ROOT / "docs" / "screenshots").glob("*.png")}
    assert {name for name in pictures if f"docs/screenshots/{name}" in text} == pictures
    old = re.compile(r"\b[23]T[2-9]O\b")
    for path in [*ROOT.glob("docs/*.md"), ROOT / "README.md", *ROOT.glob("src/azven/desk/**/*.py"),
                 *ROOT.glob("src/azven/work/*.py")]:  # fmt: skip
        assert not old.search(path.read_text("utf-8")), path


def test_pasting_and_editing_leave_the_plan_of_equal_names_alone(window):
    store = window.session.store
    before = plan.board_of(store, here(store)).frequencies
    window.show_stage("kit")
    window.open_stage("kit").links.paste_text("Narrator\nNarrator\n")
    assert "2 links pasted" in window.said()
    assert plan.board_of(store, here(store)).frequencies == before
