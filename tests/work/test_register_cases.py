"""Cases of the register's board: one cause is one case, the gravest first, each with what makes it right."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cached_property

import pytest

from azven.book.edits import Edit, remove
from azven.book.records import Deed, Inquiry, Show, Site, Unit
from azven.refusal import Refusal
from azven.work import kit, listen, plan, register, sites
from azven.work.ground.hours import Clock
from azven.work.kit import persons
from azven.work.reasons import board_case
from azven.work.register import Asked, asking, cases
from azven.work.register.astray import astray
from azven.work.register.times import set_span
from azven.work.scope import Scope, opening
from azven.work.watch import watched
from azven.work.watch.night import Seen

pytestmark = pytest.mark.quiet
NOW = datetime.now(UTC)
UTC_CLOCK = Clock("UTC")


@dataclass
class Desk:
    """Whoever asks for reasons."""

    store: object
    scope: object
    watched: None = None

    @cached_property
    def picture(self):
        return listen.picture(self.store, self.scope)

    @property
    def board(self):
        return plan.board_of(self.store, self.scope, self.picture)

    def now(self):
        return NOW


@pytest.fixture
def desk(store):
    return Desk(store, opening(store))


@pytest.fixture
def worn(store, desk):
    """Links and the units that somebody wears for them."""
    known = {w.link_id: store.get(Unit, w.unit_id) for w in persons.worn(store, desk.scope) if w.unit_id is not None}
    return [(x, known[x.id]) for x in kit.links(store, desk.scope) if x.id in known]


def found_of(desk, heard):
    """What is astray where these links are heard, each telling so much."""
    of_book = watched.of_show(desk.store, desk.scope, {}, NOW)
    status = tuple({"tx": "on", **heard[x.id]} if x.id in heard else {} for x in of_book.links)
    return astray(desk.store, desk.scope, Seen(t=1.0, watched=of_book, status=status), NOW)


def cases_of(desk, heard):
    return cases.in_order(cases.heard(found_of(desk, heard), desk.scope, UTC_CLOCK))


def do(store, units, deed, ago=timedelta(minutes=5), **more):
    units = [store.get(Unit, u.id) for u in units]
    store.apply(register.do(store, units, Asked(deed=deed, at=NOW - ago, by="Merle", **more)))


def test_units_of_one_deed_are_one_case_and_those_of_another_are_another(store, desk, worn):
    pairs = worn[:4]
    do(store, [u for _, u in pairs[:3]], "lost")
    do(store, [pairs[3][1]], "send to repair")
    found = cases_of(desk, {x.id: {} for x, _ in pairs})
    assert [(c.cause, c.count, c.mark) for c in found] == [("state", 3, "broken"), ("state", 1, "broken")]
    assert {u.id for u in found[0].units} == {u.id for _, u in pairs[:3]}
    assert "the register has them missing" in found[0].what
    assert "lost by Merle" in found[0].evidence
    assert "in repair" in found[1].what


def test_taking_in_makes_every_state_right_even_of_what_is_retired(store, desk, worn):
    pairs = worn[:3]
    for (_, unit), deed in zip(pairs, ("lost", "retire", "send to repair"), strict=True):
        do(store, [unit], deed)
    heard = {x.id: {} for x, _ in pairs}
    before = cases_of(desk, heard)
    assert len(before) == 3
    for case in before:
        (option,) = board_case.options(desk, case)
        assert ("first, in repair" in option.effect) == (case.units[0].state == "in repair")
        store.apply(option.edit())
    assert cases_of(desk, heard) == []
    assert {store.get(Unit, u.id).state for _, u in pairs} == {"assigned"}
    retired = pairs[1][1]
    assert [d.deed for d in sorted(store.all(Deed, unit_id=retired.id), key=lambda d: d.id)][-2:] == [
        "reinstate", "assign",
    ]  # fmt: skip


def test_what_is_taken_in_needs_a_show_that_is_not_over(store, desk, worn):
    link, unit = worn[0]
    do(store, [unit], "lost")
    show = store.get(Show, desk.scope.show)
    store.apply(set_span(show, NOW - timedelta(days=3), NOW - timedelta(days=1)))
    (case,) = cases_of(desk, {link.id: {}})
    assert board_case.options(desk, case) == []
    assert board_case.for_case(desk, case).steps[0].startswith("Have it switched off")


def test_one_that_is_somewhere_else_is_said_to_be_here(store, desk, worn):
    link, unit = worn[0]
    other = next(s for s in store.all(Site) if s.id != desk.scope.site)
    do(store, [unit], "hand out", to="Kiln choir", site=other)
    (case,) = cases_of(desk, {link.id: {}})
    assert (case.cause, case.mark) == ("campus", "tight")
    reasons = board_case.for_case(desk, case)
    assert other.name in reasons.verdict
    store.apply(reasons.options[0].edit())
    assert store.get(Unit, unit.id).site_at_id == desk.scope.site
    assert store.get(Unit, unit.id).site_home_id == unit.site_home_id


def test_a_pack_on_another_frequency_is_planned_there_only_where_that_is_clean(store, desk, worn):
    placed = plan.assignments(store, desk.scope)
    link, unit = next((x, u) for x, u in worn if x.id in placed)
    do(store, [unit], "assign", show=store.get(Show, desk.scope.show), link=link.name)
    freq, taken = placed[link.id].freq_hz, sorted(a.freq_hz for n, a in placed.items() if n != link.id)
    nearest = min(taken, key=lambda f: abs(f - freq))
    (case,) = cases_of(desk, {link.id: {"txf": nearest}})
    assert case.cause == "frequency"
    assert board_case.options(desk, case) == []
    number = f"link-{link.id}"
    clean = next(f for f in range(freq + 25_000, freq + 20_000_000, 25_000) if plan.try_at(desk.board, number, f).clean)
    (case,) = cases_of(desk, {link.id: {"txf": clean}})
    (option,) = board_case.options(desk, case)
    store.apply(option.edit())
    assert plan.assignments(store, desk.scope)[link.id].freq_hz == clean
    assert cases_of(desk, {link.id: {"txf": clean}}) == []


def test_many_on_other_frequencies_are_one_case_with_a_ring_each(store, desk, worn):
    placed = plan.assignments(store, desk.scope)
    pairs = [(x, u) for x, u in worn if x.id in placed][:3]
    show = store.get(Show, desk.scope.show)
    for link, unit in pairs:
        do(store, [unit], "assign", show=show, link=link.name)
    (case,) = cases_of(desk, {x.id: {"txf": placed[x.id].freq_hz + 50_000} for x, _ in pairs})
    assert (case.cause, case.count) == ("frequency", 3)
    assert {(s.site, s.freq_hz) for s in case.spots} == {
        (desk.scope.site, placed[x.id].freq_hz + 50_000) for x, _ in pairs
    }


def test_a_case_keeps_its_key_while_it_is_about_the_same_and_its_words_follow(store, desk, worn):
    link, unit = worn[0]
    do(store, [unit], "lost")
    (quiet,) = cases_of(desk, {link.id: {"a": -80.0}})
    (loud,) = cases_of(desk, {link.id: {"a": -50.0}})
    assert quiet.key == loud.key
    assert quiet.evidence != loud.evidence
    do(store, [unit], "send to repair", ago=timedelta(minutes=1))
    (other,) = cases_of(desk, {link.id: {}})
    assert other.key != quiet.key


def test_what_is_missing_is_one_case_with_the_last_places(store, desk, monkeypatch):
    assert cases.missing(store, UTC_CLOCK, NOW) == []
    units = sorted(store.all(Unit, carried=True), key=lambda u: u.id)
    do(store, units[:1], "hand out", ago=timedelta(days=9), to="Chapel choir", place="Stage left")
    do(store, units[:1], "lost", ago=timedelta(days=8))
    (one,) = cases.missing(store, UTC_CLOCK, NOW)
    assert one.what == f"is missing since {UTC_CLOCK.said(NOW - timedelta(days=8))}"
    assert "Stage left" in one.evidence
    assert "last with Chapel choir" in one.evidence
    (found,) = board_case.options(desk, one)
    do(store, units[1:9], "lost")
    (many,) = cases.missing(store, UTC_CLOCK, NOW)
    assert (many.count, many.what) == (9, "are missing, 8 of them for less than a week")
    assert many.who.endswith("and 7 other units")
    monkeypatch.setattr(cases, "_LOOKED_AT", 5)
    (looked,) = cases.missing(store, UTC_CLOCK, NOW)
    assert (looked.who, looked.what) == ("9 units", many.what)
    assert looked.evidence.startswith("The 5 that are missing longest were last at ")
    store.apply(found.edit())
    assert store.get(Unit, units[0].id).state == "in case"
    assert cases.missing(store, UTC_CLOCK, NOW)[0].count == 8


def test_a_campus_is_asked_about_one_thing_once_and_never_itself(store, desk):
    here, there = store.get(Site, desk.scope.site), next(s for s in store.all(Site) if s.id != desk.scope.site)
    store.apply(asking.ask(store, desk.scope, there, "far:1", "Can it move?", NOW, "Wenna"))
    with pytest.raises(Refusal, match="asked that already"):
        asking.ask(store, desk.scope, there, "far:1", "Again?", NOW, "Wenna")
    with pytest.raises(Refusal, match="nobody to ask"):
        asking.ask(store, desk.scope, here, "far:2", "Hello?", NOW, "Wenna")
    (question,) = asking.asked_of(store, there.id)
    waits = next(c for c in cases.asked(store, desk.scope, UTC_CLOCK) if c.cause == "waiting")
    assert waits.who == there.name
    assert "Can it move?" in waits.evidence
    asked = cases.asked(store, Scope(there.id, desk.scope.show), UTC_CLOCK)
    assert [c.what for c in asked if c.question == question] == ["asks: Can it move?"]
    store.apply(asking.answer(question, "Not before ten", NOW, "Merle"))
    answered = next(c for c in cases.asked(store, desk.scope, UTC_CLOCK) if c.question.about == "far:1")
    assert answered.sentence == f"Merle at {there.name} answers: Not before ten."
    (seen,) = board_case.options(desk, answered)
    store.apply(seen.edit())
    assert asking.open_about(store, there.id, "far:1") is None


def test_questions_of_a_site_go_with_it(store, desk):
    store.apply(sites.add_site(store, "Ferry Slip"))
    slip = next(s for s in store.all(Site) if s.name == "Ferry Slip")
    others = [s for s in store.all(Site) if s.id not in (slip.id, desk.scope.site)]
    store.apply(asking.ask(store, desk.scope, slip, "far:1", "Can it move?", NOW, "Wenna"))
    store.apply(asking.ask(store, Scope(slip.id, desk.scope.show), others[0], "far:2", "And this?", NOW, "Merle"))
    store.apply(asking.ask(store, desk.scope, others[0], "far:3", "That one?", NOW, "Wenna"))
    store.apply(Edit("No show", remove(store.all(Show, site_id=slip.id))))
    store.apply(sites.remove_site(store, slip))
    assert [q.about for q in store.all(Inquiry)] == ["far:3"]
