"""Cases: what is wrong now, in the order in which it matters, with who has it and when it comes back.

Times are seconds of the watch. Nothing is looked up: incidents come in, alarms go out.
"""

from collections.abc import Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field, replace
from typing import Literal

from azven.rf.diagnose.record import Incident
from azven.rf.diagnose.weigh import EXPLAINS, FADES, JOINED_S, LOSSES

Mark = Literal["broken", "tight"]
State = Literal["open", "in hand", "hushed", "closed"]
Why = Literal["new", "worse", "again", "nobody"]
AGAIN_S, NOBODY_S, SINKS_S, LATE_S = 900.0, 120.0, 10.0, 3.0
_UNHEARD = {"switched-off", "muted", "headphone", "system", "rack", "product", "own", "foreign", "overload", "quiet"}
"""Causes by which the audience misses something while they last, whatever quality says."""


def _may_be(before: str, now: str) -> bool:
    """Whether what had one name a moment ago may be the same trouble under another."""
    alike = any({before, now} <= group for group in (FADES, LOSSES))
    return alike or before == "unknown" or before in EXPLAINS.get(now, ())


@dataclass(frozen=True)
class Note:
    """What somebody wrote to a case."""

    at_s: float
    by: str
    text: str


@dataclass(frozen=True, kw_only=True)
class Case:
    """Something that is wrong. `number` is how people call it; `ahead`: it will be, unless something is done.
    `taken_s`: since when it is in hand; `rang_s`: when it was told last; `until_s`: when it asks again; `ended`: what
    it was, as whoever closed it said.
    """

    number: int
    incident: Incident
    since_s: float
    last_s: float
    mark: Mark = "tight"
    rank: int = 9
    ahead: bool = False
    state: State = "open"
    by: str = ""
    until_s: float = 0.0
    taken_s: float = 0.0
    rang_s: float = 0.0
    nobody: bool = False
    notes: tuple[Note, ...] = ()
    ended: str = ""
    as_taken: tuple[int, Mark, str] = (0, "tight", "")

    @property
    def links(self) -> tuple[str, ...]:
        return self.incident.links

    @property
    def grave(self) -> tuple[int, int, int, int]:
        """Gravest first: by importance of its links, whether anything is missed, how many, how long."""
        return (self.rank, self.mark != "broken", -len(self.links), self.number)


@dataclass(frozen=True)
class Alarm:
    """Somebody should look: at which case, and why."""

    why: Why
    case: Case


