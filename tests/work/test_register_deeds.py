"""Deeds done with units of a book: kept with what was before, undone, found again, in any order of time."""

import csv
import io
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from click.testing import CliRunner

import quiet
from azven.book.edits import BookError, Edit, remove, replace_record
from azven.book.records import Act, Deed, Show, Site, Unit
from azven.cli import main
from azven.refusal import Refusal
from azven.work import kit, plan, register, shows
from azven.work.register import Asked, Question, dues, lists, times
from azven.work.register.following import with_assignments
from azven.work.scope import opening

DAY0 = datetime(2026, 9, 1, 12, tzinfo=UTC)
pytestmark = pytest.mark.quiet


@pytest.fixture
def scope(store):
    return opening(store)


@pytest.fixture
def units(store):
    return sorted(store.all(Unit, carried=True), key=lambda u: u.name)[:3]


def asked(deed, day=0, **more):
    return Asked(deed=deed, at=DAY0 + timedelta(days=day), by="Merle", **more)


def done(store, units, deed, day=0, **more):
    now = [store.get(Unit, u.id) for u in units]
    edit = register.do(store, now, asked(deed, day, **more))
    store.apply(edit)
    return edit


def fresh(store, unit):
    return store.get(Unit, unit.id)


def test_a_loan_goes_out_and_comes_back_with_its_trail(store, units):
    first = units[0]
    done(store, [first], "hand out", 1, to="Ferry office", until=DAY0 + timedelta(days=9), why="harbour day")
    lent = fresh(store, first)
    assert (lent.state, lent.holder, lent.until) == ("on loan", "Ferry office", DAY0 + timedelta(days=9))
    done(store, [first], "take back", 5, place="shelf 3")
    back = fresh(store, first)
    assert (back.state, back.holder, back.until, back.place) == ("in case", "", None, "shelf 3")
    trail = store.all(Deed, unit_id=first.id)
    assert [(d.deed, d.before, d.after, d.made_by) for d in trail] == [
        ("hand out", "in case", "on loan", "Merle"), ("take back", "on loan", "in case", "Merle"),
    ]  # fmt: skip
    assert trail[0].why == "harbour day"


def test_many_at_once_are_one_edit_that_is_undone_as_one(store, units):
    before = [fresh(store, u) for u in units]
    edit = done(store, units, "send to repair", 1, place="workshop", why="crackles")
    assert {fresh(store, u).state for u in units} == {"in repair"}
    store.apply(edit.inverse())
    assert [(u.state, u.place) for u in (fresh(store, x) for x in before)] == [
        (u.state, u.place) for u in before
    ]  # fmt: skip
    assert all(store.all(Deed, unit_id=u.id) == [] for u in units)


def test_an_assignment_is_over_with_its_show_without_a_deed(store, scope, units):
    show = store.get(Show, scope.show)
    ends = max(a.ends_at for a in store.all(Act, show_id=show.id))
    done(store, [units[0]], "assign", 0, show=show, link="Narrator")
    unit = fresh(store, units[0])
    assert unit.until == ends
    assert register.state_at(unit, ends - timedelta(minutes=1)) == "assigned"
    assert register.state_at(unit, ends) == "in case"
    for moment, state in ((ends - timedelta(minutes=1), "assigned"), (ends, "in case")):
        assert unit.id in {u.id for u in register.found(store, Question(state=state), moment)}
        other = "in case" if state == "assigned" else "assigned"
        assert unit.id not in {u.id for u in register.found(store, Question(state=other), moment)}


def test_an_assignment_lasts_to_the_load_out_that_is_said(store, scope, units):
    show = store.get(Show, scope.show)
    last = max(a.ends_at for a in store.all(Act, show_id=show.id))
    store.apply(times.set_span(show, None, last + timedelta(hours=3)))
    done(store, [units[0]], "assign", 0, show=store.get(Show, show.id))
    unit = fresh(store, units[0])
    assert unit.until == last + timedelta(hours=3)
    assert register.state_at(unit, last + timedelta(hours=2)) == "assigned"


