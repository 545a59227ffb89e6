"""Bookings and other campuses as a user sees them."""

from contextlib import closing
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage, QPainter

from azven.book.edits import Edit, replace_record
from azven.book.records import Booking, Distance, Link, Show, Site, Unit
from azven.book.stock import Held
from azven.book.store import Store
from azven.desk.axis import Axis
from azven.desk.register import bands
from azven.desk.register.board_view import longest, said_of
from azven.work import demo, ids, keeping, kit, plan, register, shows, sites
from azven.work.register import Asked, Question, board, times
from azven.work.register.board import Campus, Carried
from azven.work.scope import of_show

BOARD, LIST, DUE, BOOKINGS, ACROSS = range(5)
pytestmark = pytest.mark.quiet


@pytest.fixture
def stage(window):
    window.show_stage("register")
    return window.stage


@pytest.fixture
def bookings(stage):
    stage.pages.show_page(BOOKINGS)
    return stage.bookings


@pytest.fixture
def across(stage):
    stage.pages.show_page(ACROSS)
    return stage.across


def rows(table):
    return table.records.records


def test_what_is_here_is_booked_and_taken_out_again(stage, bookings):
    session = stage.session
    show = session.scope.show
    assert bookings.show_.currentData() == show
    free = sum(len(n.supply.home) for n in rows(bookings.needs))
    assert free > 0
    assert stage.primary() == ("Book what is here", True)
    stage.run_primary()
    stage.refresh()
    assert len(rows(bookings.units)) == len(session.store.all(Booking, show_id=show)) == free
    assert bookings.words.text().startswith(f"{free} of ")
    assert not stage.primary()[1]
    bookings.here.click()
    assert "Nothing that is wanted" in stage.window().said()
    first = rows(bookings.units)[0]
    bookings.units.choose({first.id})
    bookings.out.click()
    stage.refresh()
    assert len(rows(bookings.units)) == free - 1
    session.step_back()
    assert len(session.store.all(Booking, show_id=show)) == free


def test_when_gear_comes_and_goes_is_written_and_what_is_no_time_is_refused(stage, bookings):
    show = stage.session.store.get(Show, stage.session.scope.show)
    assert bookings.load_in.placeholderText().startswith("acts: ")
    bookings.load_in.setText("2031-05-01 08:00")
    bookings.load_out.setText("2031-05-03 02:00")
    bookings.load_out.editingFinished.emit()
    after = stage.session.store.get(Show, show.id)
    assert stage.session.clock.said(after.load_out) == "2031-05-03 02:00"
    bookings.load_in.setText("never")
    bookings.load_in.editingFinished.emit()
    assert "is no date and time" in stage.window().said()
    assert stage.session.store.get(Show, show.id) == after


def write(table, k, title, value):
    column = next(i for i, c in enumerate(table.records.columns) if c.title == title)
    return table.records.setData(table.records.index(k, column), value)


def test_how_far_a_site_is_is_written_and_pairs_that_matter_are_told(stage, across, window):
    session = stage.session
    store, scope = session.store, session.scope
    site = rows(across.apart)[0].site
    session.do(lambda: shows.copy_show(store, store.get(Show, scope.show), site, "There"))
    there = next(s for s in store.all(Show) if s.name == "There")
    mine = plan.assignments(store, scope)
    theirs = {x.name: x for x in kit.links(store, of_show(there))}
    narrator = next(x for x in kit.links(store, scope) if x.name == "Narrator")
    freq = {ids.of(theirs["Narrator"]): mine[narrator.id].freq_hz}
    session.do(lambda: plan.set_frequencies(store, of_show(there), freq, "There"))
    stage.refresh()
    assert f"How far {site.name}" in across.words.text()
    assert not rows(across.pairs)
    assert not write(across.apart, 0, "Between", "open")
    assert "Say first how far" in stage.window().said()
    assert write(across.apart, 0, "km", "4,5 km")
    stage.refresh()
    assert store.all(Distance)[0].km == 4.5
    assert write(across.apart, 0, "Between", "open")
    stage.refresh()
    assert [p.mine.name for p in rows(across.pairs)] == ["Narrator"]
    assert across.words.text().startswith("1 pair of links matters to one another.")
    assert not write(across.apart, 0, "km", "far")
    assert "is no number" in stage.window().said()
    assert write(across.apart, 0, "km", "")
    assert store.all(Distance) == []


