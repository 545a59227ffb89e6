"""Reach: where antennas stand, what they hear, how a walk sounds."""

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QCheckBox, QDoubleSpinBox, QVBoxLayout, QWidget

from azven.book.records import ANTENNA_ROLES, MOUNT_KINDS, Antenna, Backdrop, Zone
from azven.desk import files
from azven.desk.actions import Action
from azven.desk.reach.backdrop import ScaleDialog
from azven.desk.reach.graphs import PatternView, WalkGraph
from azven.desk.reach.plan_view import MAPS, PlanView
from azven.desk.session import Session
from azven.desk.stage import Stage, button, choice, fill, label, pick, row
from azven.refusal import Refusal
from azven.rf import bands
from azven.rf.links import WALL_DB
from azven.rf.reach import Coverage, Suggestion, Walk
from azven.work import chosen, ground, ids, reach
from azven.work.plan import Progress
from azven.work.reach import Room, backdrop, room_plan

_TOOLS: list[tuple[str, object]] = [
    ("select and move", "select"), ("place receive antenna", "receive"), ("place transmit antenna", "transmit"),
    ("mounting place", "mount"), ("draw a wall", "wall"), ("draw the room", "outline"), ("draw the stage", "stage"),
    ("draw the audience", "audience"), ("take out of the plan", "out"), ("walk to here", "walk"),
]  # fmt: skip
_BANDS: list[tuple[str, object]] = [("UHF, 600 MHz", ""), *((b.name, b.name) for b in bands.SHARED)]
_DRAGGED = {"wall": "line", "outline": "box", "stage": "box", "audience": "box"}


