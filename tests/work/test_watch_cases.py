"""Cases: one for one trouble, in the order in which they matter, taken and coming back."""

import pytest

from azven.rf.diagnose.record import Incident
from azven.work.watch.cases import AGAIN_S, NOBODY_S, SINKS_S, Cases


def wrong(cause, *links, since=100.0, until=110.0, sure=0.95):
    return Incident(from_s=since, to_s=until, links=links, cause=cause, sure=sure, evidence=["seen"], next=["do"])


@pytest.fixture
def cases():
    return Cases(importance={"Narrator": 1, "Choir 1": 3, "Choir 2": 3})


def rings(cases):
    return [(a.why, a.case.number) for a in cases.alarms()]


def test_trouble_that_goes_on_is_one_case_and_is_told_once(cases):
    for t in range(105, 115):
        cases.update([wrong("muted", "Narrator", until=t)], float(t))
    (case,) = cases.standing()
    assert (case.number, case.since_s, case.mark) == (1, 100.0, "broken")
    assert rings(cases) == [("new", 1)]


def test_importance_comes_before_what_is_missed_and_how_many(cases):
    found = [wrong("crowd", "Narrator"), wrong("system", "Choir 1", "Choir 2"), wrong("muted", "Choir 1"),
             wrong("clip", "Pilot")]  # fmt: skip
    cases.update(found, 110.0)
    assert [c.incident.cause for c in cases.standing()] == ["crowd", "system", "muted", "clip"]


def test_what_hurts_now_is_broken_whatever_its_cause(cases):
    cases.update([wrong("crowd", "Choir 1", "Choir 2")], 110.0)
    assert cases.all[1].mark == "tight"
    cases.update([wrong("crowd", "Choir 1", "Choir 2", until=111.0)], 111.0, poor=["Choir 2"])
    assert cases.all[1].mark == "broken"


def test_calm_for_a_while_ends_it_and_the_same_again_is_the_same_case(cases):
    cases.update([wrong("muted", "Narrator")], 110.0)
    cases.update([wrong("muted", "Narrator")], 110.0 + SINKS_S)
    cases.update([], 111.0 + 2 * SINKS_S)
    assert cases.standing() == []
    assert cases.all[1].ended == "over by itself"
    cases.alarms()
    cases.update([wrong("clip", "Narrator", since=130.0, until=150.0)], 150.0)
    assert rings(cases) == [("new", 2)]
    cases.update([wrong("clip", "Narrator", since=130.0, until=150.0)], 175.0)
    assert cases.all[2].state == "closed"
    cases.update([wrong("clip", "Narrator", since=180.0, until=185.0)], 185.0)
    assert ("again", 2) in rings(cases)
    assert [c.number for c in cases.standing()] == [2]


def test_an_old_trouble_that_ended_before_is_not_made_a_case(cases):
    cases.update([], 500.0)
    cases.update([wrong("shadow", "Narrator", since=100.0, until=103.0)], 501.0)
    assert cases.all == {}


def test_a_short_trouble_between_two_looks_is_a_case(cases):
    cases.update([], 500.0)
    cases.update([wrong("shadow", "Narrator", since=505.0, until=506.0)], 530.0)
    assert [c.incident.cause for c in cases.all.values()] == ["shadow"]


def test_taken_it_asks_again_after_its_time(cases):
    cases.update([wrong("muted", "Narrator")], 110.0)
    cases.take(1, "Ona", 111.0)
    assert cases.standing() == []
    assert [(c.by, c.state) for c in cases.in_hand()] == [("Ona", "in hand")]
    cases.alarms()
    cases.update([wrong("muted", "Narrator", until=600.0)], 600.0)
    assert rings(cases) == []
    later = 111.0 + AGAIN_S
    cases.update([wrong("muted", "Narrator", until=later)], later)
    assert rings(cases) == [("again", 1)]
    assert cases.standing()[0].by == ""


@pytest.mark.parametrize("worse", [
    {"found": wrong("clip", "Choir 1", "Choir 2", until=120.0)},
    {"found": wrong("clip", "Choir 1", until=120.0), "poor": ["Choir 1"]},
])  # fmt: skip
def test_taken_or_hushed_it_comes_back_when_it_gets_worse(cases, worse):
    for hush in (False, True):
        mine = Cases()
        mine.update([wrong("clip", "Choir 1")], 110.0)
        if hush:
            mine.hush(1, "Ona", 111.0, 3600.0)
        else:
            mine.take(1, "Ona", 111.0)
        mine.alarms()
        mine.update([worse["found"]], 120.0, worse.get("poor", ()))
        assert rings(mine) == [("worse", 1)]
        assert mine.standing()


