"""Units asked for in the database, on either engine."""

import random
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from azven.book import stock
from azven.book.edits import Edit, add, remove, replace_record
from azven.book.records import Deed, Model, Site, Unit, Zone
from azven.book.stock import Filter
from azven.work import books, register
from azven.work.register import Asked

NOW = datetime(2026, 9, 10, 12, tzinfo=UTC)
STATES = ("in case", "on loan", "assigned", "missing")


@pytest.fixture
def store(place):
    made = books.new_book(place)
    model, site = made.all(Model)[0], made.all(Site)[0]
    first = made.reserve(40)
    units = [
        Unit(id=first + k, model_id=model.id, name=f"Pack {k:02}", band=model.bands[0][0], serial=f"SN-{100 - k}",
             site_home_id=site.id, state=STATES[k % 4], since=NOW - timedelta(days=k),
             until=NOW + timedelta(hours=k - 20) if k % 4 == 2 else None, holder="Ferry_office" if k % 4 == 1 else "")
        for k in range(40)
    ]  # fmt: skip
    made.apply(Edit("Units", add(*units)))
    yield made
    made.close()


def names(store, **asked):
    """What is found, the same as a page with its count."""
    question = Filter(now=NOW, **asked)
    found = stock.found(store, question)
    for order in stock.ORDERS:
        page, count = stock.page(store, question, order, 7)
        assert (page, count) == (stock.found(store, question, order, 0, 7), stock.how_many(store, question))
    return [u.name for u in found]


def test_by_the_beginning_of_a_name_a_serial_or_a_holder_in_any_letters(store):
    assert names(store, text="pack 0") == [f"Pack {k:02}" for k in range(10)]
    assert names(store, text="sn-99") == ["Pack 01"]
    assert len(names(store, text="FERRY_")) == 10
    assert names(store, text="ferryX") == []


@pytest.mark.parametrize("text", ["%", "_", "!", "'; DROP TABLE unit; --", "🎤"])
def test_what_is_typed_is_text_and_nothing_else(store, text):
    assert names(store, text=text) == []
    assert stock.how_many(store, Filter(now=NOW)) == 40


def test_an_assignment_that_is_over_counts_as_in_its_case(store):
    over = {f"Pack {k:02}" for k in range(40) if k % 4 == 2 and k <= 20}
    assert set(names(store, state="in case")) == {f"Pack {k:02}" for k in range(0, 40, 4)} | over
    assert set(names(store, state="assigned")) == {f"Pack {k:02}" for k in range(2, 40, 4)} - over
    counted = stock.by_site_and_state(store, NOW)
    assert {state: held.count for (_, state), held in counted.items()} == {
        "in case": 10 + len(over), "assigned": 10 - len(over), "on loan": 10, "missing": 10,
    }  # fmt: skip
    by_state = {state: held for (_, state), held in counted.items()}
    assert by_state["missing"].oldest == NOW - timedelta(days=39)
    assert by_state["missing"].newest == NOW - timedelta(days=3)
    assert by_state["in case"].newest == NOW
    assert [held.late for held in by_state.values()] == [0] * 4
    (lent,) = stock.found(store, Filter(now=NOW, text="Pack 01"))
    store.apply(Edit("Due", replace_record(lent, replace(lent, until=NOW - timedelta(days=1)))))
    assert {state: held.late for (_, state), held in stock.by_site_and_state(store, NOW).items()}["on loan"] == 1


def test_by_site_home_model_and_how_long_nobody_has_touched_it(store):
    site, model = store.all(Site)[0], store.all(Model)[0]
    for asked in ({"at": (site.id,)}, {"home": site.id}, {"model": model.id}):
        assert len(names(store, **asked)) == 40
    assert names(store, at=(site.id + 999,)) == []
    assert set(names(store, untouched_since=NOW - timedelta(days=30))) == {f"Pack {k}" for k in range(31, 40)}