def test_an_assignment_of_before_does_not_prolong_the_one_of_now(store, scope, units):
    long = store.get(Show, scope.show)
    last = max(a.ends_at for a in store.all(Act, show_id=long.id))
    store.apply(times.set_span(long, None, last + timedelta(days=90)))
    done(store, [units[0]], "assign", 0, show=store.get(Show, long.id))
    done(store, [units[0]], "take back", 1)
    store.apply(times.set_span(store.get(Show, long.id), None, None))
    done(store, [units[0]], "assign", 2, show=store.get(Show, long.id))
    unit = fresh(store, units[0])
    assert unit.until == last
    for moment in (last - timedelta(minutes=1), last, last + timedelta(days=30)):
        assert register.state_at(unit, moment) == register.standing_of(store, unit, moment).written


def test_a_deed_that_comes_late_is_put_in_its_place(store, units):
    first = units[0]
    done(store, [first], "take back", 5, place="shelf 3")
    done(store, [first], "hand out", 1, to="Ferry office")
    trail = sorted(store.all(Deed, unit_id=first.id), key=lambda d: d.at)
    assert [(d.deed, d.before, d.after) for d in trail] == [
        ("hand out", "in case", "on loan"), ("take back", "on loan", "in case"),
    ]  # fmt: skip
    assert fresh(store, first).state == "in case"


def test_who_is_retired_takes_no_deeds_and_the_attempt_is_kept(store, units):
    first = units[0]
    done(store, [first], "retire", 1, why="worn")
    done(store, [first], "hand out", 2, to="Ferry office")
    assert fresh(store, first).state == "retired"
    assert [d.refused for d in store.all(Deed, unit_id=first.id)] == [False, True]
    done(store, [first], "reinstate", 3)
    assert fresh(store, first).state == "in case"


def test_a_scan_finds_what_is_missing_where_it_is(store, scope, units):
    site = store.get(Site, scope.site)
    done(store, [units[0]], "lost", 1)
    done(store, [units[0]], "scan", 2, site=site)
    unit = fresh(store, units[0])
    assert (unit.state, unit.site_at_id) == ("in case", site.id)
    assert register.where_said(store, unit) == site.name


@pytest.mark.parametrize(("deed", "told"), [("assign", "a show"), ("hand out", "who has it"), ("move", "where")])
def test_what_a_deed_needs_is_asked_for(store, units, deed, told):
    with pytest.raises(Refusal, match=told):
        register.do(store, units, asked(deed))


def test_no_unit_is_no_deed_and_a_show_without_times_cannot_be_assigned_to(store, scope, units):
    with pytest.raises(Refusal, match="Choose units"):
        register.do(store, [], asked("scan"))
    site = store.get(Site, scope.site)
    store.apply(shows.add_show(store, site, "No times"))
    empty = next(s for s in store.all(Show) if s.name == "No times")
    with pytest.raises(Refusal, match="has no times"):
        register.do(store, units, asked("assign", show=empty))


def test_units_are_found_by_the_beginning_of_what_they_are_called(store, units):
    first = units[0]
    done(store, [first], "hand out", 1, to="Ferry office")
    for text in (first.name[:2], first.name.lower(), "ferry", "FERRY OFF"):
        assert first.id in {u.id for u in register.found(store, Question(text=text), DAY0)}
    assert register.found(store, Question(text="erry"), DAY0) == []
    assert register.found(store, Question(text="%"), DAY0) == []
    assert register.how_many(store, Question(), DAY0) == len(store.all(Unit))


def test_units_are_counted_by_site_and_state(store, scope, units):
    done(store, units, "lost", 1)
    told = register.counts(store, DAY0 + timedelta(days=2))
    assert sum(held.count for held in told.values()) == len(store.all(Unit))
    assert sum(held.count for (_, state), held in told.items() if state == "missing") == 3


def test_who_was_not_touched_for_long_is_found(store, units):
    done(store, [units[0]], "hand out", 1, to="Ferry office")
    late = DAY0 + timedelta(days=40)
    quiet = {u.id for u in register.found(store, Question(quiet_days=30), late)}
    assert units[0].id in quiet
    done(store, [units[0]], "take back", 39)
    assert units[0].id not in {u.id for u in register.found(store, Question(quiet_days=30), late)}


