"""What tests ask of a book in a word: ids by the names that the demonstration gives, its coordination, what changed."""

from dataclasses import replace

from azven.book.edits import Edit, replace_record
from azven.book.records import Site
from azven.book.store import Store
from azven.work import ids, kit, listen
from azven.work.plan import history
from azven.work.plan import input as plan_input
from azven.work.scope import opening as here


def key(where, name):
    """The id in the plan of the link of this name in a store, a session, a board or a plan's input."""
    if isinstance(where, Store):
        return next(ids.of(x) for x in kit.links(where, here(where)) if x.name == name)
    if hasattr(where, "store"):
        return key(where.store, name)
    found = getattr(where, "input", where)
    return next(k for k, x in found.links.items() if x.name == name)


def asked(store, **more):
    """The coordination of the show that a book opens at."""
    return plan_input.input_for(store, here(store), listen.picture(store, here(store)), **more)


def changes(store):
    """What has changed since its plan was made, in words."""
    return tuple(c.words() for c in history.changed(store, here(store)))


def rename(store, name):
    """Give the first site of a book another name."""
    site = store.all(Site)[0]
    return store.apply(Edit("Rename", replace_record(site, replace(site, name=name))))
