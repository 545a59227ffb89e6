"""What other desks do is seen, undo steps that they have overtaken can be dropped, the history can be searched."""

from dataclasses import replace

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QInputDialog, QLineEdit, QMessageBox

from azven.book.author import Author
from azven.book.edits import BookError, Edit, PasswordError, add, replace_record
from azven.book.place import File, place
from azven.book.records import Link, Neighbour, Show, Zone
from azven.book.store import Store
from azven.desk import servers
from azven.desk import theme as look
from azven.desk.books import Books
from azven.desk.collided import CollidedDialog
from azven.desk.history import HistoryDialog
from azven.work import books, demo, keeping, kit
from azven.work.scope import opening as here

THEY = Author("second op", "stage left")


@pytest.fixture
def theirs(window):
    store = Store.open(window.session.store.place, THEY)
    yield store
    store.close()


def links(store):
    return kit.links(store, here(store))


def seen(qtbot, true):
    qtbot.waitUntil(true, timeout=60_000)


def test_what_another_desk_does_is_on_the_screen_and_said_by_name(window, theirs, qtbot, settle):
    window.show_stage("kit")
    link = links(theirs)[0]
    theirs.apply(kit.change_links(theirs, [link], name="Town Crier"))
    table = window.stage.links.table.records
    seen(qtbot, lambda: "Town Crier" in [r.name for r in table.records])
    assert "second op at stage left: " in window.said()
    assert not window.session.undo.canUndo(), "their edit is not ours to undo"
    theirs.apply(keeping.rename(theirs.get(Show, here(theirs).show), "Second evening"))
    seen(qtbot, lambda: window.header.crumbs["show"].text() == "Second evening")
    settle(window)


def test_a_change_that_no_plan_depends_on_judges_nothing_anew(window, theirs, qtbot, settle):
    settle(window)
    board = window.session.board
    site = theirs.all(Zone)[0].site_id
    kept = Zone(id=theirs.reserve(), site_id=site, name="Attic")
    theirs.apply(Edit("A drawing of nothing", add(kept)))
    seen(qtbot, lambda: any(z.name == "Attic" for z in window.session.store.all(Zone)))
    assert window.session.board.verdicts is board.verdicts or window.session.board.verdicts == board.verdicts


def test_an_overtaken_undo_step_is_dropped_and_those_below_it_work(window, theirs, qtbot, monkeypatch):
    session = window.session
    first, second = links(session.store)[:2]
    assert session.do(lambda: kit.change_links(session.store, [first], performer="Mine"))
    assert session.do(lambda: kit.change_links(session.store, [second], performer="Also mine"))
    theirs.catch_up()
    other = theirs.get(Link, second.id)
    theirs.apply(Edit("Change", replace_record(other, replace(other, performer="Theirs"))))
    boxes = []

    def answer(box):
        boxes.append((box.text(), box.informativeText()))
        wanted = "Drop this step" if len(boxes) > 1 else "Keep it"
        button = next(b for b in box.buttons() if b.text() == wanted)
        monkeypatch.setattr(QMessageBox, "clickedButton", lambda _: button)
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    session.step_back()
    assert session.undo.index() == 2, "kept"
    assert (
        f"performer is “Theirs”, yours is {'empty' if not second.performer else f'“{second.performer}”'}"
        in window.said()
    )
    session.step_back()
    assert session.undo.index() == session.undo.count() == 1
    assert "Dropped: " in window.said()
    assert boxes[0] == boxes[1]
    assert "by second op at stage left" in boxes[0][1]
    session.step_back()
    assert session.store.get(Link, first.id).performer == first.performer
    assert session.store.get(Link, second.id).performer == "Theirs"
    session.step_forward()
    assert session.store.get(Link, first.id).performer == "Mine"


def test_a_step_whose_record_others_need_by_now_is_offered_to_be_dropped(window, theirs):
    session = window.session
    site = session.store.all(Zone)[0].site_id
    room = Zone(id=session.store.reserve(), site_id=site, name="Attic")
    assert session.do(lambda: Edit("Add a room", add(room)))
    theirs.catch_up()
    moved_in = Neighbour(id=theirs.reserve(), site_id=site, name="Ferry", freq_hz=510_000_000, zone_id=room.id)
    theirs.apply(Edit("A neighbour", add(moved_in)))
    asked = []
    session.drops = lambda title, why: asked.append(why) is None
    session.step_back()
    assert "still needs it" in asked[0]
    assert not session.undo.canUndo()
    assert session.store.get(Zone, room.id).name == "Attic"


