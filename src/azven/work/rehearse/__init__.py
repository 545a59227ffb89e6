"""A show of the book rehearsed before load-in: what is offered to the window and to the command line."""

from azven.book.reading import Reading
from azven.book.records import Show
from azven.refusal import Refusal
from azven.work.rehearse.casting import production
from azven.work.rehearse.rehearsing import Rehearsal, document, rehearse, side_by_side
from azven.work.scope import Scope, of_show, opening

__all__ = ["Rehearsal", "document", "production", "rehearse", "scope", "side_by_side"]


def scope(store: Reading, show: str | None) -> Scope:
    """The show of a name, or with a number where several have it; None: that which the book opens with. Refusal for
    one that is not there, or of which there are several."""
    if show is None:
        return opening(store)
    found = [s for s in store.all(Show) if s.name == show] or [s for s in store.all(Show) if str(s.id) == show]
    if not found:
        known = ", ".join(f"“{s.name}” ({s.id})" for s in store.all(Show)[:20])
        raise Refusal(f"There is no show “{show}” in this book; there are {known}.")
    if len(found) > 1:
        numbers = ", ".join(str(s.id) for s in found)
        raise Refusal(f"{len(found)} shows are called “{show}”; give the number of one: {numbers}.")
    return of_show(found[0])
