"""What the racks hang on: subnets, what consoles show, which cable goes from where to where."""

from dataclasses import dataclass
from functools import partial
from typing import Any

from PyQt6.QtWidgets import QDialog, QLineEdit, QVBoxLayout, QWidget

from azven.desk.session import Session
from azven.desk.stage import button, label, row
from azven.desk.tables import Column, RecordTable
from azven.rf import addresses
from azven.rf.addresses import Role
from azven.work.prove import network

_ROLES: dict[Role, str] = {"control": "Control", "audio": "Audio", "secondary": "Second audio"}
_COUNTS = [("devices", "devices"), ("channels", "channels")]
_KINDS = ("receivers", "ears", "intercom", "wideband", "charger")


@dataclass(frozen=True)
class _Row:
    id: int
    told: tuple[Any, ...]


class NetworkDialog(QDialog):
    """Every field is kept as it is left; each can be undone."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self._session = session
        self.setWindowTitle("Network of the racks")
        self.resize(640, 560)
        self.subnets = {role: QLineEdit() for role in addresses.ROLES}
        for role, field in self.subnets.items():
            field.setPlaceholderText("169.254.0.0/16")
            field.setAccessibleName(f"Subnet, {_ROLES[role]}")
            field.editingFinished.connect(self.keep_subnets)
        self.consoles = RecordTable(self._console_columns(), "What consoles show")
        self.cables = RecordTable(self._cable_columns(), "Cables")
        for table in (self.consoles, self.cables):
            table.theme = lambda: session.theme
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.addWidget(label(
            "Subnets, as 10.20.1.0/24. A small network of its own may go by automatic addresses; fixed ones need "
            "this list.", "dim", wrap=True,
        ))  # fmt: skip
        for role, field in self.subnets.items():
            name = label(_ROLES[role], "dim")
            name.setFixedWidth(96)
            box.addLayout(row(name, field))
        add, out = button("Add", self.add_console, name="flat"), button("Take out", self.remove_consoles, name="flat")
        box.addLayout(row(label("What consoles and cards show at most", "section"), 1, add, out))
        box.addWidget(self.consoles, 1)
        add, out = button("Add", self.add_cable, name="flat"), button("Take out", self.remove_cables, name="flat")
        box.addLayout(row(label("Cables between racks and switches", "section"), 1, add, out))
        box.addWidget(self.cables, 1)
        box.addLayout(row(1, button("Done", self.accept, name="primary")))

    def _console_columns(self) -> list[Column]:
        kinds: list[tuple[str, Any]] = [("all kinds", ()), *((k, (k,)) for k in _KINDS)]
        return [
            Column(title="Console", width=200, show=lambda r: r.told[0], change=partial(self._console, 0)),
            Column(title="At most", width=80, show=lambda r: str(r.told[1]), change=partial(self._console, 1),
                   right=True),
            Column(title="Counts", width=110, show=lambda r: r.told[2], choices=lambda _: _COUNTS,
                   change=partial(self._console, 2)),
            Column(title="Of", width=140, show=lambda r: ", ".join(r.told[3]) or "all kinds",
                   choices=lambda _: kinds, change=partial(self._console, 3)),
        ]  # fmt: skip

    def _cable_columns(self) -> list[Column]:
        return [
            Column(title="From", width=260, show=lambda r: self._name(r.told[0]), choices=lambda _: self._ends(),
                   change=partial(self._cable, 0)),
            Column(title="To", width=260, show=lambda r: self._name(r.told[1]), choices=lambda _: self._ends(),
                   change=partial(self._cable, 1)),
        ]  # fmt: skip

    def refresh(self) -> None:
        """Show what the book has."""
        told = network.settings(self._session.store, self._session.scope)
        for role, field in self.subnets.items():
            field.setText(str(told.subnets.get(role, "")))
        self.consoles.show_records([_Row(i + 1, tuple(c)) for i, c in enumerate(told.consoles)])
        self.cables.show_records([_Row(i + 1, tuple(c)) for i, c in enumerate(told.cables)])

    def _keep(self, **values: Any) -> bool:
        session = self._session
        kept = session.do(lambda: network.set_network(session.store, session.scope, **values))
        self.refresh()
        return kept

    def keep_subnets(self) -> None:
        """Write down the subnets that are typed, where they are others than before."""
        typed = {role: field.text().strip() for role, field in self.subnets.items() if field.text().strip()}
        if typed != dict(network.settings(self._session.store, self._session.scope).subnets):
            self._keep(subnets=typed)

    # consoles

    def _all(self, table: RecordTable) -> list[tuple[Any, ...]]:
        return [r.told for r in table.records.records]

    def add_console(self) -> None:
        self._keep(consoles=(*self._all(self.consoles), ("Console", 16, "devices", ("receivers",))))

    def remove_consoles(self) -> None:
        out = {r.id for r in self.consoles.chosen()}
        self._keep(consoles=tuple(r.told for r in self.consoles.records.records if r.id not in out))

    def _console(self, at: int, row: _Row, value: Any) -> bool:
        if at == 1:
            try:
                value = int(str(value))
            except ValueError:
                self._session.say(f"“{value}” is no number of devices.", trouble=True)
                return False
        told = tuple(value if i == at else v for i, v in enumerate(row.told))
        return self._keep(consoles=tuple(told if r.id == row.id else r.told for r in self.consoles.records.records))

    # cables

    def _ends(self) -> list[tuple[str, Any]]:
        """Racks by their ids: those of the list, and those that answer."""
        found = {r.rack: r.name for r in network.racks(self._session.store, self._session.scope) if r.rack}
        found |= {k.card.id: k.card.name for k in self._session.racks.here.known()}
        return [(name, rack) for rack, name in found.items()]

    def _name(self, rack: str) -> str:
        return next((name for name, i in self._ends() if i == rack), rack)

    def add_cable(self) -> None:
        ends = [i for _, i in self._ends()]
        known = {frozenset(c) for c in self._all(self.cables)}
        pair = next(((a, b) for i, a in enumerate(ends) for b in ends[i + 1 :] if frozenset((a, b)) not in known), None)
        if pair is None:
            self._session.say("A cable joins two racks of the list that have told their ids.", trouble=True)
            return
        self._keep(cables=(*self._all(self.cables), pair))

    def remove_cables(self) -> None:
        out = {r.id for r in self.cables.chosen()}
        self._keep(cables=tuple(r.told for r in self.cables.records.records if r.id not in out))

    def _cable(self, at: int, row: _Row, value: Any) -> bool:
        told = tuple(value if i == at else v for i, v in enumerate(row.told))
        return self._keep(cables=tuple(told if r.id == row.id else r.told for r in self.cables.records.records))
