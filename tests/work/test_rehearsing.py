"""A show of the book rehearsed: who plays and what is not known, several processes at once, the document of it."""

import json
import multiprocessing
import time
from dataclasses import replace

import numpy as np
import pytest
from click.testing import CliRunner

from azven.book.edits import Edit, remove
from azven.book.formats import status_log, status_log_writing
from azven.book.records import Antenna, Show, Zone
from azven.cli import main
from azven.refusal import Refusal
from azven.rf.rehearse import take
from azven.rf.rehearse.production import Act
from azven.work import demo, demo_story, ids, kit, plan
from azven.work import rehearse as stage
from azven.work.rehearse import air
from azven.work.scope import opening


@pytest.fixture
def cast(store):
    return stage.production(store, opening(store), demo_story.venue())


@pytest.fixture
def short(cast):
    """The demonstration with two acts of half a minute."""
    acts = tuple(replace(a, to_s=a.from_s + 30.0) for a in cast.acts[:2])
    return replace(cast, acts=acts)


def test_who_plays_is_who_has_a_frequency_in_the_order_of_the_links(store, cast):
    scope = opening(store)
    placed = plan.assignments(store, scope)
    links = [x for x in kit.links(store, scope) if not x.set_aside]
    assert [p.name for p in cast.players] == [x.name for x in links if x.id in placed]
    assert [x.name for x in cast.head.links] == [p.name for p in cast.players]
    assert [p.freq_hz for p in cast.players] == [x.freq_hz for x in cast.head.links]
    by_name = {p.name: p for p in cast.players}
    for link in links:
        if link.id in placed and not link.acts_gone:
            plays = {a.id for a in cast.acts if by_name[link.name].plays(a.id)}
            wanted = {ids.of(a) for a in kit.acts(store, scope) if not link.acts or a.id in link.acts}
            assert plays == (set() if link.spare else wanted)
    assert cast.head.acts == {a.id: (a.from_s, a.to_s) for a in cast.acts}


def test_what_is_not_known_is_said(store, cast):
    said = " ".join(cast.unknown)
    assert "have no frequency and are left out" in said
    assert "In Quay Stage no antennas are placed" in said
    assert "In Rope Hall no antennas are placed" not in said
    of_book = stage.production(store, opening(store))
    assert any("neighbours arrive is not known" in x for x in of_book.unknown)
    assert any("television channels were not swept" in x for x in of_book.unknown) == any(
        m.level_dbm == air.TELEVISION_DBM for m in of_book.venue.multiplexes
    )


def test_a_room_in_which_only_its_transmit_antenna_stands_is_said_not_to_be_placed(store):
    scope = opening(store)
    hall = next(z for z in store.all(Zone, site_id=scope.site) if z.name == "Rope Hall")
    receiving = [a for a in store.all(Antenna, zone_id=hall.id) if a.role == "receive"]
    assert receiving
    store.apply(Edit("No receive antennas", remove(receiving)))
    assert any("In Rope Hall no antennas are placed" in x for x in stage.production(store, scope).unknown)


def test_a_show_without_frequencies_is_refused(store):
    scope = opening(store)
    store.apply(plan.set_frequencies(store, scope, {}, "Nothing planned", complete=True))
    with pytest.raises(Refusal, match="plan it first"):
        stage.production(store, scope)


def test_several_processes_play_what_one_plays_and_progress_reaches_the_end(short):
    told = []
    together = stage.rehearse(short, (1, 2), lambda a, b: bool(told.append((a, b))) or True, cores=2)
    alone = stage.rehearse(short, (1, 2), cores=1)
    assert [(x.act, x.seed) for x in together.outcomes] == [(a.id, s) for a in short.acts for s in (1, 2)]
    for a, b in zip(together.outcomes, alone.outcomes, strict=True):
        assert np.array_equal(a.dropout_s, b.dropout_s)
        assert [x.cause for x in a.incidents] == [x.cause for x in b.incidents]
    assert told[-1] == (400, 400)
    assert not together.stopped


def test_it_is_stopped_within_half_a_second_and_its_processes_are_gone(cast):
    begun, stopped = time.monotonic(), []

    def go_on(done, total):
        if time.monotonic() - begun < 2.5:
            return True
        stopped.append(time.monotonic())
        return False

    found = stage.rehearse(cast, (1, 2, 3), go_on, cores=2)
    assert time.monotonic() - stopped[0] < 0.5
    assert found.stopped
    assert not multiprocessing.active_children()
    assert stage.document(found)["stopped"] is True