def test_deeds_go_with_their_unit_and_stay_when_their_show_goes(store, scope, units):
    site = store.get(Site, scope.site)
    store.apply(shows.copy_show(store, store.get(Show, scope.show), site, "Again"))
    again = next(s for s in store.all(Show) if s.name == "Again")
    done(store, [units[0]], "assign", 0, show=again)
    store.apply(shows.remove_show(store, again))
    (kept,) = store.all(Deed, unit_id=units[0].id)
    assert kept.show_id is None
    assert kept.ends_at is not None
    edit = kit.remove_units(store, [fresh(store, units[0])])
    store.apply(edit)
    assert store.all(Deed, unit_id=units[0].id) == []
    store.apply(edit.inverse())
    assert [d.id for d in store.all(Deed, unit_id=units[0].id)] == [kept.id]


def test_what_is_written_by_hand_of_a_unit_is_not_lost_to_its_deeds(store, units):
    first = units[0]
    store.apply(Edit("Nothing", remove([])))
    done(store, [first], "move", 1, place="van")
    unit = fresh(store, first)
    assert (unit.name, unit.serial, unit.note, unit.zone_id) == (first.name, first.serial, first.note, first.zone_id)
    assert register.standing_of(store, unit, DAY0 + timedelta(days=2), heard=True).state == "on air"


def test_the_register_goes_out_as_csv_with_where_each_unit_is(store, scope, units):
    show = store.get(Show, scope.show)
    done(store, [units[0]], "assign", 0, show=show, link="Narrator")
    done(store, [units[1]], "hand out", 1, to="=Ferry")
    before = max(a.ends_at for a in store.all(Act, show_id=show.id)) - timedelta(hours=1)
    table = list(csv.DictReader(io.StringIO(lists.csv_text(store, Question(), before))))
    assert len(table) == len(store.all(Unit))
    assert tuple(table[0]) == lists.COLUMNS
    by_name = {r["unit"]: r for r in table}
    mine = by_name[units[0].name]
    assert (mine["state"], mine["show"], mine["link"], mine["by"]) == ("assigned", show.name, "Narrator", "Merle")
    narrator = next(x for x in kit.links(store, scope) if x.name == "Narrator")
    assert int(mine["frequency_hz"]) == plan.assignments(store, scope)[narrator.id].freq_hz
    lent = by_name[units[1].name]
    assert lent["state"] == "on loan"
    assert lent["where"].endswith("=Ferry")
    assert not lent["where"].startswith("=")


def test_from_the_command_line_units_of_a_site_and_a_state_are_printed(tmp_path):
    book = quiet.build(tmp_path)
    place, site = str(book.place.path), book.all(Site)[0].name
    book.close()
    whole = CliRunner().invoke(main, ["register", place])
    assert whole.exit_code == 0, whole.output
    assert whole.stdout.count("\n") > 20
    assert ": in case" in whole.stdout
    assert CliRunner().invoke(main, ["register", place, "--at", site, "--state", "missing"]).stdout == ""
    assert CliRunner().invoke(main, ["register", place, "--csv"]).stdout.startswith("unit,serial,model,home,state")
    for wrong in (["--at", "Nowhere"], ["--state", "asleep"]):
        told = CliRunner().invoke(main, ["register", place, *wrong])
        assert told.exit_code == 2
        assert "There is no" in told.stderr


def test_what_is_due_comes_in_the_order_of_time_and_one_holder_is_told_once(store, units):
    now = DAY0 + timedelta(days=40)
    done(store, units[:2], "hand out", 1, to="Ferry office", until=DAY0 + timedelta(days=30))
    done(store, units[2:], "send to repair", 2, place="workshop")
    loan, repair = (next(x for x in dues.dues(store, now) if x.code == code) for code in ("loan", "repair"))
    assert loan.units == tuple(u.id for u in units[:2])
    assert loan.words.endswith("back from Ferry office")
    assert loan.late
    assert repair.late
    assert repair.by == DAY0 + timedelta(days=32)
    days = [x.by for x in dues.dues(store, now) if x.by is not None]
    assert days == sorted(days)
    assert not any(x.late for x in dues.dues(store, DAY0 + timedelta(days=20)) if x.code in ("loan", "repair"))


