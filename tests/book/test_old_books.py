"""Books that 0.1.0, 0.2.0 and 0.3.0 wrote, filled with the demonstration of their day, open with all of it."""

import gzip
import json
import sqlite3
import subprocess
import sys
from pathlib import Path

import pytest

from azven.book.columns import KINDS, table_name
from azven.book.edits import BookError
from azven.book.engines import REVISION
from azven.book.records import Assignment, KeptPlan, Link, Model, Sweep, Trace, Zone
from azven.book.store import Store
from azven.work import ids, kit, plan
from azven.work.scope import opening as here

BOOKS = sorted((Path(__file__).parents[1] / "data" / "books").glob("*.gz"))
DIES = """
import os, sys
from pathlib import Path
from alembic import op
from azven.book.store import Store
real = op.add_column
def dying(table, column, **more):
    real(table, column, **more)
    if column.name == sys.argv[2]:
        os._exit(9)
op.add_column = dying
Store.open(Path(sys.argv[1]))
"""


@pytest.fixture(params=BOOKS, ids=lambda p: p.name.removesuffix(".azven.gz"))
def old(request, tmp_path):
    path = tmp_path / "old.azven"
    path.write_bytes(gzip.decompress(request.param.read_bytes()))
    return path


def rows(path):
    """Everything in a book by table: rows by id, as dictionaries of what columns there are."""
    with sqlite3.connect(path) as connection:
        connection.row_factory = sqlite3.Row
        tables = [t for (t,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        found = {t: {r["id"]: dict(r) for r in connection.execute(f"SELECT * FROM {t}")}
                 for t in tables if t not in ("counter", "alembic_version") and "_words" not in t}  # fmt: skip
    connection.close()
    return found


MEANT_TO_CHANGE = {("model", "guard_hz"), ("kept_plan", "frequencies"), ("kept_plan", "inputs"), ("plan", "inputs")}


def test_nothing_is_lost(old):
    before = rows(old)
    store = Store.open(old)
    assert store.damaged == ()
    counts = {table_name(kind): len(store.all(kind)) for kind in KINDS}
    store.close()
    after = rows(old)
    for table, records in before.items():
        assert counts[table] == len(records), table
        for number, values in records.items():
            kept = {k: v for k, v in values.items() if (table, k) not in MEANT_TO_CHANGE}
            assert {k: after[table][number][k] for k in kept} == kept, (table, number)


def test_what_was_called_by_name_is_found_by_id(old):
    before = rows(old)
    store = Store.open(old)
    names = {ids.of(x): x.name for x in store.all(Link)}
    for kept in store.all(KeptPlan):
        by_name = json.loads(before["kept_plan"][kept.id]["frequencies"])
        assert {names[k]: f for k, f in kept.frequencies.items()} == by_name
    for model in store.all(Model):
        assert len(model.guard_hz) == len(json.loads(before["model"][model.id]["guard_hz"]))
    store.close()


def test_it_can_be_worked_with(old):
    store = Store.open(old)
    scope = here(store)
    assert len(plan.board_of(store, scope).frequencies) == len(store.all(Assignment)) == 29
    assert all(len(t.freq_hz) > 1_000 for t in store.all(Trace))
    assert {z.site_id for z in store.all(Zone)} == {scope.site} == {s.site_id for s in store.all(Sweep)}
    link = kit.links(store, scope)[0]
    landed = store.apply(kit.change_links(store, [link], name="Another"))
    store.apply(landed.inverse())
    store.close()


@pytest.mark.parametrize("column", ["needed_db", "stations", "time_zone", "archived", "touches_next", "power_step_mw"])
def test_a_migration_that_is_killed_can_be_tried_again(tmp_path, column):
    path = tmp_path / "old.azven"
    path.write_bytes(gzip.decompress(BOOKS[0].read_bytes()))
    killed = subprocess.run([sys.executable, "-c", DIES, str(path), column], check=False, timeout=120)
    assert killed.returncode == 9
    with sqlite3.connect(path) as connection:
        (found,) = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    connection.close()
    assert found == "0001"
    store = Store.open(path)
    assert len(store.all(Link)) == 29
    store.close()
    assert rows(path)["site"]


def test_a_book_of_a_later_version_is_left_alone(old):
    Store.open(old).close()
    with sqlite3.connect(old) as connection:
        connection.execute("UPDATE alembic_version SET version_num = ?", (f"{int(REVISION) + 1:04}",))
    connection.close()
    with pytest.raises(BookError, match="newer Azven"):
        Store.open(old)
