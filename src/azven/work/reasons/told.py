"""What reasons are made of: what is said of something, and what could be done about it."""

from collections.abc import Callable
from dataclasses import dataclass, replace

from azven.book.edits import Edit

LANE_CAUSES = ("free", "tuning", "permission", "television", "sweep", "neighbour", "spacing", "intermodulation")

Row = tuple[str, str]


def always(done: int, total: int) -> bool:
    """The progress of work that nobody stops."""
    return True


@dataclass(frozen=True)
class Option:
    """Something that could be done, with its effect already computed; `edit` carries it out."""

    title: str
    effect: str
    edit: Callable[[], Edit]


@dataclass(frozen=True, kw_only=True)
class Reasons:
    """What the panel shows, in this order: verdict, arithmetic, where the figures come from, what could be done."""

    title: str
    figure: str = ""
    state: str = ""
    verdict: str = ""
    arithmetic: tuple[Row, ...] = ()
    origins: tuple[Row, ...] = ()
    options: tuple[Option, ...] = ()
    threats: tuple[int, ...] = ()
    heading: str = "The arithmetic"
    steps: tuple[str, ...] = ()
    """What could be done by hand, in sentences."""

    def with_options(self, options: tuple[Option, ...]) -> "Reasons":
        return replace(self, options=options)
