"""The search: what every plan has to keep, whatever was asked."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from azven.rf.coordinate import conflicts, coordinate, lane, mend, tuning_faults
from azven.rf.coordinate.grid import Grid, tunable
from azven.rf.coordinate.plan import carriers_of
from azven.rf.coordinate.rules import Rules
from azven.rf.coordinate.state import build
from azven.rf.density import STEPS, at_density
from azven.rf.products import Situation
from azven.rf.request import KINDS, Blocked, Carrier, PlanRequest, Profile, Range, Request
from azven.rf.verdict import harmed_by

BAND = (Range(500_000_000, 506_000_000),)
VOICE = Profile(350_000, {"2a-b": 100_000, "a+b-c": 50_000})


def voices(n, priority=1, **more):
    return tuple(
        Request(
            id=f"v{priority}-{i:02}",
            profile="voice",
            zone="hall",
            ranges=BAND,
            step_hz=25_000,
            origin_hz=0,
            priority=priority,
            **more,
        )
        for i in range(n)
    )


def request(requests, effort=1, **more):
    return PlanRequest(
        profiles={"voice": VOICE, **more.pop("profiles", {})},
        zones=("hall", "foyer"),
        requests=requests,
        effort=effort,
        **more,
    )


def frequencies(plan):
    return {a.id: a.freq_hz for a in plan.assignments}


def brief(asked):
    """A plan after a short search: the properties hold at any time."""
    return coordinate(asked, progress=lambda done, total: done < 120)


guards = st.sampled_from([0, 20_000, 50_000, 112_500])
profiles = st.builds(
    lambda spacing, values: Profile(spacing, dict(zip(KINDS, values, strict=False))),
    st.sampled_from([0, 100_000, 362_500]),
    st.tuples(*[guards] * 6),
)


@st.composite
def plan_requests(draw):
    names = ["a", "b"]
    wishes = tuple(
        Request(
            id=f"r{i}", profile=draw(st.sampled_from(names)), zone=draw(st.sampled_from(["hall", "foyer"])),
            ranges=(Range(500_000_000, draw(st.sampled_from([501_000_000, 503_000_000]))),),
            step_hz=draw(st.sampled_from([25_000, 12_500, 30_000])), origin_hz=draw(st.sampled_from([0, 500_000_000])),
            priority=draw(st.integers(1, 3)), times=frozenset(draw(st.sets(st.sampled_from(["x", "y"]), max_size=2))),
        )
        for i in range(draw(st.integers(1, 7)))
    )  # fmt: skip
    carriers = tuple(
        Carrier(
            id=f"g{i}",
            freq_hz=draw(st.integers(499_500_000, 503_500_000)),
            profile=draw(st.sampled_from(names)),
            zone="hall",
            radiates=draw(st.booleans()),
        )
        for i in range(draw(st.integers(0, 3)))
    )
    relation = draw(st.sampled_from(["together", "near", "apart"]))
    blocked = (Blocked(500_400_000, 500_700_000, "test"),) if draw(st.booleans()) else ()
    return PlanRequest(
        profiles={n: draw(profiles) for n in names}, zones=("hall", "foyer"), requests=wishes,
        relations={frozenset(("hall", "foyer")): relation}, blocked=blocked, carriers=carriers, effort=1,
    )  # fmt: skip


@settings(max_examples=30)
@given(plan_requests())
def test_no_plan_has_a_conflict(asked):
    plan = brief(asked)
    placed = frequencies(plan)
    assert not conflicts(asked, placed)[0]
    assert not tuning_faults(asked, placed)
    assert sorted([*placed, *(u.id for u in plan.unplaced)]) == sorted(r.id for r in asked.requests)


@settings(max_examples=30)
@given(plan_requests(), st.integers(0, 6))
def test_taking_one_out_leaves_a_clean_plan_clean(asked, i):
    placed = frequencies(brief(asked))
    if placed:
        del placed[sorted(placed)[i % len(placed)]]
    assert not conflicts(asked, placed)[0]


@settings(max_examples=30)
@given(plan_requests())
def test_open_steps_of_the_search_are_open_in_truth(asked):
    """What the bit sets leave open never breaks a rule; with everything on the raster, nothing else is lost."""
    placed = frequencies(brief(asked))
    others = [c for c in carriers_of(asked, placed) if c.id != asked.requests[0].id]
    link = asked.requests[0]
    found = lane(asked, link, others)
    for freq, cause in list(zip(found.freq_hz.tolist(), found.cause.tolist(), strict=True))[::9]:
        situation = Situation([*others, link.at(freq)], asked.profiles, asked.relations)
        broken = bool(harmed_by(situation, link.id))
        if cause == 0:
            assert not broken
        on_raster = all(c.freq_hz % 12_500 == 0 for c in others) and link.step_hz != 30_000
        if cause > 1 and on_raster and Grid(replace(asked, requests=(link,), carriers=tuple(others))).unit <= 25_000:
            assert broken or any(c.freq_hz % 25_000 for c in others)


def test_effect_of_a_new_carrier_matches_the_definition():
    """Bit sets against the product checker, step by step, all kinds on."""
    everything = Profile(200_000, dict.fromkeys(KINDS, 60_000))
    wish = Request(id="new", profile="p", zone="hall", ranges=(Range(100_000_000, 104_000_000),), step_hz=25_000)
    others = tuple(
        Carrier(id=f"g{i}", freq_hz=f, profile="p", zone="hall")
        for i, f in enumerate((50_000_000, 101_000_000, 101_450_000, 102_725_000))
    )
    asked = PlanRequest(profiles={"p": everything}, zones=("hall",), requests=(wish,), carriers=others)
    grid = Grid(asked)
    closed = build(Rules(grid), grid.given).closed[grid.request_tag[0]]
    for freq in tunable(wish):
        situation = Situation([*others, wish.at(freq)], asked.profiles, {})
        broken = bool(harmed_by(situation, "new"))
        assert bool(closed >> grid.position(freq) & 1) == broken, freq


def test_more_important_requests_are_never_evicted():
    few = coordinate(request(voices(6, priority=1)))
    many = coordinate(request(voices(6, priority=1) + voices(40, priority=5)))
    assert len([a for a in many.assignments if a.id.startswith("v1")]) == len(few.assignments) == 6


def test_same_seed_same_plan_and_translation_moves_only_the_numbers():
    asked = request(voices(14))
    plan = coordinate(asked)
    assert frequencies(plan) == frequencies(coordinate(asked))
    by = 25_000 * 400
    moved = tuple(replace(r, ranges=(Range(BAND[0].low_hz + by, BAND[0].high_hz + by),)) for r in asked.requests)
    assert frequencies(coordinate(replace(asked, requests=moved))) == {k: f + by for k, f in frequencies(plan).items()}


def test_what_is_left_over_becomes_margin():
    plan = coordinate(request(voices(3)))
    assert len(plan.assignments) == 3
    assert min(a.margin_hz for a in plan.assignments) >= 100_000


def test_foresight_beats_first_fit():
    wide = (Range(500_000_000, 560_000_000),)
    asked = request(tuple(replace(r, ranges=wide) for r in voices(40)), effort=2)
    first_fit, state = 0, Grid(asked)
    rules = Rules(state)
    node = build(rules, [])
    for _ in asked.requests:
        free = state.kinds[0].open & ~node.closed[0]
        if free:
            node.add(0, (free & -free).bit_length() - 1)
            first_fit += 1
    assert len(coordinate(asked).assignments) > first_fit


def test_unplaced_links_say_what_blocked_them_in_shares():
    asked = request(voices(40), blocked=(Blocked(500_000_000, 503_000_000, "television"),))
    plan = coordinate(asked)
    assert plan.unplaced
    shares = dict(plan.unplaced[0].blockers)
    assert shares["range"] == pytest.approx(120 / 241)
    assert sum(shares.values()) == pytest.approx(1.0)
    assert "none of its 241 steps is free" in plan.unplaced[0].reason


def test_cancel_answers_with_the_best_so_far_and_time_is_kept():
    asked = request(voices(40), effort=4)
    plan = coordinate(asked, progress=lambda done, total: False)
    assert len(plan.assignments) > 8
    ticks = iter(range(10_000))
    timed = coordinate(replace(asked, time_limit_s=5), elapsed=lambda: next(ticks) / 60)
    assert timed.stats.timed_out
    assert timed.stats.placed > 8


def test_carriers_never_on_at_once_share_a_frequency():
    acts = [frozenset({"one"}), frozenset({"two"}), frozenset()]
    wishes = tuple(
        Request(
            id=f"r{i}", profile="voice", zone="hall", ranges=(Range(500_000_000, 500_400_000),), step_hz=25_000, times=t
        )
        for i, t in enumerate(acts)
    )
    placed = frequencies(coordinate(request(wishes)))
    assert placed["r0"] == placed["r1"] != placed["r2"]


def test_given_carriers_stay_and_their_conflicts_are_reported():
    given_two = (
        Carrier(id="g0", freq_hz=501_000_000, profile="voice", zone="hall"),
        Carrier(id="g1", freq_hz=501_100_000, profile="voice", zone="hall"),
    )
    plan = coordinate(request(voices(3), carriers=given_two))
    assert len(plan.assignments) == 3
    assert [c.ids for c in plan.given_conflicts] == [("g0", "g1")]


def test_mend_moves_only_what_is_broken_and_least_important_first():
    asked = request(voices(4, priority=1) + voices(4, priority=3))
    current = frequencies(coordinate(asked))
    broken = current | {"v3-02": current["v1-01"] + 50_000}
    plan = mend(asked, broken).plan
    after = frequencies(plan)
    assert {k for k in current if after[k] != broken[k]} == {"v3-02"}
    assert not conflicts(asked, after)[0]
    held = mend(asked, broken, fixed=["v3-02"]).plan
    assert frequencies(held)["v3-02"] == broken["v3-02"]
    assert not conflicts(asked, frequencies(held))[0]


@pytest.mark.parametrize(
    ("change", "message"),
    [
        ({"effort": 9}, "effort: must be 1 to 5, not 9"),
        ({"requests": voices(1) * 2}, r"requests\[1\].id: 'v1-00' stands twice"),
        ({"requests": (replace(voices(1)[0], zone="attic"),)}, r"requests\[0\].zone: unknown zone 'attic'"),
        ({"requests": (replace(voices(1)[0], step_hz=0),)}, r"requests\[0\].step_hz: must be above 0"),
        ({"requests": (replace(voices(1)[0], allowed=()),)}, r"requests\[0\].allowed: is empty"),
        ({"blocked": (Blocked(2, 1),)}, r"blocked\[0\]: low_hz 2 is not below high_hz 1"),
        ({"blocked": (Blocked(1, 2, zones=frozenset()),)}, r"blocked\[0\].zones: is empty"),
        ({"blocked": (Blocked(1, 2, zones=frozenset({"attic"})),)}, r"blocked\[0\].zones: unknown zone 'attic'"),
        ({"time_limit_s": 0}, "time_limit_s: must be above 0"),
        ({"profiles": {"voice": Profile(-1)}}, "profiles.voice.spacing_hz: must not be negative"),
        ({"profiles": {"voice": Profile(1, {"4T4O": 1})}}, "unknown product kind; known: 2a-b"),
        ({"profiles": {"voice": Profile(1, {"2a-b": -1})}}, "guard_hz.2a-b: must not be negative"),
        ({"relations": {frozenset(("hall", "attic")): "near"}}, "relations: unknown zone 'attic'"),
        (
            {"carriers": (Carrier(id="c", freq_hz=0, profile="voice", zone="hall"),)},
            r"carriers\[0\].freq_hz: must be above 0",
        ),
        ({"requests": (replace(voices(1)[0], profile="lute"),)}, r"requests\[0\].profile: unknown profile 'lute'"),
        ({"requests": (replace(voices(1)[0], ranges=()),)}, r"requests\[0\].ranges: is empty"),
        ({"requests": (replace(voices(1)[0], ranges=(Range(2, 1),)),)}, r"ranges\[0\]: low_hz 2 must be above 0"),
    ],
)
def test_a_request_that_cannot_be_planned_is_refused_with_its_path(change, message):
    with pytest.raises(ValueError, match=message):
        coordinate(replace(request(voices(2)), **change))


@settings(max_examples=10)
@given(st.integers(0, len(STEPS) - 2))
def test_each_step_of_density_asks_for_no_more_than_the_one_before(step):
    asked = Profile(350_000, {"2a-b": 100_000, "a+b-c": 50_000, "3a-2b": 50_000})
    tighter, looser = at_density(asked, step), at_density(asked, step + 1)
    assert looser.spacing_hz <= tighter.spacing_hz
    assert all(looser.guard(k) <= tighter.guard(k) for k in KINDS)


def hard(n=120):
    """Many links that differ in profile, range and act, each product kind guarded: steps cost milliseconds each."""
    guards = {"2a-b": 100_000, "a+b-c": 50_000, "3a-2b": 90_000, "3a-b-c": 45_000, "4a-3b": 40_000, "5a-4b": 30_000}
    profiles = {f"p{k}": Profile(350_000 + 1_000 * k, guards) for k in range(6)}
    wishes = tuple(
        Request(
            id=f"l{i}",
            profile=f"p{i % 6}",
            zone="hall",
            ranges=(Range(470_000_000 + i % 9 * 8_000_000, 694_000_000),),
            step_hz=25_000,
            origin_hz=0,
            priority=i % 5 + 1,
            times=frozenset({f"a{i % 7}"}),
        )
        for i in range(n)
    )
    return PlanRequest(profiles=profiles, zones=("hall",), requests=wishes, effort=5, time_limit_s=60.0)


def looks_until_stop(search, stop_at):
    """How often a search asks whether to go on, and how much it does after the answer was no."""
    asked, after = [0], [0]

    def progress(done, total):
        asked[0] += 1
        if asked[0] >= stop_at:
            after[0] += 1
            return False
        return True

    answer = search(progress)
    return answer, asked[0], after[0]


@pytest.mark.parametrize("stop_at", [1, 3, 10, 30])
def test_every_phase_asks_whether_to_go_on(stop_at):
    """A clock of ten milliseconds a look makes the search ask often; after a no little is done, and it is all safe."""
    asked = hard()
    ticks = iter(range(1_000_000))

    def search(progress):
        return coordinate(asked, progress, lambda: next(ticks) / 100)

    plan, times, after = looks_until_stop(search, stop_at)
    assert times >= stop_at
    assert after <= 12
    assert len(plan.assignments) + len(plan.unplaced) == len(asked.requests)
    assert not list(conflicts(asked, {a.id: a.freq_hz for a in plan.assignments})[0])
    assert all(u.reason for u in plan.unplaced)


def test_mending_asks_too_and_a_stopped_mend_moves_nothing():
    asked = hard(40)
    stands = {r.id: 560_000_000 + 25_000 * i for i, r in enumerate(asked.requests)}
    found, _, after = looks_until_stop(lambda progress: mend(asked, stands, (), progress), 1)
    assert found.moves == ()
    assert {a.id: a.freq_hz for a in found.plan.assignments} == stands
    assert after <= 12


def test_what_was_not_looked_at_says_so():
    ticks = iter(range(1_000_000))
    plan = coordinate(hard(), lambda done, total: False, lambda: next(ticks) / 100)
    assert len(plan.unplaced) > 60
    assert {u.looked for u in plan.unplaced} == {False}
    assert {u.reason for u in plan.unplaced} == {"the search was stopped before it was looked at"}
