"""Files that cannot be written whole, paths that are odd, books that are damaged."""

import errno
import os
import resource
import stat
import zlib
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest
import sqlalchemy as sa

from azven.book import regions
from azven.book.edits import BookError, Edit, replace_record
from azven.book.formats import whole
from azven.book.store import Store
from azven.rf.sweep import Sweep
from azven.work import books, ground, listen
from azven.work.ground import bundle
from azven.work.listen.taking import About
from azven.work.reasons import spectrum
from azven.work.scope import opening as here


@pytest.fixture
def small_files():
    """No file may grow beyond 1 kB, as on a full disk."""
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (1_000, before[1]))
    yield
    resource.setrlimit(resource.RLIMIT_FSIZE, before)


@pytest.fixture
def swept(tmp_path):
    """A book with two sweeps of the same quiet range, the older one first."""
    store = books.new_book(tmp_path / "swept.azven")
    store.apply(
        ground.choose_region(store, here(store), next(r for r in regions.shipped() if r["key"] == "north-america-6mhz"))
    )
    rng = np.random.default_rng(3)
    for place in ("hall", "foyer"):
        freq = np.arange(470_000_000, 608_000_000, 10_000)
        store.apply(
            listen.keep(
                store,
                here(store),
                Sweep(freq, rng.normal(-125, 1, len(freq)), 10_000, "average"),
                About(place, "omni"),
                "test",
            )
        )
    yield store
    store.close()


def test_a_file_that_does_not_fit_leaves_what_stood_there(tmp_path, small_files):
    path = tmp_path / "plan.json"
    whole.write_whole(path, b"what stood there")
    with pytest.raises(OSError, match=os.strerror(errno.EFBIG)):
        whole.write_whole(path, b"x" * 5_000)
    assert path.read_bytes() == b"what stood there"
    assert list(tmp_path.iterdir()) == [path]


def test_an_empty_file_is_no_file(tmp_path):
    path = tmp_path / "sheet.pdf"
    with pytest.raises(OSError, match="No space"), whole.written_whole(path):
        pass
    assert list(tmp_path.iterdir()) == []


def test_a_link_laid_in_the_way_is_not_followed(tmp_path):
    victim, path = tmp_path / "victim", tmp_path / "sweep.csv"
    victim.write_text("mine")
    (tmp_path / "sweep.csv.part").symlink_to(victim)
    whole.write_whole(path, b"new")
    assert (victim.read_text(), path.read_bytes()) == ("mine", b"new")


def test_rights_of_a_file_are_kept_when_it_is_replaced(tmp_path):
    path = tmp_path / "plan.json"
    path.write_bytes(b"old")
    path.chmod(0o640)
    whole.write_whole(path, b"new")
    assert stat.S_IMODE(path.stat().st_mode) == 0o640


@pytest.mark.parametrize("name", ["a%20b.azven", "what?mode=ro.azven", "a#b.azven", "Größe :memory:.azven"])
def test_a_path_stands_for_itself(tmp_path, name):
    books.new_book(tmp_path / name).close()
    assert [p.name for p in tmp_path.iterdir() if p.suffix == ".azven"] == [name]
    Store.open(tmp_path / name).close()


def test_a_book_is_for_its_owner_only(tmp_path):
    books.new_book(tmp_path / "b.azven").close()
    assert stat.S_IMODE((tmp_path / "b.azven").stat().st_mode) == 0o600


def test_what_is_no_file_is_no_book(tmp_path):
    pipe = tmp_path / "pipe.azven"
    os.mkfifo(pipe)
    with pytest.raises(BookError, match="no file that could hold a book"):
        Store.open(pipe)
    with pytest.raises(BookError, match="cannot be read"):
        Store.open(tmp_path / ("x" * 5_000))


