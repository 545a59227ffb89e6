"""The pages of Kit: what they share, and the plain tables of links, units, models and acts."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from azven.book.edits import Edit, remove
from azven.book.formats.errors import FormatError
from azven.book.records import Act, Link, Model, Unit
from azven.desk.bulk import BulkBar
from azven.desk.kit.gear_columns import ModelColumns, UnitColumns
from azven.desk.kit.link_columns import ActColumns, LinkColumns
from azven.desk.kit.papers import Papers
from azven.desk.session import Session
from azven.desk.sheets import FieldSheet
from azven.desk.stage import FittedLabel, button, choice, fill, label, row
from azven.desk.tables import RecordTable
from azven.desk.tabs import Page
from azven.work import chosen, ground, ids, kit
from azven.work.ids import choices_of
from azven.work.kit import receivers as racks


@dataclass(frozen=True)
class FileDeed:
    """Something that is read from or written to a file, with its words."""

    title: str
    run: Callable[[], object]


class KitPage(Page):
    """A page of Kit: what its rows are called, and what can be done with them."""

    title = ""
    adds = ""
    """Title of the deed that adds a row."""
    pastes, has_rows = False, True
    """Whether rows of a spreadsheet can be pasted, and whether rows can be removed."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._papers: Papers | None = None
        self.empty = label("", "dim", wrap=True)
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(6)

    @property
    def table(self) -> RecordTable:
        """The table whose rows are pasted and removed."""
        raise NotImplementedError

    def with_bulk(self, table: RecordTable) -> None:
        """Put a table on the page, and under it the bar for several rows."""
        table.theme = lambda: self.session.theme
        self.box.addWidget(table, 1)
        self.box.addWidget(BulkBar(table, table.records.columns))

    @staticmethod
    def one_of(first: RecordTable, second: RecordTable) -> None:
        """Have rows selected in one of two tables only, so that it is clear what Remove takes."""

        def leave(now: RecordTable, other: RecordTable) -> None:
            if now.chosen() and other.chosen():
                other.choose(set())
                other.selected.emit()

        first.selected.connect(lambda: leave(first, second))
        second.selected.connect(lambda: leave(second, first))

    def show_empty(self, text: str, empty: bool) -> None:
        """Say what to do first where there is nothing yet."""
        self.empty.setText(text if empty else "")
        self.empty.setVisible(empty)

    def take_focus(self) -> None:
        """Have the keyboard where work begins."""
        self.table.setFocus()

    def choose_rows(self, numbers: set[int]) -> None:
        """Choose rows by number and bring them into view."""
        self.table.choose(numbers)
        self.table.show_chosen()

    def add(self) -> None:
        """Add what the page is about."""

    def remove(self, found: Sequence[Any]) -> None:
        """Take rows out."""

    def paste_text(self, text: str) -> None:
        """Rows from a spreadsheet."""
        self.session.say("Rows can be pasted into Links and Persons; units and the patch are read from files.")

    def files(self) -> list[FileDeed]:
        """What is read and written."""
        return []

    @property
    def papers(self) -> Papers:
        """Reading and writing for this page."""
        if self._papers is None:
            self._papers = Papers(self.session, self)
        return self._papers


