"""A desk that edits a book at random, takes back and does again, and keeps a journal of what it was told is done.

As a program it is one of several desks: `python random_desk.py BOOK SECONDS SEED JOURNAL [KEEPING]` writes a line for
every edit that was told as done, each on disk before the next. With a folder KEEPING it goes on while a server is away.
"""

import hashlib
import json
import os
import random
import sys
import time
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

from azven.book.author import Author
from azven.book.edits import BookError, Change, ConflictError, Edit, add, remove, replace_record
from azven.book.place import place
from azven.book.records import Deed, Neighbour, Site, Unit, Zone
from azven.book.store import Store
from azven.work import register
from azven.work.register import Asked

NAMES = ("Attic", "Cellar", "Loft", "Höhe 1", "=1+1", "100 %", "x" * 200, "a'b\"c")


class RandomDesk:
    """A store with an undo list of its own, as the window has it."""

    def __init__(self, where, seed, open_book=Store.open):
        self.where, self._open = where, open_book
        self.chance = random.Random(seed)
        self.author = Author(f"operator {seed}", f"desk {seed}")
        self.store = open_book(where, self.author)
        self.done, self.undone = [], []
        self.landed = 0
        self.refused = []
        self.away = 0

    def step(self):
        """One deed; returns the edit as it landed, None where nothing did."""
        deed = self.chance.choices(
            (
                self._add,
                self._change,
                self._change_site,
                self._settle,
                self._remove,
                self._back,
                self._again,
                self._look,
                self._deed,
            ),
            (3, 8, 4, 3, 2, 6, 3, 3, 5),
        )[0]
        try:
            return deed()
        except ConflictError as conflict:
            self.refused.append(conflict)
        except BookError as error:
            self.away += "reached" in str(error) or "went away" in str(error)
        return None

    def _do(self, title, changes):
        landed = self.store.apply(Edit(title, tuple(changes)))
        if landed:
            self.done.append(landed)
            self.undone.clear()
            self.landed += 1
        return landed

    def _any(self, kind):
        found = self.store.all(kind)
        return self.chance.choice(found) if found else None

    def _add(self):
        site = self.store.all(Site)[0]
        name = self.chance.choice(NAMES)
        return self._do("Add a room", add(Zone(id=self.store.reserve(), site_id=site.id, name=name)))

    def _change(self):
        zone = self._any(Zone)
        if zone is None:
            return None
        new = {
            "name": self.chance.choice(NAMES),
            "near_m": self.chance.uniform(1, 9),
            "note": str(self.chance.random()),
        }
        fields = self.chance.sample(sorted(new), self.chance.randint(1, 2))
        return self._do("Change a room", replace_record(zone, replace(zone, **{f: new[f] for f in fields})))

    def _change_site(self):
        site = self.store.all(Site)[0]
        new = {"note": str(self.chance.random()), "tv_guard_hz": self.chance.randint(0, 10**6)}
        field = self.chance.choice(sorted(new))
        return self._do("Change the site", replace_record(site, replace(site, **{field: new[field]})))

    def _settle(self):
        zone = self._any(Zone)
        if zone is None:
            return None
        new = Neighbour(
            id=self.store.reserve(), site_id=zone.site_id, name="Ferry", freq_hz=510_000_000, zone_id=zone.id
        )
        return self._do("A neighbour", add(new))

    def _remove(self):
        kind = self.chance.choice((Zone, Neighbour, Neighbour))
        found = self._any(kind)
        return self._do("Remove", remove([found])) if found is not None else None

    def _back(self):
        return self._flip(self.done, self.undone)

    def _again(self):
        return self._flip(self.undone, self.done)

    def _flip(self, source, target):
        if not source:
            return None
        step = source.pop()
        try:
            landed = self.store.apply(step.inverse())
        except ConflictError:
            raise  # overtaken by others: the step is dropped, those below it work
        except BookError as error:
            if "needs it" not in str(error):
                source.append(step)  # the server is away
            raise
        if landed:
            target.append(landed)
            self.landed += 1
        return landed

    def _deed(self):
        """Something done with one of the units, as the register does it."""
        units = self.store.page(Unit, 0, 20) if self.store.away_since is None else []
        if not units:
            return None
        deed = self.chance.choice(("count", "lost", "found", "hand out", "take back", "send to repair", "retire"))
        asked = Asked(
            deed=deed, at=datetime.now(UTC), by=self.author.who, to="Ferry crew", why=str(self.chance.random())
        )
        edit = register.do(self.store, [self.chance.choice(units)], asked)
        return self._do(edit.title, edit.changes)

    def _look(self):
        if self.store.others_wrote():
            self.store.catch_up()

    def reopen(self):
        self.store.close()
        self.store = self._open(self.where, self.author)

    def close(self):
        self.store.close()