def put(store, place, **columns):
    """Overwrite columns of the bins of one sweep behind the back of the store."""
    record = next(r for r in listen.sweeps(store, here(store)) if r.place == place)
    sets = ", ".join(f"{name} = :{name}" for name in columns)
    with sa.create_engine(f"sqlite:///{store.place.path}").begin() as connection:
        changed = connection.execute(
            sa.text(f"UPDATE trace SET {sets} WHERE sweep_id = :id"), {"id": record.id, **columns}
        )
    assert changed.rowcount == 1


def packed(values):
    return zlib.compress(np.diff(np.asarray(values), prepend=0).astype("<i8").tobytes())


DAMAGED = {
    "cut off": zlib.compress(bytes(8_000))[:-9],
    "not packed": b"nonsense",
    "unpacks without end": zlib.compress(bytes(200_000_000)),
    "an odd number of bytes": zlib.compress(bytes(8_003)),
    "falling": packed(range(600_000_000, 500_000_000, -100_000)),
    "beyond every band": packed(np.linspace(1e12, 1e15, 50).astype(int)),
    "too few bins": packed([470_000_000]),
}


def quiet(store):
    return sum(d.reading.occupancy == "quiet" for d in listen.picture(store, here(store)).decisions["voice"])


@pytest.mark.parametrize("kind", DAMAGED)
def test_a_damaged_sweep_leaves_no_channel_quiet_that_it_covers(swept, kind):
    assert quiet(swept) > 20
    path = swept.place.path
    put(swept, "foyer", freq_hz=DAMAGED[kind])
    swept.close()
    again = Store.open(path)
    picture = listen.picture(again, here(again))
    assert [r.place for r in picture.unreadable] == ["foyer"]
    assert [r.place for r, _ in picture.sweeps] == ["hall"]
    assert quiet(again) == 0
    assert {d.reading.occupancy for d in picture.decisions["voice"]} <= {"unknown", "taken"}
    with pytest.raises(BookError, match="The sweep at foyer is damaged"):
        listen.load(again, picture.unreadable[0])
    again.apply(listen.set_used(picture.unreadable[0], False))
    assert quiet(again) > 20
    again.close()


def test_a_damaged_sweep_that_stays_out_of_a_bundle_is_said(swept, tmp_path):
    put(swept, "foyer", level_dbm=b"nothing packed")
    written = bundle.write(swept, here(swept), tmp_path / "site.zip")
    assert written == bundle.Written(1, ("foyer",))
    assert written.sentence("site.zip").endswith("damaged and left out: foyer.")


def test_reasons_name_the_damaged_sweep_for_the_uses_it_serves(swept):
    record = next(r for r in listen.sweeps(swept, here(swept)) if r.place == "foyer")
    swept.apply(Edit("For in-ears", replace_record(record, replace(record, hears="in-ears"))))
    put(swept, "foyer", level_dbm=b"nonsense")
    picture = listen.picture(swept, here(swept))
    name = picture.decisions["voice"][-20].reading.channel.name
    voice, ear = (
        spectrum.for_channel(picture, u, name, datetime(2026, 11, 25, tzinfo=UTC)) for u in ("voice", "in-ear")
    )
    assert voice.state == "quiet"
    assert (ear.state, "The sweep at foyer is damaged" in ear.verdict) == ("unknown", True)


@pytest.mark.parametrize(
    ("freq", "level", "rbw", "says"),
    [
        ([-5, 10], [-90, -90], 1e3, "between 0 Hz and 1 THz"),
        ([10, 2 * 10**12], [-90, -90], 1e3, "between 0 Hz and 1 THz"),
        ([10, 20], [-90, np.nan], 1e3, "must be numbers"),
        ([10, 20], [-90, np.inf], 1e3, "must be numbers"),
        ([10, 20], [-90, -90], 0, "above 0 Hz"),
        ([10, 20], [-90, -90], 1e10, "from 1 Hz to 1 GHz"),
        ([10, 20], [-90, -90], np.nan, "above 0 Hz"),
    ],
)
def test_what_no_instrument_can_measure_is_no_sweep(freq, level, rbw, says):
    with pytest.raises(ValueError, match=says):
        Sweep(np.array(freq), np.array(level, float), rbw, "peak")
