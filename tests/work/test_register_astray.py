"""Units heard live against what is written of them in a book."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from azven.book.records import Show, Site, Unit
from azven.work import kit, plan, register
from azven.work.kit import persons
from azven.work.register import Asked
from azven.work.register.astray import astray
from azven.work.register.times import set_span
from azven.work.scope import opening
from azven.work.watch import watched
from azven.work.watch.night import Seen

pytestmark = pytest.mark.quiet


@pytest.fixture
def scope(store):
    return opening(store)


@pytest.fixture
def worn(store, scope):
    """A link and the unit that somebody wears for it."""
    item = next(w for w in persons.worn(store, scope) if w.unit_id is not None)
    return next(x for x in kit.links(store, scope) if x.id == item.link_id), store.get(Unit, item.unit_id)


NOW = datetime.now(UTC)


def heard(store, scope, link, **told):
    of_book = watched.of_show(store, scope, {}, NOW)
    status = tuple({"tx": "on", **told} if x.id == link.id else {} for x in of_book.links)
    return Seen(t=1.0, watched=of_book, status=status)


def do(store, unit, deed, **more):
    asked = Asked(deed=deed, at=NOW - timedelta(minutes=5), by="Merle", **more)
    store.apply(register.do(store, [store.get(Unit, unit.id)], asked))


def test_without_racks_nothing_is_heard(store, scope):
    assert astray(store, scope, None, NOW) == []


def test_a_unit_that_should_be_in_its_case_is_told_with_both_sides(store, scope, worn):
    link, unit = worn
    (found,) = astray(store, scope, heard(store, scope, link), NOW)
    assert (found.unit.id, found.code, found.written, found.heard) == (unit.id, "state", "in case", "on air")
    assert found.words == f"is on the air as {link.name}; the register has it in case."
    assert found.evidence == "Nothing was done with it yet"


def test_one_that_is_assigned_here_is_right_and_one_that_is_off_is_not_heard(store, scope, worn):
    link, unit = worn
    do(store, unit, "assign", show=store.get(Show, scope.show), link=link.name)
    assert astray(store, scope, heard(store, scope, link), NOW) == []
    do(store, unit, "lost")
    assert [x.code for x in astray(store, scope, heard(store, scope, link), NOW)] == ["state"]
    assert astray(store, scope, heard(store, scope, link, tx="off"), NOW) == []


def test_another_campus_and_another_frequency_are_told_each(store, scope, worn):
    link, unit = worn
    other = next(s for s in store.all(Site) if s.id != scope.site)
    do(store, unit, "hand out", to="Kiln choir", site=other)
    planned = plan.assignments(store, scope)[link.id].freq_hz
    found = {x.code: x for x in astray(store, scope, heard(store, scope, link, txf=planned + 25_000), NOW)}
    assert set(found) == {"campus", "frequency"}
    assert found["campus"].written == other.name
    assert found["campus"].heard == store.get(Site, scope.site).name
    assert found["frequency"].heard == f"{(planned + 25_000) / 1e6:.3f} MHz"


def test_a_link_that_the_book_does_not_have_is_no_unit(store, scope, worn):
    link, _ = worn
    seen = heard(store, scope, link)
    strange = replace(seen, watched=replace(seen.watched, links=tuple(None for _ in seen.watched.links)))
    assert astray(store, scope, strange, NOW) == []


def test_a_transmitter_of_which_nobody_has_said_which_unit_it_is_comes_last(store, scope, worn):
    link, unit = worn
    named = {w.link_id for w in persons.worn(store, scope) if w.unit_id is not None}
    strange = next(x for x in kit.links(store, scope) if x.id not in named)
    of_book = watched.of_show(store, scope, {}, NOW)
    status = tuple({"tx": "on", "txn": "STRANGER"} if x.id in (strange.id, link.id) else {} for x in of_book.links)
    first, last = astray(store, scope, Seen(t=1.0, watched=of_book, status=status), NOW)
    assert (first.unit.id, first.code) == (unit.id, "state")
    assert (last.unit, last.code, last.name, last.serial) == (None, "unknown", "STRANGER", "")
    assert last.words == f"is on the air as {strange.name}; its unit is not said."


def test_who_is_on_the_air_though_the_show_is_over_is_told_so(store, scope, worn):
    link, unit = worn
    show = store.get(Show, scope.show)
    store.apply(set_span(show, NOW - timedelta(days=2), NOW - timedelta(minutes=1)))
    do(store, unit, "assign", show=store.get(Show, scope.show), link=link.name)
    (found,) = astray(store, scope, heard(store, scope, link), NOW)
    assert found.code == "over"
    assert found.words == f"is on the air as {link.name} though {show.name} has loaded out."
    do(store, unit, "lost")
    (found,) = astray(store, scope, heard(store, scope, link), NOW)
    assert (found.code, found.written) == ("state", "missing")


def test_both_sides_say_by_whom(store, scope, worn):
    link, unit = worn
    do(store, unit, "lost")
    of_book = watched.of_show(store, scope, {link.id: ("r-0417", "3")}, NOW)
    status = tuple({"tx": "on", "a": -71.0, "b": -61.0} if x.id == link.id else {} for x in of_book.links)
    (found,) = astray(store, scope, Seen(t=1.0, watched=of_book, status=status), NOW)
    day = f"{NOW - timedelta(minutes=5):%Y-%m-%d}"
    assert found.evidence == f"Heard by r-0417 · 3 at −61 dBm. Written by Merle, lost, {day}"
