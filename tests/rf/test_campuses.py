"""One coordination of several campuses: every campus keeps its own rules, and what is far may not overlap."""

from dataclasses import replace
from itertools import combinations, pairwise, product

import pytest

from azven.rf.coordinate import coordinate
from azven.rf.register.campuses import Campus, together
from azven.rf.request import Blocked, Carrier, PlanRequest, Profile, Range, Request

WIDTH = 200_000
VOICE = Profile(350_000, {"2a-b": 100_000, "a+b-c": 50_000}, WIDTH)


def campus(name, count, times=(), blocked=(), low=470_000_000, high=474_000_000):
    """A campus with a room of links, and a foreign carrier that every campus calls the same."""
    requests = tuple(
        Request(id=f"{name}{k}", profile="voice", zone="hall", ranges=(Range(low, high),), step_hz=25_000,
                priority=1 + k % 2, times=frozenset(times[k % len(times)]) if times else frozenset())
        for k in range(count)
    )  # fmt: skip
    foreign = Carrier(id="press", freq_hz=472_000_000, profile="voice", zone="hall", radiates=False)
    return Campus(name, PlanRequest(profiles={"voice": VOICE}, zones=("hall", "everywhere"), requests=requests,
                                    relations={frozenset({"hall", "everywhere"}): "together"}, blocked=blocked,
                                    carriers=(foreign,)))  # fmt: skip


def planned(*campuses, heard=(), at_once=()):
    request = together(campuses, heard, at_once, effort=2)
    found = coordinate(request, lambda d, t: True, lambda: 0.0)
    return request, {a.id: a.freq_hz for a in found.assignments}


FAR = (("a", "hall"), ("b", "hall"), "far")


def overlapping(freqs, a="a", b="b"):
    mine, theirs = ({n: f for n, f in freqs.items() if n.startswith(x)} for x in (a, b))
    return {(x, y) for x, y in product(mine, theirs) if abs(mine[x] - theirs[y]) < WIDTH}


def test_campuses_that_do_not_hear_one_another_share_everything():
    _, freqs = planned(campus("a", 6), campus("b", 6))
    assert len(freqs) == 12
    assert overlapping(freqs)


def test_those_that_do_never_overlap_and_keep_their_own_rules():
    request, freqs = planned(campus("a", 6), campus("b", 6), heard=[FAR])
    assert len(freqs) == 12
    assert overlapping(freqs) == set()
    for name in "ab":
        own = sorted(f for n, f in freqs.items() if n.startswith(name))
        assert all(y - x >= VOICE.spacing_hz for x, y in pairwise(own))
        for x, y, v in product(own, own, own):
            assert x == y or v in (x, y) or abs(2 * x - y - v) >= VOICE.guard_hz["2a-b"]
    assert {r.zone for r in request.requests} == {"a/hall", "b/hall"}


def test_products_and_spacing_do_not_reach_another_campus():
    _, freqs = planned(campus("a", 6), campus("b", 6), heard=[FAR])
    gaps = [abs(f - g) for (n, f), (m, g) in combinations(freqs.items(), 2) if n[0] != m[0]]
    assert min(gaps) < VOICE.spacing_hz


def test_acts_that_share_no_time_may_share_a_frequency_and_those_that_do_may_not():
    early, late = campus("a", 5, times=["morning"]), campus("b", 5, times=["night"])
    early = Campus("a", _timed(early.request, "morning"))
    late = Campus("b", _timed(late.request, "night"))
    _, apart = planned(early, late, heard=[FAR])
    assert overlapping(apart)
    _, at_once = planned(early, late, heard=[FAR], at_once=[("morning", "night")])
    assert overlapping(at_once) == set()


def _timed(request, act):
    return replace(request, requests=tuple(replace(r, times=frozenset({act})) for r in request.requests))


def test_sharing_time_with_a_third_does_not_bring_two_acts_of_one_campus_together():
    one = campus("a", 2)
    acts = [frozenset({"first"}), frozenset({"second"})]
    requests = tuple(replace(r, times=t) for r, t in zip(one.request.requests, acts, strict=True))
    one = Campus("a", replace(one.request, requests=requests))
    other = Campus("b", _timed(campus("b", 1).request, "long"))
    request = together([one, other], [FAR], [("first", "long"), ("second", "long")])
    first, second, long = (r.times for r in request.requests)
    assert first.isdisjoint(second)
    assert first & long
    assert second & long


def test_what_is_closed_at_one_campus_is_open_at_the_other():
    closed = Blocked(470_000_000, 473_000_000, "television")
    _, freqs = planned(campus("a", 2, blocked=(closed,)), campus("b", 2))
    assert all(f >= 473_000_000 for n, f in freqs.items() if n.startswith("a"))
    assert any(f < 473_000_000 for n, f in freqs.items() if n.startswith("b"))


def test_a_link_that_two_campuses_have_is_refused():
    with pytest.raises(ValueError, match="a0"):
        together([campus("a", 1), Campus("b", campus("a", 1).request)], [], [])
