"""Reports of the register: what stands in them is what the book says, in one style, as a table too."""

import csv
import io
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.book.edits import Edit, replace_record
from azven.book.records import Act, Booking, Deed, Show, Unit
from azven.refusal import Refusal
from azven.rf.register.utilisation import Turn, shares
from azven.work import kit, plan
from azven.work.register import reports
from azven.work.register.reports import REPORTS, Asking, stock
from azven.work.scope import opening
from azven.work.wording import mhz

NOW = datetime.now(UTC)
DAY = datetime(2026, 1, 1, tzinfo=UTC)


def made(store, name, **more):
    kind = next(k for k in REPORTS if k.name == name)
    return kind.make(Asking(store, opening(store), NOW, **more))


def rows(report):
    return [row for section in report.sections for row in section.rows]


@pytest.mark.parametrize("name", [k.name for k in REPORTS])
def test_each_goes_out_as_pages_and_as_a_table_with_the_same_rows(store, name):
    report = made(store, name)
    assert report.count > 0
    html = reports.html(report, store, opening(store), NOW)
    assert html.count("<tr>") == report.count + len(report.sections)
    assert all(section.heading in html for section in report.sections)
    told = list(csv.reader(io.StringIO(reports.csv_text(report))))
    assert told[0] == ["Section", *report.columns]
    assert len(told) == report.count + 1
    assert all(len(row) == len(told[0]) for row in told)


@pytest.mark.parametrize("name", ["room", "rack"])
def test_every_link_stands_with_its_frequency(store, name):
    scope, found = opening(store), rows(made(store, name))
    placed = plan.assignments(store, scope)
    told = {row[0].removesuffix(" (spare)"): row[1] for row in found}
    for link in kit.links(store, scope):
        assert told[link.name] == (mhz(placed[link.id].freq_hz) if link.id in placed else "own choice")


def test_a_link_that_is_handed_on_stands_with_each_who_wears_it(store):
    sections = {s.heading: s.rows for s in made(store, "person").sections}
    for person in ("Corvin", "Perran"):
        assert any(row[0] == "Harbour Master" for row in sections[person])
    assert "nobody said" in sections
    assert list(sections)[-1] == "nobody said"


def test_missing_and_late_ones_are_told_with_where_and_with_whom_they_were(store):
    found = {s.heading: s.rows for s in made(store, "exceptions").sections}
    assert {row[0] for row in found["Missing"]} == {"P66", "P67", "E13"}
    assert any("Quay Stage, stage left" in row[2] for row in found["Missing"])
    assert any("Pilot Boat Club" in row[0] for row in found["Late"])
    assert "Bookings that collide" not in found


def test_who_brings_what_says_when_to_leave_and_what_is_not_booked(store):
    report = made(store, "bring")
    here, there = report.sections
    booked = store.all(Booking, show_id=opening(store).show)
    assert len(here.rows) + len(there.rows) == len(booked)
    assert here.heading == "Marrowby Harbour"
    assert there.note.startswith("60 min on the way: to leave by")
    assert any("4 × Instrument link, 2.4 GHz" in w and "4 nobody has free" in w for w in report.wrong)


def test_after_a_show_units_that_are_not_back_come_first(store):
    show = store.get(Show, opening(store).show)
    store.apply(Edit("Over", replace_record(show, replace(show, load_in=NOW - timedelta(days=3), load_out=NOW))))
    report = made(store, "after")
    assert "The show is not over" not in report.notes[0]
    first = report.sections[0]
    assert first.heading == "Not back yet"
    assert all(row[1] != "in case" for row in first.rows)
    assert "It was not signed off." in report.notes


def test_without_times_it_is_refused_in_words(store):
    for act in store.all(Act):
        store.apply(Edit("No times", replace_record(act, replace(act, starts_at=None, ends_at=None))))
    show = store.get(Show, opening(store).show)
    store.apply(Edit("No times", replace_record(show, replace(show, load_in=None, load_out=None))))
    for name in ("bring", "after"):
        with pytest.raises(Refusal, match="has no times"):
            made(store, name)


def test_broken_links_are_warned_of(store):
    scope = opening(store)
    two = [x for x in kit.links(store, scope) if x.name in ("Lamp Choir 1", "Lamp Choir 2")]
    placed = plan.assignments(store, scope)
    same = {f"link-{x.id}": placed[two[0].id].freq_hz for x in two}
    store.apply(plan.set_frequencies(store, scope, same, "Together"))
    assert any(w.endswith("broken.") for w in made(store, "room").wrong)


def test_utilisation_counts_units_once_and_can_be_stopped(store):
    report = made(store, "use")
    units = sum(int(row[1]) for row in rows(report))
    assert units == sum(u.state != "retired" for u in store.all(Unit))
    with pytest.raises(Refusal, match="was stopped"):
        made(store, "use", progress=lambda done, total: False)


@pytest.mark.parametrize("days", [20, 365, 2_000])
def test_shares_follow_from_the_deeds_since_then_as_from_all_of_them(store, days):
    begins, units = NOW - timedelta(days=days), store.all(Unit)
    short = {u.id: shares(turns, begins, NOW) for u, turns in stock._turns(store, units, begins)}
    assert any("assigned" in found for found in short.values())
    for unit in units:
        told = sorted((d for d in store.all(Deed, unit_id=unit.id) if not d.refused), key=lambda d: (d.at, d.id))
        turns = [Turn(d.at, d.after, d.ends_at if d.after == "assigned" else None) for d in told]
        assert short[unit.id] == pytest.approx(shares(turns, begins, NOW)), unit.name


def test_what_is_long_is_shortened_for_the_screen_alone(store):
    report = made(store, "room")
    short = reports.shortened(report, 5)
    assert short.count == 5
    assert [s.heading for s in short.sections] == [s.heading for s in report.sections]


# the arithmetic of shares, against its definition


def test_shares_of_a_year_by_hand():
    turns = [Turn(DAY, "assigned", DAY + timedelta(days=2)), Turn(DAY + timedelta(days=6), "on loan")]
    found = shares(turns, DAY, DAY + timedelta(days=10))
    assert found == pytest.approx({"assigned": 0.2, "in case": 0.4, "on loan": 0.4})


def test_what_was_before_the_period_goes_on_in_it():
    turns = [Turn(DAY - timedelta(days=50), "in repair")]
    assert shares(turns, DAY, DAY + timedelta(days=4)) == {"in repair": 1.0}
    assert shares([], DAY, DAY + timedelta(days=4)) == {"in case": 1.0}
    with pytest.raises(ValueError, match="period"):
        shares([], DAY, DAY)


@given(st.lists(st.tuples(st.integers(-20, 30), st.sampled_from(["assigned", "in case", "on loan", "in repair"]),
                          st.integers(0, 20)), max_size=8))  # fmt: skip
def test_shares_are_those_of_asking_every_hour(told):
    turns = [Turn(DAY + timedelta(days=at), state, DAY + timedelta(days=at + lasts) if state == "assigned" else None)
             for at, state, lasts in sorted(told, key=lambda t: t[0])]  # fmt: skip
    found = shares(turns, DAY, DAY + timedelta(days=10))
    asked = [_state_at(turns, DAY + timedelta(hours=h, minutes=30)) for h in range(240)]
    assert sum(found.values()) == pytest.approx(1.0)
    for state in ("assigned", "in case", "on loan", "in repair"):
        assert found.get(state, 0.0) == pytest.approx(asked.count(state) / 240)


def _state_at(turns, moment):
    last = next((t for t in reversed(turns) if t.at <= moment), None)
    if last is None or (last.until is not None and last.until <= moment):
        return "in case"
    return last.state