def test_the_document_tells_every_link_that_plays_with_its_spread(short):
    found = stage.document(stage.rehearse(short, (5,), cores=1))
    assert (found["format"], found["version"], found["seed"], found["runs"]) == ("azven-rehearsal", 1, 5, 1)
    assert [a["name"] for a in found["acts"]] == [a.name for a in short.acts]
    for act, told in zip(short.acts, found["acts"], strict=True):
        assert [x["link"] for x in told["links"]] == [p.name for p in short.players if p.plays(act.id)]
        assert all(x["dropout_s"]["p10"] <= x["dropout_s"]["p50"] <= x["dropout_s"]["p90"] for x in told["links"])
    assert all(0 < x["share"] <= 1 for x in found["incidents"])
    assert json.loads(json.dumps(found)) == found


def test_acts_without_times_are_taken_for_an_hour_each(store):
    scope = opening(store)
    cast = stage.production(store, scope)
    if any("have no times" in x for x in cast.unknown):
        assert {a.to_s - a.from_s for a in cast.acts} == {3_600.0}
    assert all(isinstance(a, Act) and a.to_s > a.from_s for a in cast.acts)


def test_a_show_is_found_by_name_or_number_and_not_guessed(store):
    scope = opening(store)
    show = store.get(Show, scope.show)
    assert stage.scope(store, None) == scope
    assert stage.scope(store, show.name) == scope
    assert stage.scope(store, str(show.id)) == scope
    with pytest.raises(Refusal, match="There is no show “Nobody's”"):
        stage.scope(store, "Nobody's")


def test_from_the_command_line_a_rehearsal_is_written(tmp_path, short, monkeypatch):
    book = demo.build(tmp_path)
    place = str(book.place.path)
    book.close()
    monkeypatch.setattr(stage, "production", lambda store, scope: short)
    out = tmp_path / "foretold.json"
    told = CliRunner().invoke(main, ["rehearse", place, "--runs", "1", "-o", str(out)])
    assert told.exit_code == 0, told.output
    assert json.loads(out.read_text())["format"] == "azven-rehearsal"
    missing = CliRunner().invoke(main, ["rehearse", place, "--show", "Nobody's"])
    assert missing.exit_code == 2
    named = CliRunner().invoke(main, ["rehearse", place, "--variants"])
    assert named.stdout == "Set gains of Three rooms, one rack\n"
    unknown = CliRunner().invoke(main, ["rehearse", place, "--beside", "Placement Z"])
    assert unknown.exit_code == 2
    assert "Set gains of Three rooms, one rack" in unknown.stderr


def test_from_the_command_line_another_one_is_rehearsed_beside_and_help_is_looked_for(tmp_path, short, monkeypatch):
    book = demo.build(tmp_path)
    place = str(book.place.path)
    book.close()
    monkeypatch.setattr(stage, "production", lambda store, scope: short)
    asked = ["--beside", "Set gains of Three rooms, one rack", "--helps", "--runs", "1"]
    told = CliRunner().invoke(main, ["rehearse", place, *asked])
    assert told.exit_code == 0, told.output
    found = json.loads(told.stdout)
    assert found["beside"]["title"] == "Set gains of Three rooms, one rack"
    assert [a["name"] for a in found["beside"]["acts"]] == [a["name"] for a in found["acts"]]
    assert all({"before_s", "after_s", "helps"} <= set(t) for x in found["helps"] for t in x["tried"])


def test_a_take_written_as_a_log_reads_as_it_was_played(store, tmp_path):
    found = stage.production(store, opening(store))
    act = replace(found.acts[1], to_s=found.acts[1].from_s + 40.0)
    played = take.play(found, act, 3)
    path = tmp_path / "take.jsonl"
    names = {a.id: a.name for a in found.acts}
    assert status_log_writing.write(path, status_log_writing.since(played.record, act.from_s, names))
    again = status_log.read(path)
    assert [x.name for x in again.head.links] == [p.name for p in found.players]
    assert again.head.acts[act.name][0] == 0.0
    assert {n for x in again.head.links for n in x.acts} <= {a.name for a in kit.acts(store, opening(store))}
    count = min(len(again.at_s), len(played.record.at_s))
    for name in ("a", "q", "tx"):
        mine, theirs = getattr(played.record, name)[:, :count], getattr(again, name)[:, :count]
        assert np.array_equal(mine, theirs, equal_nan=True), name
    assert not status_log_writing.write(tmp_path / "stopped.jsonl", played.record, lambda done, total: False)
    assert not (tmp_path / "stopped.jsonl").exists()
