"""Ten drills ship: each is what it says it is, diagnosis names it, one remedy is right, and answers are marked."""

from dataclasses import replace

import numpy as np
import pytest

from azven.rf.rehearse import drill
from azven.rf.rehearse.drill import Upset
from azven.work.rehearse import drills

SHIPPED = drills.shipped()


@pytest.fixture(scope="module")
def played():
    return {d.id: drills.play(d) for d in SHIPPED}


def of_kind(played, kind):
    return next(x for x in played.values() if x.drill.upset.kind == kind)


def test_ten_ship_each_of_its_own_kind():
    assert len(SHIPPED) == 10
    assert {d.upset.kind for d in SHIPPED} == set(drills.CAUSES)
    assert len({d.id for d in SHIPPED}) == 10


@pytest.mark.parametrize("one", SHIPPED, ids=lambda d: d.upset.kind)
def test_one_remedy_is_right_and_every_one_says_why(one):
    assert [r.right for r in one.remedies].count(True) == 1
    assert len(one.remedies) == 4
    assert all(r.why for r in one.remedies)
    assert sorted(r.text for r in one.offered) == sorted(r.text for r in one.remedies)
    assert one.offered == one.offered


def test_the_right_remedy_does_not_always_stand_in_one_place():
    assert len({[r.right for r in d.offered].index(True) for d in SHIPPED}) > 2


@pytest.mark.parametrize("one", SHIPPED, ids=lambda d: d.upset.kind)
def test_diagnosis_names_what_was_laid_in_and_whose_it_is(played, one):
    done = played[one.id]
    told = [x for x in done.found if x.cause == one.upset.kind]
    assert told
    assert any(set(x.links) & done.whose for x in told)
    assert all(x.to_s >= one.upset.at_s for x in told)


@pytest.mark.parametrize("one", SHIPPED, ids=lambda d: d.upset.kind)
def test_before_it_begins_those_who_have_it_are_well(played, one):
    done = played[one.id]
    names = [x.name for x in done.record.head.links]
    late = set(one.upset.links[1:]) if one.upset.kind in ("own", "product") else set()
    mine = [names.index(n) for n in done.whose - late]
    before = done.record.at_s < one.upset.at_s - 3.0
    assert (done.record.q[mine][:, before] > 50).mean() > 0.95


def test_a_drill_comes_again_with_its_seed(played):
    again = drills.play(SHIPPED[0])
    assert np.array_equal(again.record.a, played[SHIPPED[0].id].record.a, equal_nan=True)


def test_a_drill_can_be_stopped():
    assert drills.play(SHIPPED[0], lambda done, total: False) is None


def test_an_answer_is_right_when_cause_links_and_remedy_are(played):
    done = of_kind(played, "own")
    right = next(r for r in done.drill.remedies if r.right)
    wrong = next(r for r in done.drill.remedies if not r.right)
    one = frozenset({"Lamp Choir 4"})
    assert drills.mark(done, "own", one, right).all
    assert drills.mark(done, "own", done.whose, right).all
    assert not drills.mark(done, "product", one, right).cause
    assert not drills.mark(done, "own", one | {"Narrator"}, right).links
    assert not drills.mark(done, "own", frozenset(), right).links
    assert not drills.mark(done, "own", one, wrong).remedy


def test_all_of_a_system_and_all_of_a_stretch_have_the_trouble(played):
    assert len(of_kind(played, "branch").whose) == len(of_kind(played, "system").whose) == 15
    stretch = of_kind(played, "noise")
    by_name = {x.name: x.freq_hz for x in stretch.record.head.links}
    assert all(468e6 < by_name[n] < 494e6 for n in stretch.whose)
    assert of_kind(played, "product").whose == {"Lamp Choir 4"}


def test_a_battery_ends_when_it_is_said_to(played):
    done = of_kind(played, "battery")
    i = [x.name for x in done.record.head.links].index("Lamp Choir 2")
    off = done.record.at_s[done.record.tx[i] == 0]
    assert off[0] == pytest.approx(done.drill.upset.at_s, abs=1.0)


def test_trouble_of_nobody_is_refused():
    show, act = drills.hall()
    with pytest.raises(ValueError, match="no link Nobody"):
        drill.laid(show, act, act.from_s, 1, Upset("muted", ("Nobody",), 10.0))


def test_only_what_is_laid_in_changes():
    show, act = drills.hall()
    laid = drill.laid(show, act, act.from_s, 1, Upset("foreign", ("Narrator",), 10.0, {"level_dbm": -55.0}))
    assert laid.players == show.players
    assert replace(laid.venue, emitters=()) == replace(show.venue, emitters=())
    assert [e.on_at(act.from_s + t) for e in laid.venue.emitters for t in (9.0, 11.0)] == [False, True]
