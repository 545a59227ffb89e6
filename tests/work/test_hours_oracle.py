"""Hours of neighbours against acts, minute by minute; moments that are said and read back; rooms by their walls."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.book.records import Act, Zone
from azven.refusal import Refusal
from azven.rf.walls import WallLine
from azven.work import ids
from azven.work.ground import hours, isolation

DAY = 24 * 60
START = datetime(2026, 8, 14, tzinfo=UTC)
UTC_CLOCK = hours.Clock("UTC")
minutes = st.integers(0, DAY - 1)


def clock(minute):
    return f"{minute // 60:02d}:{minute % 60:02d}"


def act(name, start, length):
    begins = START + timedelta(minutes=start)
    return Act(id=name, show_id=1, name="an act", starts_at=begins, ends_at=begins + timedelta(minutes=length))


def minutes_of(start, length):
    return {(start + i) % DAY for i in range(length)}


@given(minutes, minutes, st.lists(st.tuples(minutes, st.integers(1, 300)), min_size=1, max_size=4))
def test_a_neighbour_meets_the_acts_that_share_a_minute_with_it(opens, closes, stretches):
    acts = [act(i, *s) for i, s in enumerate(stretches)]
    its = minutes_of(opens, (closes - opens) % DAY or DAY)
    met = {ids.of(a) for a, s in zip(acts, stretches, strict=True) if its & minutes_of(*s)}
    assert UTC_CLOCK.acts_during(f"{clock(opens)}–{clock(closes)}", acts) == (met or {hours.NEVER_WITH_US})


@given(minutes, minutes)
def test_hours_are_read_in_every_form_people_type(opens, closes):
    forms = (f"{clock(opens)}-{clock(closes)}", f" {clock(opens).replace(':', '.')} – {clock(closes)} ")
    found = {hours.read(form) for form in forms}
    assert found == {(opens, (closes - opens) % DAY or DAY)}
    assert all(hours.checked(form) == form.strip() for form in forms)


@given(st.datetimes(datetime(2020, 1, 1), datetime(2040, 1, 1)))
def test_a_moment_that_is_said_is_read_back_to_the_minute(at):
    to_the_minute = at.replace(second=0, microsecond=0, tzinfo=UTC)
    assert UTC_CLOCK.moment(UTC_CLOCK.said(to_the_minute)) == to_the_minute
    assert UTC_CLOCK.moment(UTC_CLOCK.said(None)) is None


ZONES = st.sampled_from(["CET", "America/New_York", "Australia/Lord_Howe", "Asia/Kathmandu", "Pacific/Apia", "UTC"])


@given(st.datetimes(datetime(2020, 1, 1), datetime(2030, 1, 1)), ZONES)
def test_a_local_moment_is_read_back_but_for_the_hour_that_comes_twice(at, zone):
    clock_there = hours.Clock(zone)
    moment = at.replace(second=0, microsecond=0, tzinfo=UTC)
    again = clock_there.moment(clock_there.said(moment))
    assert again == moment or clock_there.said(again) == clock_there.said(moment)


@given(minutes, minutes, st.datetimes(datetime(2026, 3, 27), datetime(2026, 11, 2)), st.integers(1, 600), ZONES)
def test_local_hours_meet_an_act_as_a_wall_clock_walked_minute_by_minute_says(opens, closes, start, length, zone):
    begins = start.replace(second=0, microsecond=0, tzinfo=UTC)
    its = minutes_of(opens, (closes - opens) % DAY or DAY)
    walls = [(begins + timedelta(minutes=i)).astimezone(hours.zone_of(zone)) for i in range(length)]
    met = any(w.hour * 60 + w.minute in its for w in walls)
    played = Act(id=1, show_id=1, name="x", starts_at=begins, ends_at=begins + timedelta(minutes=length))
    found = hours.Clock(zone).acts_during(f"{clock(opens)}–{clock(closes)}", [played])
    if met:  # never called away while it is on
        assert found == {"act-1"}


def test_summer_time_begins_and_ends():
    there = hours.Clock("CET")
    assert there.moment("2026-03-28 20:00") == datetime(2026, 3, 28, 19, tzinfo=UTC)
    assert there.moment("2026-03-29 20:00") == datetime(2026, 3, 29, 18, tzinfo=UTC)
    with pytest.raises(ValueError, match="does not exist in CET"):
        there.moment("2026-03-29 02:30")
    assert there.said(datetime(2026, 7, 1, 12, tzinfo=UTC), with_zone=True) == "2026-07-01 14:00 CEST"
    assert there.said(datetime(2026, 12, 1, 12, tzinfo=UTC), with_zone=True) == "2026-12-01 13:00 CET"
    evening = Act(id=1, show_id=1, name="x", starts_at=datetime(2026, 3, 29, 17, 30, tzinfo=UTC),
                  ends_at=datetime(2026, 3, 29, 18, 30, tzinfo=UTC))  # fmt: skip
    assert there.acts_during("19:00–19:40", [evening]) == {"act-1"}
    assert there.acts_during("18:00–19:20", [evening]) == {hours.NEVER_WITH_US}


def test_a_zone_that_nobody_knows_is_utc():
    assert hours.zone_of("Nowhere/At all") is UTC
    assert "CET" in hours.zone_names()
    assert hours.zone_here() in hours.zone_names()


boxes = st.tuples(st.integers(-40, 40), st.integers(-40, 40), st.integers(4, 20), st.integers(4, 20))


def drawn(name, box):
    x, y, wide, deep = box
    return Zone(site_id=1, name=name, shape=((x, y), (x + wide, y), (x + wide, y + deep), (x, y + deep)))


@given(boxes, boxes, st.lists(st.tuples(boxes, st.integers(1, 20)), max_size=3))
def test_rooms_are_kept_apart_alike_both_ways_and_no_wall_brings_them_together(a, b, some):
    rooms = drawn("A", a), drawn("B", b)
    walls = tuple(WallLine((x, y), (x + w + 0.31, y + d + 0.17), float(loss)) for (x, y, w, d), loss in some)
    there, back = isolation._through(walls, *rooms), isolation._through(walls, *reversed(rooms))
    assert abs(there.loss_db - back.loss_db) < 0.2
    assert there.loss_db >= isolation._through((), *rooms).loss_db - 0.2
    assert there.loss_db <= isolation._through((), *rooms).loss_db + sum(w.loss_db for w in walls) + 0.2
    assert there.relation in ("together", "near", "apart")


@pytest.mark.parametrize("zone", ["UTC", "Europe/Berlin", "Pacific/Auckland"])
def test_a_day_that_is_said_is_read_back_and_its_edges_lie_in_it(zone):
    here = hours.Clock(zone)
    day = here.day(" 2026-03-29 ")
    begins, ends = here.begin_of(day), here.end_of(day)
    assert here.day_said(begins) == here.day_said(ends) == "2026-03-29"
    assert here.day_said(begins - timedelta(seconds=1)) == "2026-03-28"
    assert here.day_said(ends + timedelta(seconds=1)) == "2026-03-30"


def test_no_day_is_empty_and_what_is_no_day_is_refused():
    assert UTC_CLOCK.day("  ") is None
    assert UTC_CLOCK.day_said(None) == ""
    with pytest.raises(Refusal, match="write it as 2026-09-30"):
        UTC_CLOCK.day("30.9.26")
