"""Packages for the next engineer: written from one book, taken over into another, twice, and into the same one."""

import json
import zipfile
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from azven.book.edits import Edit, add, remove, replace_record
from azven.book.formats import handover as package_format
from azven.book.formats import plan as plan_format
from azven.book.formats import plan_request, site_bundle
from azven.book.formats.errors import FormatError
from azven.book.records import (
    Assignment,
    Booking,
    Deed,
    Design,
    Link,
    Model,
    Origin,
    Person,
    Plan,
    Show,
    Site,
    Unit,
    Zone,
)
from azven.refusal import Refusal
from azven.work import kit, plan, register
from azven.work.register import Asked, handover
from azven.work.scope import of_show, opening

NOW = datetime(2026, 11, 27, 12, tzinfo=UTC)


@pytest.fixture
def path(store, tmp_path):
    store.apply(handover.with_key(store))
    return written(store, tmp_path / "next.zip")


def written(store, path):
    handover.write(store.place, opening(store), path, "Mind the tide.", b"%PDF-1.4", "Merle", NOW, lambda d, t: True)
    return path


def taken(store, path):
    found = handover.preview(store, package_format.read(path))
    store.apply(found.edit)
    return found


def fates(found, what):
    return [x.fate for x in found.lines if x.what == what]


def test_everything_comes_to_a_book_that_knows_nothing_of_it(store, empty, path):
    found = taken(empty, path)
    show = empty.get(Show, found.show)
    mine, theirs = opening(store), of_show(show)
    assert (show.name, empty.get(Site, show.site_id).name) == ("Marrowby Lantern Regatta", "Marrowby Harbour")
    assert [x.name for x in kit.links(empty, theirs)] == [x.name for x in kit.links(store, mine)]
    before, after = plan.board_of(store, mine), plan.board_of(empty, theirs)
    assert sorted(after.frequencies.values()) == sorted(before.frequencies.values())
    assert (after.count("broken"), after.count("unplaced")) == (0, 0)
    assert len(empty.all(Design)) == 2
    assert empty.all(Person) == []
    here = {u.serial: u for u in empty.all(Unit) if u.serial}
    for unit in store.all(Unit, site_home_id=mine.site, carried=True):
        copy = here[unit.serial]
        assert (copy.name, copy.state, copy.holder, copy.until) == (unit.name, unit.state, unit.holder, unit.until)
        assert len(empty.all(Deed, unit_id=copy.id)) == len(store.all(Deed, unit_id=unit.id))


def test_taken_over_twice_it_changes_nothing_and_in_its_own_book_neither(store, empty, path):
    taken(empty, path)
    counts = [empty.count(kind) for kind in (Unit, Deed, Origin)], len(empty.all(Link))
    again = taken(empty, path)
    assert not again.edit
    assert "new" not in {x.fate for x in again.lines}
    assert ([empty.count(kind) for kind in (Unit, Deed, Origin)], len(empty.all(Link))) == counts
    assert not handover.preview(store, package_format.read(path)).edit


def test_what_was_renamed_is_known_again_by_where_it_came_from(store, empty, path, tmp_path):
    found = taken(empty, path)
    for kind in (Show, Link, Unit, Zone):
        first = next(r for r in empty.all(kind) if not isinstance(r, Show) or r.id == found.show)
        empty.apply(Edit("Rename", replace_record(first, replace(first, name="Another name"))))
    again = handover.preview(empty, package_format.read(path))
    assert fates(again, "link") == ["is here"]
    assert fates(again, "show") == ["is here"]
    assert fates(again, "unit") == ["is here"]


def test_only_what_is_new_comes_with_a_later_package(store, empty, path, tmp_path):
    found = taken(empty, path)
    unit = store.all(Unit, name="P50")[0]
    store.apply(register.do(store, [unit], Asked(deed="lost", at=NOW + timedelta(days=1), by="Jory", why="fell in")))
    again = taken(empty, written(store, tmp_path / "later.zip"))
    assert [(x.fate, x.what, x.words) for x in again.lines if x.fate == "new"] == [("new", "deed", "1 deed")]
    (here,) = empty.all(Unit, serial=unit.serial)
    assert here.state == "missing"
    assert again.show == found.show


def test_frequencies_that_differ_stay_as_they_are_here_and_are_told(store, empty, path, tmp_path):
    found = taken(empty, path)
    scope = of_show(empty.get(Show, found.show))
    link = next(x for x in kit.links(empty, scope) if x.name == "Narrator")
    (held,) = (a for p in empty.all(Plan, show_id=scope.show) for a in empty.all(Assignment, plan_id=p.id)
               if a.link_id == link.id)  # fmt: skip
    empty.apply(Edit("Move", replace_record(held, replace(held, freq_hz=471_000_000))))
    again = taken(empty, path)
    (line,) = (x for x in again.lines if x.fate == "differs")
    assert "Narrator 471.000, there 470.800" in line.words
    assert empty.get(Assignment, held.id).freq_hz == 471_000_000


def test_what_was_removed_here_does_not_come_back(store, empty, path):
    found = taken(empty, path)
    gone = empty.all(Unit, serial="RG-4107")[0]
    empty.apply(
        Edit("Remove", remove([r for kind in (Deed, Booking) for r in empty.all(kind, unit_id=gone.id)] + [gone]))
    )
    again = taken(empty, path)
    assert empty.all(Unit, serial="RG-4107") == []
    assert ("left out", "unit", "H01 was removed here") in [(x.fate, x.what, x.words) for x in again.lines]
    assert again.show == found.show


def test_a_unit_that_is_here_is_known_by_serial_and_model(store, empty, path):
    model = next(m for m in empty.all(Model) if m.name == "Handheld voice, companded FM")
    mine = Unit(id=empty.reserve(), model_id=model.id, name="Mine", band="470–542", serial="RG-4107", carried=True)
    empty.apply(Edit("Mine", add(mine)))
    taken(empty, path)
    (only,) = empty.all(Unit, serial="RG-4107")
    assert (only.id, only.name) == (mine.id, "Mine")
    assert only.state == "assigned"


def test_it_is_a_site_bundle_and_its_plan_answers_its_request(path):
    assert site_bundle.read(path).site.name == "Marrowby Harbour"
    with zipfile.ZipFile(path) as whole:
        asked = plan_request.read(json.loads(whole.read("request.json")))
        answered = plan_format.read(json.loads(whole.read("plan.json")))
        assert whole.read("sheet.pdf").startswith(b"%PDF")
    assert answered.keys() <= {r.id for r in asked.requests}
    assert len(answered) > 20


def test_a_package_that_is_none_or_lacks_a_part_is_refused_in_a_sentence(path, tmp_path):
    lacking = tmp_path / "lacking.zip"
    with zipfile.ZipFile(path) as whole, zipfile.ZipFile(lacking, "w") as part:
        for name in whole.namelist():
            if name != "register.json":
                part.writestr(name, whole.read(name))
    with pytest.raises(FormatError, match=r"register\.json: is missing"):
        package_format.read(lacking)
    with pytest.raises(FormatError, match="is not a site bundle"):
        package_format.read(tmp_path / "none.zip")


def test_it_can_be_stopped_and_leaves_nothing(store, tmp_path):
    path = tmp_path / "stopped.zip"
    with pytest.raises(Refusal, match="was stopped"):
        handover.write(store.place, opening(store), path, "", b"", "Merle", NOW, lambda d, t: False)
    assert not path.exists()
