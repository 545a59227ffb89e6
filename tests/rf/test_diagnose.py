"""Diagnosis by values: each cause from what shows it, and not from what only looks like it."""

from dataclasses import replace

import numpy as np
import pytest

from azven.rf.diagnose import remedies
from azven.rf.diagnose.record import CarrierHead, Head, LinkHead, Record, Sent, SystemHead, closed, runs
from azven.rf.diagnose.weigh import diagnose

HZ, SECONDS = 2.0, 900
PLAN = [*(500_000_000 + 2_000_000 * i + 100_000 * i * i for i in range(8)), 560_000_000]
AT = np.arange(0.0, SECONDS, 1 / HZ)
BLOCKS = {s: ((f"mast {s}", "amp", 9.0), (f"cable {s}", "cable", -8.0)) for s in ("a", "b")}


def during(begin, end):
    return (begin <= AT) & (end > AT)


@pytest.fixture
def evening():
    """Eight links of one system on two racks, and an idle spare, all well: levels wander by two decibels."""
    rng = np.random.default_rng(3)
    links = [
        LinkHead(name=f"L{i}", freq_hz=PLAN[i], zone="Rope Hall", system="Hall",
                 rack=f"r-{i % 2}", threshold_dbm=-92.0, needed_db=20.0, group="choir", spare=i == 8)
        for i in range(9)
    ]  # fmt: skip
    m, n = len(links), len(AT)
    spare = np.array([x.spare for x in links])[:, None]
    level = np.where(spare, -112.0, -60.0) + rng.normal(0, 2.0, (2, m, n))
    full = np.full((m, n), np.nan)
    return Record(
        head=Head(links=tuple(links), systems=(SystemHead(name="Hall", zone="Rope Hall", sides=BLOCKS),)),
        at_s=AT, a=level[0], b=level[1], q=np.where(spare, 0.0, 100.0) + np.zeros((m, n)),
        af=-25 + rng.normal(0, 4.0, (m, n)), bat=np.where(spare, np.nan, 80.0) + np.zeros((m, n)),
        noise=np.where(spare, -112.0, np.nan) + np.zeros((m, n)), tx=np.where(spare, 0.0, 1.0) + np.zeros((m, n)),
        mute=np.zeros((m, n)), clip=np.zeros((m, n)), hp=full.copy(), txf=full.copy(), differs=np.zeros((m, n), bool),
        named_s=np.repeat(AT[None, :], m, axis=0),
    )  # fmt: skip


def diagnosed(record):
    return diagnose(replace(record))  # a record remembers what it worked out


def told(record):
    return [(x.cause, x.links) for x in diagnosed(record)]


def the_one(record, cause):
    """The only incident, of a cause."""
    (found,) = diagnosed(record)
    assert found.cause == cause
    assert found.evidence
    assert found.next
    return found


def gone(record, i, begin, end):
    record.tx[i, during(begin, end)] = 0
    record.a[i, during(begin, end)] = record.b[i, during(begin, end)] = -112.0
    record.q[i, during(begin, end)] = 0


def test_a_calm_evening_has_nothing_to_tell(evening):
    assert told(evening) == []


def test_a_cough_is_no_mute_and_a_mute_outside_its_act_neither(evening):
    evening.mute[1, during(100, 102)] = 1
    assert told(evening) == []
    evening.mute[1, during(200, 230)] = 1
    assert the_one(evening, "muted").links == ("L1",)


def test_a_transmitter_that_goes_at_once_was_switched_off_unless_its_battery_ran_down(evening):
    gone(evening, 2, 300, 340)
    found = the_one(evening, "switched-off")
    assert (found.from_s, found.to_s) == (300.0, 340.0)
    evening.bat[2] = np.interp(AT, [0, 300], [60, 8])
    found = the_one(evening, "battery")
    assert found.detail["ran_min"] == 5.0
    evening.bat[2] = 19.0  # low all along
    the_one(evening, "battery")


def test_one_step_of_a_coarse_gauge_is_no_empty_battery(evening):
    evening.bat[2] = np.where(AT < 250, 80, 60)
    gone(evening, 2, 300, 340)
    the_one(evening, "switched-off")


@pytest.mark.parametrize(("seconds", "cause"), [(3.0, "shadow"), (30.0, "out-of-reach")])
def test_both_antennas_that_sink_while_it_is_still_heard(evening, seconds, cause):
    sunk = 35 * np.clip(np.minimum(AT - 298, 302 + seconds - AT) / 2, 0, 1)
    evening.a[3] -= sunk
    evening.b[3] -= sunk
    assert the_one(evening, cause).links == ("L3",)


