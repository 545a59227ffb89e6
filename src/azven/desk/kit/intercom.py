"""Intercom page: how many transceivers, where, which cables, which batteries, from figures and the site's plan."""

from collections.abc import Sequence
from dataclasses import replace

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import (
    QCheckBox,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from azven.book.edits import Edit, remove
from azven.book.records import Mount, TalkGroup, Zone
from azven.desk.kit.intercom_plan import GroupColumns, IntercomPlan
from azven.desk.kit.pages import FileDeed, KitPage
from azven.desk.session import Session
from azven.desk.stage import button, choice, fill, label, pick, row, scrolled
from azven.desk.tables import RecordTable
from azven.refusal import Refusal
from azven.work.kit import intercom, intercom_book, printed
from azven.work.kit.intercom import Asked, Sized
from azven.work.wording import one_line

_FORM_W, _KEEP_MS = 300, 500
_START = Asked()
_EXPLAIN = "Planning figures: walk the place with two packs before you rely on them."
_REGIONS = [("Europe, 10 carriers", "europe"), ("North America, 5 carriers", "north-america")]


class IntercomPage(KitPage):
    """Figures on the left, the plan, the answer and the talk groups on the right. The book keeps the figures."""

    title, adds = "Intercom", "Intercom as PDF"
    has_rows = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.found: Sized | None = None
        self._where = session.scope
        self._zones: list[Zone] = []
        self.rooms: dict[int, tuple[QCheckBox, QCheckBox]] = {}
        self._make_fields()
        self.plan = IntercomPlan(session)
        self.lines: list[tuple[QLabel, QLabel]] = []
        self.wrong, self.answer = label("", "bad", wrap=True), QWidget()
        self._rows = QGridLayout(self.answer)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setVerticalSpacing(3)
        self._rows.setColumnStretch(1, 1)
        self.groups_table = RecordTable(GroupColumns(session).all(), "Talk groups")
        self.groups_table.theme = lambda: self.session.theme
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._keep)
        right = QVBoxLayout()
        right.addWidget(self.plan, 3)
        right.addWidget(self.wrong)
        right.addLayout(self._talking())
        right.addWidget(scrolled(self.answer), 2)
        right.addWidget(label(_EXPLAIN, "dim", wrap=True))
        both = QHBoxLayout()
        both.setSpacing(14)
        form = scrolled(self._form())
        form.setFixedWidth(_FORM_W)
        both.addWidget(form)
        both.addLayout(right, 1)
        self.box.addLayout(both, 1)

    def _talking(self) -> QVBoxLayout:
        """Talk groups with a line for one more."""
        self.group, self.people, self.at_once = QLineEdit(), QLineEdit(), QSpinBox()
        self.group.setPlaceholderText("Talk group")
        self.group.setMaximumWidth(110)
        self.people.setPlaceholderText("People, separated by commas")
        self.at_once.setRange(0, 500)
        self.at_once.setValue(1)
        self.at_once.setAccessibleName("How many must be able to talk at once")
        self.at_once.setToolTip("How many of them must be able to talk at once")
        for field in (self.group, self.people):
            field.returnPressed.connect(self.add_group)
        line = row(
            self.group, self.people, self.at_once, button("Add", self.add_group, "One more talk group"), spacing=5
        )
        line.setStretchFactor(self.people, 1)
        box = QVBoxLayout()
        box.setSpacing(3)
        box.addLayout(line)
        self.groups_table.setMaximumHeight(104)
        box.addWidget(self.groups_table)
        return box

    # -- figures ---------------------------------------------------------------------------------------

    def _make_fields(self) -> None:
        self.band = choice([(b, b) for b in intercom.BANDS_HZ], "Band")
        self.region = choice(list(_REGIONS), "Carriers of 1.9 GHz")
        self.wide = choice([("narrow, 1 slot", False), ("wide, 2 slots", True)], "Audio of a pack")
        self.base = choice([], "Base station beside")
        for box in (self.band, self.region, self.wide, self.base):
            box.keep_width(14)
            box.activated.connect(self.changed)
        whole = self._whole
        self.packs, self.talkers = whole(_START.packs, 1, 500), whole(_START.talkers, 0, 500)
        self.slots_of_one = whole(_START.slots_of_one, 1, 200)
        self.talkers_of_base = whole(_START.talkers_of_base, 1, 500)
        self.groups = whole(_START.groups, 1, 20)
        self.indoor, self.outdoor = (whole(round(r), 1, 2000, " m") for r in (_START.indoor_m, _START.outdoor_m))
        self.cable = whole(round(_START.cable_m), 1, 2000, " m")
        minutes = _START.show_min, _START.run_min, _START.charge_min
        self.show_min, self.run_min, self.charge_min = (whole(m, 1, 10_000, " min") for m in minutes)
        self.reserve_min, self.bays = whole(_START.reserve_min, 0, 10_000, " min"), whole(_START.bays, 0, 200)

    def _whole(self, value: int, low: int, high: int, unit: str = "") -> QSpinBox:
        box = QSpinBox()
        box.setRange(low, high)
        box.setValue(value)
        box.setSuffix(unit)
        box.valueChanged.connect(self.changed)
        return box

    def _form(self) -> QWidget:
        made = QWidget()
        form = QFormLayout(made)
        form.setContentsMargins(0, 0, 8, 0)
        form.setVerticalSpacing(4)
        self.where = QVBoxLayout()
        self.where.setSpacing(2)
        parts: list[tuple[str, QWidget | QVBoxLayout]] = [
            ("band", self.band), ("carriers", self.region), ("packs", self.packs), ("audio", self.wide),
            ("talk at once", self.talkers), ("base allows", self.talkers_of_base),
            ("slots of one", self.slots_of_one), ("systems", self.groups), ("rooms", self.where),
            ("base beside", self.base), ("reach indoors", self.indoor), ("outdoors", self.outdoor),
            ("cable at most", self.cable), ("the show is", self.show_min), ("a pack runs", self.run_min),
            ("reserve", self.reserve_min), ("charging takes", self.charge_min), ("charger bays", self.bays),
        ]  # fmt: skip
        self.groups.setToolTip("Systems in one space that are not synchronised with one another, this one included.")
        self.slots_of_one.setToolTip("Slots that one transceiver carries at once.")
        for title, part in parts:
            form.addRow(label(title, "dim"), part)
        return made

    def _show_rooms(self, zones: list[Zone], asked: Asked) -> None:
        """A tick for every room that is drawn, and one beside it for having no roof."""
        if list(self.rooms) != [z.id for z in zones]:
            self._make_rooms(zones)
        for zone in zones:
            inside, open_air = self.rooms[zone.id]
            inside.setText(one_line(zone.name))
            for box, on in ((inside, zone.id in asked.rooms), (open_air, zone.id in asked.outdoor)):
                box.blockSignals(True)
                box.setChecked(on)
                box.blockSignals(False)

    def _make_rooms(self, zones: list[Zone]) -> None:
        while (item := self.where.takeAt(0)) is not None:
            if (gone := item.widget()) is not None:
                gone.deleteLater()
        self.rooms = {}
        for zone in zones:
            inside, open_air = QCheckBox(one_line(zone.name)), QCheckBox("outdoors")
            line = QWidget()
            beside = QHBoxLayout(line)
            beside.setContentsMargins(0, 0, 0, 0)
            beside.addWidget(inside, 1)
            beside.addWidget(open_air)
            inside.toggled.connect(self.changed)
            open_air.toggled.connect(self.changed)
            self.where.addWidget(line)
            self.rooms[zone.id] = inside, open_air

    def asked(self) -> Asked:
        """What the fields say."""
        return Asked(
            band=self.band.currentData(), region=self.region.currentData(), packs=self.packs.value(),
            talkers=self.talkers.value(), wide=self.wide.currentData(), slots_of_one=self.slots_of_one.value(),
            talkers_of_base=self.talkers_of_base.value(), groups=self.groups.value(),
            rooms=tuple(n for n, (a, _) in self.rooms.items() if a.isChecked()),
            outdoor=tuple(n for n, (_, b) in self.rooms.items() if b.isChecked()),
            base=self.base.currentData() or 0, indoor_m=self.indoor.value(), outdoor_m=self.outdoor.value(),
            cable_m=self.cable.value(), show_min=self.show_min.value(), run_min=self.run_min.value(),
            reserve_min=self.reserve_min.value(), charge_min=self.charge_min.value(), bays=self.bays.value(),
        )  # fmt: skip

    # -- the answer ------------------------------------------------------------------------------------

    def read(self) -> tuple[list[Zone], list[Mount], Asked, list[TalkGroup]]:
        store, scope = self.session.store, self.session.scope
        said = intercom_book.kept(store, scope)
        drawn = intercom.rooms_drawn(store, scope)
        if not said.rooms and not intercom_book.figures(store, scope) and drawn:
            said = replace(said, rooms=(drawn[0].id,))
        return drawn, intercom.mounts(store, scope), said, intercom.talk_groups(store, scope)

    def show_view(self, view: tuple[list[Zone], list[Mount], Asked, list[TalkGroup]]) -> None:
        self._zones, mounts, said, groups = view
        zones = self._zones
        rooms = {z.id: one_line(z.name) for z in zones}
        named = [(f"{one_line(m.name)}, {rooms.get(m.zone_id, 'not drawn')}", m.id)
                 for m in mounts]  # fmt: skip
        fill(self.base, [("nowhere yet", 0), *named])
        if not self._timer.isActive():  # somebody is typing: what the book has would overtake that
            self._show_figures(said)
            self._show_rooms(zones, said)
        self.groups_table.show_records(groups)
        self.show_empty("No room is drawn yet, so coverage is not known: Reach draws rooms and mounting places.",
                        not zones)  # fmt: skip
        self.work_out()

    def _show_figures(self, said: Asked) -> None:
        pick(self.band, said.band)
        pick(self.region, said.region)
        pick(self.wide, said.wide)
        pick(self.base, said.base)
        for name, box in self._spins().items():
            box.blockSignals(True)
            box.setValue(round(getattr(said, name)))
            box.blockSignals(False)

    def _spins(self) -> dict[str, QSpinBox]:
        return {
            "packs": self.packs, "talkers": self.talkers, "slots_of_one": self.slots_of_one,
            "talkers_of_base": self.talkers_of_base, "groups": self.groups, "indoor_m": self.indoor,
            "outdoor_m": self.outdoor, "cable_m": self.cable, "show_min": self.show_min, "run_min": self.run_min,
            "reserve_min": self.reserve_min, "charge_min": self.charge_min, "bays": self.bays,
        }  # fmt: skip

    def changed(self) -> None:
        """A figure is another: the answer follows at once, the book when nobody has typed for a moment."""
        self.work_out()
        self._where = self.session.scope
        self._timer.start(_KEEP_MS)

    def _keep(self) -> None:
        session, said = self.session, self.asked()
        if session.scope == self._where and said != intercom_book.kept(session.store, session.scope):
            session.do(lambda: intercom_book.keep(session.store, session.scope, said))

    def work_out(self) -> None:
        """The answer to the figures as they are now, beside the window."""
        asked, session = self.asked(), self.session
        self.region.setEnabled(asked.band == "1.9 GHz")
        self.groups.setEnabled(asked.band == "1.9 GHz")
        try:
            asked_for = intercom.question(session.store, session.scope, asked)
        except Refusal as refusal:
            session.say(str(refusal), trouble=True)
            return
        session.jobs.quiet("intercom", lambda _: asked_for.answer(), self._show_answer, after_ms=0)

    def _show_answer(self, found: Sized) -> None:
        self.found = found
        self.wrong.setText(" ".join(found.wrong))
        self.wrong.setVisible(bool(found.wrong))
        self._show_rows(intercom.in_words(found))
        self.plan.show_sized(found, self._zones)

    def _show_rows(self, rows: Sequence[tuple[str, str]]) -> None:
        while len(self.lines) < len(rows):
            pair = label("", "dim"), label("", "" if self.lines else "section", wrap=True)
            for column, part in enumerate(pair):
                self._rows.addWidget(part, len(self.lines), column)
            self.lines.append(pair)
            self._rows.setRowStretch(len(self.lines), 1)
            self._rows.setRowStretch(len(self.lines) - 1, 0)
        for i, pair in enumerate(self.lines):
            for part, text in zip(pair, rows[i] if i < len(rows) else ("", ""), strict=True):
                part.setText(text)
                part.setVisible(i < len(rows))

    def take_focus(self) -> None:
        self.packs.setFocus()

    # -- deeds -----------------------------------------------------------------------------------------

    def add(self) -> None:
        """The page on paper."""
        self.papers.intercom(self.html)

    def html(self) -> str:
        """The page on paper, as HTML. Refusal where there is no answer yet."""
        if self.found is None:
            raise Refusal("There is no answer to print yet.")
        session = self.session
        return printed.intercom_sheet(session.store, session.scope, self.found, session.now())

    @property
    def table(self) -> RecordTable:
        return self.groups_table

    def add_group(self) -> None:
        """One more talk group, from the fields."""
        store, scope = self.session.store, self.session.scope
        name, people, at_once = self.group.text(), self.people.text(), self.at_once.value()
        if self.session.do(lambda: intercom_book.add_group(store, scope, name, people, at_once)):
            self.group.clear()
            self.people.clear()
            self.group.setFocus()

    def remove(self, found: Sequence[TalkGroup]) -> None:
        title = f"Remove {found[0].name}" if len(found) == 1 else f"Remove {len(found)} talk groups"
        self.session.do(lambda: Edit(title, remove(found)))

    def place_all(self) -> None:
        """Transceivers on the plan where the answer has them; Reach shows what they hear."""
        session, found = self.session, self.found
        if found is not None and session.do(lambda: intercom_book.place_all(session.store, session.scope, found)):
            layout = f"{intercom_book.PLACEMENT}{found.asked.band}"
            session.say(f"Placed; Reach, placement “{layout}”, shows what they hear. Rigging: licensed riggers only.")

    def files(self) -> list[FileDeed]:
        return [FileDeed("Intercom as PDF …", self.add),
                FileDeed("Place the transceivers on the plan", self.place_all)]  # fmt: skip
