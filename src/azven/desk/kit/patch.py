"""Patch page: where audio goes and comes from, and under it the ports of the intercom."""

from collections.abc import Sequence

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from azven.book.edits import Edit, remove
from azven.book.records import Link, Port, Route
from azven.desk.bulk import BulkBar
from azven.desk.kit.pages import FileDeed, KitPage
from azven.desk.kit.person_columns import PortColumns, RouteColumns
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, choice, fill, label, row
from azven.desk.tables import RecordTable
from azven.work import chosen, ids, kit
from azven.work.kit import patch
from azven.work.kit.patch import Patch
from azven.work.wording import listed

_MOST_NAMED = 4


class PatchPage(KitPage):
    """Two tables: routes of links, ports of the intercom."""

    title, adds = "Patch", "Patch all links"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.columns = RouteColumns(session)
        self._table = RecordTable(self.columns.all(), "Where audio goes and comes from")
        self.ports = RecordTable(PortColumns(session).all(), "Ports of the intercom")
        self.link = choice([], "Link")
        self.link.keep_width(18)
        self.words = FittedLabel("dim")
        more = button("Add route", self.add_route, "One more output of this link, or source of this mix")
        upper = row(self.link, more, self.words)
        upper.setStretchFactor(self.words, 1)
        self.box.addLayout(upper)
        self.box.addWidget(self.empty)
        self.with_bulk(self._table)
        lower = QWidget()
        below = QVBoxLayout(lower)
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(4)
        self.lines = FittedLabel("dim")
        over = row(label("Intercom ports", "section"), self.lines, button("Add port", self.add_port))
        over.setStretchFactor(self.lines, 1)
        below.addLayout(over)
        below.addWidget(self.ports)
        below.addWidget(BulkBar(self.ports, self.ports.records.columns))
        lower.setMaximumHeight(210)
        self.box.addWidget(lower)
        self._table.picked.connect(lambda r: session.select(chosen.Link(ids.key(Link, r.link_id))))
        self.one_of(self._table, self.ports)

    @property
    def table(self) -> RecordTable:
        return self.ports if self.ports.chosen() else self._table

    def read(self) -> Patch:
        self.columns.read()
        return self.columns.found

    def show_view(self, view: Patch) -> None:
        store, scope = self.session.store, self.session.scope
        fill(self.link, self.columns.choices(Link, kit.links(store, scope)))
        self._table.show_records(view.routes)
        self.ports.show_records(view.ports)
        said = [f"{view.open_points} to be put right"] if view.wrong else []
        if view.unpatched:
            said.append(f"no route yet: {listed(list(view.unpatched), _MOST_NAMED)}")
        self.words.setText("; ".join(said) or "every link has a route")
        self.show_empty("No routes yet. Patch all links gives every link a channel in turn; then set device and kind.",
                        not view.routes)  # fmt: skip
        joined = patch.joined(view.ports)
        self.lines.setText(" · ".join(f"{name}: {len(found)}" for name, found in joined.items()))

    def add(self) -> None:
        store, scope = self.session.store, self.session.scope
        self.session.do(lambda: patch.add_routes(store, scope, [x for x in kit.links(store, scope) if not x.set_aside]))

    def add_route(self) -> None:
        """One more route of the link that is chosen."""
        store, scope = self.session.store, self.session.scope
        link = next((x for x in kit.links(store, scope) if x.id == self.link.currentData()), None)
        if link is None:
            self.session.say("There is no link to patch yet.")
            return
        self.session.do(lambda: patch.add_route(store, scope, link))

    def add_port(self) -> None:
        self.session.do(lambda: patch.add_port(self.session.store, self.session.scope))

    def files(self) -> list[FileDeed]:
        return [
            FileDeed("Patch sheet as PDF …", self.papers.patch_sheet),
            FileDeed("Read a patch …", self.papers.read_patch),
            FileDeed("Write the patch …", self.papers.write_patch),
        ]

    def remove(self, found: Sequence[Route | Port]) -> None:
        first = found[0]
        what = first.name if isinstance(first, Port) else patch.said(first)
        title = f"Remove {what}" if len(found) == 1 else f"Remove {len(found)} rows"
        self.session.do(lambda: Edit(title, remove(found)))