def test_pages_come_by_name_and_the_board_is_first(stage):
    assert stage.page is stage.board
    titles = [a.title for a in stage.actions_offered()]
    assert {"Register: list", "Register: bookings", "Register: across campuses"} <= set(titles)
    stage.pages.show_page(LIST)
    assert len(rows(stage.list.table)) == len(stage.session.store.all(Unit))


def deed(stage, units, kind, **more):
    session = stage.session
    asked = Asked(deed=kind, at=session.now() - timedelta(days=3), by="Merle", **more)
    session.do(lambda: register.do(session.store, units, asked))
    stage.refresh()


def test_the_board_counts_every_unit_once_where_it_is(stage):
    rows = stage.board.view._rows
    assert sum(c.total for c in rows) == len(stage.session.store.all(Unit))
    assert "; nothing is missing or late." in stage.board.words.text()
    home = next(c for c in rows if stage.session.scope.site in {s.id for s in c.sites})
    assert home.total == max(c.total for c in rows)
    two = sorted(stage.session.store.all(Unit, carried=True), key=lambda u: u.name)[:2]
    deed(stage, two, "lost")
    after = next(c for c in stage.board.view._rows if c.sites == home.sites)
    assert after.of("missing").count == 2
    assert after.of("in case").count == home.of("in case").count - 2
    assert after.total == home.total
    assert "2 missing" in stage.board.words.text()


def test_a_show_that_runs_stands_in_the_band_of_its_campus(stage):
    session = stage.session
    show = session.store.get(Show, session.scope.show)
    now = session.now()
    session.do(lambda: times.set_span(show, now - timedelta(hours=1), now + timedelta(hours=9)))
    stage.refresh()
    home = next(c for c in stage.board.view.campuses if session.scope.site in {s.id for s in c.sites})
    assert len(home.running) == len(plan.assignments(session.store, session.scope))
    assert show.name in home.shows


def test_a_duty_that_is_clicked_becomes_the_list(stage, qtbot):
    units = sorted(stage.session.store.all(Unit, carried=True), key=lambda u: u.name)[:3]
    deed(stage, units, "send to repair", place="workshop")
    view = stage.board.view
    k = next(k for k, c in enumerate(view._rows) if c.of("in repair").count == 3)
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=view.middle_of(k, "in repair").toPoint())
    assert stage.page is stage.list
    assert {u.id for u in rows(stage.list.table)} == {u.id for u in units}
    assert stage.list.asked.state.currentData() == "in repair"


def test_the_board_is_walked_by_keys(stage, qtbot):
    view = stage.board.view
    view.setFocus()
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Left, Qt.Key.Key_Up):
        qtbot.keyClick(view, key)
    assert view._at == (0, 1)
    qtbot.keyClick(view, Qt.Key.Key_Return)
    assert stage.page is stage.list
    assert stage.list.asked.state.currentData() == "in case"


@pytest.mark.parametrize(("count", "block"), [(1, 1), (60, 1), (61, 5), (3_000, 50), (3_001, 100), (90_000, 10_000)])
def test_a_block_stands_for_as_many_as_the_largest_pile_needs(stage, count, block):
    view = stage.board.view
    view.show_campuses([Campus((), {"in case": Held(count)})], stage.session.now())
    assert view.block == block


def districts(stage, *names):
    """Put the sites of the demonstration into districts, in the order of their names; empty: in none."""
    found = sites.sites(stage.session.store)
    for site, name in ((s, n) for s, n in zip(found, names, strict=True) if n):
        assert stage.session.do(lambda s=site, n=name: sites.set_district(s, n))
    stage.refresh()
    return found


