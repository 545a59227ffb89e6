"""Kit: links, units, models and acts; bulk entry, paste, edit in place."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import (
    QApplication,
    QLineEdit,
    QSpinBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from azven.book.formats.errors import FormatError
from azven.book.records import Act, Link, Model, Unit
from azven.desk.actions import Action
from azven.desk.kit import columns
from azven.desk.session import Session
from azven.desk.stage import Stage, button, choice, fill, label, row
from azven.desk.tables import RecordTable
from azven.desk.tabs import Tabs
from azven.work import chosen, ground, ids, kit
from azven.work.ids import choices_of


class KitStage(Stage):
    """Four tables behind one row of names, the entry for many links above them."""

    name, title = "kit", "Kit"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.links = RecordTable(columns.for_links(session), "Links")
        self.units = RecordTable(columns.for_units(session), "Units")
        self.models = RecordTable(columns.for_models(session), "Models")
        self.acts = RecordTable(columns.for_acts(session), "Acts")
        self._tables = {"Links": self.links, "Units": self.units, "Models": self.models, "Acts": self.acts}
        titles = list(self._tables)
        self._pages, self._tabs = QStackedWidget(), Tabs(titles, lambda n: self.show_table(titles[n]))
        self._empty = label("", "dim", wrap=True)
        self._make_entry()
        self._lay_out()
        self.links.picked.connect(lambda link: session.select(chosen.Link(ids.of(link))))

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
        self.model.setMinimumWidth(170)
        self.band = choice([], "Tuning band")
        self.band.setMinimumWidth(92)
        self.room = choice([], "Room")
        self.importance = choice([(f"{k} {v}", k) for k, v in kit.PRIORITIES.items()], "Importance")
        self.importance.setCurrentIndex(2)
        self.model.currentIndexChanged.connect(self._offer_bands)

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 8, 12, 0)
        box.setSpacing(6)
        remove = button("Remove", self.remove, "Take out the selected rows; undo brings them back")
        paste = button("Paste", self.paste, "Add links from rows copied out of a spreadsheet")
        self._new = button("Add", self.add_other)
        box.addLayout(row(self._tabs, 1, self._new, paste, remove))
        self._entry = QWidget()
        entry = row(
            self.count, label("×"), self.pattern, self.model, self.band, self.room, self.importance,
            button("Add", self.add_links, "Add this many links; the number in the name counts up"), spacing=6,
        )  # fmt: skip
        self._entry.setLayout(entry)
        box.addWidget(self._entry)
        box.addWidget(self._empty)
        for table in self._tables.values():
            self._pages.addWidget(table)
        box.addWidget(self._pages, 1)
        self.show_table("Links")

    def take_focus(self) -> None:
        self.table.setFocus()

    # -- showing -------------------------------------------------------------------------------------

    def show_table(self, title: str) -> None:
        """Bring one of the tables into view."""
        at = list(self._tables).index(title)
        self._pages.setCurrentIndex(at)
        self._tabs.choose(at)
        self._entry.setVisible(title == "Links")
        self._new.setVisible(title != "Links")
        self._new.setText({"Units": "Add unit", "Models": "Copy model", "Acts": "Add act"}.get(title, "Add"))

    @property
    def table(self) -> RecordTable:
        widget = self._pages.currentWidget()
        assert isinstance(widget, RecordTable)
        return widget

    def refresh(self) -> None:
        store, scope = self.session.store, self.session.scope
        links = kit.links(store, scope)
        self.links.show_records(links)
        self.units.show_records(kit.units(store, scope))
        self.models.show_records(ground.models(store))
        self.acts.show_records(kit.acts(store, scope))
        self._empty.setText(
            ""
            if links
            else "No links yet. Name the first, say how many, and add them; or paste rows from a spreadsheet."
        )
        self._empty.setVisible(not links)
        fill(self.model, choices_of(ground.models(store)))
        fill(self.room, choices_of(ground.zones(store, scope)))
        self._offer_bands()

    def _offer_bands(self) -> None:
        model = self._model()
        fill(self.band, [(b[0], b[0]) for b in model.bands] if model else [])

    def _model(self) -> Model | None:
        return next((m for m in self.session.store.all(Model) if m.id == self.model.currentData()), None)

    def primary(self) -> tuple[str, bool]:
        return "Add links", True

    def run_primary(self) -> None:
        self.show_table("Links")
        if self.pattern.text().strip():
            self.add_links()
        else:
            self.pattern.setFocus()

    def actions_offered(self) -> list[Action]:
        return [
            Action("paste-links", "Paste links from a spreadsheet", self.paste),
            Action("copy-model", "Copy a model to make it our own", lambda: self.show_table("Models")),
        ]

    # -- deeds ---------------------------------------------------------------------------------------

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

    def add_other(self) -> None:
        """Add a unit, a copy of a model, or an act, by the table in view."""
        store, scope = self.session.store, self.session.scope
        chosen = self.table.chosen()
        models = ground.models(store)
        like = chosen[0] if chosen and isinstance(chosen[0], Model) else models[0]
        make: dict[RecordTable, Callable[[], Any]] = {
            self.units: lambda: kit.add_unit(
                store, f"Unit {len(kit.units(store, scope)) + 1}", models[0], models[0].bands[0][0]
            ),
            self.models: lambda: kit.add_model(store, like, like.name),
            self.acts: lambda: kit.add_act(store, scope),
        }
        if self.table in make:
            self.session.do(make[self.table])

    def paste(self) -> None:
        """Links from the clipboard."""
        clipboard = QApplication.clipboard()
        self.paste_text(clipboard.text() if clipboard else "")

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

    def remove(self) -> None:
        """Take out the selected rows."""
        chosen, store, scope = self.table.chosen(), self.session.store, self.session.scope
        if not chosen:
            self.session.say("Select the rows to remove first.")
        elif isinstance(chosen[0], Link):
            self.session.do(lambda: kit.remove_links(store, chosen))
        elif isinstance(chosen[0], Act):
            self.session.do(lambda: kit.remove_acts(store, scope, chosen))
        elif isinstance(chosen[0], Unit | Model):
            for record in chosen:
                self.session.do(lambda r=record: ground.take_out(r, f"Remove {r.name}"))  # type: ignore[misc]
