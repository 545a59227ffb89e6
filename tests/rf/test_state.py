"""The bookkeeping of the search: bit sets against the written-out rules, grids, lanes by halving."""

from itertools import combinations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from azven.rf.coordinate.buckets import buckets, cliques
from azven.rf.coordinate.grid import Grid, permitted, to_array, tunable
from azven.rf.coordinate.lanes import CAUSES, lane, lanes
from azven.rf.coordinate.plan import carriers_of
from azven.rf.coordinate.relations import RELATIONS, terms_of
from azven.rf.coordinate.rules import Rules
from azven.rf.coordinate.state import State, build, widen
from azven.rf.products import Situation
from azven.rf.request import KINDS, Blocked, Carrier, PlanRequest, Profile, Range, Request
from azven.rf.verdict import harmed_by

BAND = (Range(500_000_000, 504_000_000),)


def wish(name="new", profile="p", zone="hall", step=25_000, origin=0, **more):
    return Request(
        id=name, profile=profile, zone=zone, ranges=more.pop("ranges", BAND), step_hz=step, origin_hz=origin, **more
    )


def request(requests, profile, carriers=(), **more):
    return PlanRequest(
        profiles={"p": profile}, zones=("hall", "foyer"), requests=tuple(requests), carriers=tuple(carriers), **more
    )


def closed_by_definition(asked, link):
    """Steps where the link would take part in a broken rule, by the product checker."""
    out = set()
    for freq in tunable(link):
        situation = Situation([*asked.carriers, link.at(freq)], asked.profiles, asked.relations)
        if harmed_by(situation, link.id):
            out.add(freq)
    return out


def closed_by_state(asked):
    grid = Grid(asked)
    closed = build(Rules(grid), grid.given).closed[grid.request_tag[0]]
    return {f for f in tunable(asked.requests[0]) if closed >> grid.position(f) & 1}


@pytest.mark.parametrize("kind", KINDS)
def test_each_kind_alone_closes_exactly_what_its_formula_says(kind):
    freqs = (250_025_000, 500_500_000, 501_175_000, 502_650_000, 166_900_000, 251_500_000)
    carriers = [Carrier(id=f"g{i}", freq_hz=f, profile="p", zone="hall") for i, f in enumerate(freqs)]
    asked = request([wish()], Profile(0, {kind: 80_000}), carriers)
    found = closed_by_state(asked)
    assert found == closed_by_definition(asked, asked.requests[0])
    assert found or kind in ("3a-2b", "4a-3b", "5a-4b", "3a")


@settings(max_examples=25)
@given(
    st.lists(st.integers(0, 160), min_size=2, max_size=6, unique=True),
    st.sampled_from([0, 30_000, 75_000, 100_000]),
    st.sampled_from([0, 25_000, 50_000]),
    st.lists(st.booleans(), min_size=6, max_size=6),
)
def test_third_order_with_listeners_is_exact_on_the_raster(steps, two, three, radiates):
    carriers = [
        Carrier(id=f"g{i}", freq_hz=500_000_000 + 25_000 * s, profile="p", zone="hall", radiates=r)
        for i, (s, r) in enumerate(zip(steps, radiates, strict=False))
    ]
    asked = request([wish()], Profile(60_000, {"2a-b": two, "a+b-c": three}), carriers)
    assert closed_by_state(asked) == closed_by_definition(asked, asked.requests[0])


EVERY_KIND = {"2a-b": 60_000, "a+b-c": 40_000, "3a-2b": 30_000, "3a-b-c": 20_000, "4a-3b": 15_000, "5a-4b": 15_000}


@settings(max_examples=20)
@given(
    st.lists(st.integers(0, 320_000), min_size=1, max_size=5, unique=True),
    st.sampled_from([{"2a-b": 60_000, "a+b-c": 40_000}, {"3a-2b": 30_000, "3a-b-c": 20_000}, EVERY_KIND]),
    st.lists(st.booleans(), min_size=5, max_size=5),
)
def test_carriers_off_the_raster_close_exactly_what_the_formulas_say(offsets, guards, radiates):
    carriers = [
        Carrier(id=f"g{i}", freq_hz=500_000_000 + 12 * o + 7, profile="p", zone="hall", radiates=r)
        for i, (o, r) in enumerate(zip(offsets, radiates, strict=False))
    ]
    asked = request([wish()], Profile(200_000, guards), carriers)
    assert closed_by_state(asked) == closed_by_definition(asked, asked.requests[0])


