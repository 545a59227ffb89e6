"""The evening of the persons of a show: what each wears when, what is handed on, and what does not work out."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import pairwise
from typing import Literal

from azven.book.reading import Reading
from azven.book.records import Act, Link, Model, Person, Unit, Worn
from azven.rf import persons as rf
from azven.work import ground, ids
from azven.work.kit import persons as people
from azven.work.kit.gear import acts, links, units
from azven.work.scope import Scope
from azven.work.wording import listed, mhz

CHANGE_MIN = 5.0
"""A pack is taken off one person, checked and put on another in so many minutes, planning value."""
_UNFIT = ("faulty", "in repair")
Kind = Literal[
    "promised twice", "nothing to wear", "no time", "little time", "time unknown", "not on", "unfit", "phone",
    "one side", "pair",
]  # fmt: skip
_WRONG: tuple[Kind, ...] = ("promised twice", "nothing to wear", "no time", "not on", "unfit")


@dataclass(frozen=True, kw_only=True)
class Finding:
    """Something that is not in order: whom and what it concerns, in which acts, and a sentence."""

    kind: Kind
    text: str
    persons: tuple[int, ...]
    worn: tuple[int, ...] = ()
    acts: tuple[int, ...] = ()
    wrong: bool = False


@dataclass(frozen=True, kw_only=True)
class Line:
    """One thing on one body: in which acts, and what people call it and its pack."""

    worn: Worn
    link: Link
    model: Model
    unit: Unit | None
    acts: tuple[int, ...]
    name: str
    pack: str
    voice: str = ""
    """The other link on the same voice."""

    @property
    def thing(self) -> tuple[str, int]:
        """What is handed from one to the next: the pack, and where nobody has said which, the link."""
        return ("unit", self.worn.unit_id) if self.worn.unit_id else ("link", self.link.id)

    @property
    def one_of_a_kind(self) -> bool:
        """Whether only one person at a time can have it: a named pack, or the one transmitter of a link."""
        return self.worn.unit_id is not None or self.link.service != "in-ear"


@dataclass(frozen=True, kw_only=True)
class HandOn:
    """A thing that goes from one person to the next in a break, and the minutes there are, None where acts have no
    times."""

    before: Line
    after: Line
    from_act: int
    to_act: int
    minutes: float | None


@dataclass(frozen=True, kw_only=True)
class Evening:
    """Everything about the persons of a show, by numbers of acts in their order."""

    acts: tuple[Act, ...]
    numbers: tuple[int, ...]
    persons: tuple[Person, ...]
    lines: Mapping[int, tuple[Line, ...]]
    on: Mapping[int, tuple[int, ...]]
    handed_on: tuple[HandOn, ...]
    findings: tuple[Finding, ...]
    breaks: Mapping[int, float | None]
    """Minutes of the break behind an act, None where times are missing."""

    def of(self, person: int) -> tuple[Finding, ...]:
        """What is not in order with a person, the gravest first."""
        found = [f for f in self.findings if person in f.persons]
        return tuple(sorted(found, key=lambda f: not f.wrong))

    @property
    def packs(self) -> int:
        """Things that are worn in all."""
        return sum(map(len, self.lines.values()))

    @property
    def open_points(self) -> int:
        """Findings that cannot stay."""
        return sum(f.wrong for f in self.findings)

    def act_name(self, number: int) -> str:
        return next((a.name for a in self.acts if a.id == number), "the show")


def evening(store: Reading, scope: Scope, frequencies: Mapping[int, int] | None = None) -> Evening:
    """The evening of a show; `frequencies` [Hz] of its plan by the numbers of links, for redundant pairs."""
    return _Looking(store, scope, frequencies or {}).found()


class _Looking:
    def __init__(self, store: Reading, scope: Scope, frequencies: Mapping[int, int]) -> None:
        self.store, self.scope, self.frequencies = store, scope, frequencies
        self.acts = tuple(acts(store, scope))
        self.numbers = people.act_numbers(self.acts)
        self.persons = tuple(people.persons(store, scope))
        self.by_id = {p.id: p for p in self.persons}
        self.names = ids.told_apart(self.persons, lambda p: p.role or f"no. {p.id}")
        self.on = {p.id: people.on_in(p.acts, self.numbers) for p in self.persons}
        self.findings: list[Finding] = []
        self.lines = self._lines()
        self.breaks = {a.id: _minutes(a.ends_at, b.starts_at) for a, b in pairwise(self.acts)}

    def name(self, person: int) -> str:
        return self.names[ids.of(self.by_id[person])]

    def acts_named(self, numbers: Sequence[int]) -> str:
        if tuple(numbers) == self.numbers:
            return "all evening"
        return "in " + listed([a.name for a in self.acts if a.id in numbers])

    def _lines(self) -> dict[int, tuple[Line, ...]]:
        all_links = {x.id: x for x in links(self.store, self.scope)}
        called = ids.told_apart(all_links.values(), lambda x: f"no. {x.id}")
        models = {m.id: m for m in self.store.all(Model)}
        packs = {u.id: u for u in units(self.store, self.scope)}
        other = {a: b for p in people.pairs_of(self.store, self.scope)
                 for a, b in ((p.link_a_id, p.link_b_id), (p.link_b_id, p.link_a_id))}  # fmt: skip
        names = {x.id: called[ids.of(x)] for x in all_links.values()}
        out: dict[int, list[Line]] = {p.id: [] for p in self.persons}
        for item in people.worn(self.store, self.scope):
            link = all_links.get(item.link_id)
            if link is None:
                continue
            unit = packs.get(item.unit_id or 0)
            out[item.person_id].append(
                Line(
                    worn=item, link=link, model=models[link.model_id], unit=unit,
                    acts=people.worn_in(item, self.by_id[item.person_id], link, self.numbers),
                    name=called[ids.of(link)], pack=unit.name if unit else "",
                    voice=names.get(other.get(link.id, 0), ""),
                )
            )  # fmt: skip
        return {k: tuple(sorted(v, key=lambda x: (x.link.service == "in-ear", x.worn.id))) for k, v in out.items()}

    def found(self) -> Evening:
        handed_on = self._things()
        for person in self.persons:
            self._look_at(person)
        self._look_at_pairs()
        return Evening(
            acts=self.acts, numbers=self.numbers, persons=self.persons, lines=self.lines, on=self.on,
            handed_on=tuple(handed_on), findings=tuple(self.findings), breaks=self.breaks,
        )  # fmt: skip

    def _say(
        self, kind: Kind, text: str, who: Sequence[int], worn: Sequence[int] = (), in_: Sequence[int] = ()
    ) -> None:
        self.findings.append(
            Finding(kind=kind, text=text, persons=tuple(dict.fromkeys(who)), worn=tuple(worn), acts=tuple(in_),
                    wrong=kind in _WRONG)
        )  # fmt: skip

    # -- things that several persons have ------------------------------------------------------------

    def _things(self) -> list[HandOn]:
        by_thing: dict[tuple[str, int], list[Line]] = defaultdict(list)
        for line in (x for found in self.lines.values() for x in found if x.one_of_a_kind):
            by_thing[line.thing].append(line)
        out = []
        for sharing in by_thing.values():
            self._look_at_promises(sharing)
            out += self._hand_ons(sharing)
        return out

    def _look_at_promises(self, sharing: Sequence[Line]) -> None:
        for i, a in enumerate(sharing):
            for b in sharing[i + 1 :]:
                both = [n for n in a.acts if n in b.acts]
                if not both:
                    continue
                who = a.worn.person_id, b.worn.person_id
                named = listed([self.name(p) for p in dict.fromkeys(who)])
                thing = a.pack or a.name
                self._say(
                    "promised twice", f"{thing} is promised to {named} {self.acts_named(both)}.", who,
                    (a.worn.id, b.worn.id), both,
                )  # fmt: skip

    def _hand_ons(self, sharing: Sequence[Line]) -> list[HandOn]:
        at = {n: i for i, n in enumerate(self.numbers)}
        stays = sorted(((at[n], line) for line in sharing for n in line.acts), key=lambda s: s[0])
        out = []
        for (i, a), (j, b) in pairwise(stays):
            if i != j and a.worn.person_id != b.worn.person_id:
                found = self._hand_on(a, b, i, j)
                out.append(found)
                self._judge_time(found)
        return out

    def _hand_on(self, a: Line, b: Line, i: int, j: int) -> HandOn:
        gaps = self.acts[i].ends_at if self.acts else None, self.acts[j].starts_at if self.acts else None
        return HandOn(before=a, after=b, from_act=self.numbers[i], to_act=self.numbers[j], minutes=_minutes(*gaps))

    def _judge_time(self, found: HandOn) -> None:
        who = found.before.worn.person_id, found.after.worn.person_id
        worn = found.before.worn.id, found.after.worn.id
        what = f"{found.before.pack or found.before.name} goes from {self.name(who[0])} to {self.name(who[1])}"
        when = (found.from_act, found.to_act)
        if found.minutes is None:
            self._say("time unknown", f"{what}; the acts have no times, so nobody knows whether there is time.", who,
                      worn, when)  # fmt: skip
        elif found.minutes < CHANGE_MIN:
            kind: Kind = "no time" if found.minutes <= 0 else "little time"
            there = f"{found.minutes:.0f} min" if found.minutes > 0 else "no time"
            self._say(kind, f"{what} with {there} between; {CHANGE_MIN:.0f} min are planned for a change.", who, worn,
                      when)  # fmt: skip

    # -- one person ------------------------------------------------------------------------------------

    def _look_at(self, person: Person) -> None:
        lines, name = self.lines[person.id], self.name(person.id)
        bare = [a for a in self.on[person.id] if not any(a in x.acts for x in lines)]
        if bare:
            self._say("nothing to wear", f"{name} is on {self.acts_named(bare)} with nothing to wear.", [person.id],
                      in_=bare)  # fmt: skip
        for line in lines:
            self._look_at_line(person, line)
        if lines and person.phone == "on, in a pocket":
            text = f"{name} has a phone on, close to {len(lines)} pack{'s' if len(lines) > 1 else ''}: leave it behind."
            self._say("phone", text, [person.id])
        self._look_at_sides(person, lines)

    def _look_at_line(self, person: Person, line: Line) -> None:
        name = self.name(person.id)
        silent = [a for a in line.acts if a not in people.on_in(line.link.acts, self.numbers)]
        if silent or not line.acts:
            when = f" {self.acts_named(silent)}" if silent else " in any act that it is worn in"
            self._say(
                "not on", f"{name} wears {line.name}, which is not on{when}.", [person.id], [line.worn.id], silent
            )
        if line.unit is not None and line.unit.condition in _UNFIT:
            self._say("unfit", f"{line.pack} on {name} is {line.unit.condition}.", [person.id], [line.worn.id])

    def _look_at_sides(self, person: Person, lines: Sequence[Line]) -> None:
        packs = [x for x in lines if people.is_pack(x.model)]
        for i, a in enumerate(packs):
            for b in packs[i + 1 :]:
                if a.worn.side == b.worn.side and set(a.acts) & set(b.acts):
                    text = f"{a.name} and {b.name} are both on the {a.worn.side} of {self.name(person.id)}."
                    self._say("one side", text, [person.id], [a.worn.id, b.worn.id])

    # -- two on one voice ----------------------------------------------------------------------------------

    def _look_at_pairs(self) -> None:
        known = {x.id: x for x in links(self.store, self.scope)}
        place = ground.here(self.store, self.scope)
        channels = [(c.low_hz, c.high_hz) for c in place.channels()]
        for pair in people.pairs_of(self.store, self.scope):
            two = pair.link_a_id, pair.link_b_id
            if not known.keys() >= {*two}:
                continue
            names = listed([known[n].name for n in two])
            who = [p for p, found in self.lines.items() if any(x.link.id in two for x in found)]
            worn = [x.worn.id for found in self.lines.values() for x in found if x.link.id in two]
            freqs = [self.frequencies[n] for n in two if n in self.frequencies]
            found = rf.pair_findings((freqs[0], freqs[1]), channels) if len(freqs) == 2 else []
            text = {
                "spacing": f"closer than {rf.PAIR_HZ / 1e6:g} MHz ({' and '.join(mhz(f) for f in freqs)})",
                "same-channel": "in one raster channel",
            }
            said = [text[f] for f in found]
            if both := self._changed_together(two):
                said.append(f"both changed in the break before {both}")
            if len(freqs) < 2:
                said.append("not both placed, so their distance is not known")
            if said:
                self._say("pair", f"{names} are on one voice and {listed(said)}.", who, worn)

    def _changed_together(self, two: tuple[int, int]) -> str:
        """The act before which both packs of a pair change their wearer; empty for none."""
        starts = []
        for n in two:
            firsts = {x.acts[0] for f in self.lines.values() for x in f if x.link.id == n and x.acts}
            starts.append(firsts - {min(firsts, key=self.numbers.index)} if firsts else set())
        both = [a.name for a in self.acts if a.id in starts[0] & starts[1]]
        return both[0] if both else ""


def _minutes(ends: datetime | None, starts: datetime | None) -> float | None:
    return (starts - ends).total_seconds() / 60 if ends is not None and starts is not None else None
