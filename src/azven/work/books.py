"""Books as files: new ones, and copies."""

from dataclasses import replace
from pathlib import Path

from azven.book.edits import Edit, add
from azven.book.records import Show, Site, Zone
from azven.book.store import Store
from azven.work.ground.hours import zone_here
from azven.work.kit.catalogue import generic_models


def new_book(path: Path) -> Store:
    """A new book with one site, one show, one room and the generic models, ready to be filled in."""
    store = Store.create(path)
    models = generic_models()
    first = store.reserve(3 + len(models))
    site = Site(id=first, name="New site", time_zone=zone_here())
    room, show = Zone(id=first + 1, site_id=first, name="Main room"), Show(id=first + 2, site_id=first, name="New show")
    generic = (replace(m, id=first + 3 + i) for i, m in enumerate(models))
    store.apply(Edit("New book", add(site, room, show, *generic)))
    return store
