"""All campuses of the demonstration planned together: what matters between them is gone, what does not stays."""

import time
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from azven.book.edits import Edit, remove, replace_record
from azven.book.records import Act, Assignment, Distance, Show
from azven.refusal import Refusal
from azven.work import plan
from azven.work.register import across, all_campuses, cases
from azven.work.register.times import at_one_time, set_span, times
from azven.work.scope import of_show, opening


@pytest.fixture
def scope(store):
    return opening(store)


def found(store, scope, way="mend", progress=lambda done, total: True):
    begun = time.monotonic()
    return all_campuses.plan_together(store.place, scope, way, progress, lambda: time.monotonic() - begun)


def mattering(store, shows):
    return [p for s in shows for p in across.pairs(store, of_show(s))[0]]


def without_times(store, show):
    acts = [replace_record(a, replace(a, starts_at=None, ends_at=None)) for a in store.all(Act, show_id=show.id)]
    store.apply(Edit("No times", tuple(c for change in acts for c in change)))


@pytest.mark.parametrize("way", ["mend", "anew"])
def test_nothing_matters_between_campuses_any_more_and_each_holds_by_itself(store, scope, way):
    told = found(store, scope, way)
    assert {s.name for s in told.shows} == {"Marrowby Lantern Regatta", "Orchard Cider Night", "Kiln Lights"}
    assert mattering(store, told.shows)
    assert (told.placed, told.missing) == (told.wanted, ())
    store.apply(all_campuses.adopt(store, told))
    assert mattering(store, told.shows) == []
    for show in told.shows:
        board = plan.board_of(store, of_show(show))
        assert (board.count("broken"), board.count("unplaced"), board.stale) == (0, 0, ())


def test_mending_moves_fewer_than_planning_anew_and_tells_each(store, scope):
    few, many = found(store, scope), found(store, scope, "anew")
    assert 0 < len(few.moves) < 8 < len(many.moves)
    before = {s.id: plan.board_of(store, of_show(s)).frequencies for s in few.shows}
    moved = sum(f != before[s.id].get(k) for s in few.shows for k, f in few.frequencies[s.id].items())
    assert moved == len(few.moves)
    assert "4 would move" in all_campuses.in_words(few) or f"{len(few.moves)} would move" in all_campuses.in_words(few)


def test_what_is_locked_stays_and_links_of_shared_bands_too(store, scope):
    pair = across.pairs(store, scope)[0][0]
    number = int(pair.mine.id.split("-")[1])
    (held,) = (a for a in plan.assignments(store, scope).values() if a.link_id == number)
    store.apply(Edit("Lock", replace_record(held, replace(held, locked=True))))
    shared = plan.board_of(store, scope)
    told = found(store, scope, "anew")
    after = told.frequencies[scope.show]
    assert after[pair.mine.id] == held.freq_hz
    assert {k: after[k] for k in shared.input.shared.wishes if k in shared.frequencies} == {
        k: shared.frequencies[k] for k in shared.input.shared.wishes if k in shared.frequencies
    }


def test_shows_at_other_times_and_sites_of_unknown_distance_are_left_out(store, scope):
    kiln = next(s for s in store.all(Show) if s.name == "Kiln Lights")
    later = datetime.now(UTC) + timedelta(days=30)
    store.apply(set_span(kiln, later, later + timedelta(days=1)))
    assert kiln.name in {s.name for s in found(store, scope).shows}, "its acts are still when they were"
    without_times(store, kiln)
    assert {s.name for s in found(store, scope).shows} == {"Marrowby Lantern Regatta", "Orchard Cider Night"}
    store.apply(Edit("Unknown", remove(store.all(Distance))))
    with pytest.raises(Refusal, match="No other campus"):
        found(store, scope)
    assert all_campuses.shows_together(store, scope)[1] == ["Orchard Ground"]


def test_one_that_is_planned_by_levels_is_refused_by_name(store, scope):
    show = store.get(Show, scope.show)
    store.apply(Edit("School", replace_record(show, replace(show, school="level"))))
    with pytest.raises(Refusal, match="Marrowby Lantern Regatta is planned by levels"):
        found(store, scope)


def test_a_plan_that_was_overtaken_or_stopped_is_not_adopted(store, scope):
    told = found(store, scope)
    with pytest.raises(Refusal, match="was stopped"):
        all_campuses.adopt(store, replace(told, stopped=True))
    first = store.all(Assignment)[0]
    store.apply(Edit("Move", replace_record(first, replace(first, freq_hz=first.freq_hz + 25_000))))
    with pytest.raises(Refusal, match="was moved meanwhile"):
        all_campuses.adopt(store, told)
    assert found(store, scope, progress=lambda done, total: False).stopped


def test_pairs_of_all_links_are_one_case_and_those_of_shows_at_other_times_are_none(store, scope):
    pairs, _ = across.pairs(store, scope)
    (case,) = cases.far(pairs, scope)
    assert case.count == len(pairs)
    assert {s.site for s in case.spots} == {p.site.id for p in pairs}
    assert (case.mark == "broken") == (pairs[0].worst_db >= 0)
    assert cases.far([], scope) == []
    assert across.pairs(store, scope, lambda done, total: False)[0] == []
    there = pairs[0].show
    for show in {p.show.id: p.show for p in pairs}.values():
        ends = times(store, show)[1] + timedelta(days=40)
        store.apply(set_span(show, ends - timedelta(days=1), ends))
        without_times(store, show)
    assert not at_one_time(store, store.get(Show, scope.show), store.get(Show, there.id))
    assert across.pairs(store, scope)[0] == []
