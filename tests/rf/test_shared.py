"""Links of shared bands: channels by least interference, radar duty, what a radar event does, products across bands."""

import itertools
import random
from dataclasses import replace

import pytest

from azven.rf import across, band24, bands, dfs
from azven.rf.band24 import Other, Span
from azven.rf.levels import dbm, milliwatts
from azven.rf.shared import Seat, SharedRequest, best_for, events, place, standing, standings

ISM_HZ = (2_403_000_000, 2_481_000_000)


def seat(name, centres, **values):
    usual = {"width_hz": 2_000_000, "band_hz": ISM_HZ, "wanted_dbm": -70.0, "noise_dbm": -103.0, "needed_db": 12.0}
    return Seat(id=name, centres=tuple(centres), **usual | values)


def wifi(channel, level_dbm, duty=1.0):
    return f"net {channel}", Other(band24.wifi(channel), level_dbm, duty)


def cell(name, channels, **values):
    usual = {"width_hz": 20_000_000, "band_hz": (5_490_000_000, 5_710_000_000), "by_radar": True}
    return seat(name, [dfs.centre_hz(n) for n in channels], **usual | values)


def test_bands_have_no_gaps_and_name_every_frequency():
    assert bands.BANDS[0].low_hz == 0
    assert all(a.high_hz == b.low_hz for a, b in itertools.pairwise(bands.BANDS))
    named = {f: bands.of(f).name for f in (200e6, 600e6, 1.4e9, 1.89e9, 2.44e9, 5.5e9)}
    assert list(named.values()) == ["VHF", "UHF", "1.4 GHz", "1.9 GHz", "2.4 GHz", "5 GHz"]
    assert [b.name for b in bands.SHARED] == ["1.9 GHz", "2.4 GHz", "5 GHz"]
    with pytest.raises(ValueError, match="there is no band 900"):
        bands.named("900 MHz")


def test_channels_of_shared_bands_are_about_their_centres():
    assert [(c.low_hz, c.high_hz) for c in bands.channels(bands.named("2.4 GHz")) if c.name == "6"] == [
        (2_434_500_000, 2_439_500_000)
    ]
    at_five = {c.name: c for c in bands.channels(bands.named("5 GHz"))}
    assert at_five["36"].low_hz == 5_170_000_000
    assert len(at_five) == 25
    assert len(bands.channels(bands.named("1.9 GHz"))) == 15
    assert bands.channels(bands.UHF) == ()
    assert bands.channel_at(5_180_000_000) == "36"
    assert bands.channel_at(5_185_000_000) == bands.channel_at(2_437_000_000) == ""


def test_links_take_their_channels_one_after_the_other_and_count_for_the_next():
    steps = range(2_404_000_000, 2_481_000_000, 1_000_000)
    others = (wifi(1, -50), wifi(6, -50), wifi(11, -50))
    seats = tuple(seat(f"g{i}", steps, priority=i, others=others) for i in range(4))
    heard = {(a.id, b.id): -44.0 for a in seats for b in seats if a is not b}
    found = place(SharedRequest(seats=seats, heard_dbm=heard))
    assert list(found) == ["g0", "g1", "g2", "g3"]
    for a, b in itertools.combinations(found.values(), 2):
        assert abs(a - b) >= 2_000_000
    for name, freq in found.items():
        beside = [o for _, o in others] + [Other(Span(f, 2_000_000), -44.0) for n, f in found.items() if n < name]
        spans = {str(f): Span(f, 2_000_000) for f in steps}
        assert freq == int(band24.best(spans, beside).id)


def test_held_links_stay_and_those_that_choose_for_themselves_get_none():
    steps = [2_405_000_000, 2_430_000_000]
    a, b = seat("a", steps), seat("b", steps, choosing="hops")
    found = place(SharedRequest(seats=(a, b), heard_dbm={("a", "b"): -40.0}), {"a": 2_430_000_000})
    assert found == {"a": 2_430_000_000}
    assert best_for(SharedRequest(seats=(a,)), replace(a, centres=()), {}) is None


def test_stopping_leaves_what_was_found():
    seats = tuple(seat(f"g{i}", [2_405_000_000], priority=i) for i in range(9))
    assert list(place(SharedRequest(seats=seats), progress=lambda done, _: done < 3)) == ["g0", "g1", "g2"]


def test_what_a_link_has_over_need_counts_noise_and_everybody_in_its_channel():
    inside, beside = wifi(1, -60, 0.5), wifi(11, -40)
    me = seat("me", [2_412_000_000], others=(inside, beside))
    found = standing(SharedRequest(seats=(me,)), me, {"me": 2_412_000_000})
    share = -60 + float(dbm(0.5 * 2 / 16.6))
    assert found.interference_dbm == pytest.approx(share)
    assert found.loudest == "net 1"
    assert found.spare_db == pytest.approx(-70 - float(dbm(milliwatts(share) + milliwatts(-103.0))) - 12)
    swept = replace(me, sweep_dbm={2_412_000_000: -65.0})
    louder = standing(SharedRequest(seats=(swept,)), swept, {"me": 2_412_000_000})
    assert (louder.swept, louder.interference_dbm) == (True, -65.0)


