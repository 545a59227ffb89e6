"""A book in a file that two programs have open: nobody's log is taken away, and nobody's book is written over."""

import subprocess
import sys

import pytest

from azven.book.edits import BookError
from azven.book.engines.book_files import is_open_here
from azven.book.store import Store, is_older
from azven.work import books
from naming import rename

OTHER = (
    "import sys; from pathlib import Path; from azven.book.store import Store; from azven.book.records import Site; "
)
READ = OTHER + "s = Store.open(Path(sys.argv[1])); print(s.all(Site)[0].name); s.close()"
STAYS = OTHER + "s = Store.open(Path(sys.argv[1])); print('open', flush=True); sys.stdin.read()"


def elsewhere(path):
    """What another program reads of the book, opened and closed."""
    done = subprocess.run([sys.executable, "-c", READ, str(path)], capture_output=True, text=True, check=True)
    return done.stdout.strip()


def looked_at(store):
    """What a desk does beside its open book, which opens the same file once more."""
    path = store.place.path
    assert not is_older(path)
    assert not books.is_damaged(store.place)
    Store.open(path).close()


def test_a_look_at_an_open_book_leaves_its_locks_so_nobody_takes_its_log_away(store):
    path = store.place.path
    looked_at(store)
    assert elsewhere(path) == "New site"  # whoever closes a book last takes its log away
    assert path.with_name(f"{path.name}-wal").exists()
    rename(store, "Rope Hall")
    assert elsewhere(path) == "Rope Hall"
    looked_at(store)
    rename(store, "Net Loft")
    assert elsewhere(path) == "Net Loft"


def test_a_book_that_another_program_has_open_is_not_written_over(store, tmp_path):
    copy = tmp_path / "copy.azven"
    store.engine.copy_to(copy)
    with subprocess.Popen(
        [sys.executable, "-c", STAYS, str(copy)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as other:
        assert other.stdout.readline() == "open\n"
        with pytest.raises(BookError, match="is open in another program; a copy needs another name"):
            store.engine.copy_to(copy)
        other.stdin.close()
        other.wait(60)
    rename(store, "Later")
    store.engine.copy_to(copy)
    assert elsewhere(copy) == "Later"


@pytest.mark.parametrize("content", [b"", b"hello", b"SQLite format 3\0" + b"\0" * 200])
def test_the_log_of_what_stood_there_is_not_taken_for_one_of_the_copy(store, tmp_path, content):
    copy = tmp_path / "copy.azven"
    copy.write_bytes(content)
    for ending in ("-wal", "-shm"):
        copy.with_name(f"{copy.name}{ending}").write_bytes(b"left by somebody who was killed")
    store.engine.copy_to(copy)
    assert sorted(p.name for p in tmp_path.glob("copy*")) == ["copy.azven"]
    assert elsewhere(copy) == "New site"


def test_a_log_that_was_left_is_gone_with_its_book(store, tmp_path):
    """A killed program leaves its log, which SQLite would put into whatever book has the name then."""
    copy, kept = tmp_path / "copy.azven", tmp_path / "kept"
    store.engine.copy_to(copy)
    other = Store.open(copy)
    rename(other, "Of the old one")
    wal = copy.with_name(f"{copy.name}-wal")
    kept.write_bytes(wal.read_bytes())
    other.close()
    wal.write_bytes(kept.read_bytes())
    rename(store, "Of the new one")
    store.engine.copy_to(copy)
    assert elsewhere(copy) == "Of the new one"


def test_what_is_open_here_is_known_by_the_file_and_not_by_its_name(store, tmp_path):
    path, other = store.place.path, tmp_path / "link"
    other.symlink_to(path)
    assert is_open_here(path)
    assert is_open_here(other)
    assert not is_open_here(tmp_path / "none")
    second = Store.open(path)
    second.close()
    second.close()
    assert is_open_here(path)
    store.close()
    assert not is_open_here(path)