def test_the_history_is_searched_shown_and_taken_back_by_keys(window, qtbot, settle):
    session = window.session
    link = links(session.store)[0]
    assert session.do(lambda: kit.change_links(session.store, [link], performer="Pepper Tiller"))
    assert session.do(lambda: kit.change_links(session.store, [link], name="Town Crier"))
    dialog = HistoryDialog(window, session)
    qtbot.addWidget(dialog)
    dialog.show()
    whole = dialog.lines.records.rowCount()
    assert whole > 15
    qtbot.keyClicks(dialog.words, "pepper")
    seen(qtbot, lambda: dialog.lines.records.rowCount() == 1)
    assert [(d.field, d.after) for d in dialog.details.records.records] == [("performer", "“Pepper Tiller”")]
    qtbot.mouseClick(dialog.back, Qt.MouseButton.LeftButton)
    assert session.store.get(Link, link.id).performer == link.performer
    assert session.store.get(Link, link.id).name == "Town Crier"
    assert session.undo.undoText().startswith("Take back: ")
    session.step_back()
    assert session.store.get(Link, link.id).performer == "Pepper Tiller"
    dialog.words.setText("nobody has done this")
    seen(qtbot, lambda: dialog.lines.records.rowCount() == 0)
    assert dialog._what.text() == "Nothing is found"
    assert not dialog.back.isEnabled()
    settle(window)


def test_what_cannot_be_taken_back_is_said_in_the_history_and_in_the_window(window, qtbot):
    session = window.session
    for name in ("Quay", "Pier"):
        assert session.do(lambda name=name: keeping.rename(session.store.get(Show, session.scope.show), name))
    dialog = HistoryDialog(window, session)
    qtbot.addWidget(dialog)
    dialog.lines.selectRow(1)
    dialog.take_back()
    assert "name is “Pier” now" in dialog._what.text()
    assert "name is “Pier” now" in window.said()
    assert session.store.get(Show, session.scope.show).name == "Pier"


def test_how_much_history_is_kept_is_set_and_can_be_undone(window, qtbot):
    dialog = HistoryDialog(window, window.session)
    qtbot.addWidget(dialog)
    dialog.edits.setValue(500)
    dialog.bulky.setChecked(True)
    dialog._keep()
    assert dialog.edits.value() == 500
    window.session.step_back()
    assert dialog.edits.value() == 20_000
    assert not dialog.bulky.isChecked()


def test_many_lines_come_page_by_page(window, qtbot):
    session = window.session
    show = session.store.get(Show, session.scope.show)
    for n in range(230):
        show = session.store.apply(keeping.rename(show, f"Name {n}")).changes[0].after
    dialog = HistoryDialog(window, session)
    qtbot.addWidget(dialog)
    assert dialog.lines.records.rowCount() == 200
    dialog.older.click()
    assert dialog.lines.records.rowCount() > 230
    assert dialog.older.isHidden()


# -- servers ---------------------------------------------------------------------------------------------


@pytest.fixture
def shelf(qapp):
    made = Books()
    yield made
    for window in list(made.windows):
        window.session.jobs.wait()
        window.close()


def answers(monkeypatch, *given):
    """What the user types, one after another; None is Cancel."""
    asked, left = [], list(given)

    def get(parent, title, label, echo=QLineEdit.EchoMode.Normal, text=""):
        asked.append((title, label, echo))
        answer = left.pop(0)
        return (answer or "", answer is not None)

    monkeypatch.setattr(QInputDialog, "getText", get)
    return asked


def test_a_shared_book_is_opened_by_url_and_remembered_without_its_password(
    shelf, server, tmp_path, monkeypatch, qtbot
):
    first = shelf.show(books.new_book(tmp_path / "first.azven"), "ground", look.DAYLIGHT)
    database = server.database()
    guarded = database.url.replace("azven@", "guarded@")
    asked = answers(monkeypatch, guarded, "wrong", server.PASSWORD)
    first.actions_table.run("open-server")
    assert [echo for _, _, echo in asked[1:]] == [QLineEdit.EchoMode.Password] * 2
    second = shelf.windows[1]
    assert second.windowTitle() == f"{database.stem} on 127.0.0.1 – Azven"
    assert second.header.crumbs["book"].text() == database.stem
    assert place(guarded) in Books().remembered.recent()
    kept = [str(Books().remembered._settings.value(k)) for k in Books().remembered._settings.allKeys()]
    assert not any(server.PASSWORD in text for text in kept)
    assert second.session.do(lambda: keeping.rename(second.places._show, "Shared evening"))
    again = Store.open(database)
    assert [s.name for s in again.all(Show)] == ["Shared evening"]
    again.close()


@pytest.mark.parametrize(
    ("typed", "said"),
    [
        (["postgresql://azven@127.0.0.1:1/nowhere"], "cannot be reached. "),
        (["somewhere"], "no URL of a database"),
        (["postgresql://a:b:c/x"], "no URL of a database"),
    ],
)
def test_a_server_that_cannot_be_opened_is_said(shelf, tmp_path, monkeypatch, typed, said):
    first = shelf.show(books.new_book(tmp_path / "first.azven"), "ground", look.DAYLIGHT)
    answers(monkeypatch, *typed)
    first.actions_table.run("open-server")
    assert said in first.said()
    assert len(shelf.windows) == 1


