"""Ids of links by the names that the demonstration gives them."""

from azven.book.store import Store
from azven.work import ids, kit
from azven.work.scope import opening as here


def key(where, name):
    """The id in the plan of the link of this name in a store, a session, a board or a plan's input."""
    if isinstance(where, Store):
        return next(ids.of(x) for x in kit.links(where, here(where)) if x.name == name)
    if hasattr(where, "store"):
        return key(where.store, name)
    found = getattr(where, "input", where)
    return next(k for k, x in found.links.items() if x.name == name)
