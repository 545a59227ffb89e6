"""Edits of a desk that is cut off from its server: they are done here, kept on disk, and written when it is back."""

import fcntl
import hashlib
import json
import os
import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Any

from azven.book.columns import KINDS, LARGE, as_json, as_read, columns, from_json, kind_of, table_name
from azven.book.edits import NEEDED, BookError, Change, Collision, ConflictError, Edit, NeededError, differing, same
from azven.book.reading import Held
from azven.book.records import Record

_RIGHTS = 0o600
_NOT_KNOWN = "while the server is away it is not known whether something still needs it."


@dataclass(frozen=True)
class Waiting:
    """An edit as it landed here, with its mark in the history to come."""

    mark: str
    at: datetime
    edit: Edit


class Journal:
    """The file of a desk's waiting edits: a line each, on disk when `add` returns. It is locked while it is open, so
    that another desk of the same user takes over only what nobody has."""

    def __init__(self, folder: Path, place: str) -> None:
        """Take over what desks have left for a place. OSError when the folder cannot be written."""
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        name = hashlib.sha256(place.encode()).hexdigest()[:20]
        left = [found for path in sorted(folder.glob(f"{name}-*.jsonl")) if (found := _taken(path)) is not None]
        self.path = folder / f"{name}-{uuid.uuid4().hex}.jsonl"
        self._file = os.open(self.path, os.O_CREAT | os.O_RDWR | os.O_APPEND, _RIGHTS)
        fcntl.flock(self._file, fcntl.LOCK_EX)
        self.edits = sorted((w for _, _, waiting in left for w in waiting), key=lambda w: w.at)
        self._write(self.edits)
        for path, file, _ in left:
            path.unlink(missing_ok=True)
            os.close(file)

    def add(self, waiting: Waiting) -> None:
        """Keep one more; BookError when the disk does not take it."""
        try:
            os.write(self._file, _line(waiting))
            os.fsync(self._file)
        except OSError as error:
            raise BookError(
                f"“{waiting.edit.title}” was not done: it cannot be kept on this computer ({error.strerror})."
            ) from error
        self.edits = [*self.edits, waiting]

    def keep(self, edits: Sequence[Waiting]) -> None:
        """Keep these alone: the others are in the book, or given up."""
        self._write(edits)
        self.edits = list(edits)

    def _write(self, edits: Sequence[Waiting]) -> None:
        data = b"".join(map(_line, edits))
        os.ftruncate(self._file, 0)
        os.write(self._file, data)
        os.fsync(self._file)

    def close(self) -> None:
        """Let go of the file; one without edits is taken away."""
        if self._file < 0:
            return
        if not self.edits:
            self.path.unlink(missing_ok=True)
        os.close(self._file)
        self._file = -1


def _taken(path: Path) -> tuple[Path, int, list[Waiting]] | None:
    """A file that another desk has left, now ours; None where that desk is still there."""
    file = os.open(path, os.O_RDWR)
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(file)
        return None
    found = []
    for line in path.read_bytes().splitlines():
        try:
            found.append(_waiting(json.loads(line)))
        except (ValueError, LookupError, TypeError):
            continue  # the line that was being written when the desk ended: it was not told as done
    return path, file, found


def _line(waiting: Waiting) -> bytes:
    edit = waiting.edit
    changes = [
        {"kind": table_name(c.kind), "before": _values(c.before), "after": _values(c.after)} for c in edit.changes
    ]
    whole = {"mark": waiting.mark, "at": waiting.at.isoformat(), "title": edit.title, "changes": changes}
    return json.dumps(whole, ensure_ascii=False).encode() + b"\n"


def _values(record: Record | None) -> dict[str, Any] | None:
    return None if record is None else as_json(type(record), vars(record))


def _waiting(line: Mapping[str, Any]) -> Waiting:
    changes = tuple(
        Change(*(None if c[side] is None else kind_of(c["kind"])(**from_json(kind_of(c["kind"]), c[side]))
                 for side in ("before", "after")))
        for c in line["changes"]
    )  # fmt: skip
    return Waiting(line["mark"], datetime.fromisoformat(line["at"]), Edit(line["title"], changes))


# -- landing without the server --------------------------------------------------------------------------


