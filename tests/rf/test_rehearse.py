"""Acts played in the venue: a broken plan is heard, a mended one is quiet, and chance comes again with its seed."""

from dataclasses import replace

import numpy as np
import pytest

from azven.rf.diagnose.record import Head, Incident, LinkHead
from azven.rf.links import End
from azven.rf.reach import Surroundings
from azven.rf.rehearse import foretold, take, truth
from azven.rf.rehearse.foretold import Outcome, Spread
from azven.rf.rehearse.production import Act, Player, Production
from azven.rf.venue import Antenna, Emitter, Front, Venue
from azven.rf.venue.reception import Receiver, Side

STAGE = ((-5.0, 4.0), (5.0, 4.0), (5.0, 12.0), (-5.0, 12.0))
FRONT = Front(gain_db=6.0, noise_figure_db=5.0, iip3_dbm=-32.0)
QUIET, BROKEN = (500e6, 501.1e6, 503.4e6), (500e6, 501.1e6, 502.2e6)
"""In `BROKEN` each lies on a product of the others."""
EVENING = Act("a1", "Parade", 0.0, 240.0)


def side(x):
    end = End(gain_dbi=2.15, kind="omni", pos_m=(x, 0.0, 3.0))
    there = Antenna(position=(x, 0.0, 3.0), front=FRONT)
    return Side(end, there, Surroundings(exponent=20.0))


def made(plan=QUIET, acts=(EVENING,), battery_min=None, emitters=()):
    players = tuple(
        Player(name=f"L{i}", freq_hz=f, power_dbm=15.0, bandwidth_hz=100e3, body_db=8.0, behind=1.0, stage=STAGE,
               receiver=Receiver(sides=(0, 1), needed_db=25.0), battery_min=battery_min, acts=frozenset({"a1"}))
        for i, f in enumerate(plan)
    )  # fmt: skip
    links = tuple(LinkHead(name=p.name, freq_hz=round(p.freq_hz), zone="Hall", system="Hall", rack="r-1", acts=("a1",),
                           threshold_dbm=-92.0, needed_db=25.0) for p in players)  # fmt: skip
    head = Head(links=links, acts={a.id: (a.from_s, a.to_s) for a in acts})
    venue = Venue(emitters=emitters, exponent=20.0)
    return Production(players=players, sides=(side(-1.0), side(1.0)), venue=venue, acts=tuple(acts), head=head)


def lost(production, seeds=range(1, 7)):
    """Seconds without sound of each link, in the middle of some runs."""
    return np.median([foretold.outcome(take.play(production, EVENING, s)).dropout_s for s in seeds], axis=0)


def test_a_broken_plan_is_heard_and_the_mended_one_is_quiet():
    broken, mended = lost(made(BROKEN)), lost(made(QUIET))
    assert broken.sum() > 10.0
    assert mended.max() < 1.0
    played = take.play(made(BROKEN), EVENING, 1)
    assert {x.why for x in truth.losses(played)} == {"product"}


def test_minutes_add_up_to_what_is_lost():
    found = foretold.outcome(take.play(made(BROKEN), EVENING, 1))
    assert len(found.minutes_s) == 4
    assert found.minutes_s.sum() == found.dropout_s.sum() > 0


def test_two_on_one_frequency_are_heard_as_that():
    twice = made((500e6, 500.05e6, 503.4e6))
    assert lost(twice)[:2].sum() > 20.0
    assert "own" in {x.why for x in truth.losses(take.play(twice, EVENING, 2)) if x.link < 2}


def test_a_stranger_is_told_and_named_right():
    stranger = Emitter(
        name="somebody", freq_hz=503_420_000, power_dbm=17.0, position=(0.0, 9.0, 2.0), arrives_dbm=-44.0
    )
    sound = Front(gain_db=6.0, noise_figure_db=5.0, iip3_dbm=5.0)
    sides = tuple(replace(s, antenna=replace(s.antenna, front=sound)) for s in (side(-1.0), side(1.0)))
    found = foretold.outcome(take.play(replace(made(emitters=(stranger,)), sides=sides), EVENING, 1))
    assert found.dropout_s[2] > 5.0
    assert {x.why for x in found.losses if x.link == 2} == {"foreign"}
    assert ("foreign", ("L2",)) in {(x.cause, x.links) for x in found.incidents}
    assert 0 < found.named <= found.asked


def test_a_front_that_is_blocked_costs_levels_by_what_stands_over_its_limit():
    strong = Emitter(name="radio", freq_hz=520_000_000, power_dbm=17.0, position=(0.0, 9.0, 2.0), arrives_dbm=0.0)
    sound = Front(gain_db=6.0, noise_figure_db=5.0, iip3_dbm=5.0)
    sides = tuple(replace(s, antenna=replace(s.antenna, front=sound)) for s in (side(-1.0), side(1.0)))
    alone, beside = (
        take.play(replace(made(emitters=e), sides=sides), EVENING, 1, between_s=(0.0, 30.0)).record.a
        for e in ((), (strong,))
    )
    assert np.median(alone - beside) == pytest.approx(0.0 - (5.0 - 9.6 - 10.0), abs=0.6)


