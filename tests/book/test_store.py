"""The store: every edit at once on disk, nothing overwritten, nothing lost."""

import json
import os
import re
import signal
import sqlite3
import subprocess
import sys
import textwrap
from dataclasses import fields, replace

import numpy as np
import pytest
import sqlalchemy as sa

import searching
from azven.book import migrate
from azven.book.columns import KINDS
from azven.book.edits import BookError, Change, ConflictError, Edit, add, same
from azven.book.engines.sqlite import SqliteFile
from azven.book.place import File
from azven.book.records import (
    EPOCH,
    Act,
    Deed,
    Inquiry,
    KeptPlan,
    Link,
    Model,
    Neighbour,
    Permit,
    Plan,
    Relation,
    Show,
    Site,
    Sweep,
    Trace,
    Unit,
    Zone,
)
from azven.book.store import Store
from azven.work import demo, demo_story, ids, kit, plan
from azven.work.scope import opening as here
from naming import key, rename


def test_an_edit_can_be_taken_back_and_done_again_however_often(store):
    first, second = rename(store, "Harbour"), rename(store, "Quay")
    back = store.apply(second.inverse())
    store.apply(first.inverse())
    assert store.all(Site)[0].name == "New site"
    with pytest.raises(ConflictError):
        store.apply(back.inverse())
    assert store.all(Site)[0].name == "New site"


def test_the_later_of_two_writers_is_told_what_changed(store):
    mine = store.all(Site)[0]
    rename(store, "Theirs")
    with pytest.raises(ConflictError, match="changed elsewhere") as caught:
        store.apply(Edit("Mine", (Change(mine, replace(mine, name="Mine")),)))
    assert caught.value.current.name == "Theirs"
    assert store.all(Site)[0].name == "Theirs"


def test_an_edit_that_fails_half_way_leaves_nothing(store):
    zone = Zone(id=store.reserve(), site_id=store.all(Site)[0].id, name="Attic")
    orphan = Zone(id=store.reserve(), site_id=999_999, name="Nowhere")
    with pytest.raises(BookError, match="still needs it"):
        store.apply(Edit("Two rooms", add(zone, orphan)))
    assert [z.name for z in store.all(Zone)] == ["Main room"]


def test_a_sweep_keeps_its_bins_to_a_hundredth_of_a_decibel(store):
    freq = np.cumsum(np.random.default_rng(1).integers(1, 90_000, 100_000)).astype(np.int64)
    level = np.random.default_rng(2).normal(-100, 20, 100_000)
    first = store.reserve(2)
    record = Sweep(
        id=first,
        site_id=store.all(Site)[0].id,
        taken_at=demo.datetime.now(demo.UTC),
        place="x",
        antenna="y",
        rbw_hz=1e4,
    )
    store.apply(Edit("Sweep", add(record, Trace(id=first + 1, sweep_id=first, freq_hz=freq, level_dbm=level))))
    kept = store.all(Trace, sweep_id=first)[0]
    assert np.array_equal(kept.freq_hz, freq)
    assert np.abs(kept.level_dbm - level).max() <= 0.0051
    assert store.place.path.stat().st_size < 1_000_000
    assert store.all(Sweep)[0].taken_at == record.taken_at


WRITER = """
    import sys
    from dataclasses import replace
    from pathlib import Path
    from azven.book.edits import Change, Edit
    from azven.book.records import Site
    from azven.book.store import Store
    store = Store.open(Path(sys.argv[1]))
    site = store.all(Site)[0]
    for n in range(100_000):
        site = store.apply(Edit("n", (Change(site, replace(site, name=str(n))),))).changes[0].after
        print(n, flush=True)
"""


def test_killed_in_mid_work_the_book_opens_with_every_finished_edit(store):
    writer = subprocess.Popen(
        [sys.executable, "-c", textwrap.dedent(WRITER), str(store.place.path)], stdout=subprocess.PIPE, text=True
    )
    with writer:
        for line in writer.stdout:
            if int(line) >= 20:
                os.kill(writer.pid, signal.SIGKILL)
                break
        finished = int((writer.stdout.read().split() or [line])[-1])
    again = Store.open(store.place.path)
    assert int(again.all(Site)[0].name) in (finished, finished + 1)
    again.close()