def test_dips_of_one_antenna_again_and_again_and_not_a_single_one(evening):
    evening.a[3, during(300, 301)] = -90
    assert told(evening) == []
    for t in range(310, 380, 8):
        evening.a[3, during(t, t + 0.5)] = -90
    assert the_one(evening, "multipath").detail == {"side": "a"}


def test_a_side_that_is_lower_for_all_is_a_branch_with_its_block(evening):
    evening.b[:8, during(400, 900)] -= 12
    found = the_one(evening, "branch")
    assert found.detail["side"] == "b"
    assert abs(found.detail["drop_db"] - 12) < 1.5
    assert found.detail["block"] == "mast b"  # its gain and a little more is missing
    assert abs(found.from_s - 400) < 10
    assert len(found.links) == 8


def test_three_links_of_eight_that_wander_are_no_branch(evening):
    evening.b[:3, during(400, 900)] -= 12
    assert told(evening) == []


def test_both_sides_of_all_at_once_is_the_system_and_nothing_else(evening):
    for i in range(8):
        gone(evening, i, 500, 520)
    found = the_one(evening, "system")
    assert found.detail["system"] == "Hall"
    assert found.detail["drop_db"] > 40


def test_a_rack_of_which_nothing_is_said(evening):
    for i in range(0, 9, 2):  # its idle spare too
        evening.named_s[i, during(600, 640)] = 600.0
    assert the_one(evening, "rack").links == ("L0", "L2", "L4", "L6")


def test_a_house_that_fills(evening):
    evening.a[:8] -= 7 * np.clip((AT - 240) / 420, 0, 1)
    evening.b[:8] -= 7 * np.clip((AT - 240) / 420, 0, 1)
    found = the_one(evening, "crowd")
    assert found.detail["zone"] == "Rope Hall"
    assert abs(found.detail["drop_db"] - 7) < 1.5