def test_a_battery_ends_within_the_act_and_takes_the_sound_with_it():
    evening = (EVENING, Act("a2", "Concert", 300.0, 540.0))
    production = made(acts=evening, battery_min=6.5)
    production = replace(production, players=tuple(replace(p, acts=frozenset()) for p in production.players))
    first = take.play(production, EVENING, 3)
    assert np.isnan(first.ended_s).all()
    second = take.play(production, evening[1], 3)
    assert ((second.ended_s > 300) & (second.ended_s < 540)).all()
    for i, end in enumerate(second.ended_s):
        after = second.record.at_s >= end
        assert second.lost[i, after].all()
        assert second.record.bat[i, ~after][-1] <= 2
        assert (second.record.tx[i] == np.where(after, 0, 1)).all()
    found = foretold.outcome(second)
    assert {x.why for x in found.losses if x.seconds > 20} == {"battery"}
    links = foretold.links(production, evening[1], [found])
    assert all(0 < x.battery_end_s.p50 < 240 and x.battery_share == 1 for x in links)


def test_a_seed_comes_again_and_another_one_is_another_evening():
    one, again, other = (take.play(made(), EVENING, s).record for s in (4, 4, 5))
    assert np.array_equal(one.a, again.a)
    assert not np.array_equal(one.a, other.a)


def test_who_keys_up_now_and_then_does_so_at_moments_of_the_seed():
    radio = Emitter(name="radio", freq_hz=503_400_000, power_dbm=17.0, position=(0.0, 9.0, 2.0), arrives_dbm=-40.0,
                    keyed_s=(10.0, 120.0, 0.0))  # fmt: skip
    nightly = replace(radio, name="nightly", keyed_s=(3_600.0, 86_400.0, 7.0))
    there = [take.reception(made(emitters=(radio, nightly)), EVENING, s).venue.emitters for s in (1, 2)]
    assert there[0][0].keyed_s != there[1][0].keyed_s
    assert there[0][1].keyed_s == there[1][1].keyed_s == (3_600.0, 86_400.0, 7.0)


def test_spares_and_links_of_other_acts_do_not_play_and_spares_are_listened_to():
    production = made()
    one, two, three = production.players
    players = (one, replace(two, spare=True), replace(three, acts=frozenset({"a9"})))
    played = take.play(replace(production, players=players), EVENING, 1)
    assert not played.lost[1:].any()
    assert np.isfinite(played.record.noise[1]).all()
    assert np.isnan(played.record.noise[2]).all()
    assert [x.link for x in foretold.links(replace(production, players=players), EVENING,
                                           [foretold.outcome(played)])] == ["L0"]  # fmt: skip


def test_it_is_stopped_between_two_minutes():
    asked = []
    assert take.play(made(), EVENING, 1, lambda share: bool(asked.append(share)) or share < 0.4) is None
    assert asked == [0.0, 0.25, 0.5]


def incident(cause="product", links=("L0",), at=30.0, **detail):
    return Incident(from_s=at, to_s=at + 5, links=links, cause=cause, sure=0.9, detail=detail, evidence=["seen"])


def run(seed, *incidents):
    return Outcome("a1", seed, np.zeros(3), np.zeros(4), np.full(3, np.nan), incidents, (), 0, 0)


@pytest.mark.parametrize(("other", "together"), [
    (incident(at=39.0), True), (incident(at=41.0), False), (incident(links=("L0", "L1")), False),
    (incident(cause="own"), False), (incident(rise_db=4.5), True), (incident(sources=["L1"]), False),
])  # fmt: skip
def test_incidents_over_runs_are_one_when_cause_links_and_detail_agree_within_ten_seconds(other, together):
    found = foretold.troubles([run(1, incident()), run(2, other), run(3)])
    assert [(round(t.share, 2), t.seeds) for t in found] == (
        [(0.67, (1, 2))] if together else [(0.33, x.seeds) for x in found]
    )
    assert len(found) == (1 if together else 2)


def test_frequencies_of_strangers_agree_within_a_hundred_kilohertz():
    near = [run(k, incident("foreign", freq_hz=f)) for k, f in enumerate((500_000_000, 500_040_000, 502_000_000))]
    assert sorted(t.share for t in foretold.troubles(near)) == [pytest.approx(1 / 3), pytest.approx(2 / 3)]


def test_a_spread_is_that_of_the_runs():
    assert Spread.of(range(101)) == Spread(10.0, 50.0, 90.0)
