"""The painted views under the mouse and keys: lanes, spine, plot, ladder, rail, density."""

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent

from azven.desk.marks import pennant_shape
from azven.desk.plan.lane_ends import ROW
from azven.desk.plan.lanes import HEAD
from azven.work import chosen, ground, kit, plan
from azven.work.ground import permission
from azven.work.scope import opening as here
from naming import key
from pictures import colours


def row_point(chart, row, x):
    return QPoint(round(x), HEAD + row * ROW + ROW // 2 - chart.verticalScrollBar().value())


def wheel(widget, at, up, modifiers=Qt.KeyboardModifier.NoModifier):
    delta = QPoint(0, 120 if up else -120)
    event = QWheelEvent(
        QPointF(at), widget.mapToGlobal(QPointF(at)), QPoint(), delta, Qt.MouseButton.NoButton, modifiers,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    widget.wheelEvent(event)


@pytest.fixture
def chart(window, settle):
    settle(window)
    return window.open_stage("plan").chart


def test_a_click_selects_and_a_locked_pennant_stays(window, chart, qtbot):
    session = window.session
    qtbot.mouseClick(chart.viewport(), Qt.MouseButton.LeftButton, pos=row_point(chart, 3, 30))
    chosen = session.board.verdicts[3].id
    assert session.link_id == chosen
    window.actions_table.run("lock")
    x = chart._axis.x(session.board.frequencies[chosen])
    qtbot.mousePress(chart.viewport(), Qt.MouseButton.LeftButton, pos=row_point(chart, 3, x + 2))
    assert chart.dragged is None
    qtbot.mouseRelease(chart.viewport(), Qt.MouseButton.LeftButton, pos=row_point(chart, 3, x + 60))


def test_dragging_back_to_the_start_changes_nothing(window, chart, qtbot):
    session = window.session
    stands = session.board.verdicts[1].freq_hz
    session.view.show(stands - 1e6, stands + 1e6)
    x = chart._axis.x(stands)
    before = session.undo.index()
    qtbot.mousePress(chart.viewport(), Qt.MouseButton.LeftButton, pos=row_point(chart, 1, x + 1))
    qtbot.mouseMove(chart.viewport(), row_point(chart, 1, x + 80))
    assert chart.trial is not None
    assert colours(chart) > 3
    qtbot.mouseMove(chart.viewport(), row_point(chart, 1, x))
    qtbot.mouseRelease(chart.viewport(), Qt.MouseButton.LeftButton, pos=row_point(chart, 1, x))
    assert session.undo.index() == before
    assert chart.trial is None


def test_the_pointer_is_told_what_closes_a_step(window, chart, qtbot):
    stage = window.open_stage("plan")
    row = next(i for i, v in enumerate(window.session.board.verdicts) if v.link.name == "Narrator")
    qtbot.mouseMove(chart.viewport(), row_point(chart, row, chart._axis.x(482_000_000)))
    assert stage.density.words.text() == "Narrator at 48" + stage.density.words.text().split("at 48")[1]
    assert "channel 22 is taken" in stage.density.words.text()
    qtbot.mouseMove(chart.viewport(), QPoint(20, 5))
    assert stage.density.words.text().startswith("Balanced")


def test_lanes_pan_zoom_with_control_and_scroll_without(window, chart, qtbot):
    session = window.session
    whole = session.view.hz
    at = row_point(chart, 2, chart._axis.x(600e6))
    wheel(chart, at, True, Qt.KeyboardModifier.ControlModifier)
    assert session.view.hz[1] - session.view.hz[0] < whole[1] - whole[0]
    zoomed = session.view.hz
    qtbot.mousePress(chart.viewport(), Qt.MouseButton.LeftButton, pos=at)
    qtbot.mouseMove(chart.viewport(), at + QPoint(40, 0))
    qtbot.mouseRelease(chart.viewport(), Qt.MouseButton.LeftButton, pos=at + QPoint(40, 0))
    assert session.view.hz[0] < zoomed[0]
    top = chart.verticalScrollBar().value()
    wheel(chart, at, False)
    assert chart.verticalScrollBar().value() > top
    qtbot.mouseDClick(chart.viewport(), Qt.MouseButton.LeftButton, pos=at)
    assert session.view.hz == pytest.approx(whole)


def test_selecting_scrolls_the_lane_into_view(window, chart):
    last = window.session.board.verdicts[-1].id
    window.session.select(chosen.Link(last))
    assert chart.verticalScrollBar().value() == chart.verticalScrollBar().maximum()
    window.session.select(chosen.Link(window.session.board.verdicts[0].id))
    assert chart.verticalScrollBar().value() == 0


def test_nudging_a_locked_link_does_nothing(window, chart, qtbot):
    session = window.session
    session.select(chosen.Link(key(session, "Narrator")))
    window.actions_table.run("lock")
    before = session.board.frequencies[key(session, "Narrator")]
    qtbot.keyClick(chart, Qt.Key.Key_Right)
    assert session.board.frequencies[key(session, "Narrator")] == before


def test_every_lane_gets_its_tint(window, chart):
    assert chart._fresh == set(window.session.board.input.links)
    assert all(len(t.freq_hz) == len(t.cause) for t in chart._tints.values())


def test_a_pennant_on_the_spine_selects_its_link(window, qtbot):
    session, spine = window.session, window.spine
    ear = key(session, "Brass ear 1")
    session.view.show(session.board.frequencies[ear] - 4e6, session.board.frequencies[ear] + 4e6)
    carriers = spine._carriers()
    rows = spine._rows(carriers)
    at = next(i for i, (_, v) in enumerate(carriers) if v.link.name == "Brass ear 1")
    point = QPointF(carriers[at][0] + 4, rows[at] + 5)
    assert spine.link_at(point) == ear
    qtbot.mouseClick(spine, Qt.MouseButton.LeftButton, pos=point.toPoint())
    assert session.link_id == ear
    assert spine.threats == window.panel.shown.threats != ()


def test_the_spine_follows_the_wheel_and_the_hand(window, qtbot):
    session, spine = window.session, window.spine
    wheel(spine, QPoint(600, 90), True)
    zoomed = session.view.hz
    qtbot.mousePress(spine, Qt.MouseButton.LeftButton, pos=QPoint(600, 90))
    qtbot.mouseMove(spine, QPoint(500, 90))
    qtbot.mouseRelease(spine, Qt.MouseButton.LeftButton, pos=QPoint(500, 90))
    assert session.view.hz[0] > zoomed[0]


def test_the_view_never_leaves_what_there_is(window):
    session = window.session
    low, high = session.view.whole()
    session.view.show(0, 10)
    assert session.view.hz[0] == low
    assert session.view.hz[1] - session.view.hz[0] == pytest.approx(200_000)
    session.view.show(0, 1e12)
    assert session.view.hz == pytest.approx((low, high))


def test_the_plot_selects_lines_and_channel_cells(window, qtbot):
    window.show_stage("listen")
    session, plot = window.session, window.open_stage("listen").plot
    line = session.picture.lines[0]
    y = float(plot._y(line.level_dbm)) - 8
    qtbot.mouseClick(plot, Qt.MouseButton.LeftButton, pos=QPoint(round(plot._axis.x(line.freq_hz)), round(y)))
    assert session.selection == chosen.Line(line)
    cell = QPoint(round(plot._axis.x(586e6)), round(plot._bottom + 8))
    qtbot.mouseClick(plot, Qt.MouseButton.LeftButton, pos=cell)
    assert session.selection == chosen.Channel("in-ear", "35")
    qtbot.mouseMove(plot, QPoint(300, 100))
    assert colours(plot) > 3


def test_a_rung_of_the_ladder_is_selected(window, qtbot):
    window.show_stage("ground")
    ladder = window.open_stage("ground").ladder
    qtbot.mouseClick(ladder, Qt.MouseButton.LeftButton, pos=QPoint(100, 8 + 26 + 5))
    assert window.session.selection == chosen.Rule(1)
    assert window.panel.shown.title == "star watch on Gull Head"
    qtbot.mouseClick(ladder, Qt.MouseButton.LeftButton, pos=QPoint(100, ladder.height() - 2))
    assert window.session.selection == chosen.Rule(1)


def test_the_rail_takes_clicks_and_arrows(window, qtbot):
    qtbot.mouseClick(window.rail, Qt.MouseButton.LeftButton, pos=QPoint(40, 46 + 58 + 20))
    assert window.stage.name == "listen"
    qtbot.keyClick(window.rail, Qt.Key.Key_Down)
    assert window.stage.name == "kit"
    qtbot.keyClick(window.rail, Qt.Key.Key_Up)
    assert window.stage.name == "listen"
    assert "1 unclaimed" in window.rail.accessibleDescription()


def test_density_takes_clicks_inside_its_boxes_only(window, qtbot):
    slider, store = window.open_stage("plan").density.slider, window.session.store
    qtbot.mouseClick(slider, Qt.MouseButton.LeftButton, pos=QPoint(66 + 3 * 18 + 4, 12))
    assert ground.here(store, here(store)).show.density == 3
    qtbot.mouseClick(slider, Qt.MouseButton.LeftButton, pos=QPoint(4, 12))
    assert ground.here(store, here(store)).show.density == 3
    assert "Three-transmitter products may land" in slider.accessibleName()


def test_services_have_shapes_of_their_own():
    shapes = [tuple(pennant_shape(s)) for s in ("voice", "in-ear", "intercom", "data", "")]
    assert len(set(shapes)) == len(shapes)


def test_folding_reasons_gives_the_lanes_its_width(window, chart, qtbot):
    before = chart._axis.width
    window.actions_table.run("reasons")
    qtbot.waitUntil(lambda: chart._axis.width > before + 200, timeout=120_000)


@pytest.mark.parametrize("size", [(1100, 700), (1920, 1080), (3840, 2160)])
def test_all_stages_fit_from_small_to_large(window, qtbot, size):
    window.resize(*size)
    for name in ("ground", "listen", "kit", "plan"):
        window.show_stage(name)
        shot = window.grab()
        assert (shot.width(), shot.height()) == size


def test_a_plan_that_changed_meanwhile_is_not_overwritten(window, settle):
    stage, session = window.open_stage("plan"), window.session
    stage.run_primary()
    session.do(
        lambda: plan.set_frequencies(
            session.store, session.scope, {key(session.store, "Narrator"): 470_900_000}, "Move"
        )
    )
    moved = dict(session.board.frequencies)
    settle(window)
    assert session.board.frequencies == moved
    assert "was changed meanwhile" in window.said()


def test_a_search_outlives_an_edit_that_it_does_not_depend_on(window, settle):
    stage, session = window.open_stage("plan"), window.session
    session.do(lambda: plan.set_frequencies(session.store, session.scope, {}, "Clear", complete=True))
    assert not session.board.frequencies
    stage.run_primary()
    narrator = next(x for x in kit.links(session.store, session.scope) if x.name == "Narrator")
    session.do(lambda: kit.change_links(session.store, [narrator], name="Reader"))
    settle(window)
    assert len(session.board.frequencies) == 36
    assert session.board.input.name(key(session, "Reader")) == "Reader"


def test_the_spine_shows_as_permitted_only_what_a_licence_covers_for_every_act(window):
    session, spine = window.session, window.spine
    store, acts = session.store, kit.acts(session.store, session.scope)

    def shown_at(freq_hz):
        image = spine.grab().toImage()
        ratio = image.devicePixelRatio()
        at = QPointF(spine._axis.x(freq_hz), spine._floor + 2) * ratio
        return image.pixelColor(at.toPoint())

    accent = session.theme.color("accent")
    assert shown_at(520e6) == accent
    session.do(lambda: permission.add_permit(store, here(store), "licence", "EV-5", 470_000_000, 606_000_000))
    assert shown_at(520e6) == accent
    assert shown_at(650e6) != accent  # asks for a licence, and none covers it
    (permit,) = permission.permits(store, here(store))
    session.do(lambda: permission.set_dates(permit, acts[1].starts_at, acts[-1].ends_at))
    assert shown_at(520e6) != accent
    session.step_back()
    assert shown_at(520e6) == accent
