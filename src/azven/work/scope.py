"""Where a deed acts: at a site, for a show there."""

from dataclasses import dataclass

from azven.book.reading import Reading
from azven.book.records import Show, Site
from azven.refusal import Refusal


@dataclass(frozen=True)
class Scope:
    """Ids of a site and of a show that runs there."""

    site: int
    show: int


def opening(store: Reading) -> Scope:
    """Where a book opens when nobody has been in it before: at its first show that is not archived, else at its first.
    Refusal for a book without one."""
    away = {s.id for s in store.all(Site) if s.archived}
    shows = sorted(store.all(Show), key=lambda s: (s.archived or s.site_id in away, s.id))
    if not shows:
        raise Refusal("This book has no show, so there is nowhere to open it.")
    return of_show(shows[0])


def exists(store: Reading, scope: Scope) -> bool:
    """Whether the show is in the book, and at that site."""
    return any(s.site_id == scope.site for s in store.all(Show, id=scope.show))


def of_show(show: Show) -> Scope:
    """A show, at the site it runs at."""
    return Scope(show.site_id, show.id)
