"""Before it happens: batteries against acts, levels that sink, strangers, racks that fall silent, packs elsewhere."""

import pickle
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest

from azven.book.records import Act, Link
from azven.rf.diagnose.record import Record
from azven.rf.running import Left
from azven.work import ground, kit, listen
from azven.work.ground.hours import Clock
from azven.work.scope import opening
from azven.work.watch import batteries, before, heads, swept, watched
from azven.work.watch.watched import Span, Watched

START = datetime(2026, 9, 12, 18, tzinfo=UTC)
LINKS = [{"name": "Narrator", "freq_hz": 500_000_000, "rack": "r-1", "threshold_dbm": -92, "needed_db": 20},
         {"name": "Choir", "freq_hz": 503_000_000, "rack": "r-1", "threshold_dbm": -92, "needed_db": 20},
         {"name": "Spare", "freq_hz": 507_000_000, "rack": "r-2", "threshold_dbm": -92, "needed_db": 20,
          "spare": True}]  # fmt: skip
ACTS = (Span(1, "Parade", 0.0, 3600.0), Span(2, "Concert", 4500.0, 8100.0))


@pytest.fixture
def show():
    links = [Link(id=1, show_id=1, name="Narrator", model_id=1, band="", zone_id=1, acts=(1, 2)),
             Link(id=2, show_id=1, name="Choir", model_id=1, band="", zone_id=1, acts=(2,)),
             Link(id=3, show_id=1, name="Spare", model_id=1, band="", zone_id=1, spare=True)]  # fmt: skip
    return Watched(document={"links": LINKS}, start=START, links=tuple(links), keys=(("r-1", "1"), ("r-1", "2"), None),
                   spans=ACTS, full_min={1: 240.0, 2: 240.0}, worn_by={1: "Ona"})  # fmt: skip


def record(show, seconds=40.0, step=0.5, **rows):
    m, n = len(LINKS), round(seconds / step)
    at = np.arange(n) * step
    full = np.full((m, n), np.nan)
    base = {"a": -60.0 + full * 0, "b": full, "q": full, "af": full, "bat": full, "noise": full, "tx": full,
            "mute": full, "clip": full, "hp": full, "txf": full, "named_s": np.repeat(at[None], m, axis=0)}  # fmt: skip
    return Record(head=show.head, at_s=at, differs=np.zeros((m, n), bool), **(base | rows))


def told(show, lately=None, evening=None, status=({}, {}, {}), charges=(), unsent=None, wrong=(), silent=None, t=39.5):
    lately = record(show) if lately is None else lately
    found = before.ahead(show, lately, evening, status, charges, unsent or {}, wrong, silent, t)
    return {(x.cause, x.links): x for x in found}


def test_a_battery_that_ends_inside_its_act_is_told_with_what_is_missing(show):
    found = batteries.charges(show, None, [{"bat": 30, "left_min": 25.0}, {"bat": 90}, {}], 1800.0)
    narrator, choir = found
    assert (narrator.needed_min, narrator.act_min, narrator.short_min) == (105.0, 30.0, 5.0)
    assert (choir.act, choir.left.minutes, choir.lasts) == ("", None, None)
    (it,) = told(show, charges=found).values()
    assert (it.cause, it.links) == ("battery", ("Narrator",))
    assert "5 short" in it.evidence[0]


def test_one_that_lasts_its_act_is_changed_in_the_break_and_not_told(show):
    found = batteries.charges(show, None, [{"left_min": 60.0}, {"left_min": 300.0}, {}], 1800.0)
    assert told(show, charges=found) == {}
    plan = batteries.plan(show, found, 1800.0)
    (change,) = plan.breaks
    assert (change.before.name, change.from_s) == ("Concert", 3600.0)
    assert [c.name for c in change.charges] == ["Narrator"]
    assert change.charges[0].who == "Ona"