def test_who_gives_no_password_is_told_that_one_is_wanted(shelf, server, tmp_path, monkeypatch):
    first = shelf.show(books.new_book(tmp_path / "first.azven"), "ground", look.DAYLIGHT)
    answers(monkeypatch, server.database().url.replace("azven@", "guarded@"), None)
    first.actions_table.run("open-server")
    assert "wants a password" in first.said()

    def make(where):
        raise PasswordError("a file wants none")

    answers(monkeypatch, "x")
    with pytest.raises(BookError):
        servers.opened(File(tmp_path / "first.azven"), make, first)


def test_a_book_is_copied_to_a_server_and_back(shelf, server, tmp_path, monkeypatch, settle):
    from PyQt6.QtWidgets import QFileDialog

    first = shelf.show(demo.build(tmp_path), "ground", look.DAYLIGHT)
    database = server.database()
    answers(monkeypatch, database.url, database.url)
    first.actions_table.run("copy-server")
    settle(first)
    assert f"Wrote a copy of the book to {database.title}" in first.said()
    first.actions_table.run("copy-server")
    settle(first)
    assert "is not empty; nothing was changed" in first.said()
    shelf.open(database, first)
    second = shelf.windows[1]
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "back"), ""))
    second.actions_table.run("copy-book")
    settle(second)
    back = Store.open(tmp_path / "back.azven")
    assert back.all(Link) == first.session.store.all(Link)
    back.close()


def test_a_server_that_goes_is_said_for_as_long_as_it_is_away(open_window, server, qtbot):
    window = open_window(books.new_book(server.database()))
    session = window.session
    session.store.others_wrote()
    seen(qtbot, lambda: session.store.engine.watcher.heard())
    server.stop()
    try:
        seen(qtbot, lambda: not window.header._lasting.isHidden())
        assert window.header._lasting.text().startswith("Server away since ")
        assert not session.do(lambda: keeping.rename(window.places._show, "Lost?"))
        assert "cannot be reached" in window.said()
        assert window.places._show.name == "New show", "what was read is still shown"
        assert "nothing can be changed until it is back" in window.header._lasting.toolTip()
    finally:
        server.start()
    seen(qtbot, lambda: window.header._lasting.isHidden())
    assert session.do(lambda: keeping.rename(window.places._show, "Back again"))


@pytest.fixture
def shared(open_window, server, qtbot, tmp_path, monkeypatch):
    """A window at a book on a server, whose edits wait in a folder of the test's own, and where the book is."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    database = server.database()
    window = open_window(books.open_book(database))
    window.session.store.others_wrote()
    seen(qtbot, lambda: window.session.store.engine.watcher.heard())
    return database, window


def test_a_desk_that_is_cut_off_goes_on_and_settles_what_met_others(shared, server, qtbot):
    database, window = shared
    session = window.session
    server.stop()
    try:
        seen(qtbot, lambda: not window.header._lasting.isHidden())
        assert session.do(lambda: keeping.rename(window.places._show, "Ours"))
        assert session.do(lambda: kit.add_act(session.store, session.scope, "Matinee")), window.said()
        seen(qtbot, lambda: window.header._lasting.text().endswith(", 2 edits waiting"))
        assert window.header.crumbs["show"].text() == "Ours"
        session.jobs.wait()
    finally:
        server.start()
        theirs = Store.open(database, THEY)
        show = theirs.get(Show, session.scope.show)
        theirs.apply(Edit("Note", replace_record(show, replace(show, note="Doors at six"))))
        theirs.close()
    seen(qtbot, lambda: bool(window.findChildren(CollidedDialog)))
    (dialog,) = window.findChildren(CollidedDialog)
    assert window.header._lasting.text() == "1 edit to settle"
    assert [(m.field, m.theirs, m.ours) for m in dialog.table.records.records] == [("name", "“New show”", "“Ours”")]
    assert window.header.crumbs["show"].text() == "New show"
    assert [a.name for a in kit.acts(session.store, session.scope)] == ["Matinee"], "what met nobody is written"
    qtbot.mouseClick(dialog.mine, Qt.MouseButton.LeftButton)
    assert (window.places._show.name, window.places._show.note) == ("Ours", "Doors at six")
    assert session.store.waiting == 0
    assert window.header._lasting.isHidden()
    session.step_back()
    assert window.places._show.name == "New show"


def test_what_met_others_is_kept_until_later(shared, server, qtbot):
    database, window = shared
    session = window.session
    server.stop()
    try:
        seen(qtbot, lambda: not window.header._lasting.isHidden())
        assert session.do(lambda: keeping.rename(window.places._show, "Ours"))
    finally:
        server.start()
        theirs = Store.open(database, THEY)
        theirs.apply(keeping.rename(theirs.get(Show, session.scope.show), "Theirs"))
        theirs.close()
    seen(qtbot, lambda: bool(window.findChildren(CollidedDialog)))
    window.findChildren(CollidedDialog)[0].close()
    session.rest()
    session.store.close()
    again = books.open_book(database)
    again.catch_up()
    assert [w.edit.title for w in again.collided] == ["Rename New show"]
    again.settle(again.collided[0], mine=False)
    assert again.get(Show, session.scope.show).name == "Theirs"
    again.close()
