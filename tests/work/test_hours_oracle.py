"""Hours of neighbours against acts, minute by minute; moments that are said and read back; rooms by their walls."""

from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from azven.book.records import Act, Zone
from azven.rf.walls import WallLine
from azven.work import hours, isolation

DAY = 24 * 60
START = datetime(2026, 8, 14, tzinfo=UTC)
minutes = st.integers(0, DAY - 1)


def clock(minute):
    return f"{minute // 60:02d}:{minute % 60:02d}"


def act(name, start, length):
    begins = START + timedelta(minutes=start)
    return Act(show_id=1, name=name, starts_at=begins, ends_at=begins + timedelta(minutes=length))


def minutes_of(start, length):
    return {(start + i) % DAY for i in range(length)}


@given(minutes, minutes, st.lists(st.tuples(minutes, st.integers(1, 300)), min_size=1, max_size=4))
def test_a_neighbour_meets_the_acts_that_share_a_minute_with_it(opens, closes, stretches):
    acts = [act(f"act {i}", *s) for i, s in enumerate(stretches)]
    its = minutes_of(opens, (closes - opens) % DAY or DAY)
    met = {a.name for a, s in zip(acts, stretches, strict=True) if its & minutes_of(*s)}
    assert hours.acts_during(f"{clock(opens)}–{clock(closes)}", acts) == (met or {hours.NEVER_WITH_US})


@given(minutes, minutes)
def test_hours_are_read_in_every_form_people_type(opens, closes):
    forms = (f"{clock(opens)}-{clock(closes)}", f" {clock(opens).replace(':', '.')} – {clock(closes)} ")
    found = {hours.read(form) for form in forms}
    assert found == {(opens, (closes - opens) % DAY or DAY)}
    assert all(hours.checked(form) == form.strip() for form in forms)


@given(st.datetimes(datetime(2020, 1, 1), datetime(2040, 1, 1)))
def test_a_moment_that_is_said_is_read_back_to_the_minute(at):
    to_the_minute = at.replace(second=0, microsecond=0, tzinfo=UTC)
    assert hours.moment(hours.said(to_the_minute)) == to_the_minute
    assert hours.moment(hours.said(None)) is None


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