@pytest.mark.parametrize("content", [b"", b"hello", b"SQLite format 3\0" + b"\0" * 200])
def test_a_file_that_is_no_book_is_left_as_it_is(tmp_path, content):
    path = tmp_path / "other.azven"
    path.write_bytes(content)
    with pytest.raises(BookError, match="is not an Azven book"):
        Store.open(path)
    assert path.read_bytes() == content


def test_another_programs_database_is_left_as_it_is(tmp_path):
    path = tmp_path / "other.db"
    with sqlite3.connect(path) as other:
        other.execute("CREATE TABLE x (y)")
    other.close()
    before = path.read_bytes()
    with pytest.raises(BookError, match="is not an Azven book"):
        Store.open(path)
    assert path.read_bytes() == before


def test_a_newer_book_is_refused(store):
    store.close()
    with sqlite3.connect(store.place.path) as book:
        book.execute("UPDATE alembic_version SET version_num = '9999'")
    book.close()
    with pytest.raises(BookError, match="newer Azven"):
        Store.open(store.place.path)


def test_a_damaged_book_says_so(store, tmp_path):
    store.close()
    hurt = tmp_path / "hurt.azven"
    data = bytearray(store.place.path.read_bytes())
    data[100:4096] = b"\xff" * 3996
    hurt.write_bytes(data)
    with pytest.raises(BookError, match="damaged"):
        Store.open(hurt)


def test_a_full_disk_keeps_everything_but_the_last_edit(store):
    store.engine.max_pages(60)
    names = [f"{n:04}" + "x" * 20_000 for n in range(200)]
    kept = -1

    def fill_the_disk():
        nonlocal kept
        for n, name in enumerate(names):
            store.apply(Edit("Room", add(Zone(id=store.reserve(), site_id=store.all(Site)[0].id, name=name))))
            kept = n

    with pytest.raises(BookError, match=r"disk that holds .* is full"):
        fill_the_disk()
    store.engine.max_pages(100_000)
    assert [z.name for z in store.all(Zone)][1:] == names[: kept + 1]
    rename(store, "still here")


def test_a_place_that_cannot_be_written_is_said(tmp_path, monkeypatch, store):
    with pytest.raises(BookError, match="is not a folder"):
        Store.create(tmp_path / "missing" / "book.azven")
    with pytest.raises(BookError, match="exists already"):
        Store.create(store.place.path)
    for right, word in ((os.W_OK, "written to"), (os.R_OK, "read")):
        monkeypatch.setattr(os, "access", lambda path, asked, right=right: asked != right)
        with pytest.raises(BookError, match=f"cannot be {word}; copy it to a place of your own"):
            Store.open(store.place.path)


def test_a_read_only_book_refuses_the_edit_in_one_sentence(store):
    store.engine.rows("PRAGMA query_only = ON")
    with pytest.raises(BookError, match="read-only"):
        rename(store, "no")


def test_migrations_make_the_same_tables_as_the_records(tmp_path):
    path = tmp_path / "grown.azven"
    engine = SqliteFile(File(path))
    migrate.upgrade(engine)
    with engine.writing() as connection:
        assert searching.differences(connection) == []
        assert sa.inspect(connection).has_table("assignment")
    engine.close()


def test_the_demo_that_ships_is_what_its_story_makes(tmp_path):
    made, shipped = demo_story.prepare(tmp_path / "made.azven"), demo.build(tmp_path)
    for kind in KINDS:
        if kind in (Plan, KeptPlan):
            continue  # hold when they were made
        undated = {
            Sweep: {"taken_at": EPOCH}, Act: {"starts_at": None, "ends_at": None},
            Show: {"load_in": None, "load_out": None}, Deed: {"at": EPOCH, "ends_at": None, "until": None},
            Unit: {"since": None, "until": None, "seen": None, "cells_since": None}, Inquiry: {"asked_at": EPOCH},
        }.get(kind, {})  # fmt: skip
        mine = [replace(r, **undated) for r in shipped.all(kind)]
        assert len(mine) == len(made.all(kind))
        theirs = [replace(r, **{k: v for k, v in undated.items() if kind in (Unit, Deed)}) for r in made.all(kind)]
        assert all(same(a, b) for a, b in zip(mine, theirs, strict=True)), kind.__name__
    made.close()
    shipped.close()


