"""The register as CSV and as lines of text."""

from collections.abc import Iterator, Mapping
from datetime import datetime

from azven.book.formats.rows import as_csv
from azven.book.records import Assignment, Deed, Link, Model, Plan, Show, Site, Unit
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.register.deeds import STATES
from azven.work.register import finding
from azven.work.register.doing import where_said
from azven.work.register.finding import PAGE, Question

COLUMNS = (
    "unit", "serial", "model", "home", "state", "where", "show", "link", "frequency_hz", "since", "by", "note",
)  # fmt: skip
_MOST_DEEDS = 1_000_000


def question(store: Store, at: str | None, state: str | None) -> Question:
    """A question by the name of a site and a state. Refusal for a site or a state that is not there."""
    if state is not None and state not in STATES:
        raise Refusal(f"There is no state “{state}”; there are {', '.join(STATES)}.")
    site = None
    if at is not None:
        site = next((s.id for s in store.all(Site) if s.name == at), None)
        if site is None:
            raise Refusal(f"There is no site “{at}”; there are {', '.join(s.name for s in store.all(Site))}.")
    return Question(state=state or "", at=site)


def rows(store: Store, asked: Question, now: datetime) -> Iterator[tuple[str, ...]]:
    """A row for each unit that is like that, by name, with the cells of `COLUMNS`."""
    known = _Known(store)
    start = 0
    while units := finding.found(store, asked, now, start=start):
        deeds: dict[int, list[Deed]] = {}
        for deed in store.page(Deed, 0, _MOST_DEEDS, unit_id=[u.id for u in units]):
            deeds.setdefault(deed.unit_id, []).append(deed)
        for unit in units:
            yield known.row(unit, sorted(deeds.get(unit.id, ()), key=lambda d: (d.at, d.id)), now)
        start += PAGE


def csv_text(store: Store, asked: Question, now: datetime) -> str:
    """The same as CSV (RFC 4180); a cell that a spreadsheet would run is written as text."""
    return as_csv(COLUMNS, rows(store, asked, now))


def text(store: Store, asked: Question, now: datetime) -> str:
    """A line for each: unit, state, where, who has it."""
    return "".join(
        f"{name}: {state}{f', {where}' if where else ''}{f', {show}' if show else ''}\n"
        for name, _, _, _, state, where, show, *_ in rows(store, asked, now)
    )


class _Known:
    """Names and frequencies of what deeds speak of."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._models = {m.id: m.name for m in store.all(Model)}
        self._sites = {s.id: s.name for s in store.all(Site)}
        self._shows = {s.id: s.name for s in store.all(Show)}
        self._frequencies: Mapping[tuple[int, str], int] = _frequencies(store)

    def row(self, unit: Unit, deeds: list[Deed], now: datetime) -> tuple[str, ...]:
        state = finding.state_at(unit, now)
        held = next((d for d in reversed(deeds) if d.deed == "assign" and not d.refused), None)
        show, link, freq = "", "", ""
        if state == "assigned" and held is not None:
            show, link = self._shows.get(held.show_id or 0, ""), held.link
            freq = str(self._frequencies.get((held.show_id or 0, link), ""))
        last = deeds[-1].made_by if deeds else ""
        since = unit.since.isoformat().replace("+00:00", "Z") if unit.since is not None else ""
        return (
            unit.name, unit.serial, self._models[unit.model_id], self._sites.get(unit.site_home_id or 0, ""), state,
            unit.holder or where_said(self._store, unit), show, link, freq, since, last, unit.note,
        )  # fmt: skip


def _frequencies(store: Store) -> dict[tuple[int, str], int]:
    """By show and name, where links are planned [Hz]."""
    shows = {p.id: p.show_id for p in store.all(Plan)}
    names = {x.id: x.name for x in store.all(Link)}
    return {(shows[a.plan_id], names[a.link_id]): a.freq_hz for a in store.all(Assignment)}
