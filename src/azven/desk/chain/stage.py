"""Chain: antenna systems block by block, their gains, and what would go wrong."""

import json
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton, QScrollArea, QSlider, QStackedWidget, QVBoxLayout, QWidget

from azven.book.formats.errors import FormatError
from azven.book.records import Design as DesignRecord
from azven.desk import files
from azven.desk.actions import Action
from azven.desk.chain.heard import HeardPage
from azven.desk.chain.pages import ComparePage, PartsPage, TroublePage
from azven.desk.chain.staircase import Staircase
from azven.desk.chain.strips import Strips, figure
from azven.desk.session import Session
from azven.desk.stage import Stage, button, choice, fill, label, row
from azven.desk.tabs import Tabs
from azven.rf.chain.design import Design, Solved, solve_design
from azven.rf.chain.tune import GainPlan
from azven.work import chain, chosen, ground
from azven.work.chain import Document, parts, sheet, sides, threats
from azven.work.chain import troubles as chain_troubles
from azven.work.chain.templates import TEMPLATES
from azven.work.chain.troubles import Trouble
from azven.work.ground import permission
from azven.work.plan import Progress

_NOTHING = "No antenna system yet. Start from a template: it takes rooms and links from this show."
_PAGES = ("Staircase", "What is wrong", "Parts and cables", "Compare", "In the venue")
_CABLE_MOST_M = 200


