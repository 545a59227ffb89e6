"""Reasons for a case of the register's board: both sides, who says so, and what could be done about it."""

from collections.abc import Iterator
from datetime import datetime
from functools import partial
from typing import TYPE_CHECKING

from azven.book.edits import Edit
from azven.book.records import Deed, Inquiry, Link, Show, Site, Unit
from azven.book.store import Store
from azven.rf.register.deeds import DeedKind
from azven.work import ground, ids, kit, plan, register
from azven.work.reasons.told import Option, Reasons, Row
from azven.work.register import Asked, asking
from azven.work.register.across import Pair
from azven.work.register.astray import Astray
from azven.work.register.cases import Case
from azven.work.register.doing import do_all, named
from azven.work.register.finding import site_of
from azven.work.register.times import times
from azven.work.scope import Scope
from azven.work.wording import decibel, listed, mhz, one_line

if TYPE_CHECKING:
    from azven.work.reasons.finding import Known

_SHOWN, _TRAIL, _NAMED, _ASKED = 12, 5, 3, 3


def for_case(known: "Known", case: Case) -> Reasons:
    """What the panel says of a case of the board."""
    clock = ground.here(known.store, known.scope).clock
    rows: tuple[Row, ...] = ()
    if len(case.units) == 1:
        rows = tuple((clock.said(d.at), words) for d, words in _trail(known.store, case.units[0]))
    return Reasons(
        title=case.who, figure=_figure(case), state="astray" if case.found else _STATES.get(case.cause, ""),
        verdict=f"{case.sentence} {case.evidence}", arithmetic=tuple(_sides(known.store, case))[:_SHOWN],
        heading=_HEADINGS.get(case.cause, "Both sides"), origins=rows,
        options=tuple(options(known, case)), steps=tuple(_steps(case)),
    )  # fmt: skip


_HEADINGS = {"far": "Each way, over the noise", "missing": "Where they were last"}
_STATES = {"far": "hear one another", "missing": "missing"}


def _figure(case: Case) -> str:
    if case.count > 1:
        return f"{case.count} {'pairs' if case.pairs else 'units'}"
    freq = next((s.freq_hz for s in case.spots), None)
    if case.question is not None:
        return "asked"
    return f"{mhz(freq)} MHz" if freq is not None else "1 unit"


def _trail(store: Store, unit: Unit) -> list[tuple[Deed, str]]:
    shows, sites = {s.id: s.name for s in store.all(Show)}, {s.id: s.name for s in store.all(Site)}
    deeds = sorted(store.all(Deed, unit_id=unit.id), key=lambda d: (d.at, d.id), reverse=True)
    return [(deed, register.deed_said(deed, shows, sites)) for deed in deeds[:_TRAIL]]


def _sides(store: Store, case: Case) -> Iterator[Row]:
    """What is written and what is heard, one after another."""
    for x in case.found:
        heard = "on the air" if x.code in ("state", "over") else x.heard or "no name told"
        written = {"over": "its show is over", "unknown": "nobody has said whose"}.get(x.code, x.written)
        yield x.name, f"{heard}; written: {written}"
    for pair in case.pairs:
        yield f"{one_line(pair.mine.name)} — {one_line(pair.theirs.name)}", _each_way(pair)
    if case.cause == "missing":
        for unit in case.units:
            yield one_line(unit.name), register.where_said(store, unit) or "nobody said"


def _each_way(pair: Pair) -> str:
    ways = (("here", pair.at_mine), ("there", pair.at_theirs))
    return ", ".join(f"{decibel(x.over_noise_db, 'dB')} {where}" for where, x in ways if x.matters)


# what could be done


def options(known: "Known", case: Case) -> list[Option]:
    """What can be done from here, each with its effect, the likeliest first."""
    return [*mending(known, case), *_asking(known, case)]


def _asking(known: "Known", case: Case) -> list[Option]:
    """Asking the campuses that could do something about it, each once."""
    store, scope, out = known.store, known.scope, []
    for site, words in _whom(known, case):
        if asking.open_about(store, site.id, case.key) is not None:
            continue
        edit = partial(asking.ask, store, scope, site, case.key, words, known.now(), store.author.who)
        out.append(Option(f"Ask {one_line(site.name)}", f"its board shows: “{words}”", edit))
    return out[:_ASKED]


def _whom(known: "Known", case: Case) -> Iterator[tuple[Site, str]]:
    """Whom to ask, and in which words: who has the other link, who should have the unit, whose it is."""
    store, here = known.store, known.store.get(Site, known.scope.site)
    for site in {p.site.id: p.site for p in case.pairs}.values():
        pairs = [p for p in case.pairs if p.site.id == site.id]
        names = dict.fromkeys(f"{one_line(p.theirs.name)} on {mhz(round(p.theirs.freq_hz))} MHz" for p in pairs)
        theirs = listed(list(names), _NAMED)
        can = "Can it move?" if len(names) == 1 else "Can they move?"
        yield site, f"{theirs} and links of {one_line(here.name)} hear one another. {can}"
    if case.cause not in ("campus", "state"):
        return
    units: dict[int, list[Unit]] = {}
    for unit in case.units:
        there = site_of(store, unit) if case.cause == "campus" else unit.site_home_id
        if there is not None and there != here.id:
            units.setdefault(there, []).append(unit)
    for number, those in units.items():
        are = "is" if len(those) == 1 else "are"
        yield store.get(Site, number), f"{named(those)} {are} on the air at {one_line(here.name)}. Do you know of it?"