@dataclass
class Cases:
    """All cases of a watch by their numbers. `importance` of links by name, 1 is the highest; `again_s`: so long
    somebody has a case before it asks again; `nobody_s`: so long nobody need have it."""

    importance: Mapping[str, int] = field(default_factory=dict)
    again_s: float = AGAIN_S
    nobody_s: float = NOBODY_S
    all: dict[int, Case] = field(default_factory=dict)
    _alarms: list[Alarm] = field(default_factory=list)
    _looked_s: float = 0.0
    _before_s: float = 0.0

    def update(
        self, found: Sequence[Incident], now_s: float, poor: Sequence[str] = (), ahead: Sequence[Incident] = (),
        unwell: AbstractSet[str] = frozenset(),
    ) -> None:  # fmt: skip
        """Take over what is wrong now. `poor`: links whose sound suffers now; `ahead`: what will be wrong; `unwell`:
        links that are still not heard well, whatever is found: trouble that lasts longer than one looks back goes on.
        """
        matched: set[int] = set()
        hurt = set(poor)
        self._before_s, self._looked_s = min(self._looked_s, now_s), now_s
        since_s = self._before_s - LATE_S
        here = {(x.cause, name) for x in found if x.to_s >= since_s for name in x.links}
        early_ones = (x for x in ahead if not any((x.cause, name) in here for name in x.links))
        for it, early in [*((x, False) for x in found), *((x, True) for x in early_ones)]:
            goes_on = early or it.to_s >= since_s
            case = self._same(it, matched, now_s)
            new = case is None
            if case is None and goes_on:
                number = len(self.all) + 1
                case = Case(number=number, incident=it, since_s=it.from_s, last_s=now_s, ahead=early)
            if case is not None:
                matched.add(case.number)
                self._go_on(case, it, early, goes_on, bool(hurt & set(it.links)), now_s, new)
        self._take_in(matched)
        self._stay(matched, unwell, now_s)
        for case in list(self.all.values()):
            self._by_time(case, now_s)

    def _stay(self, matched: set[int], unwell: AbstractSet[str], now_s: float) -> None:
        for case in list(self.all.values()):
            still = len(unwell & set(case.links)) >= 0.5 * len(case.links)
            if case.number not in matched and case.state != "closed" and not case.ahead and still:
                self.all[case.number] = replace(case, last_s=now_s)

    def _take_in(self, matched: set[int]) -> None:
        """What turns out to come from a cause behind more links is no case of its own."""
        for number in matched:
            cause = self.all[number]
            for case in list(self.all.values()):
                if (
                    case.number not in matched and case.state != "closed" and not case.ahead
                    and set(case.links) <= set(cause.links) and case.last_s >= cause.since_s - SINKS_S
                    and case.incident.cause in EXPLAINS.get(cause.incident.cause, ())
                ):  # fmt: skip
                    self.all[case.number] = replace(case, state="closed", ended=f"part of {number}")

    def _same(self, it: Incident, taken: set[int], now_s: float) -> Case | None:
        """The case that an incident belongs to: the same cause for some of the same links, or trouble of them that had
        another name a moment ago."""
        mine = set(it.links)
        best: Case | None = None
        for case in self.all.values():
            if case.number in taken or not mine & set(case.links):
                continue
            near = it.from_s <= case.last_s + JOINED_S.get(it.cause, SINKS_S) and it.to_s >= case.since_s - SINKS_S
            same = case.incident.cause == it.cause and (near or case.state != "closed")
            renamed = (
                near and case.state != "closed" and not case.ahead and now_s - case.last_s < SINKS_S
                and mine >= set(case.links) and _may_be(case.incident.cause, it.cause)
            )  # fmt: skip
            if same or (renamed and best is None):
                best = case
                if same:
                    break
        return best

    def _go_on(self, case: Case, it: Incident, early: bool, goes_on: bool, hurt: bool, now_s: float, new: bool) -> None:
        rank = min((self.importance.get(x, 5) for x in it.links), default=5)
        broken = goes_on and not early and (hurt or it.cause in _UNHEARD)
        was_over = (self._before_s if early else it.from_s) - case.last_s >= SINKS_S
        last_s = now_s if early else max(min(it.to_s, now_s), 0.0 if new else case.last_s)
        after = replace(
            case, incident=it, rank=rank, mark="broken" if broken else "tight", ahead=early,
            last_s=last_s, since_s=min(case.since_s, it.from_s),
        )  # fmt: skip
        if goes_on and (case.state == "closed" or (was_over and case.state == "open")):
            after = replace(after, state="open", by="", since_s=it.from_s, nobody=False, ended="")
            after = self._alarm("again", after)
        elif goes_on and case.state in ("in hand", "hushed") and self._worse(case, after):
            after = replace(after, state="open", by="")
            after = self._alarm("worse", after)
        elif new:
            after = self._alarm("new", after)
        self.all[case.number] = after

    @staticmethod
    def _worse(case: Case, after: Case) -> bool:
        links, mark, cause = case.as_taken
        other = cause != after.incident.cause and cause != "unknown" and after.incident.cause != "unknown"
        return len(after.links) > links or (after.mark == "broken" and mark != "broken") or other

    def _by_time(self, case: Case, now_s: float) -> None:
        calm = now_s - case.last_s >= SINKS_S
        if case.state in ("in hand", "hushed") and now_s >= case.until_s:
            over = replace(case, state="closed" if calm else "open", by="" if not calm else case.by)
            self.all[case.number] = over
            if not calm:
                self.all[case.number] = self._alarm("again", over)
        elif case.state == "open" and calm:
            self.all[case.number] = replace(case, state="closed", ended="over by itself")
        elif case.state == "open" and not case.nobody and now_s - case.rang_s >= self.nobody_s:
            self.all[case.number] = self._alarm("nobody", replace(case, nobody=True))

    def _alarm(self, why: Why, case: Case) -> Case:
        rung = replace(case, rang_s=self._looked_s)
        self._alarms.append(Alarm(why, rung))
        return rung

    def alarms(self) -> list[Alarm]:
        """What somebody should look at since one last asked."""
        told, self._alarms = self._alarms, []
        return told

    def rename(self, names: Mapping[str, str]) -> None:
        """Links are called otherwise from now on: their cases are the same."""
        for number, case in self.all.items() if names else ():
            links = tuple(names.get(x, x) for x in case.links)
            self.all[number] = replace(case, incident=replace(case.incident, links=links))

    # what people do

    def take(self, number: int, who: str, now_s: float) -> None:
        """Somebody has it: it asks again after a time, or when it gets worse."""
        self._put(number, "in hand", who, now_s, now_s + self.again_s)

    def hush(self, number: int, who: str, now_s: float, seconds: float) -> None:
        """It is known, and nobody wants to hear of it for a while unless it gets worse."""
        self._put(number, "hushed", who, now_s, now_s + seconds)

    def _put(self, number: int, state: State, who: str, now_s: float, until_s: float) -> None:
        case = self.all[number]
        taken = (len(case.links), case.mark, case.incident.cause)
        self.all[number] = replace(
            case, state=state, by=who, taken_s=now_s, until_s=until_s, nobody=False, as_taken=taken
        )  # fmt: skip

    def open_again(self, number: int) -> None:
        """Nobody has it any more."""
        self.all[number] = replace(self.all[number], state="open", by="", until_s=0.0)

    def note(self, number: int, who: str, text: str, now_s: float) -> None:
        """Write something to a case."""
        case = self.all[number]
        self.all[number] = replace(case, notes=(*case.notes, Note(now_s, who, text)))

    def close(self, number: int, what_it_was: str) -> None:
        """It is over, and this is what it was."""
        self.all[number] = replace(self.all[number], state="closed", ended=what_it_was)

    # what is shown

    def standing(self) -> list[Case]:
        """Cases that somebody should look at, the gravest first."""
        return sorted((c for c in self.all.values() if c.state == "open"), key=lambda c: c.grave)

    def in_hand(self) -> list[Case]:
        """Cases that somebody has, or that are hushed."""
        return sorted((c for c in self.all.values() if c.state in ("in hand", "hushed")), key=lambda c: c.number)
