"""What other desks have changed: from the lines they left in the history to edits of what is held here."""

from collections.abc import Sequence

from azven.book import history
from azven.book.columns import LARGE
from azven.book.edits import Change, Edit
from azven.book.engines import Engine
from azven.book.reading import Held, by_id
from azven.book.records import Record
from azven.book.rows import with_ids


def edits_of(engine: Engine, news: Sequence[history.News], held: Held) -> list[Edit]:
    """The edits behind the news, oldest first, with the records as they are in the book by now."""
    found = _changes(engine, news, held)
    out: list[Edit] = []
    for number in dict.fromkeys(n.number for n in news):
        mine = [n for n in news if n.number == number]
        first = mine[0]
        changes = tuple(found[n.kind, n.record_id] for n in mine if (n.kind, n.record_id) in found)
        also = tuple({n.kind for n in mine} & set(LARGE))
        out.append(Edit(first.title, changes, also=also, by=f"{first.author.who} at {first.author.desk}"))
    return out


def _changes(engine: Engine, news: Sequence[history.News], held: Held) -> dict[tuple[type[Record], int], Change]:
    """What is held of the records in the news, and what they are now."""
    touched: dict[type[Record], set[int]] = {}
    for item in news:
        touched.setdefault(item.kind, set()).add(item.record_id)
    out: dict[tuple[type[Record], int], Change] = {}
    for kind in touched.keys() - set(LARGE):
        now = by_id(with_ids(engine, kind, touched[kind]))
        for number in touched[kind]:
            before, after = held.get(kind, {}).get(number), now.get(number)
            if before is not None or after is not None:
                out[kind, number] = Change(before, after)
    return out


def together(edits: Sequence[Edit]) -> Edit:
    """Several edits as one, with each record's change once."""
    changes = {(c.kind, c.record.id): c for edit in edits for c in edit.changes}
    by = ", ".join(dict.fromkeys(edit.by for edit in edits))
    also = tuple(dict.fromkeys(kind for edit in edits for kind in edit.also))
    return Edit(edits[-1].title, tuple(changes.values()), also=also, by=by)


def difference(before: Held, after: Held) -> tuple[Change, ...]:
    """The changes that lead from one state of what is held to another, of kinds that both have read."""
    out: list[Change] = []
    for kind in after.keys() & before.keys():
        then, now = before[kind], after[kind]
        numbers = sorted(then.keys() | now.keys())
        pairs = [(then.get(n), now.get(n)) for n in numbers]
        out += [Change(a, b) for a, b in pairs if a != b]
    return tuple(out)
