"""The demonstration without its stock and its history: each unit in its case, nothing booked or asked, one show at each
site."""

import sqlite3
from contextlib import closing

from azven.book.store import Store
from azven.work import demo

_STANDS = "state = 'in case', site_at_id = NULL, place = '', holder = '', since = NULL, until = NULL, seen = NULL"


def build(folder):
    """A fresh copy of it in a folder."""
    made = demo.build(folder)
    made.close()
    story = demo.script()
    shows = ", ".join(f"'{s['show']}'" for s in story["shows"])
    serials = " OR ".join(f"serial LIKE '{f['serial']}-%'" for f in story["stock"])
    of_shows = f"(SELECT id FROM show WHERE name IN ({shows}))"
    with closing(sqlite3.connect(made.place.path)) as book, book:
        for table in ("deed", "booking", "distance", "inquiry"):
            book.execute(f"DELETE FROM {table}")
        book.execute(f"DELETE FROM assignment WHERE plan_id IN (SELECT id FROM plan WHERE show_id IN {of_shows})")
        for table in ("plan", "kept_plan", "link", "act"):
            book.execute(f"DELETE FROM {table} WHERE show_id IN {of_shows}")
        book.execute(f"DELETE FROM show WHERE name IN ({shows})")
        book.execute("UPDATE show SET load_in = NULL, load_out = NULL")
        book.execute(f"DELETE FROM unit WHERE {serials}")
        book.execute(f"UPDATE unit SET {_STANDS}")
    return Store.open(made.place)
