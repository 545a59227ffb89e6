"""Who is where: places, ways and entrances of everybody in each act, on the plan of a room or as text; the house."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from PyQt6.QtWidgets import QSpinBox, QVBoxLayout

from azven.book.edits import Edit
from azven.book.records import Act, Link, Zone
from azven.desk.rehearse.staging_plan import StagingPlan
from azven.desk.session import Session
from azven.desk.stage import button, choice, fill, label, row
from azven.desk.tables import Column, RecordTable
from azven.desk.tabs import Page
from azven.work import ground, ids, kit, reach
from azven.work.ground import places
from azven.work.reach import Room
from azven.work.rehearse import staging
from azven.work.rehearse.staging import Placed

_EVERY = 0
_STANDS, _WALKS = "stands", "walks"
_CLICKS: list[tuple[str, object]] = [("a click: stands here", _STANDS), ("a click: walks on to here", _WALKS)]
_HINT = "Ways are walked there and back. Who comes on later waits backstage, with the pack on."


@dataclass(frozen=True)
class _View:
    zone: Zone
    act: Act | None
    drawn: Room
    placed: tuple[Placed, ...]


class StagingPage(Page):
    """Whoever wears several packs is in one place with all of them."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._view: _View | None = None
        self.zone, self.act = choice([], "Room"), choice([], "Act")
        self.click = choice(_CLICKS, "What a click on the plan says")
        self.house = QSpinBox()
        self.house.setRange(0, 100)
        self.house.setSingleStep(10)
        self.house.setSuffix(" %")
        self.house.setAccessibleName("How full the house is by this act")
        self.house_word = label("House", "dim")
        self.back = button("Last corner back", self.corner_back, "Take the last corner of the way out again", "flat")
        self.clear = button("Say nothing", self.say_nothing,
                            "Take out what is said in this choice of acts: it is as in all acts, else about the stage",
                            "flat")  # fmt: skip
        self.plan = StagingPlan(session)
        self.table = RecordTable(self._columns(), "Who is where")
        self.table.theme = lambda: session.theme
        self.words = label("", "dim", wrap=True)
        self._lay_out()
        for box in (self.zone, self.act):
            box.activated.connect(self.refresh)
        self.house.editingFinished.connect(self._house_set)
        self.plan.pointed.connect(self._pointed)
        self.table.selected.connect(self._show_chosen)

    def _lay_out(self) -> None:
        self.house.setFixedWidth(84)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(5)
        box.addLayout(row(self.zone, self.act, self.house_word, self.house, 1, spacing=6))
        box.addWidget(self.plan, 6)
        box.addLayout(row(self.click, self.back, self.clear, 1, spacing=6))
        box.addWidget(self.words)
        box.addWidget(self.table, 4)

    def _columns(self) -> list[Column]:
        return [
            Column(title="Link", width=116, show=lambda r: r.link.name),
            Column(title="On whom", width=84, show=lambda r: r.wearer),
            Column(title="Where", width=210, show=lambda r: r.where, change=self._write_where,
                   hint="x, y in metres of the plan; several with semicolons are a way"),
            Column(title="On from, min", width=66, show=_from, change=self._write_from, right=True,
                   hint="Minute of the act; empty: from its beginning"),
            Column(title="Off at, min", width=60, show=_off, change=self._write_off, right=True,
                   hint="Minute of the act; empty: stays to its end"),
            Column(title="Said for", width=90, show=self._said_for),
        ]  # fmt: skip

    # showing

    def read(self) -> Any:
        session = self._session
        zones, acts = ground.zones(session.store, session.scope), kit.acts(session.store, session.scope)
        fill(self.zone, ids.choices_of(zones))
        fill(self.act, [("in every act", _EVERY), *((f"in {name}", number) for name, number in ids.choices_of(acts))])
        zone = next((z for z in zones if z.id == self.zone.currentData()), None)
        if zone is None:
            return None
        act = next((a for a in acts if a.id == self.act.currentData()), None)
        drawn = replace(reach.room(session.store, session.scope, zone, places.PLACEMENT), mounts=())
        return _View(zone, act, drawn, tuple(staging.placed(session.store, session.scope, zone, act)))

    def show_view(self, view: Any) -> None:
        self._view = view
        if view is None:
            self.words.setText("There is no room yet; add one in Ground.")
            return
        for part in (self.house, self.house_word):
            part.setVisible(view.act is not None)
        if view.act is not None and not self.house.hasFocus():
            self.house.setValue(view.act.house_percent)
        self.plan.show_room(view.drawn, None, [])
        self.table.show_records(view.placed)
        self._say()
        self._show_chosen()

    def _say(self) -> None:
        assert self._view is not None
        if not self._view.zone.shape:
            self.words.setText(f"{self._view.zone.name} has no plan yet; draw it in Reach. {_HINT}")
        elif not self._view.placed:
            self.words.setText(f"No link of {self._view.zone.name} is on then.")
        else:
            some = "Choose somebody below, then click where they are. " if not self.table.chosen() else ""
            self.words.setText(f"{some}{_HINT}")

    def _show_chosen(self) -> None:
        if self._view is not None:
            self.plan.show_people(self._view.placed, frozenset(r.id for r in self.table.chosen()))
            self._say()

    def _said_for(self, item: Placed) -> str:
        if item.said is None:
            return ""
        if item.by:
            return f"as {item.by}"
        return "every act" if item.said.act_id is None else "this act"

    # saying

    def _links(self) -> list[Link]:
        return [r.link for r in self.table.chosen()]

    def _do(self, make: Callable[[Act | None], Edit]) -> bool:
        assert self._view is not None
        act = self._view.act
        return self._session.do(lambda: make(act))

    def _pointed(self, x: float, y: float) -> None:
        """A click on the plan, for those who are chosen."""
        session, links = self._session, self._links()
        if self._view is None or not links:
            session.say("Choose somebody in the table first.", trouble=True)
            return
        if self.click.currentData() == _STANDS:
            self._do(lambda act: staging.stand_at(session.store, session.scope, links, act, (x, y)))
            return
        said = self.table.chosen()[0].said
        corners = (*(said.corners if said is not None else ()), (round(x, 2), round(y, 2)))
        self._do(lambda act: staging.set_part(session.store, session.scope, links[0], act, corners=corners))

    def corner_back(self) -> None:
        """Take the last corner out of the way."""
        session, rows = self._session, self.table.chosen()
        said = rows[0].said if rows else None
        if said is None or not said.corners:
            session.say("Choose somebody with a way first.", trouble=True)
            return
        link, corners = rows[0].link, said.corners[:-1]
        self._do(lambda act: staging.set_part(session.store, session.scope, link, act, corners=corners))

    def say_nothing(self) -> None:
        """Take out what is said of the chosen one here."""
        session, links = self._session, self._links()
        if not links:
            session.say("Choose somebody in the table first.", trouble=True)
            return
        self._do(lambda act: staging.clear(session.store, session.scope, links[0], act))

    def _write_where(self, item: Placed, text: str) -> bool:
        return self._set(item, lambda: {"corners": staging.read_corners(text)})

    def _write_from(self, item: Placed, text: str) -> bool:
        return self._set(item, lambda: {"enters_min": staging.read_minute(text) or 0.0})

    def _write_off(self, item: Placed, text: str) -> bool:
        return self._set(item, lambda: {"leaves_min": staging.read_minute(text)})

    def _set(self, item: Placed, values: Callable[[], dict[str, Any]]) -> bool:
        session = self._session
        return self._do(lambda act: staging.set_part(session.store, session.scope, item.link, act, **values()))

    def _house_set(self) -> None:
        view = self._view
        if view is not None and view.act is not None and view.act.house_percent != self.house.value():
            act, percent = view.act, self.house.value()
            self._session.do(lambda: staging.set_house(act, percent))


def _from(item: Placed) -> str:
    return f"{item.said.enters_min:g}" if item.said is not None and item.said.enters_min > 0 else ""


def _off(item: Placed) -> str:
    return f"{item.said.leaves_min:g}" if item.said is not None and item.said.leaves_min is not None else ""