class ChainStage(Stage):
    """Strips above, the staircase and lists below, one control for the selected block between them."""

    name, title = "chain", "Chain"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.chosen, self.template = choice([], "Design"), choice([(t, t) for t in TEMPLATES], "Template")
        self.chosen.setMinimumWidth(160)
        self.strips, self.stairs = Strips(session), Staircase(session)
        self.troubles, self.parts, self.compare = TroublePage(session), PartsPage(session), ComparePage(session)
        self.heard = HeardPage(session)
        self.knob, self._words = QSlider(Qt.Orientation.Horizontal), label("Select a block.", "dim")
        self.knob.setAccessibleName("Value of the selected block")
        self._values: list[float | None] = []
        self._pages, self._tabs = QStackedWidget(), Tabs(_PAGES, self.show_page)
        self._document: Document | None = None
        self._design: Design | None = None
        self._solved: Solved | None = None
        self._lay_out()
        self.chosen.activated.connect(self.refresh)
        self.strips.picked.connect(self._pick)
        self.knob.valueChanged.connect(self._preview)
        self.knob.sliderReleased.connect(self._take)
        self.troubles.row.changed.connect(self._key_up)
        self.troubles.picked.connect(self._pick)

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 8, 12, 6)
        box.setSpacing(5)
        new = button("New", self.new_from_template, "A design from the template, with this show's rooms and links")
        self.sides = button(
            "Own side B", self.change_sides, "Diversity side B with its own blocks, or like side A", "flat"
        )
        self._remove = button("Remove", self.remove, "Take this design out; undo brings it back", "flat")
        deeds = (
            button("Import", self.load, name="flat"), button("Export", self.export, name="flat"),
            button("Print", self.print_design, name="flat"),
        )  # fmt: skip
        box.addLayout(
            row(self.chosen, self.sides, self._remove, 1, label("from", "dim"), self.template, new, spacing=6)
        )
        self._nothing = QWidget()
        empty = QVBoxLayout(self._nothing)
        empty.setContentsMargins(0, 40, 0, 0)
        empty.addWidget(label(_NOTHING, "dim"))
        empty.addLayout(row(*(self._starter(name) for name in TEMPLATES), 1, spacing=6))
        empty.addStretch(1)
        box.addWidget(self._nothing, 1)
        self._scroll = QScrollArea()
        self._scroll.setWidget(self.strips)
        self._scroll.setWidgetResizable(True)
        box.addWidget(self._scroll, 4)
        self._control = QWidget()
        line = row(self._words, self.knob, spacing=10)
        line.setStretch(0, 3)
        line.setStretch(1, 2)
        self._control.setLayout(line)
        box.addWidget(self._control)
        self._beside = QWidget()
        self._beside.setLayout(row(self._tabs, 1, *deeds, spacing=4))
        box.addWidget(self._beside)
        for page in (self.stairs, self.troubles, self.parts, self.compare, self.heard):
            self._pages.addWidget(page)
        box.addWidget(self._pages, 5)

    def _starter(self, name: str) -> QPushButton:
        """A template on the empty page: one click makes the design."""

        def start() -> None:
            self.template.setCurrentIndex(self.template.findText(name))
            self.new_from_template()

        return button(name.capitalize(), start, f"A design from the template {name}")

    # -- showing -------------------------------------------------------------------------------------

    def record(self) -> DesignRecord | None:
        """The design in view."""
        return next(
            (d for d in chain.designs(self.session.store, self.session.scope) if d.id == self.chosen.currentData()),
            None,
        )

    def refresh(self) -> None:
        records = chain.designs(self.session.store, self.session.scope)
        fill(self.chosen, [(d.name, d.id) for d in records])
        self._nothing.setVisible(not records)
        record = self.record()
        for part in (self._scroll, self._control, self._pages, self._beside, self.chosen, self.sides, self._remove):
            part.setVisible(record is not None)
        self.primary_changed.emit()
        if record is not None:
            if self.session.selection is None:
                self.session.select(chosen.Joint(record.id))
            self._show(chain.document_of(record))

    def _show(self, document: Document) -> None:
        """Everything that follows from a document, stored or only tried."""
        try:
            design = chain.read(document)
            solved = solve_design(design)
        except (FormatError, ValueError) as error:
            self.session.say(str(error), trouble=True)
            return
        self._document, self._design, self._solved = document, design, solved
        self.sides.setText("Side B like A" if sides.has_own_b(document) else "Own side B")
        troubles = self._troubles(design, solved)
        record = self.record()
        if record is not None and document == chain.document_of(record):
            self.session.wrong[record.id] = record.version, len(troubles)
        self.strips.show_design(design, {t.block for t in troubles})
        self._scroll.setMaximumHeight(self.strips.minimumHeight() + 2)
        self.stairs.show_stairs(chain.staircase(design, solved, self._antenna()))
        page = self._pages.currentWidget()
        if page is self.troubles:
            self.troubles.show_design(document, design, troubles)
        elif page is self.parts:
            self.parts.show_design(design)
        elif page is self.compare:
            self.compare.show_document(document)
        elif page is self.heard:
            self.heard.show_design(document, design)
        self._show_block()

    def _troubles(self, design: Design, solved: Solved) -> list[Trouble]:
        rule = permission.rule_at(self.session.store, self.session.scope, round(design.sent_hz))
        return chain_troubles.warnings(design, solved, rule)

    def _antenna(self) -> str:
        """The receive antenna whose way is shown: the selected block's own, else the first."""
        assert self._design is not None
        assert self._solved is not None
        joint = self._solved.joints.get(self.strips.selected)
        ways = list(joint.gain_before_db) if joint is not None else []
        antennas = [p.antenna for p in self._solved.paths]
        return next((a for a in [*ways, *antennas] if a in antennas), "")

    def _pick(self, name: str) -> None:
        self.strips.selected = name
        self.strips.update()
        if self._design is not None and self._solved is not None:
            self.stairs.show_stairs(chain.staircase(self._design, self._solved, self._antenna()))
        self._show_block()
        self.session.select(chosen.Joint(self.chosen.currentData(), name))

    def _show_block(self) -> None:
        """The control for the selected block."""
        name, design = self.strips.selected, self._design
        block = design.blocks.get(name) if design else None
        self.knob.blockSignals(True)
        self._values = []
        if block is not None and block.kind == "cable":
            self._values = [float(m) for m in range(_CABLE_MOST_M + 1)]
            now: float | None = round(block.length_m)
        elif block is not None and block.steps_db:
            self._values = [None, *block.steps_db] if block.kind == "amp" else list(block.steps_db)
            now = block.gain_db if block.kind == "amp" else block.loss_db
        self.knob.setEnabled(bool(self._values))
        if self._values:
            self.knob.setRange(0, len(self._values) - 1)
            self.knob.setValue(self._values.index(now) if now in self._values else 0)
        self.knob.blockSignals(False)
        if block is None or design is None:
            self._words.setText("Select a block to see and set it.")
        else:
            shown = figure(design, name) if block.kind != "cable" else f"{-block.gain_at(design.freq_hz):.1f} dB lost"
            self._words.setText(f"{name}: {parts.describe(design, name)}, {shown}")

    def _preview(self, at: int) -> None:
        """While the knob moves: everything as it would be."""
        if self._document is None or not self._values:
            return
        value = self._values[at]
        tried = chain.thawed(self._document)
        block = chain.node(tried, self.strips.selected)
        block[{"amp": "gain_db", "cable": "length_m"}.get(block["type"], "loss_db")] = value
        self._show(tried)
        if not self.knob.isSliderDown():
            self._take()

    def _take(self) -> None:
        """The knob was let go: write it down."""
        record = self.record()
        if record is not None and self._values:
            value = self._values[self.knob.value()]
            self.session.do(lambda: chain.set_value(record, self.strips.selected, value))

    def show_page(self, number: int) -> None:
        """Staircase, what is wrong, parts and cables, compare, in the venue."""
        self._pages.setCurrentIndex(number)
        self._tabs.choose(number)
        if self._document is not None:
            self._show(self._document)

    def primary(self) -> tuple[str, bool]:
        return "Set gains", self.record() is not None

    def actions_offered(self) -> list[Action]:
        return [
            Action("set-gains", "Set gains of the antenna system", self.run_primary),
            Action("new-design", "New antenna system from the template", self.new_from_template),
            Action("sides", "Side B with its own blocks, or like side A", self.change_sides),
            Action("import-design", "Import an antenna system", self.load),
            Action("export-design", "Export the antenna system", self.export),
            Action("print-design", "Print the antenna system", self.print_design),
            *self._tabs.as_actions("chain"),
        ]

    # -- deeds ---------------------------------------------------------------------------------------

    def new_from_template(self) -> None:
        store, scope = self.session.store, self.session.scope
        make = TEMPLATES[str(self.template.currentData())]
        if self.session.do(lambda: chain.add_design(store, scope, make(store, scope))):
            self.chosen.setCurrentIndex(self.chosen.count() - 1)
            self.refresh()

    def change_sides(self) -> None:
        """Side B with blocks of its own, or like side A again."""
        record = self.record()
        if record is not None:
            own = sides.has_own_b(chain.document_of(record))
            self.session.do(lambda: sides.like_a(record) if own else sides.own_b(record))

    def remove(self) -> None:
        record = self.record()
        if record is not None:
            self.session.do(lambda: ground.take_out(record, f"Remove {record.name}"))

    def run_primary(self) -> None:
        """Set gains: the best settings, worked out off this thread, dialled in as one edit."""
        record, design = self.record(), self._design
        if record is None or design is None:
            return

        def done(plan: GainPlan) -> None:
            self.session.do(lambda: chain.gains_set(record, plan))
            threat = threats.interferer(chain.document_of(record), plan.settings)
            self.session.say(f"{chain.gains_in_words(plan)} {threat}".strip(), trouble=plan.lacking_db > 0)
            self.compare.explain(plan)

        def work(progress: Progress) -> GainPlan:
            return chain.plan_gains(design)

        self.session.jobs.start("Setting gains", work, done)

    def _key_up(self) -> None:
        """Something strong keys up, for the look of it; nothing is written."""
        record, keyed = self.record(), self.troubles.row
        if record is not None:
            document, distance = chain.document_of(record), keyed.metres if keyed.threat is not None else None
            self._show(threats.with_threat(document, keyed.room, keyed.threat or threats.RADIO, distance))

    def load(self) -> None:
        path = files.ask_which(self, "Import an antenna system", "Antenna systems (*.json)")
        if path:
            self.load_from(path)

    def load_from(self, path: Path) -> None:
        """Read a design file and keep it; what is wrong with it is said in a line."""
        from azven.book.formats.reading import read_json

        try:
            document: Any = read_json(path)
            chain.read(document)
        except FormatError as error:
            self.session.say(f"{path.name} was not read. {error}", trouble=True)
            return
        if self.session.do(lambda: chain.add_design(self.session.store, self.session.scope, document)):
            self.chosen.setCurrentIndex(self.chosen.count() - 1)
            self.refresh()

    def export(self) -> None:
        record = self.record()
        path = files.ask_where(self, "Export", f"{record.name}.json", "Antenna systems (*.json)") if record else None
        if path and record:
            text = json.dumps(chain.document_of(record), indent=2, ensure_ascii=False) + "\n"
            files.write_text(self.session, path, text, record.name)

    def print_design(self) -> None:
        record = self.record()
        path = files.ask_where(self, "Print", f"{record.name}.pdf", "PDF (*.pdf)") if record else None
        if path:
            self.write_pdf(path)

    def write_pdf(self, path: Path) -> None:
        """The design on paper."""
        from azven.desk.pdf import write_pdf

        if self._design is None or self._solved is None:
            return
        session, troubles = self.session, self._troubles(self._design, self._solved)
        made = session.clock.said(session.now(), with_zone=True)
        html = sheet.html(
            self._design, self._solved, troubles, ground.here(session.store, session.scope).show.name, made
        )
        try:
            pages = write_pdf(html, path, "Azven antenna system")
        except OSError as error:
            session.say(f"{path} could not be written: {error.strerror or error}.", trouble=True)
            return
        session.say(f"Wrote {path.name} ({pages} page{'s' if pages > 1 else ''}).")
