"""Trails of persons, and of frequencies at a site."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from azven.book.edits import Edit, add, replace_record
from azven.book.records import Assignment, Link, Neighbour, Show, Sweep, Trace, Unit
from azven.work import ground, plan, register
from azven.work.plan import history
from azven.work.register import Asked, trails
from azven.work.register.times import set_span
from azven.work.scope import of_show, opening

NOW = datetime(2026, 9, 1, 12, tzinfo=UTC)
pytestmark = pytest.mark.quiet


@pytest.fixture
def scope(store):
    return opening(store)


@pytest.fixture
def clock(store, scope):
    return ground.here(store, scope).clock


def lend(store, unit, holder, by, hours):
    asked = Asked(deed="hand out", at=NOW + timedelta(hours=hours), by=by, to=holder, until=NOW + timedelta(days=9))
    store.apply(register.do(store, [unit], asked))


def test_deeds_with_and_by_a_person_come_newest_first(store):
    units = [u for u in store.all(Unit) if u.carried][:3]
    lend(store, units[0], "Öyvind Tarn", "Merle", 0)
    lend(store, units[1], "Somebody", "öyvind tarn", 2)
    lend(store, units[2], "Tarn Öyvind", "Merle", 1)
    found = trails.of_person(store, "öyv")
    assert [e.unit for e in found] == [units[1].id, units[0].id]
    assert "by öyvind tarn" in found[0].words
    assert "Öyvind Tarn" in found[1].words
    assert trails.of_person(store, "  ") == []
    assert trails.of_person(store, "%") == []


def test_who_stands_on_a_frequency_is_told_with_what_is_foreign_first(store, scope, clock):
    link = next(x for x in store.all(Link, show_id=scope.show) if x.name == "Lamp Choir 3")
    freq = plan.assignments(store, scope)[link.id].freq_hz
    near = Neighbour(id=store.reserve(), site_id=scope.site, name="Tower", freq_hz=freq + 20_000)
    far = Neighbour(id=store.reserve(), site_id=scope.site, name="Far", freq_hz=freq + 30_000)
    store.apply(Edit("Foreign", add(near, far)))
    found = trails.of_frequency(store, scope, freq, 25_000, clock, NOW)
    assert (found[0].at, found[0].words) == (None, "Tower")
    mine = [e for e in found if e.what == "planned"]
    assert [(e.freq_hz, e.words.split(",")[0]) for e in mine] == [(freq, "Lamp Choir 3")]
    assert not any("Far" in e.words for e in found)
    assert [e.id for e in found] == list(range(1, len(found) + 1))


def test_what_was_planned_and_is_no_longer_stays_in_the_trail_once(store, scope, clock):
    placed = next(iter(plan.assignments(store, scope).values()))
    link = store.get(Link, placed.link_id)
    for _ in range(2):
        store.apply(Edit("Keep", history.keep(store, scope, "Kept", {f"link-{link.id}": placed.freq_hz}, {})))
    store.apply(Edit("Away", replace_record(placed, replace(placed, freq_hz=placed.freq_hz + 5_000_000))))
    found = [e for e in trails.of_frequency(store, scope, placed.freq_hz, 1_000, clock, NOW) if e.what == "was planned"]
    assert len(found) == 1
    assert found[0].words.startswith(f"{link.name}, ")
    assert ", from " in found[0].words


def test_a_show_of_before_counts_and_one_of_another_site_does_not(store, scope, clock):
    show = store.get(Show, scope.show)
    store.apply(Edit("Before", replace_record(show, replace(show, archived=True))))
    placed = next(iter(plan.assignments(store, scope).values()))
    assert any(show.name in e.words for e in trails.of_frequency(store, scope, placed.freq_hz, 1, clock, NOW))
    other = next(s for s in store.all(Show) if s.site_id != scope.site and s.id != scope.show)
    assert not any(
        show.name in e.words for e in trails.of_frequency(store, of_show(other), placed.freq_hz, 1, clock, NOW)
    )
    assert store.all(Assignment, id=placed.id)


def test_the_strongest_level_that_a_sweep_heard_there(store, scope, clock):
    freq = np.arange(640_000_000, 640_200_000, 25_000)
    level = np.full(len(freq), -100.0)
    level[3], level[7] = -61.0, -40.0
    record = Sweep(id=store.reserve(2), site_id=scope.site, taken_at=NOW, place="Gate", antenna="whip", rbw_hz=25e3)
    trace = Trace(id=record.id + 1, sweep_id=record.id, freq_hz=freq, level_dbm=level)
    store.apply(Edit("Sweep", add(record, trace)))
    found = trails.of_frequency(store, scope, int(freq[3]) + 10_000, 25_000, clock, NOW)
    heard = next(e for e in found if "Gate" in e.words)
    assert (heard.freq_hz, heard.at) == (int(freq[3]), NOW)
    assert "−61 dBm" in heard.words


def test_what_was_here_in_a_show_that_is_over_stands_at_its_time(store, scope, clock):
    show = store.get(Show, scope.show)
    began = NOW - timedelta(days=400)
    store.apply(set_span(show, began, began + timedelta(days=2)))
    placed = next(iter(plan.assignments(store, scope).values()))
    (entry,) = (e for e in trails.of_frequency(store, scope, placed.freq_hz, 1, clock, NOW) if show.name in e.words)
    assert (entry.what, entry.at) == ("was here", began)
    before = began - timedelta(days=1)
    (entry,) = (e for e in trails.of_frequency(store, scope, placed.freq_hz, 1, clock, before) if show.name in e.words)
    assert entry.what == "planned"