class LinksPage(KitPage):
    """Links, with an entry for many of them."""

    title, adds = "Links", "Add links"
    pastes = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.columns = LinkColumns(session)
        self._table = RecordTable(self.columns.all(), "Links")
        self._make_entry()
        self.box.addLayout(self._entry())
        self.box.addWidget(self.empty)
        self.with_bulk(self._table)
        self._table.picked.connect(lambda link: session.select(chosen.Link(ids.of(link))))

    @property
    def table(self) -> RecordTable:
        return self._table

    def _make_entry(self) -> None:
        self.pattern, self.count = QLineEdit(), QSpinBox()
        self.pattern.setPlaceholderText("Name, e.g. Choir 1")
        self.pattern.setMinimumWidth(136)
        self.pattern.setAccessibleName("Name of the first link")
        self.pattern.returnPressed.connect(self.add_links)
        self.count.setRange(1, 200)
        self.count.setAccessibleName("How many")
        self.count.setFixedWidth(52)
        self.model = choice([], "Model")
        self.model.keep_width(22)
        self.band = choice([], "Tuning band")
        self.band.setMinimumWidth(92)
        self.room = choice([], "Room")
        self.importance = choice([(f"{k} {v}", k) for k, v in kit.PRIORITIES.items()], "Importance")
        self.importance.setCurrentIndex(2)
        self.model.currentIndexChanged.connect(self._offer_bands)

    def _entry(self) -> QHBoxLayout:
        return row(
            self.count, label("×"), self.pattern, self.model, self.band, self.room, self.importance,
            button("Add", self.add_links, "Add this many links; the number in the name counts up"), spacing=6,
        )  # fmt: skip

    def read(self) -> list[Link]:
        self.columns.read()
        return kit.links(self.session.store, self.session.scope)

    def show_view(self, view: list[Link]) -> None:
        store, scope = self.session.store, self.session.scope
        self._table.show_records(view)
        words = "No links yet. Name the first, say how many, and add them; or paste rows from a spreadsheet."
        self.show_empty(words, not view)
        fill(self.model, choices_of(ground.models(store)))
        fill(self.room, choices_of(ground.zones(store, scope)))
        self._offer_bands()

    def _offer_bands(self) -> None:
        model = self._model()
        fill(self.band, [(b[0], b[0]) for b in model.bands] if model else [])

    def _model(self) -> Model | None:
        return next((m for m in self.session.store.all(Model) if m.id == self.model.currentData()), None)

    def add(self) -> None:
        if self.pattern.text().strip():
            self.add_links()
        else:
            self.pattern.setFocus()

    def add_links(self) -> None:
        """Add as many links as said."""
        model, store, scope = self._model(), self.session.store, self.session.scope
        zone = next((z for z in ground.zones(store, scope) if z.id == self.room.currentData()), None)
        if model is None or zone is None:
            self.session.say("A link needs a model and a room.", trouble=True)
            return
        done = self.session.do(
            lambda: kit.add_links(
                store, scope, self.pattern.text(), self.count.value(), model, str(self.band.currentData()), zone,
                priority=self.importance.currentData(),
            )
        )  # fmt: skip
        if done:
            self.session.say(f"{self.session.undo.undoText()}.")
            self.pattern.clear()
            self.count.setValue(1)

    def paste_text(self, text: str) -> None:
        model, store, scope = self._model(), self.session.store, self.session.scope
        zone = next((z for z in ground.zones(store, scope) if z.id == self.room.currentData()), None)
        if model is None or zone is None or not text.strip():
            self.session.say(
                "Copy rows in a spreadsheet first: a name in each, or a heading row with name, model, room …"
            )
            return
        try:
            pasted = kit.paste(store, scope, text, model, zone)
        except FormatError as error:
            self.session.say(str(error), trouble=True)
            return
        self.session.do(lambda: pasted.edit)
        refused = (
            f" Left out: {'; '.join(pasted.refused[:3])}{' …' if len(pasted.refused) > 3 else ''}."
            if pasted.refused
            else ""
        )
        self.session.say(f"{pasted.used} links pasted.{refused}", trouble=bool(pasted.refused))

    def files(self) -> list[FileDeed]:
        return [FileDeed("Labels of all links as PDF …", lambda: self.papers.labels())]

    def remove(self, found: Sequence[Link]) -> None:
        self.session.do(lambda: kit.remove_links(self.session.store, found))