def test_what_nobody_takes_is_told_once_more(cases):
    for t in (110.0, 150.0, 111.0 + NOBODY_S, 115.0 + NOBODY_S):
        cases.update([wrong("muted", "Narrator", until=t)], t)
    assert rings(cases) == [("new", 1), ("nobody", 1)]
    assert cases.all[1].nobody


def test_another_name_for_the_same_trouble_is_no_second_case(cases):
    cases.update([wrong("unknown", "Choir 1", sure=0.3)], 110.0)
    cases.update([wrong("foreign", "Choir 1", until=112.0)], 112.0)
    cases.update([wrong("product", "Choir 1", until=114.0)], 114.0)
    assert [(c.number, c.incident.cause) for c in cases.all.values()] == [(1, "product")]
    cases.update([wrong("product", "Choir 1", until=115.0), wrong("muted", "Choir 1", until=115.0)], 115.0)
    assert len(cases.all) == 2


def test_what_a_common_cause_does_is_part_of_it(cases):
    cases.update([wrong("foreign", "Choir 1"), wrong("foreign", "Choir 2")], 110.0)
    cases.update([wrong("noise", "Choir 1", "Choir 2", until=112.0)], 112.0)
    (one,) = cases.standing()
    assert (one.incident.cause, one.links) == ("noise", ("Choir 1", "Choir 2"))
    (other,) = (c for c in cases.all.values() if c.number != one.number)
    assert (other.state, other.ended) == ("closed", f"part of {one.number}")


def test_what_is_ahead_is_a_case_that_is_not_broken_until_it_is(cases):
    soon = wrong("battery", "Narrator", since=110.0)
    cases.update([], 110.0, ahead=[soon])
    assert (cases.all[1].ahead, cases.all[1].mark) == (True, "tight")
    cases.update([wrong("battery", "Narrator", since=118.0, until=120.0)], 120.0, poor=["Narrator"],
                 ahead=[wrong("battery", "Narrator", since=120.0)])  # fmt: skip
    assert len(cases.all) == 1
    assert (cases.all[1].ahead, cases.all[1].mark) == (False, "broken")


def test_notes_and_what_it_was_stay_with_it(cases):
    cases.update([wrong("muted", "Narrator")], 110.0)
    cases.note(1, "Jory", "switch was loose", 115.0)
    cases.close(1, "taped the switch")
    assert cases.all[1].notes[0].text == "switch was loose"
    assert (cases.all[1].state, cases.all[1].ended) == ("closed", "taped the switch")
    cases.update([wrong("muted", "Narrator", until=200.0)], 200.0)
    assert cases.all[1].state == "open"


def test_trouble_that_lasts_longer_than_one_looks_back_stays(cases):
    cases.update([wrong("switched-off", "Narrator")], 110.0)
    for t in range(120, 1500, 10):
        cases.update([], float(t), unwell={"Narrator"})
    assert [c.since_s for c in cases.standing()] == [100.0]
    cases.update([], 1600.0)
    assert cases.all[1].state == "closed"


def test_a_case_of_many_stays_while_half_of_them_are_not_well(cases):
    cases.update([wrong("system", "Choir 1", "Choir 2", "Pilot", "Tide")], 110.0)
    cases.update([], 200.0, unwell={"Choir 1", "Tide", "Narrator"})
    assert cases.standing()
    cases.update([], 300.0, unwell={"Tide", "Narrator"})
    assert not cases.standing()


def test_what_comes_again_is_not_told_at_once_that_nobody_has_it(cases):
    cases.update([wrong("clip", "Narrator")], 110.0)
    for t in (200.0, 300.0, 400.0):
        cases.update([], t)
    cases.alarms()
    cases.update([wrong("clip", "Narrator", since=150.0, until=205.0)], 410.0)
    cases.update([wrong("clip", "Narrator", since=100.0, until=420.0)], 420.0)
    number = cases.standing()[0].number
    assert rings(cases) in ([("new", number)], [("again", number)])
    cases.update([wrong("clip", "Narrator", since=100.0, until=530.0)], 530.0)
    assert rings(cases) == []
    cases.update([wrong("clip", "Narrator", since=100.0, until=545.0)], 545.0)
    assert rings(cases) == [("nobody", number)]