def mending(known: "Known", case: Case) -> list[Option]:
    """Edits that make it right, the likeliest first."""
    if case.question is not None:
        return _over(case.question)
    now, here = known.now(), known.store.get(Site, known.scope.site)
    found = [x for x in case.found if x.unit is not None]
    units = [x.unit for x in found if x.unit is not None]
    out = []
    _, ends = times(known.store, known.store.get(Show, known.scope.show))
    if case.cause == "state" and ends is not None and ends > now:
        until = ground.here(known.store, known.scope).clock.said(ends)
        title = "Take it in" if len(units) == 1 else "Take them in"
        broken = [u for u in units if u.state == "in repair"]
        first = f"; look at {named(broken)} first, in repair as written" if broken else ""
        out.append(Option(title, f"assigned to this show, here, until {until}; the trail says that it was heard{first}",
                          lambda: take_in(known.store, known.scope, found, now)))  # fmt: skip
    if case.cause == "campus":
        asked = Asked(deed="move", at=now, by=known.store.author.who, site=here, why="heard here")
        title = "It is here now" if len(units) == 1 else "They are here now"
        out.append(Option(title, f"the register has {named(units)} at {here.name}; home stays as it is",
                          lambda: register.do(known.store, units, asked)))  # fmt: skip
    if case.cause == "frequency" and len(found) == 1:
        out += _planned_as_heard(known, found[0])
    if case.cause == "missing" and len(case.units) == 1:
        asked = Asked(deed="found", at=now, by=known.store.author.who, site=here)
        out.append(Option("It is found, here", f"in its case at {here.name}",
                          lambda: register.do(known.store, case.units, asked)))  # fmt: skip
    return out


def _over(question: Inquiry) -> list[Option]:
    """A question of ours is over when its answer was seen, or when nobody waits for one."""
    if question.answered_at is not None:
        return [Option("Seen", "the question is over; it stays in the history", partial(asking.close, question))]
    return []


def take_in(store: Store, scope: Scope, found: list[Astray], now: datetime) -> Edit:
    """Units that are heard are at work here: assigned to the show, each for its link; who is retired comes back first.
    Refusal where it is not known when the show goes."""
    show, site = store.get(Show, scope.show), store.get(Site, scope.site)
    orders: list[tuple[Unit, Asked]] = []
    for x in found:
        if x.unit is None:
            continue
        deeds: list[DeedKind] = ["reinstate", "assign"] if x.unit.state == "retired" else ["assign"]
        orders += [
            (x.unit, Asked(deed=deed, at=now, by=store.author.who, site=site, show=show if deed == "assign" else None,
                           link=x.link.name, why="heard at work"))
            for deed in deeds
        ]  # fmt: skip
    return do_all(store, orders, f"Take in {named([u for u, asked in orders if asked.deed == 'assign'])}")


def _planned_as_heard(known: "Known", x: Astray) -> list[Option]:
    """Planning a link where its pack sends, tried out, where that breaks nothing."""
    link: Link | None = next((k for k in kit.links(known.store, known.scope) if k.id == x.link.id), None)
    if link is None or x.freq_hz is None:
        return []
    freq, number = x.freq_hz, ids.of(link)
    trial = plan.try_at(known.board, number, freq)
    if not trial.clean:
        return []
    title, deed = f"Plan it on {mhz(freq)}, where it sends", f"Move {one_line(link.name)}"
    effect = f"{trial.sentence()}, no other link moves"
    return [Option(title, effect, lambda: plan.set_frequencies(known.store, known.scope, {number: freq}, deed))]


def _steps(case: Case) -> Iterator[str]:
    """What people can do about it by hand."""
    they = "them" if case.count > 1 else "it"
    if case.cause == "state":
        yield f"Have {they} switched off, if nobody needs {they} here: what is on the air is in nobody's plan."
    elif case.cause == "campus":
        yield f"Ask {case.found[0].written} who took {they} along: there somebody may look for {they}."
    elif case.cause == "frequency":
        yield f"Send the plan to {they} again, in Prove."
    elif case.cause == "over":
        yield f"Have {they} switched off, or say in Bookings that the show is not over yet."
    elif case.cause == "unknown":
        yield "Say in Kit, Persons, who wears which unit; then the register knows which ones are on the air."
    elif case.cause == "far":
        yield "Plan all campuses together, in Across campuses: as few as possible move, and it is shown before."
    elif case.cause == "asked":
        yield "Answer it on its row; whoever asked sees the answer within a second or two."
    elif case.cause == "missing":
        yield f"Whoever finds {they} scans the label: that says where {'they are' if case.count > 1 else 'it is'}."
