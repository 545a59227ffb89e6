"""Persons page: who is on when and wears what, painted over the evening, and what the chosen ones wear as rows."""

from collections.abc import Sequence

from PyQt6.QtWidgets import QLineEdit, QWidget

from azven.book.records import Act, Link, Person, Worn
from azven.desk.bulk import BulkBar
from azven.desk.kit.dressing import Dressing
from azven.desk.kit.evening import KEY, EveningChart
from azven.desk.kit.pages import FileDeed, KitPage
from azven.desk.kit.person_columns import WornColumns
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, choice, fill, label, pick, row
from azven.desk.tables import RecordTable
from azven.work import chosen, ground, kit
from azven.work.kit import persons, views
from azven.work.kit.views import PersonsView

_HEAD_PX, _ROW_PX, _MOST_ROWS = 34, 24, 5
"""Of the table of what is worn: so many rows are seen at most."""


class PersonsPage(KitPage):
    """The chart above; below, who is chosen with what they wear."""

    title, adds = "Persons", "Add persons"
    pastes = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.columns = WornColumns(session)
        self.chart = EveningChart(session)
        self._table = RecordTable(self.columns.all(), "What the chosen persons wear")
        self.editor = Dressing(session, self.columns)
        self._make_fields()
        self.count = FittedLabel("dim")
        entry = row(self.name, self.role, button("Add", self.add_person, "Add this person"), self.count, spacing=6)
        entry.setStretchFactor(self.count, 1)
        self.box.addLayout(entry)
        self.box.addWidget(self.empty)
        self.box.addWidget(self.chart, 1)
        self.rest = QWidget()
        self.box.addWidget(self.rest, 1)
        self.key = label(KEY, "small")
        self.box.addWidget(self.key)
        self.box.addWidget(self.editor)
        self.box.addWidget(self._table)
        self.box.addWidget(self.more)
        self.box.addWidget(BulkBar(self._table, self._table.records.columns))
        self._table.selected.connect(self._offer_more)
        self.chart.rows.chosen_changed.connect(self._show_chosen)
        self.chart.rows.asked.connect(lambda: self.editor.link.setFocus())

    def _make_fields(self) -> None:
        self.name, self.role = QLineEdit(), QLineEdit()
        for field, said in ((self.name, "Person, e.g. Wenna"), (self.role, "What they do")):
            field.setPlaceholderText(said)
            field.setAccessibleName(said.split(",")[0])
            field.returnPressed.connect(self.add_person)
            field.setFixedWidth(200)
        self.to, self.from_act = choice([], "Hand on to"), choice([], "From the act")
        self.to.keep_width(8)
        self.from_act.keep_width(10)
        self.voice = choice([], "One voice with")
        self.voice.keep_width(12)
        self.more = QWidget()
        self.more.setLayout(
            row(
                label("goes to"), self.to, label("from"), self.from_act,
                button("Hand on", self.hand_on, "In the break before this act the pack goes to that person"), 1,
                label("one voice with"), self.voice,
                button("Pair", self.pair, "Two packs on one voice: kept apart, never changed in one break"), spacing=6,
            )
        )  # fmt: skip
        self.more.hide()

    @property
    def table(self) -> RecordTable:
        return self._table

    def read(self) -> PersonsView:
        return views.of_persons(self.session.store, self.session.scope)

    def show_view(self, view: PersonsView) -> None:
        store, scope = self.session.store, self.session.scope
        self._view = view
        found, clock = view.evening, ground.here(store, scope).clock
        times = [clock.said(a.starts_at)[-5:] if a.starts_at else "" for a in found.acts]
        self.chart.show_view(view, times)
        points = view.open_points
        self.count.setText(
            f"{len(found.persons)} persons · {found.packs} things worn · "
            + (f"{points} open point{'' if points == 1 else 's'}" if points else "nothing open")
        )
        words = "Nobody yet. Name who is on stage and what they do, or paste a list; then put links on them."
        self.show_empty(words, not found.persons)
        self.chart.setVisible(bool(found.persons))
        self.rest.setVisible(not found.persons)
        self._show_chosen()

    def take_focus(self) -> None:
        self.chart.rows.setFocus()

    def choose_rows(self, numbers: set[int]) -> None:
        self.chart.rows.choose(numbers)

    def _show_chosen(self) -> None:
        store = self.session.store
        people = self.chart.rows.persons()
        worn = [w for p in people for w in store.all(Worn, person_id=p.id)]
        self._table.show_records(worn)
        self._table.setVisible(bool(worn))
        self._table.setFixedHeight(_HEAD_PX + _ROW_PX * min(len(worn), _MOST_ROWS))
        self.editor.show_people(people)
        self.key.setVisible(bool(self._view.evening.persons) and not people)
        if len(people) != 1:
            return
        what = chosen.Person(people[0].id)
        if self.session.selection != what:
            self.session.select(what)

    def _offer_more(self) -> None:
        """What can be done with one thing that is worn."""
        store, scope, worn = self.session.store, self.session.scope, self._table.chosen()
        self.more.setVisible(len(worn) == 1)
        if len(worn) != 1:
            return
        others = [p for p in persons.persons(store, scope) if p.id != worn[0].person_id]
        fill(self.to, self.columns.choices(Person, others))
        fill(self.from_act, self.columns.choices(Act, kit.acts(store, scope)[1:]))
        voices = [x for x in kit.links(store, scope) if x.service != "in-ear" and x.id != worn[0].link_id]
        fill(self.voice, [("nobody", None), *self.columns.choices(Link, voices)])
        pick(self.voice, persons.partner(store, scope, worn[0].link_id))

    # -- deeds -----------------------------------------------------------------------------------------

    def add(self) -> None:
        if self.name.text().strip():
            self.add_person()
        else:
            self.name.setFocus()

    def add_person(self) -> None:
        """Add whoever is named."""
        line = "\t".join((self.name.text(), self.role.text()))
        if self.session.do(lambda: persons.add_persons(self.session.store, self.session.scope, line)):
            self.name.clear()
            self.role.clear()
            self.name.setFocus()

    def hand_on(self) -> None:
        """The pack of the chosen row goes to another person from an act on."""
        store, scope, worn = self.session.store, self.session.scope, self._table.chosen()
        to = next(iter(store.all(Person, id=self.to.currentData())), None)
        act = next(iter(store.all(Act, id=self.from_act.currentData())), None)
        if len(worn) == 1 and to is not None and act is not None:
            self.session.do(lambda: persons.hand_on(store, scope, worn[0], to, act))
        else:
            self.session.say("Handing on needs a second person and a second act.")

    def pair(self) -> None:
        """The chosen row and another link are on one voice, or no longer."""
        store, scope, worn = self.session.store, self.session.scope, self._table.chosen()
        if len(worn) != 1:
            return
        link = store.get(Link, worn[0].link_id)
        other = next(iter(store.all(Link, id=self.voice.currentData())), None) if self.voice.currentData() else None
        self.session.do(
            lambda: persons.pair_up(store, scope, link, other) if other else persons.part(store, scope, link)
        )

    def paste_text(self, text: str) -> None:
        if not text.strip():
            self.session.say("Copy rows in a spreadsheet first: a name, and beside it what they do.")
            return
        if self.session.do(lambda: persons.add_persons(self.session.store, self.session.scope, text)):
            self.session.say(f"{self.session.undo.undoText()}.")

    def take_off_or_remove(self) -> None:
        """Take off what is chosen in the table, else remove the chosen persons."""
        worn, people = self._table.chosen(), self.chart.rows.persons()
        if worn:
            self.session.do(lambda: persons.take_off(worn))
        elif people:
            self.session.do(lambda: persons.remove_persons(self.session.store, people))
        else:
            self.session.say("Choose persons, or what they wear, first.")

    def remove(self, found: Sequence[Worn]) -> None:
        self.session.do(lambda: persons.take_off(found))

    def files(self) -> list[FileDeed]:
        return [FileDeed("Dressing cards as PDF …", lambda: self.papers.cards(self.chart.rows.persons()))]
