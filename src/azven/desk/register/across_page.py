"""Across: how far sites are apart, and links of other campuses that matter to ours."""

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtWidgets import QVBoxLayout

from azven.book.edits import Edit
from azven.book.records import Distance, Site
from azven.desk.register.page import RegisterPage
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, label
from azven.desk.tables import Column, RecordTable
from azven.refusal import Refusal
from azven.rf.register.far import Reaching
from azven.work import chosen
from azven.work.register import across
from azven.work.register.across import CLUTTERS
from azven.work.wording import listed, mhz


@dataclass(frozen=True)
class _Apart:
    """A site with what is known of the way to it."""

    id: int
    site: Site
    distance: Distance | None


class AcrossPage(RegisterPage):
    """Seen from the site that is open."""

    title = "Across campuses"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.words = FittedLabel()
        self.pairs = RecordTable(_pair_columns(), "Links that matter to one another")
        self.apart = RecordTable(self._apart_columns(), "How far sites are apart")
        for table in (self.pairs, self.apart):
            table.theme = lambda: session.theme
        self._lay_out()
        self.pairs.picked.connect(lambda p: session.select(chosen.Link(p.mine.id)))

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(5)
        box.addWidget(self.words)
        box.addWidget(self.pairs, 3)
        box.addWidget(label("How far away the other sites are, and what is between", "section"))
        box.addWidget(self.apart, 2)

    def _apart_columns(self) -> list[Column]:
        return [
            Column(title="Site", width=180, show=lambda r: r.site.name, mark=lambda r: "" if r.distance else "unknown"),
            Column(title="km", width=80, show=lambda r: f"{r.distance.km:g}" if r.distance else "", right=True,
                   change=self._set_km, hint="Empty: nobody knows, and nothing is reckoned"),
            Column(title="Between", width=130, show=lambda r: r.distance.clutter if r.distance else "",
                   change=self._set_clutter, choices=lambda r: [(c, c) for c in CLUTTERS],
                   hint="Open water or line of sight 0 dB, suburb 12, town 20, dense city 30"),
            Column(title="Obstacles, dB", width=96, show=lambda r: f"{r.distance.obstacles_db:g}" if r.distance else "",
                   right=True, change=self._set_obstacles, hint="Hills and houses beside that"),
        ]  # fmt: skip

    def show_now(self) -> None:
        session = self.session
        store, scope = session.store, session.scope
        known = {frozenset({d.site_a_id, d.site_b_id}): d for d in store.all(Distance)}
        others = [s for s in store.all(Site) if s.id != scope.site and not s.archived]
        self.apart.show_records([_Apart(s.id, s, known.get(frozenset({scope.site, s.id}))) for s in others])
        found, unknown = across.pairs(store, scope)
        self.pairs.show_records(found)
        if found:
            count = len(found)
            said = f"{count} pair{'' if count == 1 else 's'} of links matter{'s' if count == 1 else ''} to one another."
        elif others:
            said = "No link of another campus matters to ours."
        else:
            said = "There is no other site in this book."
        verb = "is" if len(unknown) == 1 else "are"
        missing = f" How far {listed(unknown, 3)} {verb} away is not known." if unknown else ""
        self.words.setText(said + missing)

    def _set(self, row: _Apart, told: Callable[[], tuple[float | None, dict[str, object]]]) -> bool:
        """Kilometres and what else is told, read as the edit is made: what cannot be read is refused then."""
        session = self.session
        here = session.store.get(Site, session.scope.site)

        def make() -> Edit:
            km, more = told()
            return across.set_distance(session.store, here, row.site, km, **more)

        return session.do(make)

    def _set_km(self, row: _Apart, text: str) -> bool:
        return self._set(row, lambda: (_number(text, "km"), {}))

    def _set_clutter(self, row: _Apart, clutter: str) -> bool:
        return self._between(row, lambda: {"clutter": clutter})

    def _set_obstacles(self, row: _Apart, text: str) -> bool:
        return self._between(row, lambda: {"obstacles_db": _number(text, "dB") or 0.0})

    def _between(self, row: _Apart, told: Callable[[], dict[str, object]]) -> bool:
        apart = row.distance
        if apart is None:
            self.session.say("Say first how far it is.", trouble=True)
            return False
        return self._set(row, lambda: (apart.km, told()))

    def take_focus(self) -> None:
        self.pairs.setFocus()


def _number(text: str, unit: str) -> float | None:
    plain = text.removesuffix(unit).strip().replace(",", ".")
    if not plain:
        return None
    try:
        return float(plain)
    except ValueError:
        raise Refusal(f"“{text}” is no number.") from None


def _pair_columns() -> list[Column]:
    return [
        Column(title="Ours", width=120, show=lambda p: p.mine.name),
        Column(title="MHz", width=88, show=lambda p: mhz(round(p.mine.freq_hz)), right=True),
        Column(title="Over noise here", width=82, show=lambda p: _over(p.at_mine), right=True,
               hint="What ours has of theirs, over the noise of its receiver; from 6 dB under it on it matters"),
        Column(title="Theirs", width=120, show=lambda p: p.theirs.name),
        Column(title="MHz", width=88, show=lambda p: mhz(round(p.theirs.freq_hz)), right=True),
        Column(title="Over noise there", width=82, show=lambda p: _over(p.at_theirs), right=True),
        Column(title="Where", width=150, show=lambda p: f"{p.site.name}, {p.km:g} km"),
        Column(title="Could move", width=100, show=lambda p: p.move.name if p.move is not None else "neither",
               hint="Not held, the less important, then by name"),
    ]  # fmt: skip


def _over(x: Reaching) -> str:
    return f"{x.over_noise_db:.0f} dB".replace("-", "−") if x.matters else ""
