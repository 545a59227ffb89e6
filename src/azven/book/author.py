"""Who edits a book, and at which desk."""

import getpass
import platform
from dataclasses import dataclass


@dataclass(frozen=True)
class Author:
    """A person, and the desk at which they sit, as people call them."""

    who: str
    desk: str


def here() -> Author:
    """Whoever is logged in at this computer."""
    try:
        who = getpass.getuser()
    except (KeyError, OSError):  # a user without a name
        who = "somebody"
    return Author(who, platform.node() or "this computer")
