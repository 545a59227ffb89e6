"""The one error of all readers, in a module that imports little."""

import re

from azven.refusal import Refusal

QUOTED = 80
"""So many characters of what was given are repeated in a message at most."""
_LONGEST = 400
_QUOTE = re.compile(rf"'([^']{{{QUOTED + 1},}})'")
_WORD = re.compile(rf"\S{{{QUOTED + 1},}}")


def short(text: str) -> str:
    """What was given, cut where it is long, on one line."""
    one = " ".join(str(text).split())
    return one if len(one) <= QUOTED else f"{one[: QUOTED - 1]}…"


def in_short(message: str) -> str:
    """A message on one line in which nothing that was given is repeated at length."""
    out = _QUOTE.sub(lambda m: f"'{short(m[1])}'", " ".join(message.split()))
    out = _WORD.sub(lambda m: short(m[0]), out)
    return out if len(out) <= _LONGEST else f"{out[: _LONGEST - 1]}…"


class FormatError(Refusal):
    """A document that cannot be used; the message is one line and names the place in it."""

    def __init__(self, message: str) -> None:
        super().__init__(in_short(message))
