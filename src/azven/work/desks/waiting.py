"""Edits of a desk that was cut off, against a book that others went on with: what is applied and what is asked, by the
same rule as a shared book."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import Any

from azven.book.edits import Change, Edit
from azven.book.records import Record
from azven.book.waiting import Waiting, met_by_others


@dataclass(frozen=True, kw_only=True)
class _Row(Record):
    values: Mapping[str, Any] = field(default_factory=dict)


def applied(book: Mapping[str, Any], edits: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
    """What becomes of edits (record, the version it had when the desk was cut off, field, value) in a book of records
    (version, values): numbers of those `applied`, those `asked` with both values, and the book then."""
    numbers = {name: k for k, name in enumerate([*book, *(e["record"] for e in edits if e["record"] not in book)])}
    rows = {n: _Row(id=numbers[n], version=int(r["version"]), values=dict(r["values"])) for n, r in book.items()}
    mine: Counter[str] = Counter()
    done, asked = [], []
    for k, edit in enumerate(edits):
        name, what, value = edit["record"], edit["field"], edit["value"]
        current = rows.get(name)
        values = dict(current.values) if current is not None else {}
        before = _Row(id=numbers[name], version=int(edit["version"]) + mine[name], values=values)
        after = replace(before, values={**values, what: value})
        waiting = Waiting(str(k), datetime.now(UTC), Edit("", (Change(before, after),)))
        if met_by_others(waiting, {} if current is None else {(_Row, current.id): current}):
            asked.append({"edit": k, "record": name, "theirs": values.get(what), "mine": value})
            continue
        rows[name] = replace(after, version=before.version + 1)
        mine[name] += 1
        done.append(k)
    told = {name: {"version": r.version, "values": dict(r.values)} for name, r in rows.items()}
    return {"applied": done, "asked": asked, "book": told}
