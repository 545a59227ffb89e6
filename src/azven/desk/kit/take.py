"""What to take: models ranked by how many links fit at the chosen sites, and links of the show as another model."""

import time
from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QListWidget, QListWidgetItem

from azven.book.records import SERVICES, Link, Model, Site
from azven.desk.kit.pages import FileDeed, KitPage
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, choice, fill, label, row
from azven.desk.tables import Column, RecordTable
from azven.work import kit
from azven.work.kit import otherwise, take
from azven.work.kit.otherwise import Outcome
from azven.work.kit.take import MOST, Answer, Figures, Fit, Progress

_SITES_PX, _KM = 78, 1000.0
_EXPLAIN = (
    "Before renting or buying: how many links of each model and band find room at every chosen site, all in one room "
    "beside its neighbours, television and what sweeps heard. Gear of 1.9, 2.4 and 5 GHz is judged in Other bands. "
    "Figures are for planning; you decide what to take."
)


class TakePage(KitPage):
    """Models above, links of the show as another model below. Both are worked out beside the window."""

    title, adds = "To take", "Rank models"
    has_rows = False

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.service = choice([(s, s) for s in SERVICES], "Service")
        self.sites = QListWidget()
        self.sites.setAccessibleName("Sites")
        self.sites.setFixedSize(220, _SITES_PX)
        self.words = label(_EXPLAIN, "dim", wrap=True)
        self.known = FittedLabel("small")
        self._shown_sites: tuple[Site, ...] = ()
        self._table = RecordTable(self._fit_columns(()), "Models, the best first")
        self.group, self.said = choice([], "Links to be of another model"), FittedLabel("dim")
        self.group.keep_width(30)
        self.others = RecordTable(_outcome_columns(), "What changes, the best first")
        self._tried: list[Link] = []
        self._lay_out()

    def _lay_out(self) -> None:
        top = row(self.sites, self.words, self.service, button("Rank models", self.add))
        top.setStretchFactor(self.words, 1)
        self.box.addLayout(top)
        self.box.addWidget(self.known)
        self.box.addWidget(self.empty)
        self.box.addWidget(self._table, 3)
        tried = button("Try them", self.try_out)
        kept = button("Make it so", self.keep, "Change these links to the chosen row; undo brings them back")
        below = row(label("If"), self.group, label("were of another model"), tried, self.said, kept)
        below.setStretchFactor(self.said, 1)
        self.box.addLayout(below)
        self.box.addWidget(self.others, 2)

    @property
    def table(self) -> RecordTable:
        return self._table

    def read(self) -> tuple[list[Site], list[tuple[str, object]]]:
        store, scope = self.session.store, self.session.scope
        models = {m.id: m.name for m in store.all(Model)}
        counts: dict[int, int] = {}
        for link in kit.links(store, scope):
            if not link.set_aside:
                counts[link.model_id] = counts.get(link.model_id, 0) + 1
        groups: list[tuple[str, object]] = [(f"{n} × {models[m]}", m) for m, n in counts.items()]
        return [s for s, _ in take.sites_with_shows(store)], groups

    def show_view(self, view: tuple[list[Site], list[tuple[str, object]]]) -> None:
        sites, groups = view
        checked = self.chosen_sites() if self.sites.count() else [s.id for s in sites]
        self.sites.clear()
        for site in sites:
            item = QListWidgetItem(site.name)
            item.setData(Qt.ItemDataRole.UserRole, site.id)
            item.setCheckState(Qt.CheckState.Checked if site.id in checked else Qt.CheckState.Unchecked)
            self.sites.addItem(item)
        fill(self.group, groups)
        self.show_empty("No site has a show yet, so there is nowhere to take gear to.", not sites)

    def chosen_sites(self) -> list[int]:
        """Numbers of the sites that are ticked."""
        items = [self.sites.item(i) for i in range(self.sites.count())]
        return [int(i.data(Qt.ItemDataRole.UserRole)) for i in items
                if i is not None and i.checkState() == Qt.CheckState.Checked]  # fmt: skip

    # -- ranking ---------------------------------------------------------------------------------------

    def add(self) -> None:
        """Rank the models of a service at the sites that are ticked."""
        session, sites, service = self.session, self.chosen_sites(), self.service.currentData()
        if not sites:
            session.say("Tick at least one site.", trouble=True)
            return
        where, begun = session.store.place, time.monotonic()

        def work(progress: Progress) -> Answer:
            return take.rank(where, sites, service, progress, lambda: time.monotonic() - begun)

        session.jobs.start("What to take", work, self.show_answer)

    def show_answer(self, found: Answer) -> None:
        """The ranking in place of the one before."""
        sites = tuple(k.site for k in found.sites)
        if sites != self._shown_sites:
            self._shown_sites = sites
            fresh = RecordTable(self._fit_columns(sites), "Models, the best first")
            self.box.replaceWidget(self._table, fresh)
            self._table.deleteLater()
            self._table = fresh
            self.box.setStretchFactor(fresh, 3)
        self._table.show_records([_Numbered(i, f) for i, f in enumerate(found.fits, start=1)])
        rests = " · ".join(f"{k.site.name}: {k.rests_on}" for k in found.sites)
        self.known.setText(("" if found.finished else "Stopped: not all were tried. ") + rests)

    def _fit_columns(self, sites: Sequence[Site]) -> list[Column]:
        def placed(site: Site, r: "_Numbered") -> str:
            return _counted(r.fit.placed.get(site.id, 0), len(r.fit.models))

        return [
            Column(title="Model and band", width=270, show=lambda r: r.fit.name),
            Column(title="At every site", width=62, right=True,
                   show=lambda r: _counted(r.fit.everywhere, len(r.fit.models))),
            Column(title="Of these spares", width=70, right=True, show=lambda r: str(r.fit.spares),
                   hint="One spare for eight links, rounded up."),
            *(Column(title=s.name, width=72, right=True, show=partial(placed, s)) for s in sites),
            Column(title="Delay ms", width=60, right=True, show=lambda r: _worst(r.fit.figures, _delay, _late)),
            Column(title="Runs h", width=60, right=True, show=lambda r: _worst(r.fit.figures, _runs, _short),
                   hint="With the battery that lasts longest, at the power planned with."),
            Column(title="Reaches", width=76, right=True, show=lambda r: _worst(r.fit.figures, _range, _near),
                   hint="Against noise alone, with the room's exponent, for 99 % of places: to compare models by."),
        ]  # fmt: skip

    # -- another model ---------------------------------------------------------------------------------

    def _group(self) -> list[Link]:
        store, scope = self.session.store, self.session.scope
        return [x for x in kit.links(store, scope) if x.model_id == self.group.currentData() and not x.set_aside]

    def try_out(self) -> None:
        """The plan of the show with the chosen links of each other model."""
        session, links = self.session, self._group()
        scope, picture = session.scope, session.picture
        book = session.store.snapshot(kit.units(session.store, scope))
        self._tried, begun = links, time.monotonic()

        def work(progress: Progress) -> list[Outcome]:
            found = otherwise.alternatives(book, scope, picture, links)
            return otherwise.try_out(found, progress, lambda: time.monotonic() - begun)

        session.jobs.start("Links of another model", work, self.show_outcomes)

    def show_outcomes(self, found: list[Outcome]) -> None:
        self.others.show_records([_Tried(i, o) for i, o in enumerate(found, start=1)])
        now = next((o for o in found if not o.alternative.share), None)
        self.said.setText(f"As it is, {now.placed} of {now.wanted} find room." if now else "")

    def keep(self) -> None:
        """Change the links to what the chosen row says."""
        chosen, session = self.others.chosen(), self.session
        if not chosen:
            session.say("Try them first, then choose a row.")
            return
        store = session.store
        links = [x for x in self._tried if store.all(Link, id=x.id)]
        session.do(lambda: otherwise.keep(store, session.scope, links, chosen[0].outcome))

    def files(self) -> list[FileDeed]:
        return []

    def remove(self, found: Sequence[object]) -> None:
        self.session.say("These rows are worked out; there is nothing to remove.")


