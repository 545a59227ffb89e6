"""Ground: territory, rooms and how they hear one another, neighbours."""

from dataclasses import dataclass
from itertools import combinations
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from azven.book import regions
from azven.book.records import NEIGHBOUR_KINDS, Neighbour, Relation, Zone
from azven.desk import files
from azven.desk.actions import Action
from azven.desk.ground.ladder import Ladder
from azven.desk.ground.pages import DistancesPage, LicencesPage, LimitsPage, NextDoorPage
from azven.desk.session import Session
from azven.desk.stage import Stage, button, choice, label, row, rule
from azven.desk.tables import Column, RecordTable
from azven.desk.tabs import Pages
from azven.work import chosen, ground, ids
from azven.work.ground import bundle, hours, isolation
from azven.work.wording import mhz

_PAGES = ("Neighbours", "Rooms", "Distances", "Licences", "Limits", "Next door")
_SAID = 3
"""So many relations are said in the line under the stage; the table has all of them."""
_PAGE_SHARE, _LEAST_PAGE, _LEAST_LADDER = 0.5, 150, 60
"""The page below takes at most half of the height, and never less than this [px]; nor does the ladder."""
_MEANING = {
    "together": "together: spacing and products count",
    "near": "near: spacing counts, products do not",
    "apart": "apart: nothing counts",
}


@dataclass(frozen=True)
class Pair:
    """Two rooms and what is known between them."""

    id: int
    a: Zone
    b: Zone
    relation: Relation | None