def test_what_nobody_counted_or_scanned_since(store):
    units = stock.found(store, Filter(now=NOW))
    told = [(units[0], "count", 1), (units[1], "scan", 2), (units[2], "found", 1), (units[3], "count", 40)]
    for unit, deed, days in told:
        store.apply(register.do(store, [unit], Asked(deed=deed, at=NOW - timedelta(days=days))))
    unseen = names(store, unseen_since=NOW - timedelta(days=30))
    assert set(unseen) == {u.name for u in units[2:]}
    assert len(names(store, unseen_since=NOW - timedelta(days=50))) == len(units) - 3


def test_what_is_damaged_is_set_aside_and_told(store):
    hurt, whole = stock.found(store, Filter(now=NOW))[:2]
    with store.engine.writing() as connection:
        connection.exec_driver_sql(f"UPDATE unit SET channels = -1 WHERE id = {hurt.id}")
    assert hurt.name not in names(store)
    assert whole.name in names(store)
    assert [d.number for d in store.damaged] == [hurt.id]


def test_deeds_of_a_person_by_the_beginning_of_the_name(store):
    unit = stock.found(store, Filter(now=NOW))[0]
    first = store.reserve(3)
    people = [("Öyvind", ""), ("", "öyvind tarn"), ("x Öyvind", "%")]
    deeds = [Deed(id=first + k, unit_id=unit.id, at=NOW + timedelta(hours=k), holder=holder, made_by=by)
             for k, (holder, by) in enumerate(people)]  # fmt: skip
    store.apply(Edit("Told", add(*deeds)))
    assert [d.id for d in stock.deeds_of(store, "ÖYV", 9)] == [first + 1, first]
    assert [d.id for d in stock.deeds_of(store, "öyv", 1)] == [first + 1]
    assert [d.id for d in stock.deeds_of(store, "%", 9)] == [first + 2]
    assert stock.deeds_of(store, "_", 9) == []


@pytest.mark.parametrize("most", [2_000, 3])
def test_the_newest_deeds_of_many_people_however_old_each_once(store, monkeypatch, most):
    monkeypatch.setattr(stock, "_MOST_NAMES", most)
    unit, rng, now = stock.found(store, Filter(now=NOW))[0], random.Random(4), datetime.now(UTC)
    first, days = store.reserve(60), (0.1, 20, 29, 31, 200, 364, 366, 900, 4_000, -2)
    deeds = [Deed(id=first + k, unit_id=unit.id, at=now - timedelta(days=rng.choice(days), seconds=k),
                  holder=rng.choice(("", "Tarn 1", "tarn 12", "TARN 2", "Oda")),
                  made_by=rng.choice(("Tarn 3", "Oda 1", ""))) for k in range(60)]  # fmt: skip
    store.apply(Edit("Told", add(*deeds)))
    for text in ("tarn", "Tarn 1", "oda", "o", "nobody"):
        mine = [d for d in deeds if any(n.casefold().startswith(text.casefold()) for n in (d.holder, d.made_by))]
        newest = [d.id for d in sorted(mine, key=lambda d: (d.at, d.id), reverse=True)]
        for count in (1, 7, 60):
            assert [d.id for d in stock.deeds_of(store, text, count)] == newest[:count]


def test_pages_follow_one_another_in_order(store):
    asked = Filter(now=NOW)
    pages = [stock.found(store, asked, "name", k, 15) for k in (0, 15, 30, 45)]
    assert [len(p) for p in pages] == [15, 15, 10, 0]
    assert [u.name for p in pages for u in p] == [f"Pack {k:02}" for k in range(40)]
    by_time = stock.found(store, asked, "since", 0, 3)
    assert [u.name for u in by_time] == ["Pack 39", "Pack 38", "Pack 37"]


def test_what_is_asked_of_a_changed_unit_is_what_it_is_now(store):
    (unit,) = stock.found(store, Filter(now=NOW, text="Pack 01"))
    store.apply(Edit("Back", replace_record(unit, replace(unit, state="in case", holder=""))))
    assert names(store, text="Pack 01", state="on loan") == []
    assert names(store, text="Pack 01", state="in case") == ["Pack 01"]


def test_letters_beyond_a_to_z_are_found_in_any_case_too(store):
    (unit,) = stock.found(store, Filter(now=NOW, text="Pack 01"))
    store.apply(Edit("Name", replace_record(unit, replace(unit, holder="Ålesund pier"))))
    assert names(store, text="ålesund") == names(store, text="ÅLE") == names(store, text="Ålesund p") == ["Pack 01"]


