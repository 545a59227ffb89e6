"""Rehearse as a user does it: played beside the window, an act chosen, a bad moment watched."""

from dataclasses import replace

import pytest

from azven.book.records import Show, Site
from azven.desk.rehearse.foretold_tables import BESIDE
from azven.desk.watch.stage import REHEARSE
from azven.work import ground, ids, kit, plan, reach, rehearse, shows
from azven.work.rehearse import casting
from azven.work.scope import of_show

_LONG = 120_000


@pytest.fixture
def page(window, monkeypatch):
    """The page with acts of half a minute, and everybody's packs weak enough to be lost now and then."""
    real = rehearse.production

    def short(*about):
        found = real(*about)
        players = tuple(replace(p, power_dbm=p.power_dbm - 38.0) for p in found.players)
        return replace(found, players=players, acts=tuple(replace(a, to_s=a.from_s + 30.0) for a in found.acts))

    for module in (rehearse, casting):
        monkeypatch.setattr(module, "production", short)
    stage = window.open_stage("watch")
    window.show_stage("watch")
    stage.pages.show_page(REHEARSE)
    return stage.rehearsal.foretold


@pytest.fixture
def played(page, qtbot):
    page.runs.setValue(2)
    page.go.click()
    assert not page.go.isEnabled()
    qtbot.waitUntil(lambda: page.found is not None, timeout=_LONG)
    return page


def rows(table):
    return table.records.records


def test_what_is_foretold_is_shown_by_act_the_worst_first(played):
    acts = played.found.production.acts
    assert played.go.isEnabled()
    assert [played.act.itemText(i) for i in range(played.act.count())] == [a.name for a in acts]
    lost = {a.id: sum(played.line.minutes(a)) for a in acts}
    assert played.line.act == played.act.currentData() == max(lost, key=lambda a: lost[a])
    assert "of 2 evenings" not in played.words.text()
    assert "played in 2 evenings" in played.words.text()
    assert "no frequency" in played.unknown.text()
    for act in acts:
        played.line.chosen.emit(act.id)
        assert played.act.currentData() == act.id
        shown = rows(played.links)
        assert {r.foretold.link for r in shown} == {p.name for p in played.found.production.players if p.plays(act.id)}
        middle = [r.foretold.dropout_s.p50 for r in shown]
        assert middle == sorted(middle, reverse=True)
        assert all(r.trouble.act == act.id for r in rows(played.troubles))
        runs = [x for x in played.found.outcomes if x.act == act.id]
        mean = sum(x.dropout_s.sum() for x in runs) / len(runs)
        assert sum(played.line.minutes(act)) == pytest.approx(mean)


def test_a_rehearsal_is_kept_and_another_plan_is_held_against_it(played, qtbot):
    session = played.window().session
    act = next(a for a in played.found.production.acts if len(rows(played.links)))
    played.line.chosen.emit(act.id)
    assert [r.other for r in rows(played.links)] == [None] * len(rows(played.links))
    played.keep.click()
    kept = {r.foretold.link: r.foretold for r in rows(played.links)}
    assert all(r.other == r.foretold for r in rows(played.links))
    assert played.line.lost_beside(act) == pytest.approx(sum(played.line.minutes(act)))
    one, other = (x for x in kit.links(session.store, session.scope) if x.name in ("Lamp Choir 4", "Lamp Choir 5"))
    placed = plan.assignments(session.store, session.scope)
    session.do(
        lambda: plan.set_frequencies(session.store, session.scope, {ids.of(one): placed[other.id].freq_hz}, "Both")
    )
    before = played.found
    played.go.click()
    qtbot.waitUntil(lambda: played.found is not before, timeout=_LONG)
    played.line.chosen.emit(played.found.production.acts[-1].id)
    broken = next(r for r in rows(played.links) if r.foretold.link == one.name)
    assert broken.foretold.dropout_s.p50 > broken.other.dropout_s.p90
    assert played.other is before
    assert kept


def test_of_another_show_nothing_is_foretold_yet(played):
    session = played.window().session
    site = session.store.get(Site, session.scope.site)
    session.do(lambda: shows.add_show(session.store, site, "Another evening"))
    other = next(s for s in session.store.all(Show) if s.name == "Another evening")
    session.go(of_show(other))
    played.refresh()
    assert played.found is None
    assert not rows(played.links)
    assert "as it stands in the book" in played.words.text()
    played.go.click()
    assert "plan it first" in played.window().said()


