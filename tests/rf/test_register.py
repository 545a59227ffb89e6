"""The register's arithmetic where the shared cases do not look: any order of deeds, tours against trying all, days at
their edges."""

import itertools
import random
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest

from azven.rf.coordinate import coordinate
from azven.rf.coordinate.plan import conflicts
from azven.rf.coordinate.tour import tour
from azven.rf.register import astray, bookings, deeds, due, far
from azven.rf.register.bookings import Booking, Stock, Want
from azven.rf.register.deeds import Deed, Span
from azven.rf.request import Blocked, Carrier, PlanRequest, Profile, Range, Request

DAY0 = datetime(2026, 9, 1, 12, tzinfo=UTC)
SHOWS = {"a": Span(DAY0, DAY0 + timedelta(days=10)), "b": Span(DAY0, DAY0 + timedelta(days=30))}


def deed(kind, day, **more):
    return Deed(at=DAY0 + timedelta(days=day), kind=kind, by="Merle", **more)


def stands(*done, day=50):
    return deeds.standing("Store", done, SHOWS, DAY0 + timedelta(days=day))


def test_the_order_in_which_deeds_come_does_not_matter():
    done = [deed("assign", 1, show="a"), deed("hand out", 3, to="Ferry", where="Ferry"), deed("lost", 5),
            deed("scan", 7, where="Barn"), deed("retire", 9), deed("reinstate", 11)]  # fmt: skip
    wanted = stands(*done)
    for order in itertools.islice(itertools.permutations(done), 0, 720, 37):
        assert stands(*order) == wanted
    assert [x.after for x in wanted.history] == ["assigned", "on loan", "missing", "in case", "retired", "in case"]
    assert all(b.before == a.after for a, b in itertools.pairwise(wanted.history))


def test_only_who_is_retired_is_reinstated_and_then_takes_deeds_again():
    assert stands(deed("reinstate", 1)).history[0].refused
    back = stands(deed("retire", 1), deed("lost", 2), deed("reinstate", 3), deed("lost", 4))
    assert [x.refused for x in back.history] == [False, True, False, False]
    assert back.written == "missing"


def test_a_move_says_where_and_nothing_else():
    moved = stands(deed("send to repair", 1, where="workshop"), deed("move", 2, where="maker"))
    assert (moved.written, moved.where, moved.holder) == ("in repair", "maker", None)


def test_an_assignment_is_over_with_the_last_of_its_shows_and_since_then_it_is_in_its_case():
    both = deed("assign", 1, show="a"), deed("assign", 2, show="b")
    assert stands(*both, day=20).written == "assigned"
    over = stands(*both, day=40)
    assert over.written == "in case"
    assert over.since == SHOWS["b"].load_out


def test_since_when_it_is_so_is_the_deed_that_made_it_so():
    here = stands(deed("lost", 1), deed("found", 4, where="Barn"), deed("scan", 6, where="Store"))
    assert here.since == DAY0 + timedelta(days=4)
    assert stands().since is None


@pytest.mark.parametrize(("state", "freed"), [("in case", True), ("assigned", True), ("on air", True),
                                              ("on loan", False), ("missing", False)])  # fmt: skip
def test_who_can_be_had_for_a_show(state, freed):
    standing = deeds.Standing(written=state, where="Store")
    assert deeds.free([standing]) == [freed]


def test_travel_where_no_distance_is_known_takes_an_hour_at_least():
    assert bookings.travel_min("a", "b", {}) == 60.0
    assert bookings.travel_min("a", "a", {}) == 0.0


def test_a_unit_is_given_once_to_two_wants_that_both_could_have_it():
    show = Booking("", "", "Quay", DAY0, DAY0 + timedelta(days=1))
    units = [Stock(id=f"u{i}", model="Pack", band="x", home="Quay") for i in range(3)]
    first, second = bookings.supplies(show, [Want("Pack", "x", 2), Want("Pack", "x", 2)], units, {})
    assert len(first.home) == 2
    assert (len(second.home), second.short) == (1, 1)
    assert not set(first.home) & set(second.home)


@pytest.mark.parametrize(("since", "months", "ends"), [
    (date(2025, 8, 31), 6, date(2026, 2, 28)), (date(2023, 8, 31), 6, date(2024, 2, 29)),
    (date(2025, 12, 15), 1, date(2026, 1, 15)), (date(2024, 2, 29), 12, date(2025, 2, 28)),
])  # fmt: skip
def test_months_are_full_on_the_same_day_or_the_last_one_there_is(since, months, ends):
    assert due.age_ends(since, months) == ends


