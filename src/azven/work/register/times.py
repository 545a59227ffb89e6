"""When the gear of a show comes and goes."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime

from azven.book.edits import Edit, replace_record
from azven.book.reading import Reading
from azven.book.records import Act, Show
from azven.refusal import Refusal
from azven.rf.register.deeds import Span


def times(store: Reading, show: Show) -> tuple[datetime | None, datetime | None]:
    """Load-in and load-out, each as it is said, else by the first and the last act; None where it is not known."""
    return _times(show, store.all(Act, show_id=show.id))


def _times(show: Show, acts: Sequence[Act]) -> tuple[datetime | None, datetime | None]:
    begins = show.load_in or min((a.starts_at for a in acts if a.starts_at), default=None)
    ends = show.load_out or max((a.ends_at for a in acts if a.ends_at), default=None)
    return begins, ends


def span(store: Reading, show: Show) -> Span | None:
    """From load-in to load-out; None where one of them is not known."""
    return span_of(show, store.all(Act, show_id=show.id))


def span_of(show: Show, acts: Sequence[Act]) -> Span | None:
    """The same, by the acts of the show."""
    begins, ends = _times(show, acts)
    return Span(begins, ends) if begins is not None and ends is not None and begins <= ends else None


def at_one_time(store: Reading, a: Show, b: Show) -> bool:
    """Whether two shows may share a moment: gear or acts; yes where it is not known when one of them is."""
    first, second = _edges(store, a), _edges(store, b)
    return first is None or second is None or (first[0] < second[1] and second[0] < first[1])


def _edges(store: Reading, show: Show) -> tuple[datetime, datetime] | None:
    """From the first to the last that is known of a show; None where one of its edges is not."""
    acts = store.all(Act, show_id=show.id)
    begins, ends = _times(show, acts)
    if begins is None or ends is None:
        return None
    return (min([begins, *(a.starts_at for a in acts if a.starts_at)]),
            max([ends, *(a.ends_at for a in acts if a.ends_at)]))  # fmt: skip


def set_span(show: Show, load_in: datetime | None, load_out: datetime | None) -> Edit:
    """Refusal for gear that leaves before it comes."""
    if load_in is not None and load_out is not None and load_out < load_in:
        raise Refusal(f"{show.name} cannot load out before it loads in.")
    after = replace(show, load_in=load_in, load_out=load_out)
    return Edit(f"Load-in and load-out of {show.name}", replace_record(show, after))
