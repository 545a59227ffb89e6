"""Where we are: going between sites and shows, looking at one act, several books in windows of their own."""

import time

import pytest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QMenu, QMessageBox

from azven.book.place import File
from azven.book.records import Link, Neighbour, Show, Site
from azven.book.store import Store
from azven.desk import files
from azven.desk import theme as look
from azven.desk.books import Books
from azven.desk.palette import Palette
from azven.desk.plan.lanes import LaneChart
from azven.work import books, ground, kit, shows
from azven.work.scope import Scope, of_show, opening

STAGES = ("ground", "listen", "kit", "plan", "chain", "reach")


@pytest.fixture
def named(monkeypatch):
    """What is typed where a name is asked for."""
    typed = []
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: (typed.pop(0), True) if typed else ("", False))
    return typed


def entries(window, kind):
    return {e.title: e.run for e in getattr(window.places, kind)()}


def crumb(window, kind):
    return window.header.crumbs[kind].text()


def test_the_header_says_where_we_are(window):
    assert [crumb(window, k) for k in ("book", "site", "show", "act")] == [
        "lantern-regatta", "Marrowby Harbour", "Marrowby Lantern Regatta", "all acts",
    ]  # fmt: skip


@pytest.mark.quiet
def test_every_stage_shows_the_place_one_goes_to(window, settle):
    for stage in STAGES:
        window.show_stage(stage)
    settle(window)
    entries(window, "sites")["Kiln Yard"]()
    settle(window)
    session = window.session
    assert crumb(window, "site") == "Kiln Yard"
    assert crumb(window, "show") == "Kiln Yard Players (archived)"
    assert {v.link.name for v in session.board.verdicts} == {x.name for x in kit.links(session.store, session.scope)}
    assert "Player 1" in {v.link.name for v in session.board.verdicts}
    for stage in STAGES:
        window.show_stage(stage)
        settle(window)
    kit_stage = window.open_stage("kit")
    kit_stage.show_page("Units")
    assert [u.name for u in kit_stage.units.table.records.records] == ["Yard rack"]
    entries(window, "sites")["Marrowby Harbour"]()
    assert len(session.board.verdicts) == 44


def test_enter_at_once_leaves_one_where_one_is(window):
    home = window.session.scope
    for kind in ("site", "show", "act"):
        window.places.open(kind)
        palette = QApplication.activePopupWidget() or window.findChildren(Palette)[-1]
        palette._take()
        assert window.session.scope == home
        assert window.session.act is None


def test_an_edit_lands_where_we_are_and_undo_works_from_elsewhere(window):
    session = window.session
    home = session.scope
    entries(window, "sites")["Orchard Ground"]()
    assert session.do(lambda: ground.add_neighbour(session.store, session.scope, "Ice cream van", 500_000_000))
    assert session.store.all(Neighbour, name="Ice cream van")[0].site_id == session.scope.site != home.site
    session.go(home)
    session.step_back()
    assert session.store.all(Neighbour, name="Ice cream van") == []


def test_stand_ins_are_offered_at_their_own_site_alone(window, settle):
    def offered():
        window.show_stage("listen")
        settle(window)
        box = window.open_stage("listen").instrument.address
        return [box.itemText(i) for i in range(box.count()) if "stand-in" in box.itemText(i)]

    assert len(offered()) == 3
    entries(window, "sites")["Kiln Yard"]()
    assert offered() == []
    entries(window, "sites")["Marrowby Harbour"]()
    assert len(offered()) == 3


def test_nobody_goes_while_something_runs_that_would_land_in_the_wrong_show(window, settle):
    session = window.session
    home = session.scope
    going = []

    def work(progress):
        while progress(0, 1):
            pass
        return None

    session.jobs.start("Plan all", work, going.append)
    entries(window, "sites")["Kiln Yard"]()
    assert session.scope == home
    assert "“Plan all” is still running here; stop it first." in window.said()
    session.jobs.stop()
    settle(window)
    entries(window, "sites")["Kiln Yard"]()
    assert session.scope != home


def test_a_sweep_is_not_lost_while_others_are_worked_out(window, settle, qtbot):
    """Working out new sweeps is stopped and begun again; what else runs beside it is not."""
    session = window.session
    home = session.scope

    def work(progress):
        while progress(0, 1):
            time.sleep(0.005)

    session.jobs.start("Sweeping", work, lambda _: None, lane="instrument 1")
    session.jobs.start("Working out the sweeps", work, lambda _: None, lane="sweeps")
    entries(window, "sites")["Kiln Yard"]()
    assert session.scope == home
    assert "“Sweeping” is still running here; stop it first." in window.said()
    session.jobs.visible["instrument 1"].stop()
    qtbot.waitUntil(lambda: "instrument 1" not in session.jobs.visible, timeout=60_000)
    entries(window, "sites")["Kiln Yard"]()
    assert session.scope != home
    settle(window)
    assert "sweeps" not in session.jobs.visible


