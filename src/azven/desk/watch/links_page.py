"""All links: what each shows, and what can be done with the one that is chosen."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button
from azven.desk.tables import Column, RecordTable
from azven.desk.tabs import Page
from azven.desk.watch.asking import Asking, Order
from azven.desk.watch.desk import WatchDesk
from azven.desk.watch.doing import Doing
from azven.gear.racks.values import Fields
from azven.rf.diagnose.record import LinkHead
from azven.work import chosen, ids
from azven.work.watch import deeds, said
from azven.work.watch.batteries import Charge
from azven.work.watch.cases import Case
from azven.work.watch.deeds import Deed
from azven.work.wording import figure, mhz

_EVERY = 5


@dataclass(frozen=True, kw_only=True)
class LinkRow:
    """A link as it stands; `id` is its place in the watch."""

    id: int
    head: LinkHead
    told: Fields
    charge: Charge | None
    case: Case | None
    act: str
    console: str


class LinksPage(Page):
    """A table that follows what is heard, once a second."""

    def __init__(self, session: Session, watch: WatchDesk) -> None:
        super().__init__()
        self._session, self._watch, self._ticks = session, watch, 0
        self.asking, order = Asking(), Order()
        self._doing = Doing(session, watch, self.asking, order.show_order)
        self.table = RecordTable(_columns(), "All links")
        self.table.theme = lambda: session.theme
        self.words = FittedLabel("dim")
        self._offered: list[Deed] = []
        self._line = QHBoxLayout()
        self._line.setContentsMargins(0, 0, 0, 0)
        self._line.setSpacing(4)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(4)
        box.addWidget(order)
        box.addWidget(self.asking)
        box.addWidget(self.table, 1)
        box.addWidget(self.words)
        box.addLayout(self._line)
        self.table.picked.connect(self._picked)
        self.table.selected.connect(self._offer)

    def tick(self) -> None:
        self._ticks += 1
        if self._ticks % _EVERY == 0 and self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        self.table.show_live(self._rows())
        self._offer()

    def _rows(self) -> list[LinkRow]:
        seen = self._watch.seen
        t = self._watch.night.t
        links, patched = seen.watched.links, self._session.racks.now.inputs
        inputs = {i: patched.get(x.id, "") for i, x in enumerate(links) if x is not None}
        rows = []
        for i, head in enumerate(seen.watched.head.links):
            on = [a.name for a in seen.watched.acts_of(i) if a.from_s <= t < a.to_s]
            rows.append(
                LinkRow(
                    id=i, head=head, told=seen.told(i), charge=seen.charge_of.get(i), case=seen.case_of.get(head.name),
                    act=on[0] if on else "", console=inputs.get(i, ""),
                )
            )  # fmt: skip
        return rows

    def _picked(self, row: LinkRow) -> None:
        if (link := self._watch.seen.watched.record(row.id)) is not None:
            self._session.select(chosen.Link(ids.of(link)))

    def _offer(self) -> None:
        """Buttons for what can be done with the chosen link."""
        rows = self.table.chosen()
        offered = self._deeds(rows)
        self._say(bool(offered), bool(rows))
        if offered == self._offered:
            return
        self._offered = offered
        while (item := self._line.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        for deed in offered:
            self._line.addWidget(button(deed.title, partial(self._doing.ask, deed), deed.effect))
        self._line.addStretch(1)

    def _say(self, offered: bool, picked: bool) -> None:
        if self._watch.replay is not None:
            words = "A log that is played tells what was: nothing can be done with its links."
        elif picked:
            words = "What can be done with it is not known: its rack is not heard."
        else:
            words = "Choose a link to blink its lamp, lock its switch, set its gain …"
        self.words.setText(words)
        self.words.setVisible(not offered)

    def _deeds(self, rows: Sequence[LinkRow]) -> list[Deed]:
        if len(rows) != 1 or self._watch.replay is not None:
            return []
        link = self._watch.seen.watched.record(rows[0].id)
        there = self._doing.channels([rows[0].head.name]).get(link.id) if link is not None else None
        if link is None or there is None:
            return []
        return deeds.of_link(link, there, self._session.racks.now.freq_hz.get(link.id))


def _columns() -> list[Column]:
    return [
        Column(title="Case", width=42, show=lambda r: str(r.case.number) if r.case else "",
               mark=lambda r: r.case.mark if r.case else ""),
        Column(title="Link", width=132, show=lambda r: r.head.name),
        Column(title="Room", width=86, show=lambda r: r.head.zone or ""),
        Column(title="MHz", width=84, show=lambda r: mhz(r.head.freq_hz) if r.head.freq_hz else "", right=True),
        Column(title="On", width=50, show=_on),
        Column(title="A, dBm", width=50, show=partial(_figure, "a"), right=True),
        Column(title="B, dBm", width=50, show=partial(_figure, "b"), right=True),
        Column(title="Quality", width=52, show=partial(_figure, "q"), right=True),
        Column(title="Sound, dBFS", width=58, show=partial(_figure, "af"), right=True),
        Column(title="Battery, %", width=60, show=partial(_figure, "bat"), right=True),
        Column(title="Minutes", width=76, show=lambda r: said.minutes(r.charge), right=True,
               hint="Minutes left for minutes needed until its last act is over",
               mark=lambda r: "tight" if r.charge and r.charge.lasts is False else ""),
        Column(title="Says", width=90, show=_says),
        Column(title="Console", width=120, show=lambda r: r.console, hint="Where it goes, by the patch of Kit"),
    ]  # fmt: skip


def _on(row: LinkRow) -> str:
    told = row.told.get("tx")
    return {"on": "on", "off": "off"}.get(str(told), "") if row.told else "not heard"


def _figure(field: str, row: LinkRow) -> str:
    return figure(row.told.get(field))


_SIGNS = (("mute", True, "muted"), ("hp", False, "no headphones"), ("clip", True, "clips"),
          ("enc", "differs", "other key"))  # fmt: skip


def _says(row: LinkRow) -> str:
    signs = [word for key, value, word in _SIGNS if row.told.get(key) == value]
    there = row.told.get("txf")
    if there is not None and row.head.freq_hz is not None and there != row.head.freq_hz:
        signs.append(f"pack on {mhz(there)}")
    return ", ".join(signs)