def test_the_demo_is_clean_recent_and_nearly_full(tmp_path):
    from azven.work import listen, plan, reasons

    store = demo.build(tmp_path)
    board = plan.board_of(store, here(store))
    assert len(board.verdicts) >= 28
    assert board.count("broken", "unplaced") == 0
    assert board.stale == ()
    assert not any(listen.is_stale(s, demo.datetime.now(demo.UTC)) for s in store.all(Sweep))
    choir = reasons.lane_of(board, key(board, "Lamp Choir 1"))
    assert len(choir.free) < 0.02 * len(choir.freq_hz)
    store.close()


OLD_CODES = {"2a-b": "2T3O", "a+b-c": "3T3O", "3a-2b": "2T5O"}


NEWER_TABLES = ("reception", "pair", "worn", "person", "route", "port", "wide_pack", "wideband", "occupant",
                "radar_event", "intercom", "talk_group", "listed_rack", "rack_network", "mapped", "wanted", "proof",
                "sign_off", "walk_test", "staging", "deed", "booking",
                "distance", "kept_question", "book_key", "origin", "hour", "inquiry",
                "unit_words", "deed_words")  # fmt: skip
NEWER_COLUMNS = {
    "site": ("district",),
    "show": ("load_in", "load_out"),
    "act": ("house_percent", "touches_next"),
    "link": ("receiver", "power_step_mw", "switched_on"),
    "unit": (
        "carried", "firmware", "condition", "site_home_id", "state", "site_at_id", "place", "holder", "since", "until",
        "seen", "cells_since", "ran_min",
    ),
    "model": (
        "origin_hz", "rasters", "receivers", "diversity", "powers", "batteries", "chargers", "addresses", "dc_w",
        "only_groups", "groups", "capacity", "modes", "latency_ms", "blocking_dbm", "form", "audio",
        "choosing", "duty", "second_radio", "rejoin_s",
    ),
}  # fmt: skip


def searchable(connection):
    """What finds beginnings and words, as SQLite has it: triggers and indexes of our making."""
    found = connection.execute("SELECT type, name FROM sqlite_master WHERE type IN ('trigger', 'index')").fetchall()
    return [(kind, name) for kind, name in found if searching.beside_the_tables(name)]


def without(connection, table, gone):
    """Build a table anew without some columns, and without what is demanded of them."""
    ((made,),) = connection.execute("SELECT sql FROM sqlite_master WHERE name = ?", (table,))
    ((indexes,),) = connection.execute(
        "SELECT group_concat(sql, ';') FROM sqlite_master WHERE type = 'index' AND tbl_name = ?", (table,)
    )
    lines = [line.strip().rstrip(",").rstrip() for line in made.split("\n")[1:-1]]
    own = [line for line in lines if not any(re.search(rf"\b{name}\b", line) for name in gone)]
    names = [line.split()[0] for line in own if not line.startswith(("CONSTRAINT", "PRIMARY", "CHECK", "FOREIGN"))]
    kept = [i for i in (indexes or "").split(";") if i and not any(name in i for name in gone)]
    connection.executescript(
        f"PRAGMA foreign_keys = OFF; CREATE TABLE anew ({', '.join(own)});"
        f"INSERT INTO anew SELECT {', '.join(names)} FROM {table}; DROP TABLE {table};"
        f"ALTER TABLE anew RENAME TO {table}; {'; '.join(kept)};"
    )


