"""What Kit's pages read from files and write to them."""

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtWidgets import QWidget

from azven.book.records import Model, Person, Unit
from azven.desk import faults, files
from azven.desk.kit.taken_in import TakingIn
from azven.desk.pdf import Paper
from azven.desk.session import Session
from azven.work import kit
from azven.work.kit import catalogue, lists
from azven.work.kit.lists import TakenIn

_CSV, _PDF, _JSON = "CSV (*.csv *.txt)", "PDF (*.pdf)", "Catalogue (*.json)"


class Papers:
    """The deeds of a page, with the window that asks."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        self.session, self.parent = session, parent
        self.asking: TakingIn | None = None

    # -- printed ---------------------------------------------------------------------------------------

    def cards(self, only: Sequence[Person]) -> None:
        """Dressing cards of the chosen persons, of all where none is chosen."""
        from azven.work.kit import printed

        self._pdf(
            "Dressing cards",
            "cards.pdf",
            lambda: printed.cards(self.session.store, self.session.scope, only),
            "A5 across",
        )

    def labels(self, only: Sequence[Unit] = ()) -> None:
        """Labels of the chosen units, of everything on a link where none is chosen."""
        path = files.ask_where(self.parent, "Labels", "labels.pdf", _PDF)
        if path:
            self.write_labels(path, only)

    def write_labels(self, path: Path, only: Sequence[Unit] = ()) -> None:
        """Write labels and say how many."""
        from azven.desk.labels import write_labels
        from azven.work.kit import printed

        found = printed.labels(self.session.store, self.session.scope, only)
        files.draw_pages(self.session, path, lambda: write_labels(found, path))

    def patch_sheet(self) -> None:
        from azven.work.kit import printed

        self._pdf(
            "Patch sheet",
            "patch.pdf",
            lambda: printed.patch_sheet(self.session.store, self.session.scope, self.session.now()),
        )

    def intercom(self, html: Callable[[], str]) -> None:
        self._pdf("Intercom", "intercom.pdf", html)

    def _pdf(self, title: str, name: str, html: Callable[[], str], paper: Paper = "A4") -> None:
        path = files.ask_where(self.parent, title, name, _PDF)
        if path:
            self.write_pdf(path, html(), title, paper)

    def write_pdf(self, path: Path, html: str, title: str, paper: Paper = "A4") -> None:
        """Write pages and say how many."""
        files.write_pages(self.session, path, html, f"Azven {title.lower()}", paper)

    # -- lists -----------------------------------------------------------------------------------------

    def write_list(self) -> None:
        store, scope = self.session.store, self.session.scope
        path = files.ask_where(self.parent, "Kit list", "kit.csv", _CSV)
        if path:
            count = len(kit.units(store, scope))
            files.write_text(self.session, path, lists.write(store, scope), f"{count} units")

    def read_list(self) -> None:
        path = files.ask_which(self.parent, "Kit list", _CSV)
        if path:
            self.take_list(path)

    def take_list(self, path: Path) -> TakingIn | None:
        """Show what becomes of the rows of a kit list."""
        store, scope = self.session.store, self.session.scope
        return self._ask(path, lambda text: lists.take_in(store, scope, text))

    def write_patch(self) -> None:
        from azven.work.kit import patch_list

        path = files.ask_where(self.parent, "Patch", "patch.csv", _CSV)
        if path:
            text = patch_list.write(self.session.store, self.session.scope)
            files.write_text(self.session, path, text, f"{text.count(chr(10)) - 1} rows")

    def read_patch(self) -> None:
        path = files.ask_which(self.parent, "Patch", _CSV)
        if path:
            self.take_patch(path)

    def take_patch(self, path: Path) -> TakingIn | None:
        """Show what becomes of the rows of a patch."""
        from azven.work.kit import patch_list

        store, scope = self.session.store, self.session.scope
        return self._ask(path, lambda text: patch_list.take_in(store, scope, text))

    def _ask(self, path: Path, read: Callable[[str], TakenIn]) -> TakingIn | None:
        try:
            found = read(lists.text_of(path))
        except ValueError as error:
            self.session.say(str(error), trouble=True)
            return None
        self.asking = TakingIn(self.session, self.parent, path.name, found)
        self.asking.open()
        return self.asking

    # -- models ----------------------------------------------------------------------------------------

    def read_catalogue(self) -> None:
        path = files.ask_which(self.parent, "Catalogue", _JSON)
        if path:
            self.take_catalogue(path)

    def take_catalogue(self, path: Path) -> None:
        """Add the models of a file; a file that is wrong anywhere is refused in a sentence."""
        try:
            found = catalogue.take_in(self.session.store, path)
        except ValueError as error:
            self.session.say(faults.sentence(error), trouble=True)
            return
        self._add(found, path.name)

    def take_generic(self) -> None:
        """Add the generic models that this book does not hold."""
        self._add(catalogue.missing_generic(self.session.store), "the generic catalogue")

    def _add(self, found: catalogue.TakenIn, name: str) -> None:
        self.session.do(lambda: found.edit)
        self.session.say(found.sentence(name))

    def write_catalogue(self, models: Sequence[Model]) -> None:
        """Write the chosen models, all where none is chosen."""
        chosen = list(models) or self.session.store.all(Model)
        path = files.ask_where(self.parent, "Catalogue", "models.json", _JSON)
        if not path:
            return
        try:
            catalogue.write(chosen, path)
        except OSError as error:
            self.session.say(f"{path} could not be written: {error.strerror or error}.", trouble=True)
            return
        self.session.say(f"Wrote {len(chosen)} models to {path.name}.")

    def read_groups(self, models: Sequence[Model]) -> None:
        path = files.ask_which(self.parent, "Groups of the chosen model", _CSV)
        if path:
            self.take_groups(models, path)

    def take_groups(self, models: Sequence[Model], path: Path) -> None:
        """Group tables from a file into the chosen model, each frequency into the band that holds it."""
        if len(models) != 1:
            self.session.say("Choose the one model whose groups these are.", trouble=True)
            return
        from azven.work.kit import group_gear

        try:
            edit, said = group_gear.read_into(models[0], path)
        except ValueError as error:
            self.session.say(faults.sentence(error), trouble=True)
            return
        if self.session.do(lambda: edit):
            self.session.say(said)