def test_whom_no_break_reaches_in_time_is_said(show):
    found = batteries.charges(show, None, [{"left_min": 5.0}, {}, {}], 1800.0)
    assert [c.name for c in batteries.plan(show, found, 1800.0).too_late] == ["Narrator"]


def test_a_gauge_alone_gives_minutes_by_its_slope(show):
    minutes = np.arange(0, 1800, 4.0)
    bat = np.full((3, len(minutes)), np.nan)
    bat[0] = 80 - minutes / 60
    found = batteries.charges(show, record(show, 1800, 4.0, bat=bat), [{"bat": 50}, {}, {}], 1800.0)
    assert found[0].left.by == "slope"
    assert found[0].left.minutes == pytest.approx(50.0, abs=1.5)


def test_many_that_end_too_early_are_one_trouble_and_the_shortest_is_named(show):
    charge = batteries.charges(show, None, [{"left_min": 12.0}, {}, {}], 1800.0)[0]
    many = [replace(charge, name=f"L{k}", left=Left(12.0 - k, "unit")) for k in range(5)]
    (it,) = told(show, charges=many).values()
    assert it.links == ("L4", "L3", "L2", "L1", "L0")
    assert "5 batteries" in it.evidence[0]
    assert "L4 in 8 minutes" in it.evidence[0]


def test_without_times_of_acts_a_battery_is_told_by_itself(show):
    timeless = Watched(document=show.document, start=START, links=show.links, keys=show.keys)
    found = batteries.charges(timeless, None, [{"left_min": 15.0}, {"left_min": 100.0}, {}], 100.0)
    assert list(told(timeless, charges=found)) == [("battery", ("Narrator",))]


def test_a_level_that_sinks_steadily_is_told_and_one_that_wanders_is_not(show):
    at = np.arange(0, 1240, 4.0)
    a = np.full((3, len(at)), -60.0)
    a[0] = -66 - 14 * at / at[-1]
    a[1] = -70 - 8 * np.sin(at / 90)
    tx = np.ones((3, len(at)))
    evening = record(show, 1240, 4.0, a=a, b=a, tx=tx)
    (it,) = told(show, evening=evening).values()
    assert (it.cause, it.links) == ("sinks", ("Narrator",))
    crowd = before._one("crowd", ("Narrator", "Choir"), 39.0, "", "")
    assert told(show, evening=evening, wrong=[crowd]) == {}


def test_somebody_on_a_spare_and_noise_on_one(show):
    tx = np.zeros((3, 80))
    a = np.full((3, 80), -110.0)
    a[2] = -70.0
    assert list(told(show, record(show, a=a, tx=tx))) == [("intruder", ("Spare",))]
    a[2] = -95.0
    noise = np.full((3, 80), np.nan)
    noise[2] = -95.0
    assert list(told(show, record(show, a=a, tx=tx, noise=noise))) == [("spare", ("Spare",))]
    noise[2] = -112.0
    assert told(show, record(show, a=a, tx=tx, noise=noise)) == {}
    flood = before._one("noise", ("Choir",), 39.0, "", "")
    a[2] = -70.0
    assert told(show, record(show, a=a, tx=tx), wrong=[flood]) == {}


def test_a_rack_that_falls_silent_is_told_before_it_is_lost(show):
    silent = np.array([4.5, 5.0, 0.0])
    assert list(told(show, silent=silent)) == [("rack", ("Narrator", "Choir"))]
    assert told(show, silent=np.array([4.5, 0.1, 0.0])) == {}
    assert told(show, silent=np.array([np.inf, np.inf, np.inf])) == {}
    assert told(show, silent=None) == {}


def test_all_racks_silent_at_once_are_one_trouble_of_the_desk():
    links = [{"name": f"L{k}", "rack": f"r-{k}"} for k in range(4)]
    show = Watched(document={"links": links}, start=START, keys=(None,) * 4)
    (it,) = before._silent(show, np.full(4, 5.0), 9.0)
    assert it.links == ("L0", "L1", "L2", "L3")
    assert "this desk" in it.next[0]
    assert len(list(before._silent(show, np.array([5.0, 5.0, 5.0, 0.1]), 9.0))) == 3