PROFILES = {
    "voice": Profile(300_000, EVERY_KIND),
    "ear": Profile(400_000, {"2a-b": 100_000, "a+b-c": 10_000, "3a-b-c": 45_000}),
    "plain": Profile(0, {"2a-b": 20_000}),
}
ACTS = (frozenset(), frozenset({"one"}), frozenset({"two"}), frozenset({"one", "two"}), frozenset({"three"}))
ROOMS = ("hall", "foyer", "yard")
TOGETHER = {frozenset(("hall", "foyer")): "together", frozenset(("hall", "yard")): "near"}


@st.composite
def evenings(draw):
    """A link to place among carriers of several profiles, rooms and acts, some placed by the search, some given and off
    the raster."""
    placed = []
    for i in range(draw(st.integers(1, 5))):
        on_raster = draw(st.booleans())
        freq = (
            500_000_000 + draw(st.integers(0, 160)) * 25_000 + (0 if on_raster else draw(st.integers(-12_000, 12_000)))
        )
        placed.append(
            Carrier(
                id=f"g{i}", freq_hz=freq, profile=draw(st.sampled_from(sorted(PROFILES))),
                zone=draw(st.sampled_from(ROOMS)), times=draw(st.sampled_from(ACTS)),
                radiates=draw(st.sampled_from([True, True, True, False])),
            )
        )  # fmt: skip
    link = wish(
        profile=draw(st.sampled_from(sorted(PROFILES))), zone=draw(st.sampled_from(ROOMS)),
        times=draw(st.sampled_from(ACTS)),
    )  # fmt: skip
    return PlanRequest(profiles=PROFILES, zones=ROOMS, requests=(link,), carriers=tuple(placed), relations=TOGETHER)


@settings(max_examples=40)
@given(evenings())
def test_profiles_rooms_acts_and_offsets_together_close_exactly_what_the_formulas_say(asked):
    assert closed_by_state(asked) == closed_by_definition(asked, asked.requests[0])


@settings(max_examples=30)
@given(evenings())
def test_pairs_of_groups_answer_as_cliques_do(asked):
    grid = Grid(asked)
    by_clique, by_pair = Rules(grid), Rules(grid)
    by_pair.buckets = buckets(grid.group_mixes, most=0)
    assert build(by_pair, grid.given).closed == build(by_clique, grid.given).closed


@given(st.integers(1, 7), st.data())
def test_cliques_are_the_largest_sets_that_all_mix(n, data):
    mixes = [[i == j for j in range(n)] for i in range(n)]
    for i, j in combinations(range(n), 2):
        mixes[i][j] = mixes[j][i] = data.draw(st.booleans())
    every = [
        set(c) for k in range(1, n + 1) for c in combinations(range(n), k) if all(mixes[i][j] for i in c for j in c)
    ]
    largest = [c for c in every if not any(c < other for other in every)]
    assert sorted(map(sorted, cliques(mixes, 1_000))) == sorted(map(sorted, largest))
    assert cliques(mixes, len(largest) - 1) is None


def test_every_relation_is_seen_once_from_every_side():
    seen = {(t.c_f, t.c_x, t.rest) for t in terms_of(("a+b-c",))}
    assert seen == {(1, 1, (1, 1)), (1, -1, (-1, 1))}
    assert {(t.c_f, t.c_x, t.rest) for t in terms_of(("2a-b",))} == {(2, -1, (1,)), (1, -2, (-1,)), (1, 1, (2,))}
    for term in terms_of(tuple(RELATIONS)):
        assert sum(term.coefficients) == 0
        assert tuple(sorted(term.coefficients)) in {
            tuple(sorted(s * c for c in r)) for r in RELATIONS[term.kind] for s in (1, -1)
        }


