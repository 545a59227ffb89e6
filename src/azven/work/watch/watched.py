"""What a watch needs of the book, read once: frozen, so that another thread may use it."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import cached_property
from typing import Any

from azven.book.formats import status_log
from azven.book.reading import Reading
from azven.book.records import Link, Pair, Person, Worn
from azven.rf.diagnose.record import Head
from azven.work import kit
from azven.work.scope import Scope
from azven.work.watch import heads
from azven.work.watch.traces import Key

_SPARES = 5
"""Nobody hears a spare: it can wait."""


@dataclass(frozen=True)
class Span:
    """An act of the evening [s since the watch began]."""

    id: int
    name: str
    from_s: float
    to_s: float


@dataclass(frozen=True, kw_only=True)
class Watched:
    """Links in the order of the head with their records (None where a log has no book), channels, and who wears them;
    acts with times, in their order; none where times are missing."""

    document: Mapping[str, Any]
    start: datetime
    links: tuple[Link | None, ...] = ()
    keys: tuple[Key | None, ...] = ()
    spans: tuple[Span, ...] = ()
    worn_by: Mapping[int, str] = field(default_factory=dict)
    full_min: Mapping[int, float] = field(default_factory=dict)
    cells: Mapping[int, str] = field(default_factory=dict)
    """By the number of a link: minutes with a full battery, and what kind that is."""
    pairs: tuple[tuple[int, int], ...] = ()

    @cached_property
    def head(self) -> Head:
        return status_log.head_of(self.document)

    @cached_property
    def names(self) -> tuple[str, ...]:
        return tuple(x.name for x in self.head.links)

    @cached_property
    def places(self) -> Mapping[str, int]:
        """Where each link stands, by name."""
        return {name: i for i, name in enumerate(self.names)}

    @cached_property
    def _by_identity(self) -> Mapping[int | Key, str]:
        """Names by records, or by channels where a log has no book."""
        told: dict[int | Key, str] = {}
        for i, (key, name) in enumerate(zip(self.keys, self.names, strict=True)):
            record = self.record(i)
            identity = record.id if record is not None else key
            if identity is not None:
                told[identity] = name
        return told

    def renamed(self, before: "Watched") -> Mapping[str, str]:
        """What links that had another name before are called now, by that name."""
        here = self._by_identity
        return {name: here[x] for x, name in before._by_identity.items() if x in here and here[x] != name}

    @cached_property
    def importance(self) -> Mapping[str, int]:
        told = [x for x in self.document.get("links", ()) if isinstance(x.get("priority"), int)]
        return {x["name"]: _SPARES if x.get("spare") else x["priority"] for x in told}

    def record(self, i: int) -> Link | None:
        """The book's record of the link at a place; None where a log has no book."""
        return self.links[i] if i < len(self.links) else None

    def called(self, name: str) -> Link | None:
        """The book's record of a link by the name it has here."""
        place = self.places.get(name)
        return self.record(place) if place is not None else None

    def on_now(self, t: float) -> Span | None:
        """The act that is on at a time [s]."""
        return next((a for a in self.spans if a.from_s <= t < a.to_s), None)

    def after(self, t: float) -> Span | None:
        """The act that begins next after a time [s]."""
        return next((a for a in self.spans if a.from_s > t), None)

    def acts_of(self, i: int) -> tuple[Span, ...]:
        """Acts that a link plays in."""
        link = self.record(i)
        return tuple(a for a in self.spans if link is None or not link.acts or a.id in link.acts)


def of_show(store: Reading, scope: Scope, keys: Mapping[int, Key], start: datetime) -> Watched:
    """What is watched of a show."""
    document = heads.document(store, scope, keys, start)
    links = tuple(x for x in kit.links(store, scope) if not x.set_aside)
    models, acts = kit.models_by_link(store, list(links)), kit.acts(store, scope)
    persons = {p.id: p.name for p in store.all(Person, show_id=scope.show)}
    worn = {w.link_id: persons[w.person_id] for p in persons for w in store.all(Worn, person_id=p)}
    spans = [
        Span(a.id, a.name, (a.starts_at.astimezone(UTC) - start).total_seconds(),
             (a.ends_at.astimezone(UTC) - start).total_seconds())
        for a in acts if a.starts_at and a.ends_at
    ] if heads.timed(acts) else []  # fmt: skip
    return Watched(
        document=document, start=start, links=links, keys=tuple(keys.get(x.id) for x in links),
        spans=tuple(sorted(spans, key=lambda a: a.from_s)), worn_by=worn,
        full_min={x.id: models[x.id].batteries[0][2] for x in links if models[x.id].batteries},
        cells={x.id: models[x.id].batteries[0][0] for x in links if models[x.id].batteries},
        pairs=tuple((p.link_a_id, p.link_b_id) for p in store.all(Pair, show_id=scope.show)),
    )  # fmt: skip