def made_old(path, store):
    """Write the book back as version 0.3.0 wrote it: plans by name, products by code, no time zone."""
    names = {ids.of(x): x.name for x in kit.links(store, here(store))}
    kinds = {Link: "link", Neighbour: "neighbour", Zone: "room", Act: "act", Permit: "permit", Model: "power"}
    called = {f"{word}/{r.id}": f"{word}/{r.name}" for kind, word in kinds.items() for r in store.all(kind)}
    called |= {f"sweep/{s.id}": f"sweep/{s.place} ({s.id})" for s in store.all(Sweep)}
    zones = {z.id: z.name for z in store.all(Zone)}
    called |= {
        f"rooms/{r.id}": f"rooms/{' and '.join(sorted((zones[r.zone_a_id], zones[r.zone_b_id])))}"
        for r in store.all(Relation)
    }

    def by_name(inputs):
        old = {k: v for k, v in inputs.items() if not k.startswith(("wideband/", "occupant/"))}
        return json.dumps({called.get(k, k): v.split(" ")[0] for k, v in old.items()})

    rows = [("plan", "inputs", p.id, by_name(p.inputs)) for p in store.all(Plan)]
    for k in store.all(KeptPlan):
        rows.append(("kept_plan", "frequencies", k.id, json.dumps({names[x]: f for x, f in k.frequencies.items()})))
        rows.append(("kept_plan", "inputs", k.id, by_name(k.inputs)))
    for m in store.all(Model):
        rows.append(("model", "guard_hz", m.id, json.dumps({OLD_CODES[c]: g for c, g in m.guard_hz.items()})))
    with sqlite3.connect(path) as connection:
        for table, column, number, value in rows:
            connection.execute(f"UPDATE {table} SET {column} = ? WHERE id = ?", (value, number))
        for kind, name in searchable(connection):
            connection.execute(f"DROP {kind} {name}")
        for table, columns in NEWER_COLUMNS.items():
            without(connection, table, columns)
        connection.executescript(
            "".join(f"DROP TABLE {table};" for table in NEWER_TABLES)
            + "DROP TABLE history_change; DROP TABLE history; DROP TABLE retention;"
            "ALTER TABLE site DROP COLUMN archived; ALTER TABLE show DROP COLUMN archived;"
            "ALTER TABLE site DROP COLUMN time_zone; ALTER TABLE link DROP COLUMN acts_gone;"
            "ALTER TABLE kept_plan DROP COLUMN names; UPDATE alembic_version SET version_num = '0003';"
        )
    connection.close()


def test_plans_by_name_and_products_by_code_become_ids_and_formulas(tmp_path):
    store = demo.build(tmp_path)
    kept, models, made = store.all(KeptPlan)[0], store.all(Model), store.all(Plan)[0]
    frequencies = plan.board_of(store, here(store)).frequencies
    store.close()
    made_old(store.place.path, store)
    again = Store.open(store.place.path)
    assert again.all(KeptPlan)[0].frequencies == kept.frequencies
    assert again.all(KeptPlan)[0].names == kept.names
    assert [m.guard_hz for m in again.all(Model)] == [m.guard_hz for m in models]
    assert again.all(Site)[0].time_zone == "UTC"
    assert again.all(Plan)[0].inputs.keys() == {k for k in made.inputs if not k.startswith(("wideband/", "occupant/"))}
    board = plan.board_of(again, here(again))
    assert board.frequencies == frequencies
    own_raster = {m.id for m in models if m.rasters or m.origin_hz}  # which books of that time could not say
    unsaid = {x.name for x in kit.links(again, here(again)) if x.model_id in own_raster}
    assert {c.name for c in board.changed} <= unsaid
    again.close()


def test_a_link_that_is_gone_keeps_its_place_in_the_kept_plans_of_an_old_book(tmp_path):
    store = demo.build(tmp_path)
    store.close()
    made_old(store.place.path, store)
    with sqlite3.connect(store.place.path) as connection:
        connection.execute("UPDATE kept_plan SET frequencies = '{\"Long gone\": 500000000}'")
    connection.close()
    again = Store.open(store.place.path)
    kept = again.all(KeptPlan)[0]
    assert (kept.frequencies, kept.names) == ({"gone-Long gone": 500_000_000}, {"gone-Long gone": "Long gone"})
    assert plan.go_back_to(again, here(again), kept).title.startswith("Back to")
    again.close()


def test_every_write_counts_the_version_up(store):
    seen = [store.all(Site)[0].version]
    for name in ("One", "Two", "Three"):
        rename(store, name)
        seen.append(store.all(Site)[0].version)
    assert seen == [1, 2, 3, 4]


def test_two_records_that_differ_in_anything_but_their_version_are_not_the_same(tmp_path):
    store = demo.build(tmp_path)
    looked_at = 0
    for kind in KINDS:
        for record in store.all(kind)[:1]:
            assert same(record, replace(record, version=record.version + 7))
            for f in fields(record):
                if f.name not in ("version", "freq_hz", "level_dbm") or kind is Neighbour:
                    other = "another" if f.name != "version" else record.version
                    assert same(record, replace(record, **{f.name: other})) is (f.name == "version"), (kind, f.name)
                    looked_at += 1
    assert looked_at > 100
    store.close()
