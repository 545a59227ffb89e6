"""Which desks have a book on a server open, and where in it they are: each says so as the name of its connection, so
that it goes when the desk does, and a desk that may only read says it too."""

import re
import unicodedata
from dataclasses import dataclass

from azven.book.author import Author

_LONGEST = 63
"""A server keeps so many bytes of a connection's name, and nothing but ASCII."""
_TOLD = re.compile(r"^azven @(\d+)\.(\d+) (.*) @ (.*)$")
PATTERN = "azven @%"


@dataclass(frozen=True)
class Desk:
    """A person at a desk, and the numbers of the site and of the show that they look at."""

    who: str
    desk: str
    site: int
    show: int


def name_of(author: Author, site: int, show: int) -> str:
    """What a connection is called."""
    head = f"azven @{site}.{show} "
    room = (_LONGEST - len(head) - 3) // 2
    return f"{head}{_plain(author.who)[:room]} @ {_plain(author.desk)[:room]}"


def desk_of(name: str) -> Desk | None:
    """The desk behind a connection's name; None for others."""
    told = _TOLD.match(name)
    return Desk(told[3], told[4], int(told[1]), int(told[2])) if told else None


def _plain(text: str) -> str:
    """A text in ASCII: letters without their marks, others as question marks."""
    bare = "".join(c for c in unicodedata.normalize("NFKD", text) if not unicodedata.combining(c))
    return bare.encode("ascii", "replace").decode().replace("@", "(at)")
