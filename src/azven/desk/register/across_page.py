"""Across: how far sites are apart, and links of other campuses that matter to ours."""

import time
from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtWidgets import QVBoxLayout

from azven.book.edits import Edit
from azven.book.records import Distance, Site
from azven.desk.actions import Action
from azven.desk.register.page import RegisterPage
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, choice, label, row
from azven.desk.tables import Column, RecordTable
from azven.refusal import Refusal
from azven.rf.register.far import Reaching
from azven.work import chosen
from azven.work.register import across, all_campuses
from azven.work.register.across import CLUTTERS
from azven.work.register.all_campuses import WAYS, Together
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
        self.together: Together | None = None
        self.way = choice([(words, way) for way, words in WAYS.items()], "How the campuses are planned")
        self.look = button("Plan all campuses together", self.work_out, "Nothing is changed yet")
        self.leave = button("Leave it", self.forget, "Forget this plan; nothing was changed", "flat")
        self.found = label("", wrap=True)
        self.moves = RecordTable(_move_columns(), "What would move")
        self.words = FittedLabel()
        self.pairs = RecordTable(_pair_columns(), "Links that matter to one another")
        self.apart = RecordTable(self._apart_columns(), "How far sites are apart")
        for table in (self.pairs, self.apart, self.moves):
            table.theme = lambda: session.theme
        self._lay_out()
        self.pairs.picked.connect(lambda p: session.select(chosen.Link(p.mine.id)))

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(5)
        box.addWidget(self.words)
        box.addWidget(self.pairs, 3)
        box.addLayout(row(self.look, self.way, self.leave, 1, spacing=6))
        box.addWidget(self.found)
        box.addWidget(self.moves, 3)
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

    # all of them together

    def work_out(self) -> None:
        """Look for a plan of all campuses, with progress, stoppable."""
        session, way, begun = self.session, self.way.currentData(), time.monotonic()
        where, scope = session.store.place, session.scope

        def work(progress: all_campuses.Progress) -> Together:
            return all_campuses.plan_together(where, scope, way, progress, lambda: time.monotonic() - begun)

        session.jobs.start("Planning all campuses together", work, self._worked_out)

    def _worked_out(self, found: Together) -> None:
        self.together = found
        self._show_together()

    def forget(self) -> None:
        """Leave the plan."""
        self.together = None
        self._show_together()

    def _show_together(self) -> None:
        found = self.together
        self.moves.show_records(found.moves if found is not None else [])
        self.found.setText(all_campuses.in_words(found) if found is not None else "")
        for part in (self.found, self.moves, self.leave):
            part.setVisible(found is not None)
        self.primary_changed.emit()

    def primary(self) -> tuple[str, bool]:
        found = self.together
        count = len(found.moves) if found is not None else 0
        title = f"Move {count} link{'' if count == 1 else 's'}" if count else "Move them"
        return title, found is not None and count > 0 and not found.stopped

    def run_primary(self) -> None:
        """All that moves, at every campus, as one step that can be undone."""
        session, found = self.session, self.together
        if found is not None and session.do(lambda: all_campuses.adopt(session.store, found)):
            self.forget()

    def actions_offered(self) -> list[Action]:
        return [Action("plan-campuses", "Register: plan all campuses together", self.work_out)]

    def take_focus(self) -> None:
        self.look.setFocus()

    # what is known

    def show_now(self) -> None:
        session = self.session
        if self.together is not None and not all_campuses.still_asks_the_same(session.store, self.together):
            self.together = None
        self._show_together()
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


def _move_columns() -> list[Column]:
    return [
        Column(title="Campus", width=170, show=lambda m: m.site),
        Column(title="Link", width=190, show=lambda m: m.link, mark=lambda m: "" if m.after_hz else "broken"),
        Column(title="MHz now", width=96, show=lambda m: mhz(m.before_hz) if m.before_hz else "none", right=True),
        Column(title="MHz then", width=96, show=lambda m: mhz(m.after_hz) if m.after_hz else "no place", right=True),
    ]  # fmt: skip


def _over(x: Reaching) -> str:
    return f"{x.over_noise_db:.0f} dB".replace("-", "−") if x.matters else ""