def test_districts_are_shown_opened_and_asked_for(stage, qtbot):
    board, view = stage.board, stage.board.view
    assert not board.rows.isVisible()
    before = {c.name: c for c in view.campuses}
    harbour = districts(stage, "Harbour side", "Harbour  side ", "", "Kilns")
    assert board.rows.isVisible()
    assert [c.name for c in view.campuses] == list(before)  # few campuses: each stands for itself
    board.rows.setCurrentIndex(1)
    board.rows.activated.emit(1)
    shown = {c.name: c for c in view.campuses}
    assert set(shown) == {"Harbour side", "Kilns", harbour[2].name} | {"unknown place"} & set(before)
    both = [before[s.name] for s in harbour[:2]]
    assert shown["Harbour side"].total == sum(c.total for c in both) > 0
    assert len(shown["Harbour side"].running) == sum(len(c.running) for c in both)
    k = [c.name for c in view.campuses].index("Harbour side")
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=view.middle_of(k, "in case").toPoint())
    assert stage.page is stage.list
    assert stage.list.asked.question() == Question(state="in case", district="Harbour side")
    assert stage.list.words.text().startswith(f"{shown['Harbour side'].of('in case').count} unit")
    stage.pages.show_page(BOARD)
    view.setFocus()
    view._at = (k, 0)
    qtbot.keyClick(view, Qt.Key.Key_Left)
    qtbot.keyClick(view, Qt.Key.Key_Return)
    assert {c.name for c in view.campuses} == {s.name for s in harbour[:2]}
    assert board.rows.currentText() == "in Harbour side"
    qtbot.keyClick(view, Qt.Key.Key_Return)  # a campus does not open: its first duty is asked for
    assert stage.page is stage.list
    assert stage.list.asked.question().district == ""
    assert board.rows.currentText() == "in Harbour side"
    stage.session.step_back()
    stage.refresh()
    assert {s.district for s in sites.sites(stage.session.store)} == {"Harbour side", ""}


def test_many_campuses_are_shown_by_their_districts(stage):
    session = stage.session
    districts(stage, "Harbour side", "Harbour side", "Kilns", "Kilns")
    for k in range(10):
        assert session.do(lambda k=k: sites.add_site(session.store, f"Campus {k}"))
    stage.refresh()
    names = [c.name for c in stage.board.view.campuses]
    assert {"Harbour side", "Kilns", "Campus 0"} <= set(names)
    assert len(names) == 12


def test_units_at_no_known_place_are_asked_for_alone(stage):
    session = stage.session
    home = sites.sites(session.store)[0]
    units = session.store.all(Unit, carried=True)[:3]
    gone = [replace(u, site_home_id=None, zone_id=None, site_at_id=None, state="in case") for u in units]
    assert session.do(
        lambda: Edit("Nowhere", tuple(c for a, b in zip(units, gone, strict=True) for c in replace_record(a, b)))
    )
    stage.refresh()
    (nowhere,) = [c for c in stage.board.view.campuses if not c.sites]
    assert nowhere.of("in case").count == 3
    stage.board.asked.emit(board.question(nowhere, "in case"))
    assert {u.id for u in rows(stage.list.table)} == {u.id for u in units}
    assert stage.list.asked.site.currentText() == "at no known place"
    assert session.do(lambda: keeping.archive(home, True))
    stage.refresh()
    assert stage.list.words.text().startswith(f"{nowhere_now(stage)} unit")


def nowhere_now(stage):
    return sum(c.of("in case").count for c in board.campuses(stage.session.store, stage.session.now()) if not c.sites)