def as_text(change: Change):
    record = change.record
    gone = change.after is None
    return [type(record).__name__, record.id, record.version, gone]


def unkept(store, edits):
    """What was told as done and is not in the history: (kind, id, version it was given, whether it was removed)."""
    rows = store.engine.rows('SELECT kind, record_id, "before", "after" FROM history_change')
    kept = set()
    for kind, number, before, after in rows:
        version = json.loads(after)["version"] if after is not None else json.loads(before)["version"]
        kept.add((kind, number, version, after is None))
    return [c for changes in edits for c in changes if (c[0].lower(), *c[1:]) not in kept]


def settle(store, quiet_s=3.0):
    """Wait until the others have ended too: nothing new for so long."""
    quiet = time.monotonic()
    while time.monotonic() - quiet < quiet_s:
        try:
            if store.others_wrote() and store.catch_up():
                quiet = time.monotonic()
        except BookError:
            quiet = time.monotonic()
        time.sleep(0.05)


def digest(store):
    """What the store holds, as a number that is the same for the same records."""
    held = [repr(r) for kind in (Site, Zone, Neighbour, Unit, Deed) for r in store.page(kind, 0, 1_000_000)]
    return hashlib.sha256("\n".join(held).encode()).hexdigest()[:16]


def choose(desk):
    """Settle what met others, one way or the other; what cannot be written is given up. Returns what was settled."""
    settled = []
    while desk.store.collided:
        waiting = desk.store.collided[0]
        settled.append(waiting.edit)
        try:
            desk.store.settle(waiting, mine=desk.chance.random() < 0.5)
        except BookError:
            desk.store.settle(waiting, mine=False)
    return settled


def tell(out, line):
    """A line of the journal, on disk when this returns."""
    out.write(json.dumps(line) + "\n")
    out.flush()
    os.fsync(out.fileno())


def tell_settled(desk, out):
    """Settle what met others, and tell what it was."""
    for edit in choose(desk):
        tell(out, {"settled": [as_text(c) for c in edit.changes]})


def main(where, seconds, seed, journal, keeping=None):
    def open_book(place, author):
        return Store.open(place, author, keeping and Path(keeping))

    desk = RandomDesk(place(where), seed, open_book)
    until = time.monotonic() + seconds
    with Path(journal).open("a") as out:
        while time.monotonic() < until:
            landed = desk.step()
            if keeping and not desk.store.away_since:
                tell_settled(desk, out)
            if landed:
                tell(out, [as_text(c) for c in landed.changes])
        settle(desk.store)
        tell_settled(desk, out)
        settle(desk.store)
        bad = [c for c in desk.refused if not (c.collisions or c.current is None or c.wanted is None)]
        tell(out, {"landed": desk.landed, "refused": len(desk.refused), "away": desk.away,
                   "without two values": len(bad), "ends with": digest(desk.store)})  # fmt: skip
    desk.close()


if __name__ == "__main__":
    main(sys.argv[1], float(sys.argv[2]), int(sys.argv[3]), *sys.argv[4:])
