"""The demonstration: its story happens around the moment at which it is opened."""

import sqlite3
from contextlib import closing
from datetime import UTC, datetime, timedelta

import pytest

from azven.book.records import Act, Deed, Show, Unit
from azven.work import demo, ground
from azven.work.register import times
from azven.work.register.finding import state_at
from azven.work.scope import opening


def moments(book):
    """Each moment that a book in a file has, by its table and column, in order."""
    with closing(sqlite3.connect(f"file:{book}?mode=ro", uri=True)) as open_book:
        tables = [t for (t,) in open_book.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        columns = [
            (table, column)
            for table in tables
            for _, column, kind, *_ in open_book.execute(f"PRAGMA table_info('{table}')")
            if kind == "DATETIME"
        ]
        return {
            (table, column): [
                datetime.fromisoformat(said)
                for (said,) in open_book.execute(f'SELECT "{column}" FROM "{table}" ORDER BY "{column}"')
                if said is not None
            ]
            for table, column in columns
        }


@pytest.mark.parametrize("hour", range(24))
def test_at_no_hour_is_the_evening_of_the_demonstration_over(tmp_path, hour):
    now = datetime(2026, 11, 27, hour, 59, tzinfo=UTC)
    store = demo.build(tmp_path, now)
    show = store.get(Show, opening(store).show)
    begins, ends = min(a.starts_at for a in acts(store, show)), max(a.ends_at for a in acts(store, show))
    assert begins.astimezone(store_zone(store)).hour == 18
    assert ends > now
    assert begins - now <= timedelta(hours=20)
    when = times.span(store, show)
    assert when.load_in <= now < when.load_out
    assert now - timedelta(days=1) < max(deed.at for deed in store.all(Deed)) <= now
    assert sum(state_at(u, now) == "assigned" for u in store.all(Unit)) >= 39
    assert all(moment <= now for unit in store.all(Unit) for moment in (unit.since, unit.seen) if moment is not None)
    store.close()


def acts(store, show):
    return store.all(Act, show_id=show.id)


def store_zone(store):
    return ground.here(store, opening(store)).clock.tz


def test_every_moment_of_the_demonstration_moves_with_the_day_on_which_it_is_opened(tmp_path):
    noon, later = datetime(2026, 11, 27, 12, tzinfo=UTC), timedelta(days=364)
    found = []
    for name, now in (("then", noon), ("later", noon + later)):
        (tmp_path / name).mkdir()
        demo.build(tmp_path / name, now).close()
        found.append(moments(tmp_path / name / demo.PREPARED))
    for where, at in found[0].items():
        assert [m + later for m in at] == found[1][where], where
    assert len(found[0]["plan", "made_at"]) == 7
