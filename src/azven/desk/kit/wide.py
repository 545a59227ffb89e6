"""Wideband page: carriers as strips of slots, under them the carriers and the packs as tables."""

from collections.abc import Sequence

from PyQt6.QtWidgets import QLineEdit, QSpinBox, QVBoxLayout, QWidget

from azven.book.edits import Edit, remove
from azven.book.records import Wideband, WidePack
from azven.desk.bulk import BulkBar
from azven.desk.kit.pages import KitPage
from azven.desk.kit.strips import WideStrips
from azven.desk.kit.wide_columns import WideColumns
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, choice, fill, label, row, scrolled
from azven.desk.tables import RecordTable
from azven.refusal import Refusal
from azven.rf.packing import Packing
from azven.work import chosen
from azven.work.kit import wide_deeds, wide_places
from azven.work.kit.wideband import WideView
from azven.work.processes import beside
from azven.work.wording import listed

_AT_MOST_S = 20.0


class WidebandPage(KitPage):
    """Wideband carriers: which channel, what is on them, what falls silent if one is lost."""

    title, adds = "Wideband", "Add carrier"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.columns = WideColumns(session)
        self.strips = WideStrips(session)
        self.of_carriers = RecordTable(self.columns.carriers(), "Wideband carriers")
        self.of_packs = RecordTable(self.columns.packs(), "Packs on wideband carriers")
        for table in (self.of_carriers, self.of_packs):
            table.theme = lambda: self.session.theme
        self._make_entry()
        self.box.addWidget(self.empty)
        self.within = scrolled(self.strips)
        self.box.addWidget(self.within, 5)
        self.of_carriers.setMaximumHeight(104)
        self.box.addWidget(self.of_carriers)
        self.box.addLayout(self._entry())
        self.box.addWidget(self._lower(), 4)
        self.strips.picked.connect(self._choose_packs)
        self.strips.asked.connect(lambda number: self.choose_rows({number}))
        self.of_carriers.picked.connect(lambda carrier: session.select(chosen.Wideband(carrier.id)))
        self.one_of(self.of_packs, self.of_carriers)
        self.of_packs.selected.connect(lambda: self.strips.show_chosen([p.id for p in self.of_packs.chosen()]))

    def _make_entry(self) -> None:
        self.pattern, self.count, self.mix = QLineEdit(), QSpinBox(), QLineEdit()
        self.pattern.setPlaceholderText("Name, e.g. Oar 1")
        self.pattern.setMinimumWidth(110)
        self.count.setRange(1, 500)
        self.count.setAccessibleName("How many packs")
        self.mix.setPlaceholderText("Mix, or none")
        self.mix.setMinimumWidth(86)
        self.sends, self.mix_mode = choice([], "Sends in"), choice([], "Mix in")
        self.pattern.returnPressed.connect(self.add_packs)

    def _entry(self) -> QVBoxLayout:
        self.words = FittedLabel("dim")
        add = button("Add packs", self.add_packs, "So many packs, named after the name")
        pack = button("Pack all", self.pack_all,
                      "Every pack on a carrier: the fewest carriers, then the fullest as empty as possible. Packs in "
                      "use stay where they are.")  # fmt: skip
        line = row(label("Packs", "section"), self.pattern, self.count, label("sends"), self.sends, label("hears"),
                   self.mix, label("in"), self.mix_mode, add, 1)  # fmt: skip
        box = QVBoxLayout()
        box.setSpacing(2)
        box.addLayout(line)
        under = row(self.words, pack)
        under.setStretchFactor(self.words, 1)
        box.addLayout(under)
        return box

    def _lower(self) -> QWidget:
        part = QWidget()
        box = QVBoxLayout(part)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        box.addWidget(self.of_packs)
        box.addWidget(BulkBar(self.of_packs, self.of_packs.records.columns))
        return part

    def _choose_packs(self, numbers: list[int]) -> None:
        self.of_packs.choose(set(numbers))
        self.of_packs.show_chosen()
        self.of_packs.selected.emit()

    def choose_rows(self, numbers: set[int]) -> None:
        self.of_carriers.choose(numbers)
        self.of_carriers.selected.emit()
        for carrier in self.of_carriers.chosen()[:1]:
            self.session.select(chosen.Wideband(carrier.id))

    @property
    def table(self) -> RecordTable:
        return self.of_carriers if self.of_carriers.chosen() else self.of_packs

    def read(self) -> WideView:
        self.columns.read()
        return self.columns.found

    def show_view(self, view: WideView) -> None:
        self.strips.show_view(view)
        self.of_carriers.show_records([s.carrier for s in view.standings])
        self.of_packs.show_records(view.packs)
        modes = [(m, m) for m in self.columns.modes()]
        fill(self.sends, [*modes, ("nothing", "")])
        fill(self.mix_mode, modes)
        self.words.setText(_summed(view))
        none = not view.standings
        for part in (self.within, self.of_carriers):
            part.setVisible(not none)
        self.show_empty("No wideband carriers. A carrier holds many packs in one channel of the raster: Add carrier "
                        "makes one, then choose its channel.", none)  # fmt: skip

    # -- deeds -----------------------------------------------------------------------------------------

    def add(self) -> None:
        """One more carrier, of the model of the last one."""
        store, scope = self.session.store, self.session.scope
        found = self.columns.found.standings
        models = wide_places.wideband_models(store)
        if not models and not found:
            self.session.say("No model is a wideband carrier; Models, Files, “Take the generic models” has one.",
                             trouble=True)  # fmt: skip
            return
        model = found[-1].model if found else models[0]
        self.session.do(lambda: wide_deeds.add_carrier(store, scope, model))

    def add_packs(self) -> None:
        store, scope = self.session.store, self.session.scope
        mix = self.mix.text().strip()
        fields = {"mode": self.sends.currentData() or "", "mix": mix}
        fields["mix_mode"] = (self.mix_mode.currentData() or "") if mix else ""
        if self.session.do(
            lambda: wide_deeds.add_packs(store, scope, self.pattern.text(), self.count.value(), **fields)
        ):
            self.pattern.clear()
            self.count.setValue(1)

    def pack_all(self) -> None:
        """Find where every pack goes, off the window's thread."""
        session = self.session
        try:
            asked = wide_deeds.to_pack(session.store, session.scope)
        except Refusal as refusal:
            session.say(str(refusal), trouble=True)
            return
        session.jobs.start("Pack all", lambda progress: beside(asked.answer, progress, _AT_MOST_S), self._packed)

    def _packed(self, answer: Packing | None) -> None:
        session = self.session
        if answer is None:
            session.say("Stopped; the packs are where they were.")
            return
        edit = wide_deeds.packed(session.store, session.scope, answer)
        proved = "nothing is better" if answer.exact else "the best that was found, not proved"
        used = len(answer.used)
        said = f"{used} carrier{'' if used == 1 else 's'} in use, the fullest to {float(answer.fullest):.1%}; {proved}."
        if edit.changes:
            session.do(lambda: edit)
        else:
            said = f"Nothing to move. {said}"
        session.say(said)

    def remove(self, found: Sequence[Wideband | WidePack]) -> None:
        gone = [c for c in found if isinstance(c, Wideband)]
        if gone:
            self.session.do(lambda: wide_deeds.remove_carriers(self.session.store, gone))
            return
        title = f"Remove {found[0].name}" if len(found) == 1 else f"Remove {len(found)} packs"
        self.session.do(lambda: Edit(title, remove(found)))


def _summed(view: WideView) -> str:
    """What there is, and what is still to be done."""
    mixes = {(b.name, s.carrier.id) for s in view.standings for b in s.blocks if b.down}
    said = [f"{len(view.packs)} packs", f"{len(mixes)} mixes"]
    if view.loose:
        said.append(f"on no carrier: {listed([p.name for p in view.loose], 4)}")
    return " · ".join(said)
