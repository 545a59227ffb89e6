"""The row in which a deed is chosen and filled in; only what a deed asks for is shown."""

from collections.abc import Callable

from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from azven.book.records import Show, Site
from azven.desk.session import Session
from azven.desk.stage import button, choice, fill, row
from azven.rf.register.deeds import DeedKind
from azven.work import ids
from azven.work.register import Asked

DEEDS: list[tuple[str, object]] = [
    ("hand out", "hand out"), ("take back", "take back"), ("assign to a show", "assign"), ("move", "move"),
    ("send to repair", "send to repair"), ("lost", "lost"), ("found", "found"), ("count", "count"),
    ("retire", "retire"), ("reinstate", "reinstate"), ("say on air", "on air"), ("say off air", "off air"),
]  # fmt: skip
_ASKS: dict[str, tuple[str, ...]] = {
    "hand out": ("to", "until", "site", "place"), "take back": ("site", "place"), "assign": ("show", "link"),
    "move": ("site", "place"), "send to repair": ("place",), "found": ("site", "place"), "count": ("site", "place"),
}  # fmt: skip
_NOWHERE = 0


class DeedRow(QWidget):
    """Asks for a deed; `ask` reads what was filled in."""

    def __init__(self, session: Session, run: Callable[[], object]) -> None:
        super().__init__()
        self._session = session
        self.deed = choice(DEEDS, "Deed")
        self.to, self.until = _field("to whom", 120), _field("until, 2026-09-30", 136)
        self.place, self.link, self.why = _field("place", 110), _field("link", 100), _field("why", 120)
        self.site, self.show_ = choice([], "At which site"), choice([], "For which show")
        self.go = button("Do it", run, "With the chosen units; kept with your name, undone like any edit")
        self._parts = {
            "to": self.to, "until": self.until, "site": self.site, "place": self.place, "show": self.show_,
            "link": self.link,
        }  # fmt: skip
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addLayout(row(self.deed, *self._parts.values(), self.why, self.go, 1, spacing=6))
        self.deed.activated.connect(self._turned)
        for part in (self.to, self.until, self.place, self.link, self.why):
            part.returnPressed.connect(run)
        self._turned()

    def refresh(self) -> None:
        store = self._session.store
        sites = [s for s in store.all(Site) if not s.archived]
        fill(self.site, [("where it is", _NOWHERE), *((f"at {n}", k) for n, k in ids.choices_of(sites))])
        fill(self.show_, ids.choices_of([s for s in store.all(Show) if not s.archived]))

    def _turned(self) -> None:
        asks = _ASKS.get(str(self.deed.currentData()), ())
        for name, part in self._parts.items():
            part.setVisible(name in asks)

    @property
    def kind(self) -> DeedKind:
        found: DeedKind = self.deed.currentData()
        return found

    def ask(self) -> Asked:
        """The deed as it is filled in. Refusal for a day that is none."""
        session, asks = self._session, _ASKS.get(self.kind, ())
        store = session.store
        site, show = self.site.currentData(), self.show_.currentData()
        day = session.clock.day(self.until.text()) if "until" in asks else None
        return Asked(
            deed=self.kind, at=session.now(), by=store.author.who, why=self.why.text(),
            to=self.to.text().strip() if "to" in asks else "", link=self.link.text().strip() if "link" in asks else "",
            place=self.place.text() if "place" in asks else "",
            until=session.clock.end_of(day) if day is not None else None,
            site=store.get(Site, site) if "site" in asks and site else None,
            show=store.get(Show, show) if "show" in asks and show else None,
        )  # fmt: skip

    def clear(self) -> None:
        """What was said of one deed is not of the next."""
        for part in (self.to, self.until, self.place, self.link, self.why):
            part.clear()


def _field(hint: str, wide: int) -> QLineEdit:
    made = QLineEdit()
    made.setPlaceholderText(hint)
    made.setAccessibleName(hint.split(",")[0])
    made.setFixedWidth(wide)
    return made
