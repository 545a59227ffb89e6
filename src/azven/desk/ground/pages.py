"""Ground's pages under the ladder: distances in the rooms, licences, limits, frequencies for next door."""

import time
from typing import Any

from PyQt6.QtWidgets import QGridLayout, QLineEdit, QPlainTextEdit, QVBoxLayout

from azven.book.records import PERMIT_KINDS, Model, Permit, Zone
from azven.desk import files
from azven.desk.session import Session
from azven.desk.stage import button, choice, fill, label, row
from azven.desk.tables import Column, RecordTable
from azven.desk.tabs import Page
from azven.refusal import Refusal
from azven.work import ground, ids, listen
from azven.work.ground import next_door, permission, views
from azven.work.ground.views import Licences, Limits, NextDoor
from azven.work.plan import Progress

_RELATIONS = (
    "From these distances the level school works out who is heard how loud. Between rooms, together: under 15 dB of "
    "wall, as one room. near: 15 to 40 dB, spacing counts and products do not. apart: 40 dB and more, nothing counts. "
    "Half of a wall's loss is counted where it isolates rooms from one another."
)
_LICENCES = (
    "Once licences are written down, ranges that ask for one count only where one covers them, with dates only if they "
    "cover every act; the stricter cap holds."
)


def number(text: Any) -> float:
    """A number as people type it; ValueError says what was typed."""
    try:
        return float(str(text).replace(",", ".").replace("−", "-"))
    except ValueError:
        raise Refusal(f"“{text}” is not a number.") from None


class DistancesPage(Page):
    """How far transmitters are from the antenna and from one another: what levels are worked out from."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.table = RecordTable(self._columns(), "Distances in the rooms")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(label(_RELATIONS, "small", True))
        box.addWidget(self.table, 1)

    def _columns(self) -> list[Column]:
        def column(title: str, field: str, width: int) -> Column:
            def change(zone: Zone, text: Any) -> bool:
                def edit() -> Any:
                    value = number(text)
                    if not 0.01 <= value <= 10_000:
                        raise Refusal(f"{value:g} makes no sense here.")
                    return ground.change(zone, f"{zone.name}: {title.lower()}", **{field: value})

                return self._session.do(edit)

            return Column(title=title, width=width, show=lambda z: f"{getattr(z, field):g}", change=change, right=True)

        return [
            Column(title="Room", width=150, show=lambda z: z.name),
            column("Nearest to antenna m", "near_m", 150),
            column("Farthest m", "far_m", 96),
            column("Between packs m", "between_m", 124),
            column("Path exponent N", "exponent", 124),
            column("Height m", "height_m", 84),
        ]

    def read(self) -> tuple[Zone, ...]:
        return tuple(ground.zones(self._session.store, self._session.scope))

    def show_view(self, view: tuple[Zone, ...]) -> None:
        self.table.show_records(view)


class LicencesPage(Page):
    """Licences with their own ranges and caps, and recorded decisions to plan outside permission."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._clock = session.clock
        self.kind = choice([(k, k) for k in PERMIT_KINDS], "Licence or override")
        self.name, self.low, self.high = QLineEdit(), QLineEdit(), QLineEdit()
        self.cap, self.note = QLineEdit(), QLineEdit()
        for field, words, width in (
            (self.name, "Name or number", 130), (self.low, "from MHz", 88), (self.high, "to MHz", 76),
            (self.cap, "cap mW", 76), (self.note, "Place, times; for an override: why", 0),
        ):  # fmt: skip
            field.setPlaceholderText(words)
            field.setAccessibleName(words)
            if width:
                field.setFixedWidth(width)
        self.table = RecordTable(self._columns(), "Licences and overrides")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        remove = button("Remove", self.remove, "Take the selected one out", "flat")
        fields = (self.kind, self.name, self.low, self.high, self.cap, self.note)
        box.addLayout(row(*fields, button("Add", self.add), remove, spacing=4))
        box.addWidget(label(_LICENCES, "small", True))
        box.addWidget(self.table, 1)

    def add(self) -> None:
        def edit() -> Any:
            low, high = (round(number(f.text()) * 1e6) for f in (self.low, self.high))
            cap = number(self.cap.text()) if self.cap.text().strip() else None
            kind = self.kind.currentData()
            return permission.add_permit(
                self._session.store, self._session.scope, kind, self.name.text(), low, high, cap, self.note.text()
            )

        if self._session.do(edit):
            for field in (self.name, self.low, self.high, self.cap, self.note):
                field.clear()

    def remove(self) -> None:
        for permit in self.table.chosen():
            self._session.do(lambda p=permit: ground.take_out(p, f"Remove {p.name}"))  # type: ignore[misc]

    def read(self) -> Licences:
        return views.licences(self._session.store, self._session.scope)

    def show_view(self, view: Licences) -> None:
        self._clock = view.clock
        self.table.show_records(view.permits)

    def _columns(self) -> list[Column]:
        session = self._session

        def cap(p: Permit) -> str:
            return "none" if p.power_mw is None else f"{p.power_mw:g}"

        def begin(p: Permit, text: str) -> bool:
            return session.do(lambda: permission.set_dates(p, self._clock.moment(text), p.ends_at))

        def end(p: Permit, text: str) -> bool:
            return session.do(lambda: permission.set_dates(p, p.starts_at, self._clock.moment(text)))

        return [
            Column(title="Name", width=130, show=lambda p: p.name),
            Column(title="Kind", width=70, show=lambda p: p.kind),
            Column(title="From MHz", width=80, show=lambda p: f"{p.low_hz / 1e6:g}", right=True),
            Column(title="To MHz", width=72, show=lambda p: f"{p.high_hz / 1e6:g}", right=True),
            Column(title="Cap mW", width=66, show=cap, right=True),
            Column(title="From", width=126, show=lambda p: self._clock.said(p.starts_at), change=begin),
            Column(title="To", width=126, show=lambda p: self._clock.said(p.ends_at), change=end),
            Column(title="Note", width=180, show=lambda p: p.note),
        ]


