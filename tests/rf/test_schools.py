"""The level school: levels in a scene, what it excuses, what it finds, and planning by it."""

from dataclasses import replace

import numpy as np
import pytest

from azven.rf import imlevels
from azven.rf.by_level import Levels, excused, plan_by
from azven.rf.coordinate import carriers_of, coordinate
from azven.rf.links import End
from azven.rf.products import Situation
from azven.rf.radios import Radio, Room, Rooms
from azven.rf.request import Carrier, PlanRequest, Profile, Range, Request
from azven.rf.scene import Scene
from azven.rf.schools import LevelJudge, broken

VOICE = Profile(350_000, {"2a-b": 100_000, "a+b-c": 50_000})
WIDE = Rooms({"hall": Room(near_m=8, far_m=30, between_m=3)}, {})
TIGHT = Rooms({"hall": Room(near_m=1, far_m=40, between_m=0.3)}, {})


def request(n=0, guards=VOICE, low=500_000_000, high=520_000_000, **more):
    wishes = tuple(
        Request(
            id=f"v{i:02}",
            profile="voice",
            zone="hall",
            ranges=(Range(low, high),),
            step_hz=25_000,
            origin_hz=0,
            priority=1,
        )
        for i in range(n)
    )
    return PlanRequest(profiles={"voice": guards}, zones=("hall", "foyer"), requests=wishes, **more)


def trio(zone_of_third="hall"):
    """A product 2a − b falls exactly on the third."""
    at = {"a": 500_000_000, "b": 500_600_000, "c": 499_400_000}
    return [
        Carrier(id=n, freq_hz=f, profile="voice", zone=zone_of_third if n == "c" else "hall") for n, f in at.items()
    ]


def judge(carriers, rooms, radios=None, asked=None):
    return LevelJudge(asked or request(), carriers, radios or {}, rooms)


def test_levels_of_a_scene_follow_the_budget():
    carriers = trio()
    scene = Scene(Situation(carriers, {"voice": VOICE}, {}), carriers, {}, WIDE)
    a, c = 0, 2
    assert scene.heard[a, c] == pytest.approx(17 - 10 - 44.5 + 6.5, abs=0.1)
    assert scene.coupled[a, c] == pytest.approx(17 - 36.0 - 20, abs=0.1)
    product = imlevels.in_receiver_dbm(scene.iip3[c], scene.heard[0, c], scene.heard[1, c])
    found = next(p for p in judge(carriers, WIDE).products_on("c") if p.kind == "2a-b")
    assert (found.sources, found.distance_hz) == (("a", "b"), 0)
    assert found.receiver_dbm == pytest.approx(product, abs=0.01)


def test_a_wide_room_excuses_what_spacing_forbids_and_a_crowded_one_does_not():
    carriers, asked = trio(), request()
    assert broken(asked, carriers, {}, WIDE, "spacing") == {"b", "c"}
    assert broken(asked, carriers, {}, WIDE, "both") == set()
    assert broken(asked, carriers, {}, TIGHT, "both") == {"b", "c"}


def test_levels_find_a_danger_where_no_guard_looks():
    unguarded = request(guards=Profile(350_000, {}))
    assert broken(unguarded, trio(), {}, TIGHT, "spacing") == set()
    assert broken(unguarded, trio(), {}, TIGHT, "level") == {"b", "c"}
    standing = judge(trio(), TIGHT, asked=unguarded).standing("c")
    assert standing.spare_db < 0
    assert standing.worst.sources == ("a", "b")


def test_near_rooms_count_by_level_and_walls_make_them_harmless():
    asked = replace(request(), relations={frozenset(("hall", "foyer")): "near"})
    carriers = trio(zone_of_third="foyer")
    rooms = Rooms(
        {"hall": Room(near_m=0.5, far_m=40, between_m=0.3), "foyer": Room(near_m=0.5, far_m=40, between_m=0.3)}, {}
    )
    walled = Rooms(rooms.rooms, {frozenset(("hall", "foyer")): 50.0})
    assert broken(asked, carriers, {}, rooms, "spacing") == set()
    assert broken(asked, carriers, {}, rooms, "level") == {"b", "c"}
    assert broken(asked, carriers, {}, walled, "level") == set()


def test_carriers_too_close_are_broken_in_every_school():
    close = [
        Carrier(id="a", freq_hz=500_000_000, profile="voice", zone="hall"),
        Carrier(id="b", freq_hz=500_100_000, profile="voice", zone="hall"),
    ]
    for school in ("spacing", "both", "level"):
        assert broken(request(), close, {}, WIDE, school) == {"a", "b"}