def test_a_link_nobody_has_looked_for_is_not_known():
    me = seat("me", [2_412_000_000])
    assert not standing(SharedRequest(seats=(me,)), me, {"me": 2_412_000_000}).known
    reached = replace(me, reached=frozenset({2_412_000_000}))
    assert standing(SharedRequest(seats=(reached,)), reached, {"me": 2_412_000_000}).known


def test_a_hopping_link_meets_the_mean_of_the_band():
    hops = seat("hops", (), choosing="hops", width_hz=1_000_000, others=(wifi(6, -50),))
    found = standings(SharedRequest(seats=(hops,)), {})["hops"]
    assert found.interference_dbm == pytest.approx(-50 + float(dbm(1_000_000 / (ISM_HZ[1] - ISM_HZ[0]))))


def test_links_that_are_never_on_at_once_may_share():
    steps, early, late = [2_450_000_000], frozenset({"a1"}), frozenset({"a2"})
    a, b = seat("a", steps, times=early), seat("b", steps, times=late)
    request = SharedRequest(seats=(a, b), heard_dbm={("a", "b"): -40.0, ("b", "a"): -40.0})
    assert {s.interference_dbm for s in standings(request, place(request)).values()} == {None}


def test_cells_that_hear_one_another_are_apart_and_beyond_twelve_too():
    channels = list(range(100, 145, 4))
    seats = tuple(cell(f"c{i:02}", channels, priority=i) for i in range(11))
    heard = {(a.id, b.id): -55.0 for a in seats for b in seats if a is not b}
    region = dfs.Region(closed=frozenset({144}))
    found = place(SharedRequest(seats=seats, heard_dbm=heard, region=region))
    assert sorted((f - 5_000_000_000) // 5_000_000 for f in found.values()) == channels[:-1]
    more = tuple(cell(f"d{i:02}", channels, priority=i) for i in range(20))
    assert len(place(SharedRequest(seats=more, region=region))) == 20


def test_a_foreign_network_is_kept_clear_of():
    busy = ("press", Other(Span(dfs.centre_hz(100), 16_600_000), -60.0))
    me = cell("me", [100, 104], others=(busy,))
    assert place(SharedRequest(seats=(me,))) == {"me": dfs.centre_hz(104)}


# -- radar -----------------------------------------------------------------------------------------------


def spells(radars, channels=(100, 104, 120), second=False, at=100):
    me = cell("me", channels, second_radio=second)
    found = events(SharedRequest(seats=(me,), region=dfs.Region()), {"me": dfs.centre_hz(at)}, radars)["me"]
    return [(s.from_s, s.to_s, s.channel, s.silent) for s in found]


def test_a_radar_event_sends_a_cell_to_the_cheapest_channel():
    assert spells([(100, 600.0)]) == [(0.0, 600.0, 100, False), (600.0, 665.0, 104, True), (665.0, None, 104, False)]
    assert spells([(104, 600.0)]) == [(0.0, None, 100, False)]


def test_with_a_second_radio_it_only_joins_again():
    assert spells([(100, 600.0)], second=True)[1] == (600.0, 605.0, 104, True)


def test_a_radar_where_it_is_still_listening_sends_it_on():
    found = spells([(100, 600.0), (104, 630.0)])
    assert found == [(0.0, 600.0, 100, False), (600.0, 630.0, 104, True), (630.0, 1235.0, 120, True),
                     (1235.0, None, 120, False)]  # fmt: skip


def test_a_channel_that_is_closed_is_no_way_out_until_half_an_hour_has_passed():
    soon = spells([(104, 0.0), (100, 600.0)])
    assert soon[1][2] == 120
    late = spells([(104, 0.0), (100, 1800.0)])
    assert late[1][2] == 104


def test_with_no_other_channel_it_waits_for_its_own():
    assert spells([(100, 60.0)], channels=(100,))[1] == (60.0, 60.0 + 1800 + 65, 100, True)


# -- products across bands -------------------------------------------------------------------------------


def test_products_across_bands_are_those_that_trying_finds():
    chance = random.Random(5)
    for _ in range(60):
        carriers = [(f"c{i}", chance.randrange(470, 1300) * 1_000_000) for i in range(6)]
        victim = chance.randrange(800, 2500) * 1_000_000 + 30_000
        guards = {"2a": 900_000, "3a": 700_000, "a-b": chance.choice([0, 2_000_000])}
        tried = [(abs(2 * f - victim), "2a") for _, f in carriers if abs(2 * f - victim) < guards["2a"]]
        tried += [(abs(3 * f - victim), "3a") for _, f in carriers if abs(3 * f - victim) < guards["3a"]]
        for (_, f), (_, g) in itertools.combinations(carriers, 2):
            tried += [(abs(p - victim), "a-b") for p in (abs(f - g), f + g) if abs(p - victim) < guards["a-b"]]
        found = across.strike(victim, guards, carriers)
        assert (found is None) == (not tried)
        if found is not None:
            assert found.distance_hz == min(tried)[0]


def test_exactly_a_guard_away_is_no_hit_and_no_guard_looks_at_nothing():
    assert across.strike(1_200_000_000, {"2a": 100_000}, [("a", 600_050_000)]) is None
    assert across.strike(1_200_000_001, {"2a": 100_000}, [("a", 600_050_000)]) is not None
    assert across.strike(1_200_000_000, {}, [("a", 600_000_000)]) is None
    assert not across.asks({"2a-b": 100_000})