class LimitsPage(Page):
    """How far links stay from taken channels, and what interference each use stands; with the effect at once."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.guard = QLineEdit()
        self.limits = {use: QLineEdit() for use in listen.USES}
        self.effect = label("", "dim", wrap=True)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setColumnStretch(2, 1)
        grid.addWidget(label("Kept free beside a taken channel, on top of half the emission"), 0, 0)
        grid.addLayout(row(self.guard, label("kHz", "dim")), 0, 1)
        self.guard.setFixedWidth(80)
        self.guard.setAccessibleName("Television guard in kHz")
        self.guard.editingFinished.connect(self._set_guard)
        for i, (use, field) in enumerate(self.limits.items(), start=1):
            grid.addWidget(label(f"Interference that {use} links stand, in 200 kHz"), i, 0)
            grid.addLayout(row(field, label("dBm", "dim")), i, 1)
            field.setFixedWidth(80)
            field.setAccessibleName(f"Limit for {use} in dBm")
            field.editingFinished.connect(lambda u=use: self._set_limit(u))
        grid.addWidget(self.effect, len(self.limits) + 1, 0, 1, 3)
        grid.setRowStretch(len(self.limits) + 2, 1)

    def read(self) -> Limits:
        session = self._session
        return views.limits(session.store, session.scope, session.picture, session.shown)

    def show_view(self, view: Limits) -> None:
        self.guard.setText(f"{view.guard_hz / 1e3:g}")
        for use, level in view.tolerated_dbm.items():
            self.limits[use].setText(f"{level:g}".replace("-", "−"))
        parts = [f"{use}: {of['quiet']} channels quiet, {of['usable']} usable, {of['taken']} taken"
                 for use, of in view.classes.items()]  # fmt: skip
        self.effect.setText(
            "; ".join(parts) + f". {view.broken or 'No'} link{'' if view.broken == 1 else 's'} of the plan broken."
        )

    def _set_guard(self) -> None:
        def edit() -> Any:
            hertz = round(number(self.guard.text()) * 1e3)
            if not 0 <= hertz <= 4_000_000:
                raise Refusal("Between 0 and 4000 kHz.")
            return ground.set_site(
                self._session.store, self._session.scope, f"Television guard {hertz / 1e3:g} kHz", tv_guard_hz=hertz
            )

        self._session.do(edit)

    def _set_limit(self, use: str) -> None:
        if number_or_none(self.limits[use].text()) != listen.tolerated(self._session.store, self._session.scope)[use]:
            store, scope = self._session.store, self._session.scope
            self._session.do(lambda: listen.set_tolerated(store, scope, use, number(self.limits[use].text())))


def number_or_none(text: str) -> float | None:
    try:
        return number(text)
    except ValueError:
        return None


class NextDoorPage(Page):
    """Frequencies proposed to a neighbour in the building, a slip for them, and kept clear of by us."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.found: dict[str, int] = {}
        self._view = NextDoor((), ())
        self.who, self.count = QLineEdit(), QLineEdit("4")
        self.who.setPlaceholderText("Who")
        self.who.setAccessibleName("Who they are for")
        self.count.setFixedWidth(44)
        self.count.setAccessibleName("How many")
        self.room, self.model, self.band = choice([], "Room"), choice([], "Like model"), choice([], "Band")
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        self.text.setPlaceholderText("Say who, how many and with what, then propose. Ours do not move.")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addLayout(row(self.count, label("for", "dim"), self.who, self.room, self.model, self.band, spacing=4))
        deeds = (button("Propose", self.propose), button("Keep clear of them", self.keep), button("Slip", self.export))
        box.addLayout(row(*deeds, 1, spacing=4))
        box.addWidget(self.text, 1)
        self.model.currentIndexChanged.connect(self._bands)

    def read(self) -> NextDoor:
        return views.next_door(self._session.store, self._session.scope)

    def show_view(self, view: NextDoor) -> None:
        self._view = view
        fill(self.room, ids.choices_of(view.rooms))
        fill(self.model, [(m.name, m.id) for m in view.models])
        self._bands()

    def _model(self) -> Model | None:
        return next((m for m in self._view.models if m.id == self.model.currentData()), None)

    def _zone(self) -> Zone | None:
        return next((z for z in self._view.rooms if z.id == self.room.currentData()), None)

    def _bands(self) -> None:
        model = self._model()
        fill(self.band, [(b[0], b[0]) for b in model.bands] if model else [])

    def propose(self) -> None:
        session, model, zone = self._session, self._model(), self._zone()
        if model is None or zone is None:
            return
        try:
            count = int(self.count.text()) if self.count.text().strip().isdigit() else 0
            links = next_door.wishes(
                session.store, session.scope, self.who.text(), model, self.band.currentData(), zone, count
            )
        except ValueError as error:
            session.say(str(error), trouble=True)
            return
        asked, board, started = (
            next_door.asked(session.store, session.scope, session.picture, links),
            session.board,
            time.monotonic(),
        )

        def work(progress: Progress) -> dict[str, int]:
            return next_door.propose(asked, board, links, progress, lambda: time.monotonic() - started)

        session.jobs.start("Looking for frequencies next door", work, lambda found: self._show(found, count, zone))

    def _show(self, found: dict[str, int], count: int, zone: Zone) -> None:
        self.found = found
        self.text.setPlainText(next_door.slip(self._session.store, self._session.scope, found, zone))
        if len(found) < count:
            self._session.say(f"{len(found)} of {count} find room beside ours.", trouble=not found)

    def keep(self) -> None:
        zone = self._zone()
        if self.found and zone is not None:
            found = self.found
            if self._session.do(lambda: next_door.keep(self._session.store, self._session.scope, found, zone, "")):
                self.found = {}

    def export(self) -> None:
        path = files.ask_where(self, "Slip", "frequencies next door.txt", "Text (*.txt)") if self.found else None
        if path:
            files.write_text(self._session, path, self.text.toPlainText(), "the slip")
