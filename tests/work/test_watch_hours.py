"""Hours of links: added up from what is seen, written into the book, told in the trail of a unit."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from azven.book.records import Hour, Unit
from azven.work import ground
from azven.work.kit import persons
from azven.work.reasons.unit import for_unit
from azven.work.register.astray import worn_units
from azven.work.scope import opening
from azven.work.watch import hours, watched
from azven.work.watch.hours import Hours
from azven.work.watch.night import Seen

BEGINS = datetime(2026, 11, 27, 18, 59, tzinfo=UTC)


@pytest.fixture
def scope(store):
    return opening(store)


@pytest.fixture
def worn(store, scope):
    item = next(w for w in persons.worn(store, scope) if w.unit_id is not None)
    return item.link_id, item.unit_id


def run(store, scope, link, seconds, told, begins=BEGINS, adding=None):
    """Seconds of a watch in which one link tells something."""
    found = adding or Hours(scope)
    of_book = watched.of_show(store, scope, {}, begins)
    units = worn_units(store, scope)
    for k in range(seconds + 1):
        status = tuple(told(k) if x is not None and x.id == link else {} for x in of_book.links)
        found.take(Seen(t=float(k), watched=of_book, status=status), begins + timedelta(seconds=k), units)
    return found


def test_an_hour_is_added_up_and_written_when_it_is_over(store, scope, worn):
    link, unit = worn
    adding = run(store, scope, link, 120, lambda k: {"tx": "on", "a": -60.0 - k % 7, "b": -90.0, "bat": 80 - k // 60,
                                                    "mute": k < 10})  # fmt: skip
    adding.write(store)
    (first,) = store.page(Hour, 0, 10)
    assert (first.at, first.link, first.unit, first.show) == (BEGINS.replace(minute=0), link, unit, scope.show)
    assert first.heard_s == pytest.approx(59.0)
    assert first.muted_s == pytest.approx(9.0)
    assert (first.worst_dbm, first.battery) == (-66.0, 80.0)
    adding.end()
    adding.write(store)
    assert [h.heard_s for h in store.page(Hour, 0, 10)] == pytest.approx([59.0, 61.0])
    adding.write(store)
    assert store.count(Hour) == 2


def test_what_is_off_is_not_heard_and_a_pause_says_nothing(store, scope, worn):
    link, _ = worn
    adding = run(store, scope, link, 30, lambda k: {"tx": "off", "a": -60.0})
    adding.end()
    adding.write(store)
    assert store.count(Hour) == 0
    adding = run(store, scope, link, 10, lambda k: {"tx": "on"})
    adding = run(store, scope, link, 10, lambda k: {"tx": "on"}, BEGINS + timedelta(seconds=40), adding)
    adding.end()
    adding.write(store)
    (one,) = store.page(Hour, 0, 10)
    assert (one.heard_s, one.worst_dbm, one.battery) == (20.0, None, None)


def test_the_trail_of_a_unit_tells_an_evening_in_a_line(store, scope, worn):
    link, number = worn
    adding = run(store, scope, link, 240, lambda k: {"tx": "on", "a": -72.0, "bat": 55})
    adding.end()
    adding.write(store)
    unit = store.get(Unit, number)
    assert len(hours.of_unit(store, unit)) == 2
    (evening,) = hours.together(hours.of_unit(store, unit))
    assert hours.in_words(evening) == "heard for 4 min, at worst −72 dBm, battery down to 55 %"
    clock = ground.here(store, scope).clock
    rows = for_unit(store, clock, unit, BEGINS + timedelta(days=1)).arithmetic
    assert (clock.said(BEGINS.replace(minute=0)), hours.in_words(evening)) in rows
    assert hours.of_unit(store, unit, BEGINS + timedelta(days=1)) == []


def test_evenings_of_different_days_and_links_stay_apart():
    one = Hour(show=1, site=1, link=1, unit=1, at=BEGINS, heard_s=600.0)
    day = replace(one, at=BEGINS - timedelta(days=1))
    other = replace(one, link=2, at=BEGINS - timedelta(hours=1))
    assert hours.together([one, other, day]) == [one, other, day]
    assert len(hours.together([one, replace(one, at=BEGINS - timedelta(hours=1))])) == 1


def test_what_two_desks_kept_of_one_hour_counts_once():
    one = Hour(id=1, show=1, site=1, link=1, unit=1, at=BEGINS, heard_s=600.0)
    (told,) = hours.together([one, replace(one, id=2, heard_s=900.0), replace(one, id=3, heard_s=30.0)])
    assert told.heard_s == 900.0


def test_while_nothing_can_be_written_hours_wait(store, scope, worn, monkeypatch):
    from azven.book.edits import BookError

    link, _ = worn
    adding = run(store, scope, link, 20, lambda k: {"tx": "on"})
    adding.end()

    def away(n=1):
        raise BookError("away")

    with monkeypatch.context() as cut:
        cut.setattr(store, "reserve", away)
        adding.write(store)
    assert store.count(Hour) == 0
    adding.write(store)
    assert store.count(Hour) == 1