def test_a_product_is_told_by_its_sources_and_a_sum_that_was_on_all_along_is_not(evening):
    links = list(evening.head.links)
    links[8] = LinkHead(**{**vars(links[8]), "freq_hz": (links[0].freq_hz + links[5].freq_hz) // 2})
    evening.head = Head(links=tuple(links), systems=evening.head.systems)
    evening.q[0, during(300, 340)] = 10
    assert the_one(evening, "foreign").links == ("L0",)  # the spare is off: nothing of ours fits
    evening.tx[8, during(300, 340)] = 1
    found = the_one(evening, "product")
    assert found.detail == {"product": "2a-b", "sources": ["L8", "L5"], "victim": "L0"}
    assert found.next[-1].startswith("Move L8 or L5,")


def test_a_source_is_named_only_when_without_it_nothing_falls_there_any_more(evening):
    links = list(evening.head.links)
    me, first, second = links[0].freq_hz, links[5].freq_hz, 516_250_000
    links[8] = LinkHead(**{**vars(links[8]), "freq_hz": (me + first) // 2})
    links[6] = LinkHead(**{**vars(links[6]), "freq_hz": me + second - first})  # L6 + L5 − moved falls on L0 as well
    links[7] = LinkHead(**{**vars(links[7]), "freq_hz": second})
    evening.head = Head(links=tuple(links), systems=evening.head.systems)
    evening.q[0, during(300, 340)] = 10
    evening.tx[8, during(300, 340)] = 1
    found = the_one(evening, "product")
    assert found.detail["sources"] == ["L8", "L5"]
    assert found.next[-1].startswith("Move L5,")


def test_a_link_of_ours_beside_it_is_named(evening):
    links = list(evening.head.links)
    links[8] = LinkHead(**{**vars(links[8]), "freq_hz": links[0].freq_hz + 150_000})
    evening.head = Head(links=tuple(links), systems=evening.head.systems)
    evening.tx[8, during(300, 340)] = 1
    evening.q[0, during(300, 340)] = 10
    assert the_one(evening, "own").detail == {"by": "L8"}


def test_a_known_neighbour_is_named_by_its_frequency(evening):
    near = evening.head.links[0].freq_hz + 40_000
    evening.head = Head(links=evening.head.links, systems=evening.head.systems,
                        carriers=(CarrierHead(name="Ferry office", freq_hz=near),))  # fmt: skip
    evening.q[0, during(300, 340)] = 10
    found = the_one(evening, "foreign")
    assert found.detail["freq_hz"] == near
    assert any("Ferry office" in said for said in found.evidence)


@pytest.mark.parametrize(("bursts", "by"), [(True, "radio"), (False, "in-ear antenna")])
def test_all_that_lose_quality_together_with_good_levels_are_overloaded(evening, bursts, by):
    gate = during(300, 360) & ((AT % 10 < 4) if bursts else True)
    evening.q[:8, gate] = 20
    assert the_one(evening, "overload").detail == {"by": by}


def test_trouble_of_two_links_and_a_third_later_is_not_one_of_all(evening):
    for i in (3, 4, 5, 6, 7):
        evening.tx[i], evening.q[i] = 0.0, 0.0
    evening.q[1:3, during(200, 400)] = 20
    evening.q[0, during(300, 340)] = 20
    assert not [x for x in diagnose(evening) if x.cause == "overload"]


def test_packs_that_come_on_into_trouble_one_by_one_are_not_overloaded(evening):
    evening.q[3:, :] = np.nan
    for i in range(3):
        evening.tx[i, during(0, 300)] = 0.0
        evening.q[i, during(0, 300)] = 0.0
        evening.q[i, during(300, 400)] = 20
    assert not [x for x in diagnose(evening) if x.cause == "overload"]


def test_a_link_before_the_antenna_is_named(evening):
    gate = during(300, 330)
    evening.q[:7, gate] = 20
    evening.a[7, gate] = -18
    assert the_one(evening, "overload").detail == {"by": "L7"}


def test_how_much_farther_off_a_strong_one_has_to_be_is_worked_out_by_what_the_others_bore(evening):
    gate, before = during(300, 330), during(270, 300)
    evening.q[:7, gate] = 20
    evening.a[7, gate], evening.a[7, before] = -18, -30
    said = the_one(evening, "overload").next[-1]
    assert "Keep L7 4.0 times as far" in said
    assert "at −30 dBm the others were well" in said
    assert "attenuator of 12 dB" in said
    evening.a[:7] -= 17
    evening.b[:7] -= 17
    (found,) = [x for x in diagnosed(evening) if x.cause == "overload"]
    assert "would leave" in found.next[-1]


@pytest.mark.parametrize(("served", "margin", "says", "evidence"), [
    (0.8, -7.0, "Another place for the antennas", "20 % of Rope Hall is not served; at the worst place 7 dB are"),
    (1.0, 12.0, "Look at the pack of L0", "all of Rope Hall is served, 12 dB to spare"),
])  # fmt: skip
def test_the_map_tells_a_hole_from_a_fault_of_the_pack(evening, served, margin, says, evidence):
    links = (replace(evening.head.links[0], map_served=served, map_margin_db=margin), *evening.head.links[1:])
    evening.head = replace(evening.head, links=links)
    for side in (evening.a, evening.b):
        side[0, during(300, 360)] = -98.0
    evening.q[0, during(300, 360)] = 10
    found = the_one(evening, "out-of-reach")
    assert found.next[-1].startswith(says)
    assert any(evidence in x for x in found.evidence)


def test_next_steps_are_told_once_however_often_they_are_looked_for(evening):
    evening.q[:8, during(300, 360)] = 20
    found = diagnose(evening)
    before = [list(x.next) for x in found]
    remedies.add(evening, found)
    assert [x.next for x in found] == before


def test_neighbours_in_frequency_that_lose_together_hear_noise(evening):
    for i in (4, 5, 6):
        evening.q[i, during(300, 380)] = 20
    found = the_one(evening, "noise")
    assert found.links == ("L4", "L5", "L6")
    links = evening.head.links
    assert found.detail["low_hz"] <= links[4].freq_hz <= links[6].freq_hz <= found.detail["high_hz"]


def test_a_rack_that_loses_audio_with_good_levels_has_no_name(evening):
    for i in range(0, 8, 2):
        evening.q[i, during(300, 303)] = 10
    assert [x.cause for x in diagnosed(evening)] == ["unknown"]
    assert diagnosed(evening)[0].sure < 0.4


def test_ends_that_do_not_agree(evening):
    evening.differs[1, during(200, 240)] = True
    evening.q[1, during(200, 240)] = 0
    assert the_one(evening, "frequency").detail == {}
    evening.sent = [Sent(500.0, "L2", {"freq_hz": 511_000_000})]
    gone(evening, 2, 501, 560)
    found = [x for x in diagnosed(evening) if x.links == ("L2",)]
    assert [(x.cause, x.detail) for x in found] == [
        ("frequency", {"receiver_hz": 511_000_000, "transmitter_hz": evening.head.links[2].freq_hz})
    ]


def test_clipping_and_silence_beside_others_that_are_heard(evening):
    for t in range(300, 360, 10):
        evening.af[1, during(t, t + 0.5)] = 0.0
    assert the_one(evening, "clip").links == ("L1",)
    evening.af[1] = -25.0
    evening.af[2, during(400, 500)] = -75.0
    assert the_one(evening, "quiet").links == ("L2",)
    evening.af[:8, during(400, 500)] = -75.0  # nobody of the group is heard
    assert told(evening) == []


def test_a_spare_is_offered_only_when_it_is_known_to_be_quiet_and_holds(evening):
    gone(evening, 2, 300, 340)
    assert "Go to L8" in the_one(evening, "switched-off").next[0]
    evening.noise[8] = np.nan
    assert "not known" in the_one(evening, "switched-off").next[0]
    evening.noise[8] = np.where(AT > 250, -70.0, -112.0)
    assert "L8" not in " ".join(the_one(evening, "switched-off").next)


def test_a_spare_that_was_noisy_all_evening_is_not_offered(evening):
    gone(evening, 2, 300, 340)
    evening.noise[8] = -86.0
    assert "L8" not in " ".join(the_one(evening, "switched-off").next)
    evening.noise[8] = -107.0  # a signal at its threshold stands 15 dB over that, 20 less the slack
    assert "L8" in " ".join(the_one(evening, "switched-off").next)


def test_what_is_told_has_the_names_as_they_are_and_no_figure_that_is_not_known(evening):
    evening.head = replace(evening.head, links=tuple(replace(x, name=f"L-{i}", threshold_dbm=None)
                                                     for i, x in enumerate(evening.head.links)))  # fmt: skip
    evening.a[3], evening.b[3] = np.nan, np.nan
    evening.q[3, during(300, 330)] = 20
    (found,) = diagnosed(evening)
    assert (found.cause, found.links) == ("foreign", ("L-3",))
    assert "nan" not in found.evidence[0]
    evening.q[:4, during(300, 330)] = 20
    noise = the_one(evening, "noise")
    assert noise.detail["rise_db"] is None


def test_stretches():
    assert runs(np.array([True, True, False, True])) == [(0, 2), (3, 4)]
    assert runs(np.zeros(0, bool)) == []
    assert closed(np.array([True, False, True, False, False, True]), 1).tolist() == [
        True,
        True,
        True,
        False,
        False,
        True,
    ]


def test_what_the_head_does_not_say_is_not_needed(evening):
    bare = [LinkHead(**{**vars(x), "system": None}) for x in evening.head.links]
    evening.head = Head(links=tuple(bare))  # no antenna systems: a room's links share one
    evening.tx[:] = np.nan  # and no unit tells whether a transmitter is on
    assert told(evening) == []
    evening.b[:8, during(400, 900)] -= 12
    assert the_one(evening, "branch").detail["side"] == "b"


def test_an_idle_receiver_and_a_place_that_dips_are_no_shadow(evening):
    evening.b[:] = np.nan
    for t in range(100, 800, 90):
        evening.a[3, during(t, t + 1)] = -96  # one antenna: a place does that to anybody
    evening.tx[4], evening.q[4], evening.a[4] = 0, 0, -112  # nobody has switched it on
    assert told(evening) == []


def test_a_system_that_is_gone_stays_one_incident_until_it_is_back(evening):
    on = during(300, 640)
    for i in range(8):
        evening.a[i, on] = evening.b[i, on] = -112.0
        evening.q[i, on] = 0
        evening.tx[i, on] = 0
    found = the_one(evening, "system")
    assert found.from_s == pytest.approx(300, abs=2)
    assert found.to_s == pytest.approx(640, abs=6)


def test_a_side_that_is_lost_for_as_long_as_one_looks_back_is_told_by_what_was_usual(evening):
    evening.b[:8] -= 12.0
    assert told(evening) == []
    usual = (np.zeros(9), np.full(9, 2.5))
    (found,) = diagnose(replace(evening, lean=usual))
    assert (found.cause, found.detail["side"]) == ("branch", "b")
    assert found.detail["drop_db"] == pytest.approx(12, abs=1)
    assert found.to_s == pytest.approx(SECONDS, abs=2)


@pytest.mark.parametrize(("hours", "named"), [(None, True), ("19:00-23:00", True), ("20:30-01:00", False),
                                              ("22:00-20:30", True), ("sometimes", True)])  # fmt: skip
def test_a_neighbour_is_named_only_at_its_hour(evening, hours, named):
    carrier = CarrierHead(name="Ferry office", freq_hz=PLAN[2] + 50_000, hours=hours)
    head = replace(evening.head, carriers=(carrier,), start="2026-09-12T20:00:00Z")
    evening.q[2, during(300, 420)] = 20
    found = the_one(replace(evening, head=head), "foreign")
    assert ("Ferry office" in found.evidence[0]) is named