class GroundStage(Stage):
    """Region and rooms above, the ladder, rooms against rooms and neighbours below."""

    name, title = "ground", "Ground"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        shipped: list[tuple[str, object]] = [("choose a region …", None)]
        shipped += [(r["title"], r) for r in regions.shipped()]
        self.region: QComboBox = choice(shipped, "Region")
        self._region_note = label("", "small", wrap=True)
        self._clock = label("", "small")
        self.zone = choice([(name, name) for name in hours.zone_names()], "Time zone of the site")
        self.zone.setMaximumWidth(190)
        self.zone.keep_width(16)
        self.zone.activated.connect(self._choose_zone)
        self.ladder = Ladder(session)
        self.rooms = RecordTable([Column(title="Name", width=130, show=lambda z: z.name, change=self._rename)], "Rooms")
        self.pairs = RecordTable(self._pair_columns(), "Rooms against rooms")
        self.neighbours = RecordTable(self._neighbour_columns(), "Neighbours")
        self.room_name, self.neighbour_name, self.neighbour_mhz = QLineEdit(), QLineEdit(), QLineEdit()
        self.distances, self.licences = DistancesPage(session), LicencesPage(session)
        self.limits, self.next_door = LimitsPage(session), NextDoorPage(session)
        rooms, near = QWidget(), QWidget()
        rooms.setLayout(self._rooms_page())
        near.setLayout(self._neighbours_page())
        pages = near, rooms, self.distances, self.licences, self.limits, self.next_door
        self._pages = Pages(list(zip(_PAGES, pages, strict=True)))
        self._pages.tabs.chosen.connect(self._share_height)
        self._lay_out()
        self.region.activated.connect(self._choose_region)
        for table in (self.rooms, self.pairs):
            table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.neighbours.picked.connect(lambda neighbour: session.select(chosen.Neighbour(neighbour.id)))

    def _lay_out(self) -> None:
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setWidget(self.ladder)
        self.room_name.setPlaceholderText("New room")
        self.room_name.returnPressed.connect(self.add_room)
        self.neighbour_name.setPlaceholderText("Who")
        self.neighbour_mhz.setPlaceholderText("MHz")
        self.neighbour_mhz.setFixedWidth(80)
        self.neighbour_name.setFixedWidth(200)
        self.neighbour_mhz.returnPressed.connect(self.add_neighbour)
        for field, name in (
            (self.room_name, "New room"),
            (self.neighbour_name, "Neighbour"),
            (self.neighbour_mhz, "Neighbour MHz"),
        ):
            field.setAccessibleName(name)
        load = button("From file", self.load_region, "Read a region file of your own")
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 10, 12, 6)
        box.setSpacing(6)
        box.addLayout(row(label("Region", "section"), self.region, load, 1, label("Time zone", "section"), self.zone))
        box.addWidget(self._region_note)
        box.addWidget(rule())
        box.addWidget(self._scroll)
        box.addWidget(rule())
        share = button("Share site", self.share, "Sweeps, rooms and neighbours as one file for the next engineer")
        take = button("Import site", self.take_in, "Add what a shared site file knows and this book does not")
        box.addLayout(row(self._pages.tabs, 1, share, take, spacing=4))
        box.addWidget(self._pages, 1)

    def _share_height(self) -> None:
        """The ladder gets the height it needs, as far as the page below leaves it: a short page leaves more."""
        page = self._pages.currentWidget()
        both = self._scroll.height() + self._pages.height()
        wanted = page.sizeHint().height() if page is not None else 0
        most = both - max(min(wanted, round(_PAGE_SHARE * both)), _LEAST_PAGE)
        self._scroll.setFixedHeight(max(min(self.ladder.minimumHeight() + 2, most), _LEAST_LADDER))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        QTimer.singleShot(0, self._share_height)  # once the layout has spread what there is

    def _neighbours_page(self) -> QVBoxLayout:
        remove = button("Remove", self.remove_neighbour, "Take the selected neighbour out", "flat")
        add = button("Add", self.add_neighbour)
        box = QVBoxLayout()
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        box.addLayout(row(self.neighbour_name, self.neighbour_mhz, add, 1, self._clock, remove, spacing=4))
        box.addWidget(self.neighbours, 1)
        return box

    def _rooms_page(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(4)
        remove_room = button("Remove", self.remove_room, "Take the selected room out", "flat")
        grid.addLayout(row(label("Rooms", "section"), 1, remove_room), 0, 0)
        grid.addLayout(row(self.room_name, button("Add", self.add_room), spacing=4), 1, 0)
        from_plan = button("From the plan", self.relate_from_plan, "Walls and distances as drawn in Reach", "flat")
        grid.addLayout(row(label("Rooms against rooms", "section"), 1, from_plan), 0, 1)
        grid.addWidget(label("Set the relation, or the wall loss that says it.", "small"), 1, 1)
        for column, (table, stretch) in enumerate(((self.rooms, 4), (self.pairs, 5))):
            grid.addWidget(table, 2, column)
            grid.setColumnStretch(column, stretch)
        grid.setRowStretch(2, 1)
        return grid

    def _pair_columns(self) -> list[Column]:
        return [
            Column(title="Rooms", width=200, show=lambda p: f"{p.a.name} – {p.b.name}"),
            Column(
                title="Relation",
                width=90,
                show=lambda p: p.relation.relation if p.relation else "not set",
                change=self._relate,
                choices=lambda _: [(words, key) for key, words in _MEANING.items()],
            ),
            Column(title="Wall dB", width=66, show=_loss_text, change=self._set_loss, right=True),
        ]

    def _neighbour_columns(self) -> list[Column]:
        session = self.session

        def change(field: str, convert: Any) -> Any:
            return lambda n, value: session.do(
                lambda: ground.change(n, f"{n.name}: {field.replace('_', ' ')}", **{field: convert(value)})
            )

        def room(n: Neighbour) -> str:
            rooms = ids.choices_of(ground.zones(session.store, session.scope))
            return next((name for name, key in rooms if key == n.zone_id), "everywhere")

        return [
            Column(title="Name", width=148, show=lambda n: n.name, change=change("name", str)),
            Column(
                title="MHz", width=76, show=lambda n: mhz(n.freq_hz), change=change("freq_hz", ground.hertz), right=True
            ),
            Column(
                title="Kind",
                width=88,
                show=lambda n: n.kind,
                change=change("kind", str),
                choices=lambda _: [(k, k) for k in NEIGHBOUR_KINDS],
            ),
            Column(
                title="Where",
                width=92,
                show=room,
                change=change("zone_id", lambda v: v),
                choices=lambda _: [("everywhere", None), *ids.choices_of(ground.zones(session.store, session.scope))],
            ),
            Column(
                title="kHz clear",
                width=74,
                show=lambda n: f"{n.spacing_hz / 1e3:g}",
                change=change("spacing_hz", ground.kilohertz),
                right=True,
            ),
            Column(
                title="Mixes",
                width=52,
                show=lambda n: "yes" if n.mixes else "no",
                change=change("mixes", bool),
                choices=lambda _: [("yes, strong enough to mix with ours", True), ("no", False)],
            ),
            Column(title="On air", width=96, show=lambda n: n.hours or "always", change=change("hours", _hours)),
            Column(title="Contact", width=108, show=lambda n: n.contact, change=change("contact", str)),
            Column(title="Note", width=100, show=lambda n: n.note, change=change("note", str), prose=True),
        ]

    # -- showing -------------------------------------------------------------------------------------

    def refresh(self) -> None:
        store, scope = self.session.store, self.session.scope
        place = ground.here(store, scope)
        region = place.region
        at = next(
            (i for i in range(1, self.region.count()) if region and self.region.itemData(i)["key"] == region.key), 0
        )
        self.region.setCurrentIndex(at)
        if region is None:
            self._region_note.setText("Without a region nothing is checked against the rules. " + regions.ADVICE)
        else:
            self._region_note.setText(f"{region.title}, as of {region.dated}. {region.note} {regions.ADVICE}")
        self._share_height()
        self._clock.setText(f"times of day of {place.site.time_zone}")
        at_zone = self.zone.findData(place.site.time_zone)
        if at_zone < 0:
            self.zone.addItem(place.site.time_zone, place.site.time_zone)
        self.zone.setCurrentIndex(self.zone.findData(place.site.time_zone))
        zones = ground.zones(store, scope)
        related = ground.relations(store, scope)
        self.rooms.show_records(zones)
        self.pairs.show_records(
            [Pair(a.id * 100_000 + b.id, a, b, related.get(frozenset((a.id, b.id)))) for a, b in combinations(zones, 2)]
        )
        self.neighbours.show_records(ground.neighbours(store, scope))
        self._pages.refresh()

    def show_page(self, number: int) -> None:
        """Neighbours, rooms, distances, licences, limits, next door."""
        self._pages.show_page(number)

    def primary(self) -> tuple[str, bool]:
        return "Add room", True

    def run_primary(self) -> None:
        self.add_room()

    def actions_offered(self) -> list[Action]:
        return [
            Action("relate-from-plan", "Relate rooms by their plan", self.relate_from_plan),
            Action("region-file", "Read a region file", self.load_region),
            Action("share-site", "Share what is known of this site", self.share),
            Action("take-in-site", "Import a shared site", self.take_in),
            *self._pages.tabs.as_actions("ground"),
        ]

    # -- deeds ---------------------------------------------------------------------------------------

    def _choose_region(self) -> None:
        document = self.region.currentData()
        if document is not None:
            self.session.do(lambda: ground.choose_region(self.session.store, self.session.scope, document))

    def _choose_zone(self) -> None:
        name = str(self.zone.currentData())
        if name != ground.here(self.session.store, self.session.scope).site.time_zone:
            self.session.do(lambda: ground.set_time_zone(self.session.store, self.session.scope, name))

    def load_region(self) -> None:
        path = files.ask_which(self, "Region file", "Region files (*.json)")
        if path:
            self.load_region_from(path)

    def load_region_from(self, path: Path) -> None:
        """Read and check a region file, and make it the region of the site."""
        from azven.book.formats import region
        from azven.book.formats.errors import FormatError
        from azven.book.formats.reading import read_json

        try:
            document = region.read(read_json(path)).model_dump(mode="json")
        except FormatError as error:
            self.session.say(f"{path.name} was not used. {error}", trouble=True)
            return
        self.region.addItem(document["title"], document)
        self.session.do(lambda: ground.choose_region(self.session.store, self.session.scope, document))

    def share(self) -> None:
        """Write a site bundle."""
        name = f"{ground.here(self.session.store, self.session.scope).site.name}.azven-site.zip"
        path = files.ask_where(self, "Share the site", name, "Site bundles (*.zip)")
        if path:
            self.share_to(path)

    def share_to(self, path: Path) -> None:
        """Write a site bundle to `path` and say what went along."""
        try:
            written = bundle.write(self.session.store, self.session.scope, path)
        except OSError as error:
            self.session.say(f"{path} could not be written: {error.strerror or error}.", trouble=True)
            return
        self.session.say(written.sentence(path.name), trouble=bool(written.left_out))

    def take_in(self) -> None:
        """Read a site bundle."""
        path = files.ask_which(self, "Import a site", "Site bundles (*.zip)")
        if path:
            self.take_in_from(path)

    def take_in_from(self, path: Path) -> None:
        """Add what a bundle knows and the book does not; one undo takes it back."""
        from azven.book.formats import site_bundle

        def merge(found: site_bundle.Bundle) -> None:
            merged = bundle.merge(self.session.store, self.session.scope, found)
            self.session.do(lambda: merged.edit)
            self.session.say(f"Imported {path.name}: {', '.join(merged.said)}.", trouble=bool(found.refused))

        self.session.jobs.start("Reading the site", lambda _: site_bundle.read(path), merge)

    def add_room(self) -> None:
        if self.session.do(lambda: ground.add_zone(self.session.store, self.session.scope, self.room_name.text())):
            self.room_name.clear()

    def remove_room(self) -> None:
        for zone in self.rooms.chosen():
            self.session.do(lambda z=zone: ground.remove_zone(self.session.store, self.session.scope, z))  # type: ignore[misc]

    def _rename(self, zone: Zone, name: str) -> bool:
        return self.session.do(lambda: ground.rename_zone(self.session.store, zone, name))

    def _relate(self, pair: Pair, relation: Any) -> bool:
        loss = pair.relation.wall_loss_db if pair.relation else None
        return self.session.do(
            lambda: ground.relate(self.session.store, self.session.scope, pair.a, pair.b, relation, loss)
        )

    def relate_from_plan(self) -> None:
        """Relate all drawn rooms by what stands between them; one undo takes it back."""
        try:
            edit, said = isolation.from_plan(self.session.store, self.session.scope)
        except ValueError as error:
            self.session.say(str(error), trouble=True)
            return
        if not self.session.do(lambda: edit):
            said = ["Nothing changed", *said]
        more = f"; and {len(said) - _SAID} more" if len(said) > _SAID else ""
        self.session.say("; ".join(said[:_SAID]) + more + ".")

    def _set_loss(self, pair: Pair, text: str) -> bool:
        try:
            loss = float(text.replace(",", "."))
        except ValueError:
            self.session.say(f"“{text}” is not a number of dB.", trouble=True)
            return False
        relation = ground.relation_from_loss(loss)
        return self.session.do(
            lambda: ground.relate(self.session.store, self.session.scope, pair.a, pair.b, relation, loss)
        )

    def add_neighbour(self) -> None:
        name, text = self.neighbour_name.text(), self.neighbour_mhz.text()
        if self.session.do(
            lambda: ground.add_neighbour(self.session.store, self.session.scope, name, ground.hertz(text))
        ):
            self.neighbour_name.clear()
            self.neighbour_mhz.clear()

    def remove_neighbour(self) -> None:
        for n in self.neighbours.chosen():
            self.session.do(lambda n=n: ground.take_out(n, f"Remove {n.name}"))  # type: ignore[misc]


def _hours(text: str) -> str:
    return "" if text.strip().lower() == "always" else hours.checked(text)


def _loss_text(pair: Pair) -> str:
    if pair.relation is None or pair.relation.wall_loss_db is None:
        return "–"
    return f"{pair.relation.wall_loss_db:g}"
