"""What the kinds of calculations have in common: how they are listed, how inputs are read and outputs written."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, is_dataclass
from typing import Any

import numpy as np

Input = Mapping[str, Any]


@dataclass(frozen=True)
class Kind:
    """A kind of calculation: what it does, and a line about it."""

    work: Callable[[Input], Any]
    about: str


def number(given: Input, name: str, *default: float) -> float:
    """A finite number; ValueError for anything else, KeyError where it is missing and has no default."""
    value = given[name] if name in given or not default else default[0]
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise ValueError(f"{name} must be a number")
    return value


def whole(given: Input, name: str, *default: int) -> int:
    """A whole number, as `number`."""
    value = number(given, name, *default)
    if value != int(value):
        raise ValueError(f"{name} must be a whole number")
    return int(value)


def listed(given: Input, name: str) -> Sequence[Any]:
    """A list; ValueError for anything else."""
    value = given[name]
    if not isinstance(value, Sequence) or isinstance(value, str):
        raise ValueError(f"{name} must be a list")
    return value


def plain(value: Any) -> Any:
    """A result as JSON can hold it; what is infinite or no number is null."""
    if is_dataclass(value) and not isinstance(value, type):
        return plain(asdict(value))
    if isinstance(value, Mapping):
        return {str(k): plain(v) for k, v in value.items()}
    if isinstance(value, np.ndarray | np.generic):
        return plain(value.tolist())
    if isinstance(value, Sequence) and not isinstance(value, str):
        return [plain(v) for v in value]
    return None if isinstance(value, float) and not math.isfinite(value) else value
