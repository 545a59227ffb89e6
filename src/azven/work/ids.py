"""Ids of what takes part in a plan, as text: `link-12`, `room-3`. They decide; names are for people alone.

What is only supposed (one more link, a neighbour that might come) has a negative number until it is in the book.
"""

from collections import Counter
from collections.abc import Callable, Iterable
from typing import TypeVar

from azven.book.records import (
    Act,
    Link,
    Model,
    Neighbour,
    Person,
    Record,
    Show,
    Site,
    Unit,
    Wideband,
    WidePack,
    Zone,
)
from azven.work.wording import one_line

R = TypeVar("R", bound=Record)
EVERYWHERE = "everywhere"
"""The room of what is heard in every room."""
_CHANGE = "change-"
_WORDS: dict[type[Record], str] = {
    Link: "link", Neighbour: "neighbour", Zone: "room", Act: "act", Model: "model", Unit: "unit",
    Person: "person", Wideband: "wideband", WidePack: "pack", Site: "site", Show: "show",
}  # fmt: skip


def of(record: Record) -> str:
    """The id of a record in a plan."""
    return key(type(record), record.id)


def key(kind: type[Record], number: int) -> str:
    """The id in a plan of the record of a kind with a number in the book."""
    return f"{_WORDS[kind]}-{number}"


def number(member: str) -> int:
    """The number in the book of the record with this id in a plan."""
    return int(member.split("-", 1)[1])


def change(before: Act, after: Act) -> str:
    """The id of the change from one act to the next."""
    return f"{_CHANGE}{before.id}-{after.id}"


def is_change(time: str) -> bool:
    """Whether a time in a plan is the change between two acts."""
    return time.startswith(_CHANGE)


def line(freq_hz: int) -> str:
    """The id of an unclaimed line, which is in no record of its own."""
    return f"line-{freq_hz}"


def choices_of(records: Iterable[R]) -> list[tuple[str, object]]:
    """Names with the numbers of records, to choose from; those of one name are told apart by their number."""
    listed = list(records)
    names = told_apart(listed, lambda r: f"no. {abs(r.id)}")
    return [(names[of(r)], r.id) for r in listed]


def told_apart(records: Iterable[R], hint: Callable[[R], str]) -> dict[str, str]:
    """Names by id; where one name stands for several, a hint follows it, and the number where that does not help."""
    listed = [(of(r), one_line(r.name) or "no name", r) for r in records]  # type: ignore[attr-defined]
    times = Counter(name for _, name, _ in listed)
    hinted = {member: f"{name} ({hint(r)})" for member, name, r in listed if times[name] > 1}
    same = Counter(hinted.values())
    out = {}
    for member, name, record in listed:
        longer = hinted.get(member, name)
        out[member] = longer if same[longer] <= 1 else f"{longer} no. {abs(record.id)}"
    return out
