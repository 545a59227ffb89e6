"""What the board of the register tells as cases: what is heard otherwise than written, links that another campus hears,
and what nobody finds. One cause is one case, however many units it has."""

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from azven.book import stock
from azven.book.records import Deed, Inquiry, Show, Site, Unit
from azven.book.stock import Filter
from azven.book.store import Store
from azven.work.ground.hours import Clock
from azven.work.register import asking
from azven.work.register.across import Pair
from azven.work.register.astray import Astray, Sort
from azven.work.register.doing import where_said
from azven.work.register.finding import Question, how_many
from azven.work.scope import Scope
from azven.work.wording import decibel, listed, mhz, one_line

Cause = Sort | Literal["far", "missing", "asked", "answered", "waiting"]
_ORDER: tuple[Cause, ...] = (
    "state", "frequency", "campus", "over", "far", "asked", "answered", "unknown", "missing", "waiting",
)  # fmt: skip
_GRAVE: tuple[Cause, ...] = ("state", "frequency", "over")
_NAMED, _LOOKED_AT, _WEEK = 3, 200, timedelta(days=7)


@dataclass(frozen=True)
class Spot:
    """Where a case shows on the board: in the band [Hz] of a campus, by a name; `toward` is the campus of the link that
    it meets."""

    site: int
    freq_hz: int
    name: str
    toward: int | None = None


@dataclass(frozen=True, kw_only=True)
class Case:
    """A case: `who` and `what` make one sentence, `evidence` says why it is thought so. `key` is the same for as long
    as it is about the same."""

    key: str
    cause: Cause
    mark: Literal["broken", "tight"]
    who: str
    what: str
    evidence: str = ""
    units: tuple[Unit, ...] = ()
    count: int = 1
    found: tuple[Astray, ...] = ()
    pairs: tuple[Pair, ...] = ()
    spots: tuple[Spot, ...] = ()
    question: Inquiry | None = None

    @property
    def sentence(self) -> str:
        """Who and what, as one sentence."""
        return f"{self.who} {ended(self.what)}"


def ended(words: str) -> str:
    """Words with the sign that ends them."""
    return words if words.endswith((".", "?", "!")) else f"{words}."


def in_order(cases: Iterable[Case]) -> list[Case]:
    """The gravest first, then those that many have."""
    return sorted(cases, key=lambda c: (c.mark != "broken", _ORDER.index(c.cause), -c.count, c.who, c.key))


# what is heard otherwise than written


def heard(found: Sequence[Astray], scope: Scope, clock: Clock) -> list[Case]:
    """Units astray by what is the cause: one deed that many went out with, a plan that was not sent, a show that is
    over."""
    by_cause: dict[tuple[object, ...], list[Astray]] = {}
    for x in found:
        by_cause.setdefault(_cause(x), []).append(x)
    return [_of_one_cause(those, scope, clock) for those in by_cause.values()]


def _cause(x: Astray) -> tuple[object, ...]:
    """What those have in common that are one case."""
    if x.code in ("frequency", "over", "unknown"):
        return (x.code,)
    last = x.last
    if last is None:
        return x.code, x.written, x.heard
    return x.code, x.written, x.heard, last.deed, last.show_id, last.holder, last.made_by, last.at.date()


def _of_one_cause(those: Sequence[Astray], scope: Scope, clock: Clock) -> Case:
    first, many = those[0], len(those) > 1
    code = first.code
    units = tuple({x.unit.id: x.unit for x in those if x.unit is not None}.values())
    names = [one_line(x.link.name) if x.unit is None else x.name for x in those]
    spots = [Spot(scope.site, x.freq_hz, n) for x, n in zip(those, names, strict=True) if x.freq_hz is not None]
    who = _who(names, "links" if first.unit is None else "units")
    numbers = ",".join(str(x.unit.id if x.unit is not None else x.link.id) for x in those)
    return Case(
        key=f"{code}:{first.written}:{numbers}", cause=code, mark="broken" if code in _GRAVE else "tight",
        who=who, what=_many_words(first) if many else _one_words(first), count=len(those),
        evidence=_many_evidence(those, clock) if many else f"{first.evidence}." if first.evidence else "",
        units=units, found=tuple(those), spots=tuple(spots),
    )  # fmt: skip


def _who(names: Sequence[str], many: str) -> str:
    if len(names) <= _NAMED:
        return listed(list(names))
    return f"{names[0]}, {names[1]} and {len(names) - 2} other {many}"


def _one_words(x: Astray) -> str:
    if x.code == "unknown":
        return f"is on the air{f' and calls itself {x.heard}' if x.heard else ''}; its unit is not said"
    return x.words.removesuffix(".")


def _many_words(x: Astray) -> str:
    return {
        "state": f"are on the air; the register has them {x.written}",
        "campus": f"are heard at {x.heard}; the register has them at {x.written}",
        "frequency": "send on other frequencies than are planned",
        "over": f"are on the air though {x.written} has loaded out",
        "unknown": "are on the air; which units they are is not said",
    }[x.code]


def _many_evidence(those: Sequence[Astray], clock: Clock) -> str:
    first = those[0]
    if first.code == "frequency":
        sends = f"{first.name} sends on {first.heard}, is planned on {first.written}."
        return f"{sends} So it is when a plan is changed and not sent again."
    last: Deed | None = first.last
    if first.code in ("over", "unknown") or last is None:
        return f"{first.heard_by}." if first.heard_by else ""
    to = f" to {one_line(last.holder)}" if last.holder else ""
    by = f" by {one_line(last.made_by)}" if last.made_by else ""
    return f"One cause: {last.deed}{to}{by}, {clock.day_said(last.at)}. {first.name}: h{first.heard_by[1:]}."