def test_firmware_behind_the_newest_of_its_model_is_due_without_a_day(store, units):
    fresh_units = [fresh(store, u) for u in units]
    same = store.all(Unit, model_id=fresh_units[0].model_id)[:2]
    changes = [c for u, f in zip(same, ("1.9", "1.10"), strict=True) for c in replace_record(u, replace(u, firmware=f))]
    store.apply(Edit("Firmware", tuple(changes)))
    told = [x for x in dues.dues(store, DAY0) if x.code == "firmware"]
    assert len(told) == 1
    assert "behind firmware 1.10" in told[0].words
    assert told[0].by is None


def test_the_calendar_has_a_day_for_each_and_lines_that_are_not_too_long(store, units):
    done(store, units, "hand out", 1, to="Æther office; north, " + "é" * 60, until=DAY0 + timedelta(days=30))
    text = dues.calendar(dues.dues(store, DAY0), DAY0, "book.azven")
    assert text.startswith("BEGIN:VCALENDAR\r\n")
    assert text.endswith("END:VCALENDAR\r\n")
    assert all(len(line.encode()) <= 75 for line in text.split("\r\n"))
    whole = text.replace("\r\n ", "")
    assert "DTSTART;VALUE=DATE:20261001" in whole
    assert "Æther office\\; north\\, " + "é" * 60 in whole
    uids = {line for line in whole.split("\r\n") if line.startswith("UID:")}
    assert whole.count("BEGIN:VEVENT") == whole.count("END:VEVENT") == len(uids)


def test_assignments_last_as_long_as_the_show_does_when_its_times_change(store, scope, units):
    now = datetime.now(UTC)
    show = store.get(Show, scope.show)
    ends = times.span(store, show).load_out
    mine, lent, early = units
    for unit in units:
        store.apply(register.do(store, [unit], Asked(deed="assign", at=now - timedelta(days=1), by="Merle", show=show)))
    store.apply(register.do(store, [store.get(Unit, lent.id)], Asked(deed="hand out", at=now, by="Merle", to="Ferry")))
    later = ends + timedelta(days=2)
    edit = with_assignments(store, times.set_span(show, None, later), now)
    landed = store.apply(edit)
    assert store.get(Unit, mine.id).until == later
    assert store.get(Unit, lent.id).state == "on loan"
    assert register.state_at(store.get(Unit, early.id), ends + timedelta(hours=1)) == "assigned"
    store.apply(landed.inverse())
    assert store.get(Unit, mine.id).until == ends
    act = max(store.all(Act, show_id=show.id), key=lambda a: a.ends_at)
    longer = Edit("Longer", replace_record(act, replace(act, ends_at=act.ends_at + timedelta(hours=3))))
    store.apply(with_assignments(store, longer, now))
    assert store.get(Unit, mine.id).until == ends + timedelta(hours=3)


def test_an_assignment_long_over_stays_as_it_was(store, scope, units):
    now, show = datetime.now(UTC), store.get(Show, scope.show)
    store.apply(times.set_span(show, now - timedelta(days=400), now - timedelta(days=390)))
    show = store.get(Show, show.id)
    asked = Asked(deed="assign", at=now - timedelta(days=395), by="Merle", show=show)
    store.apply(register.do(store, units[:1], asked))
    edit = times.set_span(show, now, now + timedelta(days=3))
    assert with_assignments(store, edit, now) == edit


def test_while_nobody_can_be_asked_times_change_all_the_same(store, scope, units, monkeypatch):
    now, show = datetime.now(UTC), store.get(Show, scope.show)
    store.apply(register.do(store, units[:1], Asked(deed="assign", at=now, by="Merle", show=show)))
    edit, real = times.set_span(show, None, now + timedelta(days=9)), store.all

    def away(kind, **where):
        if kind is Deed:
            raise BookError("away")
        return real(kind, **where)

    monkeypatch.setattr(store, "all", away)
    assert with_assignments(store, edit, now) == edit