class UnitsPage(KitPage):
    """Units: racks and what is carried."""

    title, adds = "Units", "Add unit"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.columns = UnitColumns(session)
        self._table = RecordTable(self.columns.all(), "Units")
        self.totals = FittedLabel("dim")
        self.box.addWidget(self.totals)
        self.box.addWidget(self.empty)
        self.with_bulk(self._table)

    @property
    def table(self) -> RecordTable:
        return self._table

    def read(self) -> list[Unit]:
        self.columns.read()
        found = kit.units(self.session.store, self.session.scope)
        return sorted(found, key=lambda u: (u.carried, u.name.casefold(), u.id))

    def show_view(self, view: list[Unit]) -> None:
        self._table.show_records(view)
        self.totals.setText(racks.needs(self.session.store, view))
        self.show_empty("No units yet. Add one, or read a kit list: a file of rows with unit, model, band, serial.",
                        not view)  # fmt: skip

    def add(self) -> None:
        store, scope = self.session.store, self.session.scope
        like = next(iter(self._table.chosen()), None)
        model = store.get(Model, like.model_id) if like else ground.models(store)[0]
        band, carried = (like.band, like.carried) if like else (model.bands[0][0], False)
        name = ground.unused(like.name if like else "Unit", [u.name for u in kit.units(store, scope)])
        self.session.do(
            lambda: kit.add_unit(store, name, model, band, carried=carried, channels=1 if carried else model.receivers)
        )

    def files(self) -> list[FileDeed]:
        return [
            FileDeed("Read a kit list …", lambda: self.papers.read_list()),
            FileDeed("Write the kit list …", lambda: self.papers.write_list()),
            FileDeed("Labels of the chosen units as PDF …", lambda: self.papers.labels(self._table.chosen())),
        ]

    def remove(self, found: Sequence[Unit]) -> None:
        self.session.do(lambda: kit.remove_units(self.session.store, found))


class ModelsPage(KitPage):
    """Models in a table, and everything that the chosen ones know beside it."""

    title, adds = "Models", "Copy model"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        columns = ModelColumns(session)
        self._table = RecordTable(columns.main(), "Models")
        self.sheet = FieldSheet([*columns.main(), *columns.rest()], "What the chosen models know")
        both = QWidget()
        side = row(self._table, self.sheet, spacing=10)
        side.setStretch(0, 3)
        side.setStretch(1, 2)
        both.setLayout(side)
        self.box.addWidget(self.empty)
        self.box.addWidget(both, 1)
        self._table.selected.connect(lambda: self.sheet.show_records(self._table.chosen()))

    @property
    def table(self) -> RecordTable:
        return self._table

    def read(self) -> list[Model]:
        return ground.models(self.session.store)

    def show_view(self, view: list[Model]) -> None:
        self._table.show_records(view)
        self.show_empty("No models: read a catalogue file, or take the generic ones (Files).", not view)

    def add(self) -> None:
        models = ground.models(self.session.store)
        like = next(iter([*self._table.chosen(), *models]), None)
        if like is None:
            self.session.say("There is no model to copy; take the generic ones under Files.")
            return
        self.session.do(lambda: kit.add_model(self.session.store, like, like.name))

    def files(self) -> list[FileDeed]:
        return [
            FileDeed("Read a catalogue …", lambda: self.papers.read_catalogue()),
            FileDeed("Write the chosen models …", lambda: self.papers.write_catalogue(self._table.chosen())),
            FileDeed("Take the generic models", lambda: self.papers.take_generic()),
            FileDeed("Read groups for the chosen model …", lambda: self.papers.read_groups(self._table.chosen())),
        ]

    def remove(self, found: Sequence[Model]) -> None:
        title = f"Remove {found[0].name}" if len(found) == 1 else f"Remove {len(found)} models"
        self.session.do(lambda: Edit(title, remove(found)))


class ActsPage(KitPage):
    """Acts in their order."""

    title, adds = "Acts", "Add act"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._table = RecordTable(ActColumns(session).all(), "Acts")
        self.box.addWidget(self.empty)
        self.with_bulk(self._table)

    @property
    def table(self) -> RecordTable:
        return self._table

    def read(self) -> list[Act]:
        return kit.acts(self.session.store, self.session.scope)

    def show_view(self, view: list[Act]) -> None:
        self._table.show_records(view)
        self.show_empty("No acts: everything counts as on all the time. Add acts to use a frequency twice.", not view)

    def add(self) -> None:
        self.session.do(lambda: kit.add_act(self.session.store, self.session.scope))

    def remove(self, found: Sequence[Act]) -> None:
        self.session.do(lambda: kit.remove_acts(self.session.store, self.session.scope, found))