# links that other campuses hear


def far(pairs: Sequence[Pair], scope: Scope) -> list[Case]:
    """Links of ours and of other campuses that are on one frequency and hear one another: one case, as one plan of all
    of them mends it."""
    if not pairs:
        return []
    worst, many = pairs[0], len({p.mine.id for p in pairs}) > 1
    places = Counter(one_line(p.site.name) for p in pairs)
    sites = listed([f"{name} {n}" for name, n in places.most_common()], _NAMED)
    where = one_line(worst.site.name) if len(places) == 1 else f"{len(places)} other campuses"
    return [Case(
        key="far:" + ",".join(sorted(f"{p.mine.id}-{p.theirs.id}" for p in pairs)), cause="far",
        mark="broken" if worst.worst_db >= 0 else "tight", count=len(pairs),
        who=_who(list(dict.fromkeys(one_line(p.mine.name) for p in pairs)), "links"),
        what=f"{'share frequencies' if many else 'shares a frequency'} with {where}, and they hear one another",
        evidence=f"{_pair_words(worst)}" + (f" By campus: {sites}." if len(places) > 1 else ""),
        pairs=tuple(pairs),
        spots=tuple(Spot(p.site.id, round(p.theirs.freq_hz), one_line(p.mine.name), scope.site) for p in pairs),
    )]  # fmt: skip


def _pair_words(p: Pair) -> str:
    here = f"{decibel(p.at_mine.over_noise_db, 'dB')} over the noise here" if p.at_mine.matters else ""
    there = f"{decibel(p.at_theirs.over_noise_db, 'dB')} there" if p.at_theirs.matters else ""
    levels = ", ".join(filter(None, (here, there)))
    could = f" {one_line(p.move.name)} could move at the least cost." if p.move is not None else " Neither can move."
    return (f"{one_line(p.mine.name)} and {one_line(p.theirs.name)} of {one_line(p.site.name)}, "
            f"{mhz(round(p.mine.freq_hz))} MHz, {p.km:g} km: {levels}.{could}")  # fmt: skip


# what campuses ask one another


def asked(store: Store, scope: Scope, clock: Clock) -> list[Case]:
    """What this campus is asked, what others have answered it, and what it waits for."""
    names = {s.id: one_line(s.name) for s in store.all(Site)}
    out = []
    for q in asking.asked_of(store, scope.site):
        who = f"{one_line(q.asked_by) or 'Somebody'} at {names[q.site_from_id]}"
        out.append(Case(key=f"asked:{q.id}", cause="asked", mark="tight", who=who, what=f"asks: {one_line(q.words)}",
                        evidence=f"Asked {clock.said(q.asked_at)}.", question=q))  # fmt: skip
    for q in asking.asked_by(store, scope.site):
        when = f"{one_line(q.asked_by) or 'Somebody'} asked {clock.said(q.asked_at)}: {ended(one_line(q.words))}"
        if q.answered_at is not None:
            who = f"{one_line(q.answered_by) or 'Somebody'} at {names[q.site_id]}"
            out.append(Case(key=f"answered:{q.id}", cause="answered", mark="tight", who=who,
                            what=f"answers: {one_line(q.answer)}", evidence=when, question=q))  # fmt: skip
        else:
            out.append(Case(key=f"waiting:{q.id}", cause="waiting", mark="tight", who=names[q.site_id],
                            what="was asked and has not answered yet", evidence=when, question=q))  # fmt: skip
    return out


# what nobody finds


def missing(store: Store, clock: Clock, now: datetime) -> list[Case]:
    """What is missing, as one case."""
    count = how_many(store, Question(state="missing"), now)
    if not count:
        return []
    units = stock.found(store, Filter(now=now, state="missing"), "since", count=_LOOKED_AT)
    one = units[0]
    if count == 1:
        what = f"is missing since {clock.said(one.since)}" if one.since is not None else "is missing"
    else:
        new = count - how_many(store, Question(state="missing", quiet_days=_WEEK.days), now)
        who = "all of them" if new == count else f"{new} of them"
        what = "are missing" + (f", {who} for less than a week" if new else "")
    return [Case(
        key=f"missing:{count}:{units[-1].id}", cause="missing", mark="tight", count=count,
        who=_who([one_line(u.name) for u in units], "units") if count <= len(units) else f"{count} units",
        what=what, evidence=" ".join(_last_places(store, units, count)), units=tuple(units),
    )]  # fmt: skip


def _last_places(store: Store, units: Sequence[Unit], count: int) -> Iterator[str]:
    """Where they were last, and with whom; of many, how many where, as far as they were looked at."""
    if len(units) <= _NAMED:
        for unit in units:
            place, had = where_said(store, unit) or "a place nobody said", last_with(store, unit)
            yield f"{one_line(unit.name)}: last at {place}{f', {had}' if had else ''}."
        return
    places = Counter(where_said(store, u) or "a place nobody said" for u in units)
    looked = f"The {len(units)} that are missing longest were last" if count > len(units) else "Last"
    yield f"{looked} at {listed([f'{place} ({n})' for place, n in places.most_common()], _NAMED)}."


def last_with(store: Store, unit: Unit) -> str:
    """Who had it last, by its deeds."""
    for deed in sorted(store.all(Deed, unit_id=unit.id), key=lambda d: (d.at, d.id), reverse=True):
        if deed.holder:
            return f"last with {one_line(deed.holder)}"
        if deed.show_id is not None and (show := next(iter(store.all(Show, id=deed.show_id)), None)) is not None:
            return f"last in {one_line(show.name)}"
    return ""
