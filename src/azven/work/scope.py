"""Where a deed acts: at a site, for a show there."""

from dataclasses import dataclass

from azven.book.records import Show
from azven.book.store import Store


@dataclass(frozen=True)
class Scope:
    """Ids of a site and of a show that runs there."""

    site: int
    show: int


def opening(store: Store) -> Scope:
    """Where a book opens when nobody has been in it before: at its first show. ValueError for a book without one."""
    shows = store.all(Show)
    if not shows:
        raise ValueError("this book has no show")
    return of_show(shows[0])


def of_show(show: Show) -> Scope:
    """A show, at the site it runs at."""
    return Scope(show.site_id, show.id)
