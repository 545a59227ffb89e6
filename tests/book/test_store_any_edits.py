"""The store under any sequence of edits, undone and done again, read by two: a dictionary says what is right."""

import tempfile
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule

from azven.book.edits import BookError, Change, ConflictError, Edit, add, remove, replace_record
from azven.book.records import Neighbour, Site, Zone
from azven.book.store import Store
from azven.work import books

NAMES = st.sampled_from(["Attic", "Cellar", "Loft", "Höhe 1", "=1+1", "x" * 200])


class AnyEdits(RuleBasedStateMachine):
    """Two connections to one book, and what they should agree on."""

    def __init__(self):
        super().__init__()
        self.folder = tempfile.TemporaryDirectory()
        path = Path(self.folder.name) / "book.azven"
        self.mine = books.new_book(path)
        self.theirs = Store.open(path)
        self.site = self.mine.all(Site)[0]
        self.kept = {(z.id, Zone): z for z in self.mine.all(Zone)}
        self.done: list[Edit] = []
        self.undone: list[Edit] = []

    def teardown(self):
        self.mine.close()
        self.theirs.close()
        self.folder.cleanup()

    def land(self, edit):
        landed = self.mine.apply(edit)
        for change in landed.changes:
            record = change.after or change.before
            if change.after is None:
                del self.kept[record.id, type(record)]
            else:
                self.kept[record.id, type(record)] = change.after
        return landed

    def of(self, kind):
        return [r for (_, k), r in self.kept.items() if k is kind]

    @rule(name=NAMES)
    def a_room_is_added(self, name):
        zone = Zone(id=self.mine.reserve(), site_id=self.site.id, name=name)
        self.done.append(self.land(Edit("Add", add(zone))))
        self.undone.clear()

    @precondition(lambda self: self.of(Zone))
    @rule(data=st.data(), name=NAMES, near=st.floats(0.5, 50))
    def a_room_is_changed(self, data, name, near):
        zone = data.draw(st.sampled_from(self.of(Zone)))
        self.done.append(self.land(Edit("Change", replace_record(zone, replace(zone, name=name, near_m=near)))))
        self.undone.clear()

    @precondition(lambda self: self.of(Zone))
    @rule(data=st.data())
    def a_neighbour_moves_in(self, data):
        zone = data.draw(st.sampled_from(self.of(Zone)))
        new = Neighbour(
            id=self.mine.reserve(), site_id=self.site.id, name="Ferry", freq_hz=510_000_000, zone_id=zone.id
        )
        self.done.append(self.land(Edit("Neighbour", add(new))))
        self.undone.clear()

    @precondition(lambda self: self.of(Zone))
    @rule(data=st.data())
    def a_room_goes_unless_somebody_is_in_it(self, data):
        zone = data.draw(st.sampled_from(self.of(Zone)))
        if any(n.zone_id == zone.id for n in self.of(Neighbour)):
            with pytest.raises(BookError, match="still needs it"):
                self.mine.apply(Edit("Remove", remove([zone])))
            return
        self.done.append(self.land(Edit("Remove", remove([zone]))))
        self.undone.clear()

    @precondition(lambda self: self.done)
    @rule()
    def the_last_edit_is_taken_back(self):
        self.undone.append(self.land(self.done.pop().inverse()))

    @precondition(lambda self: self.undone)
    @rule()
    def and_done_again(self):
        self.done.append(self.land(self.undone.pop().inverse()))

    @precondition(lambda self: self.of(Zone))
    @rule(data=st.data())
    def an_edit_from_yesterdays_paper_is_refused_whole(self, data):
        zone = data.draw(st.sampled_from(self.of(Zone)))
        new = Zone(id=self.mine.reserve(), site_id=self.site.id, name="Never")
        old = replace(zone, name=f"{zone.name}, yesterday", version=zone.version - 1)
        with pytest.raises(ConflictError):
            self.theirs.apply(Edit("Late", (*add(new), Change(old, replace(old, name="Late")))))

    @invariant()
    def both_read_what_was_written(self):
        self.theirs.catch_up()
        for store in (self.mine, self.theirs):
            for kind in (Zone, Neighbour):
                found = {r.id: r for r in store.all(kind)}
                assert found == {r.id: r for r in self.of(kind)}


AnyEdits.TestCase.settings = settings(max_examples=15, stateful_step_count=20, deadline=None, derandomize=True)
TestAnyEdits = AnyEdits.TestCase
