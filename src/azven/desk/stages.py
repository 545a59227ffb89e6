"""The stages, said once: everything that lists them reads this table."""

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module

from azven.desk import points
from azven.desk.points import Points
from azven.desk.session import Session
from azven.desk.stage import Stage
from azven.work.stages import TITLES, StageName


@dataclass(frozen=True)
class StageSpec:
    """A stage: its name, its title, and what it counts on the rail. Its widget is in the package of its name, loaded
    when it is first opened: starting does not wait for what is not seen."""

    name: StageName
    title: str
    points: Callable[[Session], Points]

    def load(self) -> type[Stage]:
        """The class of its widget."""
        made: type[Stage] = getattr(import_module(f"azven.desk.{self.name}.stage"), f"{self.title}Stage")
        return made


STAGES = tuple(StageSpec(name, title, getattr(points, f"of_{name}")) for name, title in TITLES.items())
"""In the order of the day."""


def spec(name: str) -> StageSpec:
    """The stage of a name."""
    return next(s for s in STAGES if s.name == name)
