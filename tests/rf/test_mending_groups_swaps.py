"""Least change, swap spares, and hardware groups."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.rf import groups
from azven.rf.coordinate import conflicts, coordinate, describe, mend, swap_spares
from azven.rf.coordinate.mending import broken_rules, sets_to_move
from azven.rf.request import PlanRequest, Profile, Range, Request

VOICE = Profile(350_000, {"2a-b": 100_000, "a+b-c": 50_000})


def request(priorities, high=512_000_000):
    wishes = tuple(
        Request(
            id=f"v{i:02}",
            profile="voice",
            zone="hall",
            ranges=(Range(500_000_000, high),),
            step_hz=25_000,
            origin_hz=0,
            priority=p,
        )
        for i, p in enumerate(priorities)
    )
    return PlanRequest(profiles={"voice": VOICE}, zones=("hall",), requests=wishes, effort=1)


def frequencies(plan):
    return {a.id: a.freq_hz for a in plan.assignments}


def test_of_two_that_clash_the_less_important_moves_and_the_answer_says_why():
    asked = request([1, 2, 2, 3])
    stands = frequencies(coordinate(asked)) | {}
    stands["v03"] = stands["v00"] + 100_000
    mended = mend(asked, stands)
    assert [m.id for m in mended.moves] == ["v03"]
    assert "100 kHz apart, 350 kHz needed" in describe(mended.moves[0].broke)
    assert {n: f for n, f in frequencies(mended.plan).items() if n != "v03"} == {
        n: f for n, f in stands.items() if n != "v03"
    }


def test_one_link_in_two_conflicts_moves_rather_than_both_others():
    asked = request([1, 3, 3])
    stands = {"v00": 505_000_000, "v01": 505_200_000, "v02": 504_800_000}
    assert [m.id for m in mend(asked, stands).moves] == ["v00"]
    held = mend(asked, stands, fixed=["v00"])
    assert sorted(m.id for m in held.moves) == ["v01", "v02"]


def test_somebody_makes_room_when_the_broken_link_has_nowhere_to_go():
    narrow = Request(
        id="n",
        profile="voice",
        zone="hall",
        ranges=(Range(505_000_000, 505_100_000),),
        step_hz=25_000,
        origin_hz=0,
        priority=1,
    )
    asked = request([2, 3])
    asked = PlanRequest(profiles=asked.profiles, zones=asked.zones, requests=(*asked.requests, narrow), effort=1)
    stands = {"v00": 502_000_000, "v01": 505_000_000, "n": 505_025_000}
    mended = mend(asked, stands)
    assert len(frequencies(mended.plan)) == 3
    assert [m.id for m in mended.moves] == ["v01"]


def test_a_crowd_on_one_frequency_is_cleared_without_listing_every_set():
    asked = request([1 + i % 3 for i in range(22)], high=560_000_000)
    stands = {r.id: 530_000_000 for r in asked.requests}
    found = broken_rules(asked, stands, set(stands))
    assert len(found) > 400
    (leaving,) = sets_to_move(asked, stands, found, asked.requests)
    assert len(leaving) == 21
    mended = mend(replace(asked, time_limit_s=4.0), stands)
    assert not conflicts(asked, frequencies(mended.plan))[0]


def test_who_has_nowhere_to_go_loses_its_place_and_the_answer_says_so():
    shut = Request(
        id="n",
        profile="voice",
        zone="hall",
        ranges=(Range(505_000_000, 505_050_000),),
        step_hz=25_000,
        origin_hz=0,
        priority=3,
    )
    held = Request(
        id="h",
        profile="voice",
        zone="hall",
        ranges=(Range(505_000_000, 505_050_000),),
        step_hz=25_000,
        origin_hz=0,
        priority=1,
    )
    asked = PlanRequest(profiles={"voice": VOICE}, zones=("hall",), requests=(held, shut), effort=1)
    mended = mend(asked, {"h": 505_000_000, "n": 505_050_000})
    assert [(m.id, m.to_hz) for m in mended.moves] == [("n", None)]
    assert [u.id for u in mended.plan.unplaced] == ["n"]


def test_a_link_that_may_not_stand_where_it_stands_moves_and_others_stay():
    asked = request([1, 2])
    mended = mend(asked, {"v00": 499_000_000, "v01": 510_000_000})
    assert [m.id for m in mended.moves] == ["v00"]
    assert mended.moves[0].broke.cause == "out of range"


@given(st.lists(st.integers(0, 240), min_size=3, max_size=7), st.integers(0, 3))
def test_mending_ends_every_conflict_and_moves_no_more_than_were_in_one(steps, seed):
    asked = request([1 + (i + seed) % 3 for i in range(len(steps))], high=530_000_000)
    stands = {f"v{i:02}": 500_000_000 + 25_000 * s for i, s in enumerate(steps)}
    movable = {r.id for r in asked.requests}
    found = broken_rules(asked, stands, movable)
    mended = mend(asked, stands)
    after = frequencies(mended.plan)
    assert not conflicts(asked, after)[0]
    assert len(after) == len(stands)
    least = sets_to_move(asked, stands, found, asked.requests)[0] if found else frozenset()
    assert len(mended.moves) <= len(least)
    assert all(after[n] == f for n, f in stands.items() if n not in {m.id for m in mended.moves})


@given(st.integers(2, 9), st.integers(0, 5))
def test_taking_any_carrier_out_of_a_clean_plan_leaves_it_clean(n, gone):
    asked = request([1] * n)
    stands = frequencies(coordinate(asked))
    stands.pop(f"v{gone:02}", None)
    assert not conflicts(asked, stands)[0]


@given(st.integers(2, 10), st.integers(1, 400))
def test_moving_the_whole_problem_moves_nothing_but_the_numbers(n, by):
    here, there = request([1] * n), request([1] * n)
    shift = 25_000 * by
    moved = tuple(
        Request(
            id=r.id,
            profile=r.profile,
            zone=r.zone,
            ranges=tuple(Range(x.low_hz + shift, x.high_hz + shift) for x in r.ranges),
            step_hz=r.step_hz,
            origin_hz=r.origin_hz + shift,
            priority=r.priority,
        )
        for r in there.requests
    )
    found = frequencies(coordinate(PlanRequest(profiles=there.profiles, zones=there.zones, requests=moved, effort=1)))
    assert found == {k: f + shift for k, f in frequencies(coordinate(here)).items()}


def test_a_swap_spare_works_when_its_link_alone_moves():
    asked = request([1, 1, 2, 2, 3, 3], high=520_000_000)
    stands = frequencies(coordinate(asked))
    found = swap_spares(asked, stands, ["v00", "v01", "nobody"])
    assert set(found) == {"v00", "v01"}
    for name, swap in found.items():
        assert swap.freq_hz != stands[name]
        assert swap.margin_hz >= 0
        assert not conflicts(asked, {**stands, name: swap.freq_hz})[0]
        assert abs(swap.freq_hz - stands[name]) >= 6_000_000


def test_groups_are_clean_within_and_share_no_frequency():
    table = groups.compute(500_000_000, 524_000_000, 25_000, VOICE, groups=4, per_group=10)
    assert len(table) == 4
    assert all(len(freqs) == 10 for freqs in table.values())
    assert len({f for freqs in table.values() for f in freqs}) == 40
    judged = groups.judge(table, VOICE, lambda f: f >= 506_000_000)
    assert all(g.own_conflicts == 0 for g in judged)
    assert [len(g.free_hz) for g in judged] == sorted((len(g.free_hz) for g in judged), reverse=True)
    assert groups.mixing_cost(table, "1", "2", VOICE) > 0


def test_mixing_groups_is_noticed():
    table = {"A": (500_000_000, 501_000_000), "B": (502_000_000,)}
    assert groups.mixed(table, [500_000_000, 502_000_000, 509_000_000]) == {"A": 1, "B": 1}
    assert groups.mixed(table, [500_000_000, 501_000_000]) == {"A": 2}


@pytest.mark.parametrize("wrong", [(5, 4, 1, 1), (500_000_000, 510_000_000, 0, 4)])
def test_a_table_that_cannot_be_meant_is_refused(wrong):
    low, high, number, size = wrong
    with pytest.raises(ValueError, match=r"upwards|at least one"):
        groups.compute(low, high, 25_000, VOICE, number, size)


@pytest.mark.parametrize(("high_hz", "away_hz"), [(505_950_000, 0), (506_000_000, 6_000_000)])
def test_a_swap_spare_is_six_megahertz_away_where_that_can_be_had(high_hz, away_hz):
    """The link stands at the lower edge of what it may use: with a step less than 6 MHz anything free will do."""
    wish = Request(
        id="v",
        profile="voice",
        zone="hall",
        ranges=(Range(500_000_000, high_hz),),
        step_hz=50_000,
        origin_hz=0,
        priority=1,
    )
    asked = PlanRequest(profiles={"voice": Profile(350_000, {})}, zones=("hall",), requests=(wish,))
    swap = swap_spares(asked, {"v": 500_000_000}, ["v"])["v"]
    assert swap.freq_hz - 500_000_000 >= away_hz
    assert (swap.freq_hz == 506_000_000) is bool(away_hz)
