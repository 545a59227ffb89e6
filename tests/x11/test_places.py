"""Several sites, shows and books in real windows, by keys and clicks alone."""

import sqlite3

PALETTE = "app.activePopupWidget()"
NAMES = "[window.header.crumbs[k].text() for k in ('site', 'show', 'act')]"


def choose(desk, kind, text):
    """Open a list of the header, type, take the first that is found."""
    desk.click(*desk.ask(f"at(window.header.crumbs[{kind!r}])"))
    desk.until(f"{PALETTE} is not None")
    desk.type(text)
    desk.until(f"{PALETTE}._text.text()", text)
    desk.key("Return")
    desk.until(f"{PALETTE} is None")


def name(desk, text):
    """Answer the dialog that asks for a name."""
    desk.until("app.activeModalWidget() is not None and app.activeModalWidget().isActiveWindow()")
    desk.key("ctrl+a")
    desk.type(text)
    desk.key("Return")
    desk.until("app.activeModalWidget() is None")


def test_a_book_of_sites_and_shows_is_worked_through(start):
    desk = start(stage="kit")
    desk.until("session.jobs.idle")
    choose(desk, "site", "new site")
    name(desk, "Pier End")
    desk.until(NAMES, ["Pier End", "New show", "all acts"])
    choose(desk, "show", "one band")
    name(desk, "Band night")
    desk.until(NAMES, ["Pier End", "Band night", "all acts"])
    desk.until("len(session.board.verdicts)", 18)
    choose(desk, "show", "for Orchard")
    name(desk, "Band in the barn")
    desk.until(NAMES, ["Orchard Ground", "Band in the barn", "all acts"])
    for key, stage in zip("123456", ("ground", "listen", "kit", "plan", "chain", "reach"), strict=True):
        desk.key(f"ctrl+{key}")
        desk.until("window.stage.name", stage)
        desk.until("session.jobs.idle")
    choose(desk, "act", "concert")
    desk.until(NAMES, ["Orchard Ground", "Band in the barn", "Concert"])
    choose(desk, "site", "marrowby")
    desk.until(NAMES, ["Marrowby Harbour", "Marrowby Lantern Regatta", "all acts"])
    desk.until("len(session.board.verdicts)", 44)
    choose(desk, "show", "rename")
    name(desk, "Lantern Night")
    desk.until(NAMES, ["Marrowby Harbour", "Lantern Night", "all acts"])
    desk.key("ctrl+z")
    desk.until(NAMES, ["Marrowby Harbour", "Marrowby Lantern Regatta", "all acts"])
    assert desk.ask("len({x.site_id for x in session.store.all(Zone)})") == 5


def test_two_books_in_two_windows_each_with_its_own_edits(start, tmp_path):
    first = tmp_path / "first.azven"
    desk = start(book=first, stage="kit")
    desk.until("session.jobs.idle")
    desk.click(*desk.ask("at(window.header.menu_button)"))
    desk.until("app.activePopupWidget() is not None")
    desk.key("Escape")
    desk.until("app.activePopupWidget() is None")
    desk.key("ctrl+n")
    desk.until("app.activeModalWidget() is not None and app.activeModalWidget().isActiveWindow()")
    desk.key("ctrl+a")
    desk.type(str(tmp_path / "second"))
    desk.key("Return")
    desk.until("len(window.books.windows)", 2)
    desk.until("window.books.windows[1].isActiveWindow()")
    desk.key("ctrl+3")
    desk.until("window.books.windows[1].stage.name", "kit")
    desk.ask("window.books.windows[1].stage.links.pattern.setFocus()")
    desk.type("Only here")
    desk.key("Return")
    desk.until("len(window.books.windows[1].session.board.verdicts)", 1)
    desk.key("ctrl+w")
    desk.until("len(window.books.windows)", 1)
    desk.until("window.isActiveWindow()")
    assert desk.ask("len(session.board.verdicts)") == 0
    with sqlite3.connect(tmp_path / "second.azven") as connection:
        assert connection.execute("SELECT name FROM link").fetchall() == [("Only here",)]
    connection.close()