def landed_here(edit: Edit, held: Held, waiting: Sequence[Waiting] = ()) -> Edit:
    """An edit as it lands on what is held here, after those that are `waiting`. Raises ConflictError where a record is
    not as the edit expects it, NeededError where something would no longer hold together."""
    now = {kind: dict(records) for kind, records in held.items()}
    made: set[tuple[type[Record], int]] = set()
    for earlier in (c for w in waiting for c in w.edit.changes):
        if earlier.before is None:
            made.add((earlier.kind, earlier.record.id))
        if earlier.kind in LARGE:
            _put(now, earlier)
    changes = _put_on(now, edit)
    _hold_together(edit, changes, now, made)
    return replace(edit, changes=tuple(changes))


def landed_again(edit: Edit, held: Held) -> Edit:
    """An edit that landed here before, on what is held by now: whether it holds together was judged then, and is judged
    again when it is written. Raises ConflictError where a record is not as the edit expects it."""
    now = {kind: dict(records) for kind, records in held.items()}
    return replace(edit, changes=tuple(_put_on(now, edit)))


def _put_on(now: Held, edit: Edit) -> list[Change]:
    """The changes of an edit as they land, put on what there is."""
    changes: list[Change] = []
    for change in edit.changes:
        done = _landed(change, now)
        if done is None:
            continue
        changes.append(done)
        _put(now, done)
    return changes


def _put(now: Held, change: Change) -> None:
    records = now.setdefault(change.kind, {})
    if change.after is None:
        records.pop(change.record.id, None)
    else:
        records[change.record.id] = change.after


def _landed(change: Change, now: Held) -> Change | None:
    before, after = change.before, change.after
    if before is None:
        assert after is not None
        return Change(None, as_read(replace(after, version=after.version + 1)))
    current = before if change.kind in LARGE else now[change.kind].get(before.id)
    if current is None:
        if after is None:
            return None
        raise ConflictError(None, after, change.kind)
    if not same(current, before):
        wrong = tuple(Collision(f, getattr(before, f), getattr(current, f)) for f in differing(before, current))
        raise ConflictError(current, after, change.kind, wrong)
    return Change(current, None if after is None else as_read(replace(after, version=current.version + 1)))


def _hold_together(edit: Edit, changes: Sequence[Change], now: Held, made: set[tuple[type[Record], int]]) -> None:
    """Refuse what would leave a reference without its record. Of large kinds only those are known that were `made` or
    changed here."""
    for kind in KINDS:
        for column in (c for c in columns(kind) if c.refers):
            parent = kind_of(column.refers)
            gone = {c.record.id for c in changes if c.kind is parent and c.after is None}
            if kind in LARGE and any((parent, number) not in made for number in gone):
                raise NeededError(f"“{edit.title}” was not done: {_NOT_KNOWN}")
            new = [c.record for c in changes if c.kind is kind and c.after is not None]
            looked_at = now.get(kind, {}).values() if gone else new
            known = now.get(parent)
            for record in looked_at:
                number = getattr(record, column.name)
                if number is not None and known is not None and number not in known:
                    raise NeededError(f"“{edit.title}” was not done: {NEEDED}")


# -- when the server is back -----------------------------------------------------------------------------


def met_by_others(waiting: Waiting, now: Mapping[tuple[type[Record], int], Record]) -> bool:
    """Whether others have changed, in whatever field, a record that a waiting edit touches; `now` is what is in the
    book of these records. What the edit adds may be there already, as it was added."""
    made: set[tuple[type[Record], int]] = set()
    for change in waiting.edit.changes:
        key = change.kind, change.record.id
        current = now.get(key)
        if key in made:
            continue
        made.add(key)
        if change.before is None:
            if current is not None and not same(current, change.record):
                return True
        elif current is None or current.version != change.before.version:
            return True
    return False


def ours(waiting: Waiting, now: Mapping[tuple[type[Record], int], Record]) -> Edit:
    """The edit that makes a waiting one prevail over what others have made of its records: our fields are written
    over theirs, fields that we left alone stay theirs."""
    changes: list[Change] = []
    state = dict(now)
    for change in waiting.edit.changes:
        key = change.kind, change.record.id
        current, before, after = state.get(key), change.before, change.after
        if after is None:
            done = Change(current, None) if current is not None else None
        elif current is None:
            done = Change(None, after)
        elif before is None:
            done = Change(current, replace(after, version=current.version))
        else:
            done = Change(current, replace(current, **{f: getattr(after, f) for f in differing(before, after)}))
        if done is None or (done.before is not None and done.after is not None and same(done.before, done.after)):
            continue
        changes.append(done)
        if done.after is None:
            state.pop(key, None)
        else:
            version = done.after.version + 1
            state[key] = replace(done.after, version=version)
    return Edit(waiting.edit.title, tuple(changes))