def test_a_product_beside_the_channel_counts_less():
    def products(off):
        carriers = [*trio()[:2], Carrier(id="c", freq_hz=499_400_000 + off, profile="voice", zone="hall")]
        return judge(carriers, WIDE).standing("c").products_dbm

    assert products(100_000) == pytest.approx(products(0) - 3.01, abs=0.01)
    assert products(200_000) < -300


def test_positions_stand_in_for_distances():
    carriers = trio()
    far = {n: Radio(pos_m=(x, 30.0, 1.5)) for n, x in (("a", 0.0), ("b", 20.0), ("c", 5.0))}
    rooms = Rooms({"hall": Room(receive=(End(gain_dbi=6.5, pos_m=(0.0, 0.0, 3.0)),))}, {})
    scene = Scene(Situation(carriers, {"voice": VOICE}, {}), carriers, far, rooms)
    assert scene.coupled[0, 1] == pytest.approx(17 - (32.44 + 54 + 20 * -1.699 + 20), abs=0.1)
    assert scene.wanted[0] == pytest.approx(scene.heard[0, 0])


def test_planning_by_level_places_more_and_stays_clean():
    asked = request(20, high=506_000_000, effort=1)
    levels = Levels({}, WIDE)
    by_spacing = coordinate(asked)
    for school in ("both", "level"):
        found = plan_by(asked, levels, school, lambda d, t: True, lambda: 0.0)
        frequencies = {a.id: a.freq_hz for a in found.assignments}
        assert len(frequencies) > len(by_spacing.assignments)
        assert broken(asked, carriers_of(asked, frequencies), {}, WIDE, school) == set()
        sentences = excused(asked, frequencies, levels)
        assert sentences
        assert all("harmless here" in text for text in sentences.values())


def test_planning_by_level_moves_what_is_in_danger_and_stops_when_told():
    asked = replace(request(3, guards=Profile(350_000, {})), effort=1)
    levels = Levels({}, TIGHT)
    standing = {"v00": 500_000_000, "v01": 500_600_000, "v02": 499_400_000 + 25_000}
    standing["v02"] = 501_200_000
    found = plan_by(asked, levels, "level", lambda d, t: True, lambda: 0.0, current=standing)
    after = {a.id: a.freq_hz for a in found.assignments}
    assert broken(asked, carriers_of(asked, standing), {}, TIGHT, "level")
    assert broken(asked, carriers_of(asked, after), {}, TIGHT, "level") == set()
    assert len(after) == 3
    stopped = plan_by(asked, levels, "level", lambda d, t: False, lambda: 0.0, current={})
    assert stopped.assignments == ()
    assert "stopped" in stopped.unplaced[0].reason


def test_who_makes_the_strongest_products_is_the_same_for_all_at_once_and_one_by_one():
    rng = np.random.default_rng(3)
    carriers = [
        Carrier(id=f"v{i}", freq_hz=int(f), profile="voice", zone="hall" if i % 2 else "foyer")
        for i, f in enumerate(500_000_000 + 25_000 * rng.choice(400, 14, replace=False))
    ]
    found = judge(carriers, TIGHT, {"v3": Radio(fixed=True), "v6": Radio(fixed=True)})
    for names in ({"v3"}, {"v6", "v2"}, {c.id for c in carriers}, set()):
        worst = [found.standing(n).worst for n in sorted(names)]
        assert found.strongest_sources(names) == {s for p in worst if p for s in p.sources}


@pytest.mark.parametrize("stop", [1, 3, 6, 7, 8])
def test_a_stopped_search_by_level_judges_no_more(stop, monkeypatch):
    """`current` leaves out the search by spacing."""
    asked, judged = [], []
    real = LevelJudge.__init__
    monkeypatch.setattr(LevelJudge, "__init__", lambda self, *a: (judged.append(len(asked)), real(self, *a))[1])
    alone = [0, 2_600_000, 5_900_000, 9_100_000, 15_700_000]
    close = {f"v{i:02}": 500_000_000 + f for i, f in enumerate([*alone, *range(17_000_000, 20_000_000, 375_000)])}
    plan_by(request(20), Levels({}, WIDE), "level", lambda d, t: (asked.append(1), len(asked) < stop)[1], float, close)
    assert len(asked) >= stop
    assert not [n for n in judged if n >= stop]