def test_a_pack_on_another_frequency_and_a_plan_that_was_not_sent(show):
    status = ({"tx": "on", "txf": 500_000_000}, {"tx": "on", "txf": 503_025_000}, {})
    found = told(show, status=status, unsent={"Narrator": ["frequency 500.000, not 501.000"]})
    assert set(found) == {("frequency", ("Choir",)), ("unsent", ("Narrator",))}


def test_the_head_of_the_demonstration_says_what_is_known(store):
    scope = opening(store)
    links = [x for x in kit.links(store, scope) if not x.set_aside]
    keys = {links[0].id: ("r-0401", "1")}
    found = watched.of_show(store, scope, keys, START)
    assert [x.name for x in found.head.links] == [x.name for x in links]
    assert found.keys[0] == ("r-0401", "1")
    assert found.head.links[0].rack == "r-0401"
    assert {x.zone for x in found.head.links} <= {z.name for z in ground.zones(store, scope)}
    voices = [x for x in found.head.links if x.service == "voice" and not x.spare]
    assert all(x.threshold_dbm is not None and -110 < x.threshold_dbm < -60 for x in voices)
    hall = [x for x in voices if x.zone == "Rope Hall"]
    assert {(x.map_margin_db is not None, 0 < (x.map_served or 0) <= 1) for x in hall} == {(True, True)}
    assert all(x.map_served is None for x in found.head.links if x.service == "in-ear" or x.zone != "Rope Hall")
    assert {s.name for s in found.head.systems} >= {x.system for x in voices if x.system}
    assert all(s.sides["a"] for s in found.head.systems)
    assert [a.id for a in found.spans] == [a.id for a in kit.acts(store, scope)]
    assert all(a.to_s > a.from_s for a in found.spans)
    for i, link in enumerate(links):
        assert {a.id for a in found.acts_of(i)} == set(link.acts or [a.id for a in found.spans])


def test_what_is_watched_can_go_to_another_process(store):
    found = watched.of_show(store, opening(store), {}, START)
    there = pickle.loads(pickle.dumps(found))
    assert there == found
    assert there.head == found.head


def test_two_links_of_one_name_are_told_apart_and_acts_by_their_id():
    links = [Link(id=k, show_id=1, name="Solo", model_id=1, band="", zone_id=1) for k in (4, 9)]
    assert heads.names(links) == {4: "Solo", 9: "Solo (2)"}
    acts = [Act(id=k, show_id=1, name="Act", starts_at=START, ends_at=START) for k in (1, 2)]
    assert heads.timed(acts)
    assert not heads.timed([*acts, Act(id=3, show_id=1, name="Open")])
    assert len({heads._act_name(a) for a in acts}) == 2


def test_hours_of_neighbours_are_told_in_utc():
    summer = datetime(2026, 7, 1, 18, tzinfo=UTC)
    assert heads._hours("19:00–23:30", Clock("Europe/London"), summer) == "18:00-22:30"
    assert heads._hours("23:00-01:00", Clock("UTC"), summer) == "23:00-01:00"
    assert heads._hours("", Clock("UTC"), summer) is None


def test_sweeps_taken_since_are_known_once_and_thinned_by_the_loudest(store):
    scope = opening(store)
    every = listen.sweeps(store, scope)
    start = min(s.taken_at for s in every)
    found = swept.since(store, scope, start, set())
    assert {number for number, _ in found} <= {s.id for s in every}
    assert found
    for number, sweep in found:
        trace = listen.load(store, next(s for s in every if s.id == number))
        assert len(sweep.levels) <= 4096
        assert np.nanmax(sweep.levels) == pytest.approx(np.nanmax(trace.level_dbm))
        assert sweep.at_s >= 0
    assert swept.since(store, scope, start, {number for number, _ in found}) == []