def test_links_that_are_many_are_a_skyline_on_one_scale(stage):
    view = stage.board.view
    axis = Axis(stage.session)
    axis.place(100.0, 400.0)
    low, high = stage.session.view.hz
    many = Campus((), {}, tuple(Carried(low + (high - low) * k // 200, "voice") for k in range(150)) +
                  (Carried(low + 1_000, "voice"),) * 30)  # fmt: skip
    few = Campus((), {}, many.running[:90])
    assert bands.skyline(axis, many).sum() == 180
    assert 30 < bands.skyline(axis, many).max() <= 34
    half = Campus((), {}, many.running[:165])
    picture = QImage(600, 400, QImage.Format.Format_RGB32)
    picture.fill(0xFFFFFF)
    painter = QPainter(picture)
    bands.paint_bands(painter, stage.session.theme, axis, [few, many, half], [10.0, 110.0, 210.0, 310.0])
    painter.end()
    full, part = (skyline_top(picture, stage.session.theme, y) for y in (210, 310))
    assert full == 54
    shares = [bands.skyline(axis, c)[0] for c in (half, many)]
    assert abs(part - full * shares[0] / shares[1]) <= 1
    assert part < full - 15
    view.show_campuses([many, few], stage.session.now())
    assert not view.grab().isNull()


def skyline_top(picture, theme, end):
    """How high the first piece of the band is that ends there [px]."""
    base, color = end - 8, theme.color("petrol").rgb()
    return next((k for k in range(90) if picture.pixel(101, base - 3 - k) != color), 0) + 2


@pytest.mark.parametrize(("days", "said"), [(0, "0 d"), (729, "729 d"), (731, "2 yr")])
def test_how_long_the_longest_is_so(days, said):
    now = datetime(2026, 9, 1, tzinfo=UTC)
    assert longest(now - timedelta(days=days), now) == said
    assert longest(None, now) == ""
    assert longest(now + timedelta(minutes=1), now) == "0 d"


def test_what_is_due_stands_on_the_line_and_goes_out_as_a_calendar(stage, tmp_path):
    session = stage.session
    units = sorted(session.store.all(Unit, carried=True), key=lambda u: u.name)[:3]
    now = session.now()
    deed(stage, units[:1], "hand out", to="Ferry office", until=now - timedelta(days=1))
    deed(stage, units[1:], "hand out", to="Kiln choir", until=now + timedelta(days=10))
    stage.pages.show_page(DUE)
    page = stage.due
    loans = [x for x in rows(page.table) if x.code == "loan"]
    assert [page.line.day_of(x) for x in loans] == [-1, 10]
    assert "1 of them late" in page.words.text()
    path = tmp_path / "register.ics"
    page.write(path)
    assert path.read_bytes().count(b"BEGIN:VEVENT") >= 2
    assert "Wrote the calendar" in stage.window().said()
    page.write(tmp_path / "nowhere" / "register.ics")
    assert "nowhere" in stage.window().said()


def test_all_campuses_are_planned_together_shown_moved_and_taken_back(open_window, tmp_path, settle):
    window = open_window(demo.build(tmp_path), stage="register")
    settle(window)
    stage, session = window.stage, window.session
    stage.pages.show_page(ACROSS)
    page = stage.across
    before = len(rows(page.pairs))
    assert before
    assert not page.primary()[1]
    page.look.click()
    settle(window)
    moves = rows(page.moves)
    assert page.primary() == (f"Move {len(moves)} links", True)
    assert len(rows(page.pairs)) == before
    page.run_primary()
    assert rows(page.pairs) == []
    assert page.moves.isHidden()
    session.step_back()
    assert len(rows(page.pairs)) == before


def test_a_large_book_is_read_to_its_end_beside_the_work_before_campuses_are_compared(
    open_window, tmp_path, settle, qtbot, monkeypatch
):
    demo.build(tmp_path).close()
    monkeypatch.setattr("azven.book.damage._MANY", 0)
    monkeypatch.setattr("azven.book.holding._STEP", 5)
    monkeypatch.setattr("azven.desk.register.board_page._LOOK_MS", 50)
    store = Store.open(next(tmp_path.glob("*.azven")))
    stage = open_window(store, stage="register").stage
    assert store.unread
    assert store.all(Link, show_id=stage.session.scope.show)
    stage.board._look()
    assert "Other campuses are still being looked at." in stage.board.words.text()
    qtbot.waitUntil(lambda: not store.unread, timeout=60_000)
    qtbot.waitUntil(lambda: "far" in [c.cause for c in stage.board.cases.cases], timeout=60_000)
    assert "still being looked at" not in stage.board.words.text()
    monkeypatch.setattr("azven.book.store._READ_ANEW", 0)
    with closing(Store.open(store.place)) as other:
        site = other.all(Site)[0]
        other.apply(Edit("Name", replace_record(site, replace(site, name="Net Loft"))))
    qtbot.waitUntil(lambda: store.get(Site, site.id).name == "Net Loft", timeout=10_000)
    qtbot.waitUntil(lambda: not store.unread, timeout=20_000)


@pytest.mark.parametrize(
    ("ago", "words"),
    [(timedelta(minutes=-5), "changed 0 min ago"), (timedelta(minutes=59), "changed 59 min ago"),
     (timedelta(hours=47), "changed 47 h ago"), (timedelta(days=30), "changed 30 d ago")],
)  # fmt: skip
def test_how_old_the_news_of_a_campus_is(ago, words):
    now = datetime.now(UTC)
    assert said_of(now - ago, now) == words
    assert said_of(None, now) == ""
