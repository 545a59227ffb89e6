"""Two desks that changed the same thing: told with both values."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from azven.book.edits import Change, Collision, ConflictError, differing
from azven.book.reading import Reading
from azven.book.records import Record
from azven.book.waiting import Waiting
from azven.work.desks.naming import field_word, kind_word, thing, value
from azven.work.ground.hours import Clock
from azven.work.wording import listed

_MOST_SAID = 3


@dataclass(frozen=True)
class Told:
    """A collision for people: what happened, and for every field (its name, theirs, ours)."""

    head: str
    values: tuple[tuple[str, str, str], ...] = ()

    def sentence(self) -> str:
        """All of it on one line."""
        said = [f"{name} is {theirs}, yours is {mine}" for name, theirs, mine in self.values[:_MOST_SAID]]
        more = len(self.values) - _MOST_SAID
        return " ".join([self.head, *([f"{listed(said)}{f' and {more} more' if more > 0 else ''}."] if said else [])])


def told(book: Reading, clock: Clock, conflict: ConflictError) -> Told:
    """What collided, by whom and when, with both values of each field."""
    who = f" by {conflict.by}" if conflict.by else " elsewhere"
    when = f" at {conflict.at.astimezone(clock.tz):%H:%M}" if conflict.at is not None else ""
    if conflict.current is None:
        name = thing(book, conflict.wanted) if conflict.wanted is not None else kind_word(conflict.kind)
        return Told(f"Not done: the {name} was removed{who}{when}; yours would change it.")
    name = thing(book, conflict.current)
    if conflict.wanted is None:
        head = f"Not done: the {name} was changed{who}{when}; yours would remove it."
        return Told(head, pairs(book, conflict.kind, conflict.collisions, before="before"))
    return Told(f"Not done: the {name} was changed{who}{when}.", pairs(book, conflict.kind, conflict.collisions))


@dataclass(frozen=True)
class Met:
    """A field of an edit that waited and was met by others: what it is now, and what ours would make it."""

    id: int
    thing: str
    field: str
    theirs: str
    ours: str


def met(book: Reading, waiting: Waiting, now: Mapping[tuple[type[Record], int], Record]) -> list[Met]:
    """What an edit that waited would change, against what others have made of its records."""
    out: list[Met] = []
    for change in waiting.edit.changes:
        current = now.get((change.kind, change.record.id))
        name = thing(book, current if current is not None else change.record)
        for field, theirs, mine in _fields(book, change, current):
            out.append(Met(len(out), name, field, theirs, mine))
    return out


def _fields(book: Reading, change: Change, current: Record | None) -> list[tuple[str, str, str]]:
    before, after, kind = change.before, change.after, change.kind
    if current is None:
        return [("", "removed" if before is not None else "not there", "removed" if after is None else "there")]
    if after is None:
        return [("", "changed", "removed")]
    wanted = differing(before, after) if before is not None else differing(current, after)
    return [
        (field_word(f), value(book, kind, f, getattr(current, f)), value(book, kind, f, getattr(after, f)))
        for f in wanted
    ]


def pairs(
    book: Reading, kind: type[Record], collisions: Sequence[Collision], before: str = ""
) -> tuple[tuple[str, str, str], ...]:
    """Every field that collided with what it is now and what it would become, or was `before`."""
    return tuple(
        (
            field_word(c.field),
            value(book, kind, c.field, c.theirs),
            f"{before} {value(book, kind, c.field, c.mine)}".strip(),
        )
        for c in collisions
    )
