"""Deeds from a table: what each line would do, what cannot be read, and that a table taken twice changes nothing."""

from datetime import UTC, datetime, timedelta

import pytest

from azven.book.formats.errors import FormatError
from azven.book.records import Deed, Show, Site, Unit
from azven.refusal import Refusal
from azven.work import ground, register
from azven.work.register import Asked, taking_in
from azven.work.scope import opening

NOW = datetime(2026, 9, 1, 12, tzinfo=UTC)
pytestmark = pytest.mark.quiet


@pytest.fixture
def clock(store):
    return ground.here(store, opening(store)).clock


@pytest.fixture
def units(store):
    return sorted(store.all(Unit, carried=True), key=lambda u: u.name)[:4]


def table(store, clock, *lines, progress=lambda done, total: True):
    return taking_in.table_of(store, "\r\n".join(lines), clock, NOW, progress)


def fresh(store, unit):
    return store.get(Unit, unit.id)


def test_lines_are_shown_as_they_would_be_and_then_done_as_one_step(store, clock, units):
    a, b = units[:2]
    found = table(
        store, clock, "Serial;Deed;To;Until;At", f"{a.serial};hand out;Ferry office;2026-09-30;2026-08-30 10:00",
        f"{b.serial};Lost;;;", f"{a.serial};take back;;;2026-08-31 10:00",
    )  # fmt: skip
    assert [(x.before, x.after) for x in found.lines] == [
        ("in case", "on loan"), ("in case", "missing"), ("on loan", "in case"),
    ]  # fmt: skip
    assert fresh(store, a).state == "in case"
    assert not store.all(Deed, unit_id=a.id)
    edit = store.apply(taking_in.take(store, found, "deeds.csv"))
    assert fresh(store, b).state == "missing"
    trail = sorted(store.all(Deed, unit_id=a.id), key=lambda d: d.at)
    assert [(d.deed, d.before, d.after) for d in trail] == [
        ("hand out", "in case", "on loan"), ("take back", "on loan", "in case"),
    ]  # fmt: skip
    assert trail[0].until.astimezone(clock.tz).strftime("%m-%d %H:%M") == "09-30 23:59"
    store.apply(edit.inverse())
    assert not store.all(Deed, unit_id=a.id)
    assert fresh(store, b).state == "in case"


def test_what_would_be_is_what_is_then(store, clock, units):
    told = [f"{u.serial},{deed},2026-08-10 09:{k:02},Tarn,Van" for k, (u, deed) in enumerate(
        (u, deed) for u in units for deed in ("hand out", "retire", "take back", "reinstate", "lost", "scan")
    )]  # fmt: skip
    found = table(store, clock, "serial,deed,at,to,place", *told)
    assert sum("refused" in x.trouble for x in found.lines) == len(units)
    store.apply(taking_in.take(store, found, "t"))
    for unit in units:
        last = [x for x in found.lines if x.unit.id == unit.id][-1]
        assert fresh(store, unit).state == last.after == "in case"
        assert fresh(store, unit).place == "Van"


def test_taken_in_twice_it_changes_nothing(store, clock, units):
    lines = ("serial,deed,at,place", f"{units[0].serial},move,2026-08-30 10:00,Shelf 3")
    store.apply(taking_in.take(store, table(store, clock, *lines), "t"))
    again = table(store, clock, *lines)
    assert [x.same for x in again.lines] == [True]
    with pytest.raises(Refusal, match="Nothing"):
        taking_in.take(store, again, "t")
    twice = table(store, clock, lines[0], *[lines[1].replace("Shelf 3", "Shelf 4")] * 2)
    assert [x.same for x in twice.lines] == [False, True]


@pytest.mark.parametrize(
    ("line", "told"),
    [
        ("none,,hand out,,,", "No unit is there with the serial none."),
        (",,lost,,,", "names no unit"),
        (",{name},steal,,,", "“steal” is no deed"),
        (",{name},move,,,", "needs to know"),
        (",{name},lost,,Nowhere,", "no site “Nowhere”"),
        (",{name},lost,yesterday,,", "is no date and time"),
        (",{name},assign,,,Nothing", "No show is called"),
    ],
)
def test_a_line_that_cannot_be_read_says_why_and_the_others_stand(store, clock, units, line, told):
    good = f",{units[1].name},count,,,"
    found = table(store, clock, "serial,unit,deed,at,site,show", line.format(name=units[0].name), "", good)
    assert told in found.lines[0].trouble
    assert [x.goes for x in found.lines] == [False, True]
    assert [x.id for x in found.lines] == [2, 4]
    assert "1 cannot be read" in taking_in.in_words(found, "t.csv")


@pytest.mark.parametrize("text", ["", "serial,place\n1,2", "deed\nlost", "serial,deed,deed\n1,lost,lost"])
def test_what_is_no_table_of_deeds_is_refused(store, clock, text):
    with pytest.raises(FormatError):
        taking_in.table_of(store, text, clock, NOW)


def test_a_file_that_is_no_text_is_refused(tmp_path):
    (tmp_path / "x.csv").write_bytes(b"\xff\xfe\x00\xd8")
    with pytest.raises(FormatError, match="no text"):
        taking_in.read(tmp_path / "x.csv")
    with pytest.raises(FormatError, match="cannot be read"):
        taking_in.read(tmp_path / "none.csv")


def test_columns_that_are_not_known_are_left_alone_and_named(store, clock, units):
    site = store.all(Site)[0]
    found = table(store, clock, "unit,colour,deed,site", f"{units[0].name},blue,scan,{site.name.upper()}")
    assert found.unknown == ("colour",)
    assert found.lines[0].asked.site == site


def test_it_can_be_stopped_and_goes_on_with_what_was_done_meanwhile(store, clock, units):
    lines = [f"{u.serial},lost" for u in units]
    stopped = table(store, clock, "serial,deed", *lines, progress=lambda done, total: done < 4)
    assert stopped.stopped
    assert [x.after for x in stopped.lines] == ["missing", "missing"]
    whole = table(store, clock, "serial,deed", *lines)
    earlier = Asked(deed="hand out", at=NOW - timedelta(days=1), to="Tarn")
    store.apply(register.do(store, [fresh(store, units[0])], earlier))
    store.apply(taking_in.take(store, whole, "t"))
    trail = sorted(store.all(Deed, unit_id=units[0].id), key=lambda d: d.at)
    assert [(d.deed, d.before) for d in trail] == [("hand out", "in case"), ("lost", "on loan")]


def test_shows_of_one_name_are_told_apart_by_refusing(store, clock, units):
    show = store.get(Show, opening(store).show)
    found = table(store, clock, "unit,deed,show", f"{units[0].name},assign,{show.name}")
    assert found.lines[0].asked is None or found.lines[0].asked.show == show
