"""Where we are: book, site, show and act, each with a list to go elsewhere, make, rename, copy, archive and remove."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QInputDialog, QMessageBox

from azven.book.edits import Edit
from azven.book.records import Show, Site
from azven.book.store import Store
from azven.desk import servers
from azven.desk.actions import Action
from azven.desk.palette import HERE, Entry, Palette
from azven.work import ground, keeping, kit, shows, sites
from azven.work.scope import of_show
from azven.work.wording import one_line

if TYPE_CHECKING:
    from azven.desk.window import Window

_ASK = {
    "book": "A recent book, or what to do with this one",
    "site": "A site, or what to do with this one",
    "show": "A show of this site, or what to do with this one",
    "act": "An act to look at, or all",
}


class Places:
    """The header's lists for a window, and the deeds in them by name."""

    MENU = (
        "new-book", "open-book", "open-server", "recent-books", "", "history", "copy-book", "copy-server",
        "print-sheet", "", "keys", "about", "", "close",
    )  # fmt: skip

    def __init__(self, window: "Window") -> None:
        self._window = window
        self._session = window.session

    def crumbs(self) -> list[tuple[str, str, str]]:
        """What the header shows: kinds of place, their names, and a note behind each."""
        session = self._session
        place = ground.here(session.store, session.scope)
        act = next((a.name for a in kit.acts(session.store, session.scope) if a.id == session.act), "all acts")
        return [
            ("book", session.store.place.stem, ""),
            ("site", one_line(place.site.name), _away(place.site)),
            ("show", one_line(place.show.name), _away(place.show)),
            ("act", one_line(act), ""),
        ]

    def open(self, kind: str) -> None:
        """The list of a kind of place, under its button."""
        entries = {"book": self.books, "site": self.sites, "show": self.shows, "act": self.acts}[kind]()
        palette = Palette(self._window, entries, _ASK[kind], f"Go to another {kind}")
        crumb = self._window.header.crumbs[kind]
        palette.move(crumb.mapToGlobal(crumb.rect().bottomLeft()))
        palette.show()

    # -- lists ---------------------------------------------------------------------------------------

    def books(self) -> list[Entry]:
        window, shelf = self._window, self._window.books
        here = self._session.store.place.key
        out = [
            Entry(f"{p.stem}   {p.within}", "", partial(shelf.open, p, window))
            for p in shelf.remembered.recent()
            if p.key != here
        ]
        return [*out, *(Entry(a.title, "", a.run) for a in self._book_actions())]

    def sites(self) -> list[Entry]:
        store, scope = self._session.store, self._session.scope
        out = [
            Entry(one_line(s.name) + _away(s), HERE if s.id == scope.site else "", partial(self._to_site, s))
            for s in sites.sites(store)
        ]
        return [*out, *(Entry(a.title, "", a.run) for a in self._site_actions())]

    def shows(self) -> list[Entry]:
        store, scope = self._session.store, self._session.scope
        out = [
            Entry(
                one_line(s.name) + _away(s), HERE if s.id == scope.show else "",
                partial(self._session.go, of_show(s)),
            )
            for s in shows.shows(store, scope.site)
        ]  # fmt: skip
        return [*out, *(Entry(a.title, "", a.run) for a in self._show_actions())]

    def acts(self) -> list[Entry]:
        session = self._session
        out = [Entry("all acts", HERE if session.act is None else "", lambda: session.choose_act(None))]
        out += [
            Entry(one_line(a.name), HERE if a.id == session.act else "", partial(session.choose_act, a.id))
            for a in kit.acts(session.store, session.scope)
        ]
        return [*out, Entry("Add or change acts in Kit", "", lambda: self._window.show_stage("kit"))]

    # -- deeds ---------------------------------------------------------------------------------------

    def actions(self) -> list[Action]:
        """Everything here that can be done by name."""
        return [*self._book_actions(), *self._menu_actions(), *self._site_actions(), *self._show_actions()]

    def _book_actions(self) -> list[Action]:
        window, shelf = self._window, self._window.books
        return [
            Action("new-book", "New book…", lambda: shelf.ask_new(window), "Ctrl+N"),
            Action("open-book", "Open a book…", lambda: shelf.ask_open(window), "Ctrl+O"),
            Action("open-server", "Open a shared book on a server…", lambda: servers.ask_open(shelf, window)),
            Action("copy-book", "Save a copy of the book…", lambda: shelf.ask_copy(window)),
            Action("copy-server", "Copy the book to a server…", lambda: servers.ask_copy(shelf, window)),
        ]

    def _menu_actions(self) -> list[Action]:
        window = self._window
        return [
            Action("recent-books", "Recent books…", lambda: self.open("book")),
            Action("history", "History of the book…", self._show_history, "Ctrl+H"),
            Action("print-sheet", "Print the frequency sheet…", self._print),
            Action("keys", "Keys", self._show_keys),
            Action("about", "About Azven", self._about),
            Action("close", "Close this book", window.close, "Ctrl+W"),
        ]

    def _site_actions(self) -> list[Action]:
        def remove_site() -> Edit:
            return sites.remove_site(self._store, self._site)

        return [
            Action("new-site", "New site…", self._new_site),
            Action("copy-site", "Copy this site…", self._copy_site),
            Action("rename-site", "Rename this site…", lambda: self._rename(self._site)),
            Action("district", "District of this site…", self._district),
            Action("archive-site", _archiving(self._site, "site"), lambda: self._archive(self._site)),
            Action("remove-site", "Remove this site", lambda: self._session.do(remove_site)),
        ]

    def _show_actions(self) -> list[Action]:
        def remove_show() -> Edit:
            return shows.remove_show(self._store, self._show)

        out = [Action("new-show", "New show, empty…", self._new_show)]
        for i, title in enumerate(shows.templates()):
            out.append(Action(f"new-show-{i}", f"New show like “{title}”…", partial(self._new_show, title)))
        out.append(Action("copy-show", "Copy this show…", lambda: self._copy_show(self._site)))
        for site in sites.sites(self._store):
            if site.id != self._session.scope.site and not site.archived:
                title = f"Copy this show for {one_line(site.name)}…"
                out.append(Action(f"copy-show-{site.id}", title, partial(self._copy_show, site)))
        return [
            *out,
            Action("rename-show", "Rename this show…", lambda: self._rename(self._show)),
            Action("archive-show", _archiving(self._show, "show"), lambda: self._archive(self._show)),
            Action("remove-show", "Remove this show", lambda: self._session.do(remove_show)),
        ]

    @property
    def _store(self) -> Store:
        return self._session.store

    @property
    def _site(self) -> Site:
        return ground.here(self._session.store, self._session.scope).site

    @property
    def _show(self) -> Show:
        return ground.here(self._session.store, self._session.scope).show

    def _make(self, make: Callable[[], Edit]) -> None:
        """Carry out an edit that makes a show, and go to it."""
        made: list[int] = []

        def edit() -> Edit:
            found = make()
            made.extend(found.select)
            return found

        if self._session.do(edit):
            self._session.go(of_show(self._store.get(Show, made[0])))

    def _name(self, title: str, suggested: str = "") -> str | None:
        """A name that the user types, None when they think better of it."""
        text, given = QInputDialog.getText(self._window, title, "Name", text=suggested)
        return text.strip() if given and text.strip() else None

    def _to_site(self, site: Site) -> None:
        runs = shows.shows(self._store, site.id)
        if runs:
            self._session.go(of_show(runs[0]))
        elif name := self._name(f"No show runs at {one_line(site.name)} yet: a new one", "New show"):
            self._make(lambda: shows.add_show(self._store, site, name))

    def _new_site(self) -> None:
        if name := self._name("New site"):
            self._make(lambda: sites.add_site(self._store, name))

    def _copy_site(self) -> None:
        site = self._site
        if name := self._name(f"Copy of {one_line(site.name)}", site.name):
            self._make(lambda: sites.duplicate_site(self._store, site, name))

    def _new_show(self, template: str = "") -> None:
        site = self._site
        if name := self._name(f"New show at {one_line(site.name)}", template):
            self._make(lambda: shows.add_show(self._store, site, name, template))

    def _copy_show(self, site: Site) -> None:
        show = self._show
        if name := self._name(f"Copy of {one_line(show.name)} for {one_line(site.name)}", show.name):
            self._make(lambda: shows.copy_show(self._store, show, site, name))

    def _rename(self, record: Site | Show) -> None:
        if name := self._name(f"Rename {one_line(record.name)}", record.name):
            self._session.do(lambda: keeping.rename(record, name))

    def _district(self) -> None:
        site, known = self._site, sites.districts(self._store)
        title = f"District of {one_line(site.name)}"
        asked = "The part of the house that it belongs to; nothing where it is in none"
        names = ["", *known]
        at = names.index(site.district) if site.district in names else 0
        text, given = QInputDialog.getItem(self._window, title, asked, names, at, True)
        if given:
            self._session.do(lambda: sites.set_district(site, text))

    def _archive(self, record: Site | Show) -> None:
        self._session.do(lambda: keeping.archive(record, not record.archived))

    def _print(self) -> None:
        self._window.show_stage("plan")
        self._window.actions_table.run("sheet")

    def _show_history(self) -> None:
        from azven.desk.history import HistoryDialog

        HistoryDialog(self._window, self._session).show()

    def _show_keys(self) -> None:
        known = [a for a in self._window.actions_table.all() if a.key]
        QMessageBox.information(self._window, "Keys", "\n".join(f"{a.key}:  {a.title}" for a in known))

    def _about(self) -> None:
        from azven import __version__

        QMessageBox.information(
            self._window, "About Azven", f"Azven {__version__}\nRadio frequency coordination for live events."
        )


def _away(record: Site | Show) -> str:
    return " (archived)" if record.archived else ""


def _archiving(record: Site | Show, kind: str) -> str:
    return f"Bring this {kind} back from the archive" if record.archived else f"Archive this {kind}"
