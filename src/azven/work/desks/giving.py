"""Rights on a book on a server, given to a role of it."""

from collections.abc import Sequence

from azven.book.edits import BookError
from azven.book.engines.rights import Right, give
from azven.book.place import Place, Server
from azven.book.records import Site
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work.wording import listed

_WORDS = {"read": "may read", "campus": "may write for", "all": "may write all of"}


def rights(place: Place, role: str, right: Right, names: Sequence[str] = ()) -> str:
    """Give a role rights, and say so. Refusal for a book in a file, for a site that is not there, for a campus role
    without a site; BookError where the server does not allow it."""
    if not isinstance(place, Server):
        raise Refusal("A book in a file is its owner's alone; rights are those of roles of a server.")
    store = Store.open(place)
    try:
        sites = {s.name: s.id for s in store.all(Site)}
        if unknown := [n for n in names if n not in sites]:
            raise Refusal(f"There is no site {listed(unknown)}; there are {', '.join(sites)}.")
        if right == "campus" and not names:
            raise Refusal("Say which campus: --site NAME.")
        if right != "campus" and names:
            raise Refusal("Only a role of a campus has sites.")
        try:
            with store.engine.writing() as connection:
                give(connection, role, right, [sites[n] for n in names])
        except ValueError as error:
            raise Refusal(f"{error}; nothing was changed.") from error
        except store.engine.errors as error:
            raise BookError(store.engine.explain(error)) from error
    finally:
        store.close()
    return f"{role} {_WORDS[right]} {listed(list(names)) if names else 'the book'}."