class _Numbered:
    """A fit with the id that the table asks for."""

    def __init__(self, number: int, fit: Fit) -> None:
        self.id, self.fit = number, fit


class _Tried:
    def __init__(self, number: int, outcome: Outcome) -> None:
        self.id, self.outcome = number, outcome


def _outcome_columns() -> list[Column]:
    return [
        Column(title="Instead", width=340, show=lambda r: r.outcome.alternative.name),
        Column(title="Of the show placed", width=90, right=True,
               show=lambda r: f"{r.outcome.placed} of {r.outcome.wanted}"),
        Column(title="Of these placed", width=80, right=True,
               show=lambda r: f"{r.outcome.group} of {r.outcome.of_group}"),
        Column(title="Delay ms", width=70, right=True, show=lambda r: _delay(r.outcome.alternative.figures)),
        Column(title="Runs h", width=70, right=True, show=lambda r: _runs(r.outcome.alternative.figures)),
        Column(title="Reaches", width=90, right=True, show=lambda r: _range(r.outcome.alternative.figures)),
    ]  # fmt: skip


def _counted(count: int, models: int) -> str:
    """A count; what was tried at most may be more."""
    return f"{count}+" if count >= MOST and models == 1 else str(count)


def _worst(figures: Sequence[Figures], said: Callable[[Figures], str], key: Callable[[Figures], float]) -> str:
    """What is said of the worst of a mix."""
    return said(max(figures, key=key)) if figures else "–"


def _late(f: Figures) -> float:
    return f.delay_ms if f.delay_ms is not None else 1e9


def _short(f: Figures) -> float:
    return -f.run_min if f.run_min is not None else 1e9


def _near(f: Figures) -> float:
    return -f.range_m


def _delay(f: Figures) -> str:
    return "–" if f.delay_ms is None else f"{f.delay_ms:g}"


def _runs(f: Figures) -> str:
    return "–" if f.run_min is None else f"{f.run_min / 60:.1f}"


def _range(f: Figures) -> str:
    return f"{f.range_m / _KM:.1f} km" if f.range_m >= _KM else f"{f.range_m:.0f} m"
