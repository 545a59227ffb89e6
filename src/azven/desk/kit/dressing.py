"""The chosen persons: who they are, when they are on, and a link to put on them."""

from collections.abc import Sequence
from typing import Any

from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from azven.book.records import PHONES, Act, Link, Person, Unit
from azven.desk.kit.columns import Columns
from azven.desk.kit.link_columns import act_choices
from azven.desk.session import Session
from azven.desk.stage import button, choice, fill, label, pick, row
from azven.work import kit
from azven.work.kit import persons


class Dressing(QWidget):
    """Two rows: fields of the chosen persons, and what is put on one of them. Name, role and note are those of one
    person; acts and phone are set for all that are chosen."""

    def __init__(self, session: Session, columns: Columns) -> None:
        super().__init__()
        self._session, self._columns = session, columns
        self.people: list[Person] = []
        self.who = label("", "strong")
        self.name, self.role, self.note = (self._typed(f) for f in ("name", "role", "note"))
        self.acts, self.phone = choice([], "On in"), choice([(p, p) for p in PHONES], "Phone")
        self.acts.keep_width(16)
        self.acts.activated.connect(lambda: self._set("on in", acts=self.acts.currentData()))
        self.phone.activated.connect(lambda: self._set("phone", phone=self.phone.currentData()))
        self.link, self.pack = choice([], "Link to wear"), choice([], "Pack")
        self.link.keep_width(16)
        self.pack.keep_width(8)
        self.link.currentIndexChanged.connect(self._offer_packs)
        put = button("Put on", self.put_on, "The chosen person wears this link")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        box.addLayout(row(self.who, self.name, self.role, self.acts, self.phone, spacing=6))
        self._wears = QWidget()
        wears = row(label("wears"), self.link, self.pack, put, label("note"), self.note, spacing=6)
        wears.setStretchFactor(self.note, 1)
        self._wears.setLayout(wears)
        box.addWidget(self._wears)

    def _typed(self, field: str) -> QLineEdit:
        made = QLineEdit()
        made.setAccessibleName(f"{field.capitalize()} of the chosen person")
        made.setPlaceholderText({"role": "what they do"}.get(field, field))
        made.editingFinished.connect(lambda: self._type(field, made))
        return made

    def show_people(self, people: Sequence[Person]) -> None:
        """Show these; the boxes say what the first of them has."""
        store, scope = self._session.store, self._session.scope
        self.people = list(people)
        self.setVisible(bool(people))
        if not people:
            return
        first, one = people[0], len(people) == 1
        self.who.setText(f"{len(people)} persons:")
        self.who.setVisible(not one)
        self._wears.setVisible(one)
        for field in ("name", "role", "note"):
            box: QLineEdit = getattr(self, field)
            box.setVisible(one)
            box.setText(getattr(first, field))
        fill(self.acts, act_choices(kit.acts(store, scope), self._columns.told(Act), "all evening"))
        fill(self.link, self._columns.choices(Link, kit.links(store, scope)))
        self._offer_packs()
        pick(self.acts, first.acts)
        pick(self.phone, first.phone)

    def _offer_packs(self) -> None:
        store, scope = self._session.store, self._session.scope
        link = next((x for x in kit.links(store, scope) if x.id == self.link.currentData()), None)
        packs = persons.free_packs(store, scope, link) if link else []
        fill(self.pack, [("no pack", None), *self._columns.choices(Unit, packs)])

    def _type(self, field: str, box: QLineEdit) -> None:
        if len(self.people) != 1 or box.text() == getattr(self.people[0], field):
            return
        if field == "name" and not box.text().strip():
            box.setText(self.people[0].name)
            self._session.say("A person needs a name.", trouble=True)
            return
        self._set(field, **{field: box.text().strip()})

    def _set(self, what: str, **values: Any) -> None:
        if self.people:
            self._session.do(lambda: persons.change_all(self.people, what, **values))

    def put_on(self) -> None:
        """The chosen person wears the link that is chosen."""
        store, wanted = self._session.store, self.pack.currentData()
        link = next((x for x in store.all(Link) if x.id == self.link.currentData()), None)
        unit = next(iter(store.all(Unit, id=wanted)), None) if wanted else None
        if len(self.people) != 1 or link is None:
            self._session.say("Choose one person and a link to wear.", trouble=True)
            return
        self._session.do(lambda: persons.wear(store, self.people[0], link, unit))