class ReachStage(Stage):
    """The plan with its map, the walk, and the selected antenna's settings."""

    name, title = "reach", "Reach"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.zone, self.layout_box = choice([], "Room"), choice([], "Placement")
        self.band = choice(_BANDS, "Band that is looked at: its gear, and what walls cost there")
        self.map = choice([(m, m) for m in MAPS], "What the map shows")
        self.wearer = choice([(w, w) for w in reach.WEARERS], "Who walks there")
        self.tool = choice(_TOOLS, "What a click does")
        self.material = choice([(m, m) for m in (*WALL_DB, reach.MESH)], "Material")
        self.opening, self.wire = (
            _spin("Opening of the mesh", 0.1, 60, " cm"),
            _spin("Thickness of wire", 0.1, 20, " mm"),
        )
        self.opening.setValue(5.0)
        self.wire.setValue(2.0)
        self.mount_kind = choice([(k, k) for k in MOUNT_KINDS], "Kind of mounting place")
        self.mount_height = _spin("Height of the mounting place", 0, 60, " m")
        self.mount_height.setValue(3.0)
        self.packed = QCheckBox("packed house")
        self.packed.setToolTip("Transmitters in or behind the audience, below head height, lose 9 dB more")
        self.view, self.graph, self.pattern = PlanView(session), WalkGraph(session), PatternView(session)
        self.words, self.compared = label("", wrap=True), label("", "dim", wrap=True)
        self.pair, self.needs = label("", wrap=True), label("", "dim", wrap=True)
        self.fields = {
            "z_m": _spin("Height", 0, 60, " m"), "azimuth_deg": _spin("Azimuth", -360, 360, "°"),
            "tilt_deg": _spin("Tilt", -90, 90, "°"), "psi_deg": _spin("Turned", -90, 90, "°"),
            "gain_dbi": _spin("Gain", -10, 30, " dBi"), "beamwidth_deg": _spin("Beamwidth", 10, 360, "°"),
        }  # fmt: skip
        self._corners: list[tuple[float, float]] = []
        self.coverage: Coverage | None = None
        self._backdrop_shown: Backdrop | None = None
        self._lay_out()
        for box in (self.zone, self.band, self.wearer):
            box.activated.connect(self.refresh)
        self.layout_box.activated.connect(self._placement_chosen)
        self.packed.toggled.connect(self.refresh)
        self.material.activated.connect(self._tool_chosen)
        self.map.activated.connect(self._show_map)
        self.tool.activated.connect(self._tool_chosen)
        self.view.antenna_picked.connect(self._pick)
        self.view.antenna_moved.connect(self._moved)
        self.view.pointed.connect(self._pointed)
        self.view.drawn.connect(self._drawn)
        for name, field in self.fields.items():
            field.editingFinished.connect(lambda n=name: self._set(n))
        self._tool_chosen()

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 8, 12, 6)
        box.setSpacing(5)
        copy = button("Copy", self.copy_layout, "This placement again under the next letter, to change and compare")
        drawing = button("Drawing", self.choose_drawing, "A PNG under the plan, put to scale by two points", "flat")
        where = (self.zone, label("placement", "dim"), self.layout_box, copy, self.band)
        box.addLayout(row(*where, 1, self.wearer, self.map, spacing=6))
        remove = button("Remove", self.remove, "Take the selected antenna out", "flat")
        parts: list[QWidget | int] = []
        for words, field in zip(("up", "towards", "tilt", "turned", "gain", "wide"), self.fields.values(), strict=True):
            parts += [label(words, "small"), field]
        self.aim = QWidget()
        self.aim.setLayout(row(*parts, 1, remove, spacing=4))
        keeps_room = self.aim.sizePolicy()
        keeps_room.setRetainSizeWhenHidden(True)  # the plan may not move under the pointer that picks an antenna
        self.aim.setSizePolicy(keeps_room)
        wall = (self.material, label("opening", "small"), self.opening, label("wire", "small"), self.wire)
        self.mesh, self.mounting = wall[1:], (self.mount_kind, label("up", "small"), self.mount_height)
        box.addLayout(row(self.tool, *wall, *self.mounting, 1, self.packed, drawing, spacing=4))
        box.addWidget(self.aim)
        for said in (self.words, self.pair, self.needs):
            box.addWidget(said)
        box.addWidget(self.view, 4)
        box.addWidget(self.compared)
        below = row(self.graph, self.pattern)
        below.setStretch(0, 1)
        box.addLayout(below, 1)

    # -- showing -------------------------------------------------------------------------------------

    def zone_record(self) -> Zone | None:
        """The room in view."""
        return next(
            (z for z in ground.zones(self.session.store, self.session.scope) if z.id == self.zone.currentData()), None
        )

    @property
    def placement(self) -> str:
        return str(self.layout_box.currentData() or "A")

    def _placement_chosen(self) -> None:
        """A placement of the intercom is looked at in its band."""
        pick(self.band, reach.band_of(self.placement))
        self.refresh()

    def room(self) -> Room | None:
        zone, session = self.zone_record(), self.session
        if zone is None:
            return None
        band = self.band.currentData()
        return reach.room(session.store, session.scope, zone, self.placement, session.picture, band)

    def refresh(self) -> None:
        store, scope = self.session.store, self.session.scope
        before = self.zone.currentData()
        fill(self.zone, ids.choices_of(ground.zones(store, scope)))
        if self.zone.currentData() != before:
            self._corners = []
        zone = self.zone_record()
        fill(self.layout_box, [(x, x) for x in reach.layouts(store, zone)] if zone else [])
        drawn = self.room()
        if drawn is None:
            return
        if len(self._corners) < 2:
            self._corners = reach.usual_walk(drawn)
        self._show_backdrop()
        self._show_fields(drawn)
        self.words.setText(self.words.text() or "Working out what the antennas hear.")
        self.pair.setText("" if drawn.radio is not None else reach.pair_in_words(drawn))
        self.pair.setVisible(bool(self.pair.text()))
        self.needs.setText(drawn.threshold.sentence())
        self.view.show_room(drawn, self.coverage if self.view.room == drawn else None, self._corners)
        wearer, corners, packed = str(self.wearer.currentData()), list(self._corners), self.packed.isChecked()

        def work(_: Progress) -> tuple[Coverage | None, Walk | None]:
            return reach.coverage(drawn, wearer, packed), reach.walk(drawn, wearer, corners, packed)

        self.session.jobs.quiet("coverage", work, lambda found: self._covered(drawn, *found))
        self.primary_changed.emit()

    def _show_backdrop(self) -> None:
        found = backdrop.current(self.session.store, self.session.scope)
        shown = self._backdrop_shown
        if found is not None and (shown is None or shown.id != found.id):
            self.view.backdrop = QImage.fromData(found.image), found.points
        elif found is None:
            self.view.backdrop = None
        self._backdrop_shown = found

    def _covered(self, drawn: Room, found: Coverage | None, walked: Walk | None) -> None:
        self.coverage = found
        self.words.setText(reach.in_words(drawn, found))
        self.view.show_room(drawn, found, self._corners)
        self.graph.show_walk(walked, drawn.threshold.level_dbm)
        self._compare(drawn)

    def _compare(self, drawn: Room) -> None:
        """One line a placement, where there is more than one."""
        store, wearer, packed = self.session.store, str(self.wearer.currentData()), self.packed.isChecked()
        names = reach.layouts(store, drawn.zone)
        if len(names) < 2:
            self.compared.setText("")
            return
        band, scope, picture = self.band.currentData(), self.session.scope, self.session.picture
        names = [n for n in names if reach.band_of(n) == band]
        if len(names) < 2:
            self.compared.setText("")
            return
        rooms = [(n, reach.room(store, scope, drawn.zone, n, picture, band)) for n in names]

        def work(_: Progress) -> list[str]:
            return [f"{n}: {reach.in_words(r, reach.coverage(r, wearer, packed))}" for n, r in rooms]

        self.session.jobs.quiet("placements", work, lambda lines: self.compared.setText("   ".join(lines)))

    def _antenna(self) -> Antenna | None:
        drawn = self.room()
        return next((a for a in drawn.antennas if a.id == self.view.selected), None) if drawn else None

    def _show_fields(self, drawn: Room) -> None:
        antenna = next((a for a in drawn.antennas if a.id == self.view.selected), None)
        self.aim.setVisible(antenna is not None)
        for name, field in self.fields.items():
            field.blockSignals(True)
            field.setEnabled(antenna is not None)
            if antenna is not None:
                field.setValue(getattr(antenna, name))
            field.blockSignals(False)
        self.pattern.show_antenna(antenna)

    def _show_map(self) -> None:
        self.view.map = str(self.map.currentData())
        self.view.update()

    def _tool_chosen(self) -> None:
        tool = str(self.tool.currentData())
        self.view.drawing = _DRAGGED.get(tool, "")
        self.view.picking = tool != "out"
        self.material.setVisible(tool == "wall")
        for part in self.mounting:
            part.setVisible(tool == "mount")
        for part in self.mesh:
            part.setVisible(tool == "wall" and self.material.currentData() == reach.MESH)
        if tool == "walk":
            self._corners = []

    def primary(self) -> tuple[str, bool]:
        drawn = self.room()
        return "Suggest antennas", drawn is not None and len(drawn.mounts) > 1

    def actions_offered(self) -> list[Action]:
        return [
            Action("suggest-antennas", "Suggest antenna positions", self.run_primary),
            Action("drawing", "Lay a drawing under the plan of the rooms", self.choose_drawing),
            Action("no-drawing", "Take the drawing away", self.take_drawing_away, "", lambda: bool(self.view.backdrop)),
            Action("copy-placement", "Copy the antenna placement", self.copy_layout),
        ]

    # -- deeds ---------------------------------------------------------------------------------------

    def run_primary(self) -> None:
        """The best pair of mounting places, instead of this placement's receive antennas."""
        drawn, wearer, placement = self.room(), str(self.wearer.currentData()), self.placement
        packed = self.packed.isChecked()
        if drawn is None:
            return

        def work(progress: Progress) -> Suggestion:
            return reach.suggest(drawn, wearer, progress, packed)

        def adopt(found: Suggestion) -> None:
            if self.session.do(lambda: reach.adopt(self.session.store, drawn, placement, found)):
                self.session.say(f"{found.reasons[0]}. {found.reasons[1]}. Rigging: licensed riggers only.")

        self.session.jobs.start("Trying mounting places", work, adopt)

    def choose_drawing(self) -> None:
        """A PNG under the plan, put to scale by two points."""
        path = files.ask_which(self, "A drawing of the rooms", "PNG (*.png)")
        drawn = self.room()
        if path is None or drawn is None:
            return
        try:
            data = backdrop.read(path)
            image = QImage.fromData(data)
            if image.isNull():
                raise Refusal(f"{path.name} cannot be read as a picture.")
        except (OSError, ValueError) as error:
            self.session.say(str(error), trouble=True)
            return
        dialog = ScaleDialog(self.session, image, (drawn.low, drawn.high))
        if dialog.exec():
            self.session.do(
                lambda: backdrop.put(self.session.store, self.session.scope, path.name, data, *dialog.known())
            )

    def take_drawing_away(self) -> None:
        self.session.do(lambda: backdrop.take_away(self.session.store, self.session.scope))

    def copy_layout(self) -> None:
        zone = self.zone_record()
        if zone is not None and self.session.do(lambda: reach.copy_layout(self.session.store, zone, self.placement)):
            self.layout_box.setCurrentIndex(self.layout_box.count() - 1)
            self.refresh()

    def remove(self) -> None:
        antenna = self._antenna()
        if antenna is not None:
            self.session.do(lambda: ground.take_out(antenna, f"Remove {antenna.name}"))

    def _pick(self, antenna_id: int) -> None:
        drawn = self.room()
        if drawn is not None:
            self._show_fields(drawn)
            wearer = str(self.wearer.currentData())
            self.session.select(chosen.Antenna(drawn.zone.id, self.placement, antenna_id, wearer))

    def _moved(self, antenna_id: int, x: float, y: float) -> None:
        antenna = self._antenna()
        if antenna is not None and antenna.id == antenna_id:
            self.session.do(lambda: reach.move(antenna, x_m=round(x, 2), y_m=round(y, 2)))

    def _set(self, field: str) -> None:
        antenna = self._antenna()
        value = self.fields[field].value()
        if antenna is not None and getattr(antenna, field) != value:
            self.session.do(lambda: reach.move(antenna, **{field: value}))

    def _pointed(self, x: float, y: float) -> None:
        """A click beside any antenna."""
        zone, tool, store = self.zone_record(), self.tool.currentData(), self.session.store
        if zone is None:
            return
        if tool in ANTENNA_ROLES:
            self.session.do(lambda: reach.place(store, zone, self.placement, x, y, tool))
        elif tool == "mount":
            kind, height = str(self.mount_kind.currentData()), self.mount_height.value()
            self.session.do(lambda: room_plan.add_mount(store, zone, x, y, kind, height))
        elif tool == "out" and (drawn := self.room()) is not None:
            self.session.do(lambda: room_plan.take_out(drawn, x, y))
        elif tool == "walk":
            self._corners.append((x, y))
            if len(self._corners) > 1:
                self.refresh()

    def _drawn(self, *ends: Any) -> None:
        """A line or a box was drawn from point to point."""
        zone, store, tool = self.zone_record(), self.session.store, str(self.tool.currentData())
        if zone is None:
            return
        start, end = ends[:2], ends[2:]
        if tool == "wall":
            mesh = self.opening.value() / 100, self.wire.value() / 1000
            material = str(self.material.currentData())
            self.session.do(lambda: room_plan.add_wall(store, zone, start, end, material, *mesh))
        elif tool == "outline":
            self.session.do(lambda: room_plan.outline(zone, start, end))
        else:
            self.session.do(lambda: room_plan.add_area(store, zone, tool, start, end))


def _spin(name: str, low: float, high: float, unit: str) -> QDoubleSpinBox:
    made = QDoubleSpinBox()
    made.setRange(low, high)
    made.setDecimals(1)
    made.setSuffix(unit)
    made.setFixedWidth(72)
    made.setAccessibleName(name)
    made.setToolTip(name)
    made.setAlignment(Qt.AlignmentFlag.AlignRight)
    return made
