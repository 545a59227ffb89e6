"""Records again under new ids, with what they refer to among them put right."""

from collections.abc import Iterable, Mapping
from dataclasses import fields, replace
from typing import Any

from azven.book.reading import Making
from azven.book.records import Record


class Copier:
    """Copies records; `known` says which id stands for an old one, and grows with every copy."""

    def __init__(self, store: Making, known: Mapping[int | None, int | None] | None = None) -> None:
        self._store = store
        self.known: dict[int | None, int | None] = dict(known or {})

    def copies(self, records: Iterable[Record], **values: Any) -> list[Any]:
        """The records as new ones, with these fields set; ids that they name follow what was copied before."""
        listed = list(records)
        if not listed:
            return []
        first = self._store.reserve(len(listed))
        self.known |= {r.id: first + i for i, r in enumerate(listed)}
        return [replace(r, id=first + i, version=0, **(self._named(r) | values)) for i, r in enumerate(listed)]

    def _named(self, record: Record) -> dict[str, Any]:
        """What a record says of others, by the ids they have now."""
        out: dict[str, Any] = {}
        for f in fields(record):
            value = getattr(record, f.name)
            if f.name.endswith("_id"):
                out[f.name] = self.known.get(value, value)
            elif f.name == "acts":
                out[f.name] = tuple(self.known[a] for a in value if a in self.known)
            elif f.name == "rooms":
                out[f.name] = tuple(dict.fromkeys(self.known.get(room, room) for room in value))
        return out