def test_victims_profile_counts_and_both_ways_are_kept():
    profiles = {"wide": Profile(0, {"2a-b": 100_000}), "none": Profile(0)}
    given_two = (
        Carrier(id="a", freq_hz=501_000_000, profile="none", zone="hall"),
        Carrier(id="b", freq_hz=501_400_000, profile="wide", zone="hall"),
    )
    asked = PlanRequest(profiles=profiles, zones=("hall",), requests=(wish(profile="none"),), carriers=given_two)
    grid = Grid(asked)
    closed = build(Rules(grid), grid.given).closed[grid.request_tag[0]]
    # 2f − a on b and 2a − f on b are guarded by b; 2b − a on f is not, f has no guard
    for freq, expected in ((501_200_000, True), (500_600_000, True), (501_800_000, False)):
        assert bool(closed >> grid.position(freq) & 1) == expected


@pytest.mark.parametrize(("relation", "spacing", "products"), [("together", 1, 1), ("near", 1, 0), ("apart", 0, 0)])
def test_rooms_decide_what_counts(relation, spacing, products):
    carriers = [
        Carrier(id="a", freq_hz=501_000_000, profile="p", zone="foyer"),
        Carrier(id="b", freq_hz=501_500_000, profile="p", zone="foyer"),
    ]
    asked = request(
        [wish()], Profile(200_000, {"2a-b": 60_000}), carriers, relations={frozenset(("hall", "foyer")): relation}
    )
    found = closed_by_state(asked)
    assert (501_000_000 in found) == bool(spacing)
    assert (502_000_000 in found) == bool(products)


def test_acts_that_never_meet_close_nothing():
    carriers = [Carrier(id="a", freq_hz=501_000_000, profile="p", zone="hall", times=frozenset({"one"}))]
    asked = request([wish(times=frozenset({"two"}))], Profile(200_000), carriers)
    assert closed_by_state(asked) == set()


def test_order_of_placing_does_not_matter():
    asked = request(
        [wish(f"r{i}") for i in range(5)], Profile(100_000, {"2a-b": 75_000, "a+b-c": 50_000, "3a-b-c": 30_000})
    )
    grid = Grid(asked)
    members = [(0, p) for p in (5, 22, 61, 90, 133)]
    forward, backward = build(Rules(grid), members), build(Rules(grid), members[::-1])
    assert forward.closed == backward.closed


def test_a_copy_is_its_own():
    grid = Grid(request([wish()], Profile(100_000, {"2a-b": 50_000, "a+b-c": 50_000})))
    first = build(Rules(grid), [(0, 10), (0, 30)])
    before = dict(first.closed)
    second = first.copy()
    second.add(0, 77)
    assert first.closed == before != second.closed
    assert first.placed[0] == (10, 30)


@given(st.integers(0, 2**60), st.integers(0, 9))
def test_widen_spreads_every_element(bits, reach):
    wide = widen(bits, reach)
    expected = 0
    for by in range(reach + 1):
        expected |= bits << by
    assert wide == expected


def test_steps_are_listed_once_inside_closed_ranges():
    twice = wish(
        step=50_000, origin=500_025_000, ranges=(Range(500_000_000, 500_200_000), Range(500_100_000, 500_225_000))
    )
    assert tunable(twice) == [500_025_000, 500_075_000, 500_125_000, 500_175_000, 500_225_000]


def test_blocked_is_half_open_and_by_room_and_allowed_is_closed():
    link = wish(allowed=(Range(500_000_000, 501_000_000),))
    asked = request([link], Profile(0), blocked=(Blocked(500_500_000, 500_600_000, "tv", frozenset({"hall"})),))
    verdicts = [permitted(asked, link, f) for f in (500_000_000, 500_500_000, 500_600_000, 501_000_000, 501_025_000)]
    assert verdicts == [True, False, True, True, False]
    elsewhere = wish(zone="foyer")
    assert permitted(asked, elsewhere, 500_500_000)