def test_a_timetable_holds_one_where_one_is(window, settle):
    stage = window.open_stage("listen")
    window.show_stage("listen")
    stage.instrument.repeat.setCurrentIndex(stage.instrument.repeat.findData(600))
    stage.run_primary()
    settle(window)
    home = window.session.scope
    entries(window, "sites")["Kiln Yard"]()
    assert window.session.scope == home
    assert "The timetable of instrument 1 is still running here; stop it first." in window.said()
    stage.instrument.stop_repeating()
    entries(window, "sites")["Kiln Yard"]()
    assert window.session.scope != home


@pytest.mark.quiet
def test_going_elsewhere_reads_the_book_once(window, settle, monkeypatch):
    window.show_stage("kit")
    settle(window)
    read = []
    stage = type(window.open_stage("kit"))
    real = stage.refresh
    monkeypatch.setattr(stage, "refresh", lambda self: (read.append(1), real(self))[1])
    entries(window, "sites")["Kiln Yard"]()
    assert len(read) == 1
    window.stage.show_page("Units")
    assert [u.name for u in window.stage.units.table.records.records] == ["Yard rack"]


def test_the_lanes_are_painted_anew_for_an_act(window, settle, monkeypatch, qtbot):
    window.show_stage("plan")
    settle(window)
    painted = []
    real = LaneChart.paintEvent
    monkeypatch.setattr(LaneChart, "paintEvent", lambda self, event: (painted.append(1), real(self, event))[1])
    entries(window, "acts")["Tide Concert"]()
    qtbot.waitUntil(lambda: bool(painted), timeout=60_000)


def test_the_menu_runs_what_it_shows(window):
    window.open_menu()
    (menu,) = (m for m in window.findChildren(QMenu) if m.isVisible())
    titles = [a.text() for a in menu.actions() if not a.isSeparator()]
    assert titles[:3] == ["New book…", "Open a book…", "Open a shared book on a server…"]
    next(a for a in menu.actions() if a.text() == "Recent books…").trigger()
    assert any(p.isVisible() for p in window.findChildren(Palette))


@pytest.mark.quiet
def test_a_site_and_shows_are_made_renamed_copied_archived_and_removed(window, named, settle):
    session = window.session
    store = session.store
    named.append("Pier End")
    window.actions_table.run("new-site")
    assert (crumb(window, "site"), crumb(window, "show")) == ("Pier End", "New show")
    named.append("Opening talk")
    window.actions_table.run("rename-show")
    assert crumb(window, "show") == "Opening talk"
    named.append("Band night")
    entries(window, "shows")["New show like “One band”…"]()
    assert len(session.board.verdicts) == 18
    named.append("Band night again")
    window.actions_table.run("copy-show")
    assert crumb(window, "show") == "Band night again"
    named.append("Band at the harbour")
    entries(window, "shows")["Copy this show for Marrowby Harbour…"]()
    assert (crumb(window, "site"), crumb(window, "show")) == ("Marrowby Harbour", "Band at the harbour")
    window.actions_table.run("archive-show")
    assert crumb(window, "show") == "Band at the harbour (archived)"
    assert store.get(Show, session.scope.show).archived
    window.actions_table.run("remove-show")
    assert crumb(window, "show") == "Marrowby Lantern Regatta"
    assert "Band at the harbour" not in {s.name for s in store.all(Show)}
    window.actions_table.run("remove-site")
    assert "is still needed by" in window.said()
    session.step_back()  # the show is there again; one is not taken to it
    assert "Band at the harbour" in {s.name for s in store.all(Show)}
    assert len(store.all(Site)) == 5
    while session.undo.canUndo():
        session.step_back()
    assert len(store.all(Site)) == 4
    assert len(store.all(Show)) == 3
    settle(window)


def test_a_name_that_is_thought_better_of_makes_nothing(window, named):
    before = len(window.session.store.all(Show))
    for deed in ("new-site", "new-show", "copy-show", "rename-show", "copy-site", "rename-site"):
        window.actions_table.run(deed)
    assert len(window.session.store.all(Show)) == before
    assert not window.session.undo.canUndo()


def test_a_show_that_another_desk_removes_lets_us_stand_somewhere(window):
    session = window.session
    edit = shows.copy_show(session.store, window.places._show, window.places._site, "Short-lived")
    second = of_show(session.store.get(Show, session.store.apply(edit).select[0]))
    session.go(second)
    session.store.apply(shows.remove_show(session.store, session.store.get(Show, second.show)))
    assert session.scope == opening(session.store)
    assert crumb(window, "show") == "Marrowby Lantern Regatta"


def test_an_act_dims_what_is_not_on_in_it(window, settle):
    session = window.session
    window.show_stage("plan")
    settle(window)
    before = window.spine.grab().toImage()
    entries(window, "acts")["Tide Concert"]()
    act = next(a for a in kit.acts(session.store, session.scope) if a.name == "Tide Concert")
    assert crumb(window, "act") == "Tide Concert"
    links = {x.name: x for x in session.store.all(Link, show_id=session.scope.show)}
    assert not session.is_on(links["Harbour Master"])
    assert session.is_on(links["Narrator"])
    assert session.is_on(links["Tide Bell"])
    assert window.spine.grab().toImage() != before
    session.do(lambda: kit.remove_acts(session.store, session.scope, [act]))
    assert session.act is None
    assert crumb(window, "act") == "all acts"