@pytest.mark.parametrize(("older", "newer"), [("1.9", "1.10"), ("v2.0", "v2.0.1"), ("3.2", "4"), ("1.9-b2", "1.9-b10")])
def test_versions_are_compared_by_their_numbers(older, newer):
    assert due.version(older) < due.version(newer)


def test_an_exception_is_told_again_when_what_is_written_changes():
    telling, heard = astray.Telling(), astray.Heard(DAY0, "P1", 500, "Quay")
    told = [telling.hear(heard, astray.Written("assigned", 400, where)) for where in ("Quay", "Quay", "Barn", "Barn")]
    assert [[x.code for x in t] for t in told] == [["frequency"], [], ["campus"], []]


LINK = far.FarLink(
    id="1", name="n", freq_hz=520e6, bandwidth_hz=2e5, erp_dbm=14.0, nf_db=8.0, rx_gain_dbi=6.5, rx_height_m=3.0
)


def test_what_arrives_falls_by_six_decibels_when_the_distance_doubles():
    near, twice = (far.reaching(LINK, replace(LINK, id="2"), km, 0.0) for km in (2.0, 4.0))
    assert near.over_noise_db - twice.over_noise_db == pytest.approx(6.02, abs=0.01)


def test_of_two_links_of_one_name_the_id_decides_who_moves():
    pair = [replace(LINK, id="b"), replace(LINK, id="a")]
    assert far.who_moves(pair).id == far.who_moves(pair[::-1]).id == "a"
    assert far.who_moves([replace(LINK, locked=True), replace(LINK, free=0)]) is None


STEP = 100_000


def ground(chance, links=3, width=8):
    """A room with few steps, some of them blocked, a neighbour, and links that stood anywhere."""
    low = 500_000_000
    requests = tuple(
        Request(id=f"L{i}", profile="p", zone="z", ranges=(Range(low, low + STEP * (width - 1)),), step_hz=STEP,
                origin_hz=low, priority=chance.choice((1, 2)))
        for i in range(links)
    )  # fmt: skip
    blocked = tuple(Blocked(low + STEP * k, low + STEP * k + 1) for k in range(width) if chance.random() < 0.2)
    neighbour = Carrier(id="N", freq_hz=low + STEP * chance.randrange(-3, width + 3), profile="p", zone="z")
    profile = Profile(2 * STEP, {"2a-b": STEP // 2, "a+b-c": STEP // 2})
    asked = PlanRequest(profiles={"p": profile}, zones=("z",), requests=requests, blocked=blocked,
                        carriers=(neighbour,))  # fmt: skip
    return asked, {r.id: low + STEP * chance.randrange(width) for r in requests}


def by_trying(asked, before):
    """The best of all ways to place the links."""
    steps = [[None, *range(r.ranges[0].low_hz, r.ranges[0].high_hz + 1, STEP)] for r in asked.requests]
    order = sorted(range(len(steps)), key=lambda k: asked.requests[k].priority)
    classes = sorted({r.priority for r in asked.requests})
    best = None
    for places in itertools.product(*steps):
        at = {r.id: f for r, f in zip(asked.requests, places, strict=True) if f is not None}
        if any(b.low_hz <= f < b.high_hz for f in at.values() for b in asked.blocked):
            continue
        ours = conflicts(asked, at)[0]
        if len(ours):
            continue
        placed = tuple(sum(r.priority == c and r.id in at for r in asked.requests) for c in classes)
        kept = tuple(sum(r.priority == c and at.get(r.id) == before[r.id] for r in asked.requests) for c in classes)
        moved = -sum(abs(f - before[n]) for n, f in at.items())
        lower = [-(places[k] or 0) for k in order]
        worth = placed, kept, moved, lower
        if best is None or worth > best[0]:
            best = worth, at
    return best[1]


@pytest.mark.parametrize("seed", range(40))
def test_a_tour_is_what_trying_all_ways_finds(seed):
    asked, before = ground(random.Random(seed))
    found = tour(asked, before)
    assert found.proved
    assert dict(found.frequencies) == by_trying(asked, before)
    assert found.kept | found.moved | found.unplaced == {r.id for r in asked.requests}


def test_a_large_tour_breaks_no_rule_and_does_not_claim_a_proof():
    asked, before = ground(random.Random(3), links=14, width=120)
    found = tour(asked, before)
    assert not found.proved
    assert not len(conflicts(asked, dict(found.frequencies))[0])
    assert len(found.frequencies) >= len(coordinate(asked).assignments) > 9


def test_a_tour_can_be_stopped_and_has_the_best_so_far():
    asked, before = ground(random.Random(5), links=8, width=60)
    asked_often = []
    found = tour(asked, before, lambda done, total: bool(asked_often.append(done)))
    assert not len(conflicts(asked, dict(found.frequencies))[0])