def test_a_moment_is_watched_with_all_views_and_what_is_live_goes_on(played, qtbot):
    stage = played.window().stage
    act = next(a.id for a in played.found.production.acts if any(t.act == a.id for t in played.found.troubles()))
    played.line.chosen.emit(act)
    trouble = rows(played.troubles)[0].trouble
    played.see.click()
    qtbot.waitUntil(lambda: stage.watch.replay is not None, timeout=_LONG)
    names = {p.name for p in played.found.production.players}
    assert set(stage.watch.seen.watched.names) == names
    assert {s.name for s in stage.watch.seen.watched.spans} == {a.name for a in played.found.production.acts}
    wanted = max(trouble.incident.from_s - 20.0, 0.0)
    qtbot.waitUntil(lambda: stage.watch.replay.t >= wanted, timeout=_LONG)
    assert stage.watch.live is not stage.watch.night


def test_an_act_that_was_not_played_is_not_called_quiet(played):
    first, second = played.found.production.acts[:2]
    some = replace(played.found, outcomes=tuple(x for x in played.found.outcomes if x.act == first.id), stopped=True)
    played.line.show_rehearsal(some)
    assert played.line.played(first)
    assert not played.line.played(second)
    session = played.window().session
    played._show(session.scope, session.now(), None, [some])
    played.line.chosen.emit(second.id)
    assert not rows(played.links)
    assert "stopped before the end" in played.words.text()


def test_one_that_is_stopped_says_so_and_can_be_begun_again(page, qtbot):
    page.runs.setValue(200)
    page.go.click()
    session = page.window().session
    qtbot.waitUntil(lambda: session.jobs.shown is not None, timeout=_LONG)
    session.jobs.stop()
    qtbot.waitUntil(page.go.isEnabled, timeout=_LONG)
    assert "Stopped" in page.words.text() or "stopped" in page.words.text()


def test_another_placement_is_rehearsed_beside_the_show_as_it_stands(page, qtbot):
    session = page.window().session
    hall = next(z for z in ground.zones(session.store, session.scope) if z.name == "Rope Hall")
    session.do(lambda: reach.copy_layout(session.store, hall, "A"))
    page.refresh()
    titles = [page.beside.itemText(i) for i in range(page.beside.count())]
    assert titles == ["nothing else", "Placement B of Rope Hall", "Set gains of Three rooms, one rack"]
    page.beside.setCurrentIndex(1)
    page.runs.setValue(1)
    page.go.click()
    qtbot.waitUntil(lambda: page.found is not None, timeout=_LONG)
    assert page.other is not None
    assert page.other.seeds == page.found.seeds
    assert [x.dropout_s.tolist() for x in page.other.outcomes] == [x.dropout_s.tolist() for x in page.found.outcomes]
    assert not page.links.isColumnHidden(BESIDE)


def test_a_show_that_is_like_that_already_is_told_and_can_be_begun_again(page, qtbot):
    session = page.window().session
    page.refresh()
    gains = page._variants["Set gains of Three rooms, one rack"]
    session.do(lambda: gains.make(session.store))
    page.beside.setCurrentIndex(1)
    page.go.click()
    qtbot.waitUntil(page.go.isEnabled, timeout=_LONG)
    assert "like that already" in page.window().said()
    assert page.found is None


def test_what_helps_is_tried_and_done_in_the_book(played, qtbot):
    played.help.click()
    assert not played.help.isEnabled()
    qtbot.waitUntil(played.help.isEnabled, timeout=_LONG)
    assert played._helped
    shown = rows(played.tried)
    assert shown
    assert all(x.tried is None or x.tried.before_s.p50 >= 0 for x in shown)
    k = next(k for k, x in enumerate(shown) if x.tried is not None)
    played.tried.choose({shown[k].id})
    session = played.window().session
    before = session.store.count(Show), played.words.text()
    steps = session.undo.count()
    played.do_it.click()
    assert session.undo.count() == steps + 1
    assert played.words.text().startswith("The book has changed since")
    assert before[1] in played.words.text()
    played.help.click()
    assert "rehearse again first" in played.window().said()
