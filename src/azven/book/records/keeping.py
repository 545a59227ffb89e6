"""What a book knows of itself: what it is called by others, where its records came from, how much history is kept."""

from azven.book.records.base import Record, record


@record
class BookKey(Record):
    """What a book is called by others that took something from it: the same for as long as it lives."""

    key: str


@record
class Origin(Record):
    """Where a record came from: the key of a book, kind and number there, and its number `here`."""

    book: str
    kind: str
    there: int
    here: int


@record
class Retention(Record):
    """How much of its history a book keeps: so many edits, the newest; with `bulky` also bins of sweeps and drawings,
    which a removal is otherwise not able to bring back from there."""

    edits: int = 20_000
    bulky: bool = False