@pytest.fixture
def shelf(qapp):
    made = Books()
    yield made
    for window in list(made.windows):
        window.close()


def test_two_books_are_open_in_two_windows_and_neither_knows_of_the_other(shelf, tmp_path, monkeypatch):
    first = shelf.show(books.new_book(tmp_path / "first.azven"), "ground", look.DAYLIGHT)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "second"), ""))
    first.actions_table.run("new-book")
    assert len(shelf.windows) == 2
    second = shelf.windows[1]
    assert second.session.store.place.path.name == "second.azven"
    second.session.do(lambda: ground.add_neighbour(second.session.store, second.session.scope, "Ferry", 5 * 10**8))
    assert ground.neighbours(first.session.store, first.session.scope) == []
    shelf.open(File(tmp_path / "first.azven"), second)
    assert len(shelf.windows) == 2
    assert crumb(second, "book") == "second"
    second.close()
    assert shelf.windows == [first]
    assert first.session.do(lambda: ground.add_neighbour(first.session.store, first.session.scope, "Tug", 5 * 10**8))


def test_what_cannot_be_opened_is_said_and_what_is_open_stays(shelf, tmp_path, monkeypatch):
    first = shelf.show(books.new_book(tmp_path / "first.azven"), "ground", look.DAYLIGHT)
    (tmp_path / "no.azven").write_text("no book")
    shelf.open(File(tmp_path / "no.azven"), first)
    assert "is not an Azven book; it was left as it is" in first.said()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "no.azven"), ""))
    first.actions_table.run("new-book")
    assert "exists already; nothing was changed" in first.said()
    assert (tmp_path / "no.azven").read_text() == "no book"


def test_a_copy_of_the_book_is_whole_and_we_stay_in_the_first(shelf, tmp_path, monkeypatch):
    first = shelf.show(books.new_book(tmp_path / "first.azven"), "ground", look.DAYLIGHT)
    first.session.do(lambda: ground.add_neighbour(first.session.store, first.session.scope, "Tug", 5 * 10**8))
    chosen = [str(tmp_path / "copy"), str(tmp_path / "first.azven"), str(tmp_path / "nowhere" / "x.azven")]
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (chosen.pop(0), ""))
    first.actions_table.run("copy-book")
    assert "Wrote a copy of the book to copy.azven; you go on in first.azven." in first.said()
    copy = Store.open(tmp_path / "copy.azven")
    assert [n.name for n in copy.all(Neighbour)] == ["Tug"]
    assert (tmp_path / "copy.azven").stat().st_mode & 0o777 == 0o600
    copy.close()
    first.actions_table.run("copy-book")
    assert "first.azven is open; a copy needs another name" in first.said()
    first.actions_table.run("copy-book")
    assert "no copy was made" in first.said()
    assert sorted(p.name for p in tmp_path.glob("*.azven*") if "-" not in p.name) == ["copy.azven", "first.azven"]


def test_place_theme_and_recent_books_are_remembered_outside_of_the_book(shelf, tmp_path):
    store = books.new_book(tmp_path / "ours.azven")
    window = shelf.show(store, "ground", look.DAYLIGHT)
    site = store.all(Site)[0]
    landed = store.apply(shows.add_show(store, site, "Second"))
    at = of_show(store.get(Show, landed.select[0]))
    window.session.go(at)
    window.session.set_theme(look.BACKSTAGE)
    window.close()
    again = Books()
    assert again.remembered.theme == "backstage"
    assert again.remembered.recent()[0] == File(tmp_path / "ours.azven")
    reopened = again.show(Store.open(tmp_path / "ours.azven"), "ground", look.DAYLIGHT)
    assert reopened.session.scope == at
    again_store = reopened.session.store
    again_store.apply(shows.remove_show(again_store, again_store.get(Show, at.show)))
    reopened.session.scope = at
    reopened.close()
    third = again.show(Store.open(tmp_path / "ours.azven"), "ground", look.DAYLIGHT)
    assert third.session.scope == Scope(site.id, third.session.store.all(Show)[0].id)
    third.close()
    (tmp_path / "ours.azven").unlink()
    assert File(tmp_path / "ours.azven") not in Books().remembered.recent()


def test_the_menu_holds_only_what_there_is(window):
    for name in filter(None, window.places.MENU):
        assert window.actions_table.get(name).title


def test_a_book_that_is_open_is_neither_read_nor_written_over_as_another_file(window, tmp_path, monkeypatch):
    said, path = [], window.session.store.place.path
    monkeypatch.setattr(QMessageBox, "warning", lambda parent, title, text: said.append(text))
    for name, given in ((str(path), None), ("", None), (str(tmp_path / "table.csv"), tmp_path / "table.csv")):
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, name=name: (name, ""))
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, name=name: (name, ""))
        assert files.ask_which(window, "Read a table", "") == given
        assert files.ask_where(window, "Write", "table.csv", "") == given
    assert said == [f"{path.name} is a book that is open here; choose another file."] * 2
