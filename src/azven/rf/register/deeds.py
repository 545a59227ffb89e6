"""What has become of a unit, by what was done with it (domain section 9). Every deed is kept, none is overwritten."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Literal, get_args

State = Literal["on air", "assigned", "in case", "on loan", "in repair", "missing", "retired"]
STATES: tuple[State, ...] = get_args(State)
DeedKind = Literal[
    "assign", "hand out", "take back", "found", "send to repair", "lost", "on air", "off air", "retire", "reinstate",
    "scan", "count", "move",
]  # fmt: skip
DEEDS: tuple[DeedKind, ...] = get_args(DeedKind)
AWAY: frozenset[State] = frozenset({"in case", "in repair", "missing", "retired"})
"""Who is in one of these should not be on the air."""
NOT_FREE: frozenset[State] = frozenset({"on loan", "in repair", "missing", "retired"})
"""Who is in one of these cannot be had for a show."""
_SETS: Mapping[str, State] = {
    "hand out": "on loan", "take back": "in case", "send to repair": "in repair", "lost": "missing",
    "retire": "retired", "reinstate": "in case",
}  # fmt: skip
_FINDS = frozenset({"found", "scan", "count", "on air"})
"""What is missing is found by these."""


@dataclass(frozen=True)
class Span:
    """From load-in to load-out."""

    load_in: datetime
    load_out: datetime


@dataclass(frozen=True, kw_only=True)
class Deed:
    """Something done with a unit: when, what, by whom, where it is then; for which show, to whom, why."""

    at: datetime
    kind: str
    by: str = ""
    where: str | None = None
    show: str | None = None
    to: str | None = None
    why: str = ""


@dataclass(frozen=True)
class Done:
    """A deed with the states before and after it; `refused`: it changed nothing, and is kept all the same."""

    deed: Deed
    before: State
    after: State
    refused: bool = False


@dataclass(frozen=True, kw_only=True)
class Standing:
    """How a unit stands: as it is `written`, where, who has it, since when (None: nothing was ever done with it), and
    its history in the order of time. `until`: when the last show that it is assigned to is over."""

    written: State
    where: str
    holder: str | None = None
    since: datetime | None = None
    until: datetime | None = None
    history: tuple[Done, ...] = ()
    heard: bool = False

    @property
    def state(self) -> State:
        """What is heard outranks what is written."""
        return "on air" if self.heard else self.written


@dataclass(frozen=True)
class _Unit:
    """Between two deeds. `shows`: when the shows that it was assigned to are over."""

    where: str
    base: State = "in case"
    shows: tuple[datetime, ...] = ()
    on_air: bool = False
    holder: str | None = None

    def at(self, moment: datetime) -> State:
        if self.on_air:
            return "on air"
        if self.base == "assigned" and not any(moment < over for over in self.shows):
            return "in case"
        return self.base


def standing(
    home: str, deeds: Iterable[Deed], shows: Mapping[str, Span], now: datetime, heard: bool = False
) -> Standing:  # fmt: skip
    """How a unit of a home stands at a moment, by its deeds in the order of their time; those of one moment in the
    order in which they were written, those after it not yet. ValueError for a deed that nobody knows, or for a show
    that is not there."""
    unit, done = _Unit(home), list[Done]()
    since: datetime | None = None
    for deed in sorted((d for d in deeds if _known(d) and d.at <= now), key=lambda d: d.at):
        before = unit.at(deed.at)
        if refused := _refused(unit, deed):
            done.append(Done(deed, before, before, refused))
            continue
        unit = _after(unit, deed, shows)
        after = unit.at(deed.at)
        done.append(Done(deed, before, after))
        if after != before or since is None:
            since = deed.at
    written = unit.at(now)
    until = max(unit.shows) if unit.base == "assigned" else None
    if until is not None and written == "in case":
        since = until
    return Standing(
        written=written, where=unit.where, holder=unit.holder, since=since, until=until, history=tuple(done),
        heard=heard,
    )  # fmt: skip


def _known(deed: Deed) -> bool:
    if deed.kind not in DEEDS:
        raise ValueError(f"there is no deed {deed.kind}; there are {', '.join(DEEDS)}")
    return True


def _refused(unit: _Unit, deed: Deed) -> bool:
    """Who is retired is only reinstated, and nobody else is."""
    return (unit.base == "retired") != (deed.kind == "reinstate")


def _after(unit: _Unit, deed: Deed, shows: Mapping[str, Span]) -> _Unit:
    there = replace(unit, where=deed.where or unit.where)
    if deed.kind == "assign":
        if deed.show is None or deed.show not in shows:
            raise ValueError(f"there is no show {deed.show}")
        ends = shows[deed.show].load_out
        kept = there.shows if there.base == "assigned" else ()
        return replace(there, base="assigned", shows=(*kept, ends), on_air=False, holder=None)
    if deed.kind in _SETS:
        holder = deed.to if deed.kind == "hand out" else None
        return _Unit(there.where, _SETS[deed.kind], holder=holder)
    if deed.kind in _FINDS and there.base == "missing":
        there = replace(there, base="in case")
    if deed.kind in ("on air", "off air"):
        return replace(there, on_air=deed.kind == "on air")
    return there


def free(standings: Sequence[Standing]) -> list[bool]:
    """Whether units can be had for a show, bookings aside."""
    return [s.state not in NOT_FREE for s in standings]