def test_words_in_notes_and_in_why_something_was_done_are_found_by_their_beginnings(store):
    one, two, three = stock.found(store, Filter(now=NOW))[:3]
    store.apply(Edit("Note", replace_record(one, replace(one, note="The clip is bent, café side"))))
    store.apply(register.do(store, [two], Asked(deed="send to repair", at=NOW, why="bent antenna, after the parade")))
    assert set(names(store, text="bent")) == {one.name, two.name}
    assert names(store, text="Anten ben") == [two.name]
    assert names(store, text="CAFÉ") == [one.name]
    assert names(store, text="ent") == []
    assert names(store, text="bent antenna kettle") == []
    changed = store.get(Unit, one.id)
    store.apply(Edit("Mended", replace_record(changed, replace(changed, note="as new"))))
    assert names(store, text="bent") == [two.name]
    (deed,) = [d for d in store.all(Deed, unit_id=two.id) if d.why]
    store.apply(Edit("Said", replace_record(deed, replace(deed, why="the clip is lost"))))
    assert names(store, text="bent") == []
    assert names(store, text="clip lost") == [two.name]
    moved = store.get(Deed, deed.id)
    store.apply(Edit("It was another one", replace_record(moved, replace(moved, unit_id=three.id))))
    assert names(store, text="clip lost") == [three.name]
    store.apply(Edit("Nothing", remove([store.get(Deed, deed.id)])))
    assert names(store, text="clip") == []
    assert names(store, text="as new") == [one.name]
    store.apply(register.do(store, [three], Asked(deed="lost", at=NOW, why="' OR \" * ) ( : ^ - +")))
    assert names(store, text='" OR *') == [three.name]


def test_by_the_band(store):
    unit = stock.found(store, Filter(now=NOW))[0]
    store.apply(Edit("Band", replace_record(unit, replace(unit, band="elsewhere"))))
    assert names(store, band="elsewhere") == [unit.name]


def test_units_at_some_sites_and_away_from_all_of_some(store):
    (site,) = store.all(Site)
    other = Site(id=store.reserve(), name="Other")
    units = {u.name: u for u in stock.found(store, Filter(now=NOW))}
    moved = [(units["Pack 00"], {"site_at_id": other.id}), (units["Pack 01"], {"site_home_id": None})]
    store.apply(Edit("Other", (*add(other), *(c for u, w in moved for c in replace_record(u, replace(u, **w))))))
    assert names(store, at=(other.id,)) == ["Pack 00"]
    assert names(store, at=(site.id, other.id)) == sorted(units.keys() - {"Pack 01"})
    assert names(store, at=()) == []
    assert names(store, away=(site.id,)) == ["Pack 00", "Pack 01"]
    assert names(store, away=(site.id, other.id), text="pack") == ["Pack 01"]
    counted = stock.by_site_and_state(store, NOW)
    assert sum(h.count for (at, _), h in counted.items() if at == other.id) == 1
    assert sum(h.count for (at, _), h in counted.items() if at is None) == 1


def test_a_unit_is_counted_where_its_deeds_say_else_where_its_room_is_else_at_home(store):
    (home,) = store.all(Site)
    second, third = (Site(id=store.reserve(), name=n) for n in ("Second", "Third"))
    there = Zone(id=store.reserve(), site_id=second.id, name="There")
    units = stock.found(store, Filter(now=NOW))[:3]
    where = ({"zone_id": there.id}, {"zone_id": there.id, "site_at_id": third.id}, {})
    changes = [c for u, w in zip(units, where, strict=True) for c in replace_record(u, replace(u, **w))]
    store.apply(Edit("Places", (*add(second, third, there), *changes)))
    counts = {}
    for (site, _), held in stock.by_site_and_state(store, NOW).items():
        counts[site] = counts.get(site, 0) + held.count
    assert counts == {home.id: 38, second.id: 1, third.id: 1}
    for site, count in counts.items():
        assert stock.how_many(store, Filter(now=NOW, at=(site,))) == count
