"""Intercom page: how many transceivers, where, which cables, which batteries, from figures and the site's plan."""

from collections.abc import Sequence

from PyQt6.QtWidgets import (
    QCheckBox,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from azven.book.records import Mount, Zone
from azven.desk.kit.intercom_plan import IntercomPlan
from azven.desk.kit.pages import FileDeed, KitPage
from azven.desk.session import Session
from azven.desk.stage import choice, fill, label, scrolled
from azven.refusal import Refusal
from azven.work.kit import intercom, printed
from azven.work.kit.intercom import Asked, Sized
from azven.work.wording import one_line

_FORM_W = 300
_START = Asked()
_EXPLAIN = "Planning figures: walk the place with two packs before you rely on them."
_REGIONS = [("Europe, 10 carriers", "europe"), ("North America, 5 carriers", "north-america")]


class IntercomPage(KitPage):
    """Figures on the left, the plan and the answer on the right. Nothing here changes the book."""

    title, adds = "Intercom", "Intercom as PDF"
    has_rows = False

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.found: Sized | None = None
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
        right = QVBoxLayout()
        right.addWidget(self.plan, 3)
        right.addWidget(self.wrong)
        right.addWidget(scrolled(self.answer), 2)
        right.addWidget(label(_EXPLAIN, "dim", wrap=True))
        both = QHBoxLayout()
        both.setSpacing(14)
        form = scrolled(self._form())
        form.setFixedWidth(_FORM_W)
        both.addWidget(form)
        both.addLayout(right, 1)
        self.box.addLayout(both, 1)

    # -- figures ---------------------------------------------------------------------------------------

    def _make_fields(self) -> None:
        self.band = choice([(b, b) for b in intercom.BANDS_HZ], "Band")
        self.region = choice(list(_REGIONS), "Carriers of 1.9 GHz")
        self.wide = choice([("narrow, 1 slot", False), ("wide, 2 slots", True)], "Audio of a pack")
        self.base = choice([], "Base station beside")
        for box in (self.band, self.region, self.wide, self.base):
            box.keep_width(14)
            box.currentIndexChanged.connect(self.work_out)
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
        box.valueChanged.connect(self.work_out)
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

    def _show_rooms(self, zones: list[Zone]) -> None:
        """A tick for every room that is drawn, and one beside it for having no roof."""
        if list(self.rooms) == [z.id for z in zones]:
            for zone in zones:
                self.rooms[zone.id][0].setText(one_line(zone.name))
            return
        kept = {n: (a.isChecked(), b.isChecked()) for n, (a, b) in self.rooms.items()}
        while (item := self.where.takeAt(0)) is not None:
            if (gone := item.widget()) is not None:
                gone.deleteLater()
        self.rooms = {}
        for i, zone in enumerate(zones):
            inside, open_air = QCheckBox(one_line(zone.name)), QCheckBox("outdoors")
            chosen, roofless = kept.get(zone.id, (i == 0 and not kept, False))
            inside.setChecked(chosen)
            open_air.setChecked(roofless)
            line = QWidget()
            beside = QHBoxLayout(line)
            beside.setContentsMargins(0, 0, 0, 0)
            beside.addWidget(inside, 1)
            beside.addWidget(open_air)
            inside.toggled.connect(self.work_out)
            open_air.toggled.connect(self.work_out)
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

    def read(self) -> tuple[list[Zone], list[Mount]]:
        store, scope = self.session.store, self.session.scope
        return intercom.rooms_drawn(store, scope), intercom.mounts(store, scope)

    def show_view(self, view: tuple[list[Zone], list[Mount]]) -> None:
        self._zones, mounts = view
        zones = self._zones
        self._show_rooms(zones)
        rooms = {z.id: one_line(z.name) for z in zones}
        named = [(f"{one_line(m.name)}, {rooms.get(m.zone_id, 'not drawn')}", m.id)
                 for m in mounts]  # fmt: skip
        fill(self.base, [("nowhere yet", 0), *named])
        self.show_empty("No room is drawn yet, so coverage is not known: Reach draws rooms and mounting places.",
                        not zones)  # fmt: skip
        self.work_out()

    def work_out(self) -> None:
        """The answer to the figures as they are now."""
        asked = self.asked()
        self.region.setEnabled(asked.band == "1.9 GHz")
        self.groups.setEnabled(asked.band == "1.9 GHz")
        try:
            self.found = intercom.size(self.session.store, self.session.scope, asked)
        except Refusal as refusal:
            self.session.say(str(refusal), trouble=True)
            return
        self.wrong.setText(" ".join(self.found.wrong))
        self.wrong.setVisible(bool(self.found.wrong))
        self._show_rows(intercom.in_words(self.found))
        self.plan.show_sized(self.found, self._zones)

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

    def files(self) -> list[FileDeed]:
        return [FileDeed("Intercom as PDF …", self.add)]