def test_a_raster_that_is_too_fine_is_rounded_to_the_safe_side():
    odd = wish(step=6_250), wish("other", step=8_333, origin=1)
    grid = Grid(request(odd, Profile(100_000)))
    assert grid.unit == 5_000
    assert all(t.error_hz == 2_500 for t in grid.tags)
    for link in odd:
        for freq in tunable(link)[::50]:
            assert grid.frequency(link, grid.position(freq)) == freq


def test_bits_become_an_array():
    assert to_array(0b1011, 6).tolist() == [True, True, False, True, False, False]


@settings(max_examples=25)
@given(st.lists(st.integers(0, 160) | st.integers(-2_000, 3_000), min_size=3, max_size=7, unique=True))
def test_lanes_by_halving_are_the_lanes_one_by_one(steps):
    """Also where a link stands outside of what it, or anybody, may be tuned to."""
    links = [wish(f"r{i}") for i in range(len(steps))]
    asked = request(links, Profile(150_000, {"2a-b": 60_000, "a+b-c": 30_000}))
    placed = {f"r{i}": 500_000_000 + 25_000 * s for i, s in enumerate(steps)}
    together = lanes(asked, placed, [r.id for r in links])
    for link in links:
        alone = lane(asked, link, carriers_of(asked, placed))
        assert together[link.id].cause.tolist() == alone.cause.tolist()


def test_lane_names_the_first_cause_and_stops_when_asked():
    blocked = (Blocked(500_000_000, 501_000_000, "tv"),)
    asked = request(
        [wish()],
        Profile(200_000, {"2a-b": 60_000}),
        [Carrier(id="a", freq_hz=502_000_000, profile="p", zone="hall")],
        blocked=blocked,
    )
    found = lane(asked, asked.requests[0], asked.carriers)
    by_freq = dict(zip(found.freq_hz.tolist(), (CAUSES[c] for c in found.cause.tolist()), strict=True))
    assert (by_freq[500_500_000], by_freq[502_000_000], by_freq[503_500_000]) == ("range", "spacing", "free")
    assert found.free.min() == 501_000_000
    assert lanes(asked, {}, ["new"], lambda done, total: False) == {}


def test_a_search_without_requests_is_answered():
    grid = Grid(PlanRequest(profiles={"p": Profile(0)}, zones=("hall",), requests=()))
    assert State(Rules(grid)).closed == {}


@pytest.mark.parametrize("kind", ["2a-b", "a+b-c"])
def test_a_product_just_below_the_lowest_step_still_closes_it(kind):
    """Its guard reaches up over the edge of the raster."""
    given = (502_000_000, 504_025_000) if kind == "2a-b" else (501_000_000, 501_500_000, 502_525_000)
    carriers = [Carrier(id=f"g{i}", freq_hz=f, profile="p", zone="hall") for i, f in enumerate(given)]
    asked = request([wish()], Profile(0, {kind: 100_000}), carriers)
    found = closed_by_state(asked)
    assert 500_000_000 in found
    assert found == closed_by_definition(asked, asked.requests[0])


@settings(max_examples=30)
@given(
    st.lists(st.integers(0, 150), min_size=4, max_size=5, unique=True),
    st.lists(st.integers(-12_000, 12_000), min_size=4, max_size=5),
    st.sampled_from([{"2a-b": 50_000}, {"a+b-c": 40_000}, {"3a-b-c": 30_000}]),
)
def test_links_that_stand_between_their_steps_count_where_they_are(steps, off, guards):
    links = [wish(f"l{i}") for i in range(len(steps))]
    asked = request(links, Profile(100_000, guards))
    placed = {f"l{i}": 500_000_000 + 25_000 * x + (off[i] if i in (0, 2) else 0) for i, x in enumerate(steps)}
    found = lanes(asked, placed, [r.id for r in links])
    for link in links:
        others = tuple(r.at(placed[r.id]) for r in links if r.id != link.id)
        alone = request([link], Profile(100_000, guards), others)
        lane_of_it = found[link.id]
        closed = set(lane_of_it.freq_hz[lane_of_it.cause != 0].tolist())
        assert closed == closed_by_definition(alone, link)
