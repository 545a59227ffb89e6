"""Hardware groups: fixed tables whose groups are each free of intermodulation, computed and judged."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from azven.rf.coordinate import coordinate
from azven.rf.products import Situation
from azven.rf.request import Blocked, Carrier, PlanRequest, Profile, Range, Request
from azven.rf.verdict import clashes, hits

Table = Mapping[str, tuple[int, ...]]
"""Group name to its frequencies [Hz]."""
_ROOM = "room"


def compute(
    low_hz: int, high_hz: int, step_hz: int, profile: Profile, groups: int, per_group: int, seed: int = 1,
    progress: Callable[[int, int], bool] = lambda done, total: True, effort: int = 2,
    allowed: tuple[Range, ...] | None = None,
) -> dict[str, tuple[int, ...]]:  # fmt: skip
    """Up to `groups` groups of up to `per_group` frequencies, each group intermodulation-free within itself.

    Within `allowed`, if that is given. Frequencies of different groups keep a quarter of the spacing: groups are
    no copies of one another. ValueError when the band or the numbers cannot be meant.
    """
    if not 0 < low_hz < high_hz:
        raise ValueError(f"the band must run upwards, not from {low_hz} to {high_hz} Hz")
    if groups < 1 or per_group < 1:
        raise ValueError("a table needs at least one group of one frequency")
    out: dict[str, tuple[int, ...]] = {}
    used: list[Blocked] = []
    away = profile.spacing_hz // 4
    for number in range(groups):
        if not progress(number, groups):
            break
        band = (Range(low_hz, high_hz),)
        wishes = tuple(
            Request(id=f"{i}", profile="group", zone=_ROOM, ranges=band, step_hz=step_hz, allowed=allowed)
            for i in range(per_group)
        )
        request = PlanRequest(
            profiles={"group": profile}, zones=(_ROOM,), requests=wishes, blocked=tuple(used), seed=seed, effort=effort
        )
        found = sorted(a.freq_hz for a in coordinate(request).assignments)
        if not found:
            break
        out[str(number + 1)] = tuple(found)
        used += [Blocked(f - away, f + away + 1) for f in found]
    return out


@dataclass(frozen=True)
class GroupVerdict:
    """One group here and now: which of its frequencies are free, and how often it breaks its own rules."""

    name: str
    freq_hz: tuple[int, ...]
    free_hz: tuple[int, ...]
    own_conflicts: int


def judge(table: Table, profile: Profile, is_free: Callable[[int], bool]) -> list[GroupVerdict]:
    """Every group with its free frequencies, the best first: most free, then fewest conflicts of its own."""
    out = [
        GroupVerdict(name, tuple(freqs), tuple(f for f in freqs if is_free(f)), _conflicts(freqs, profile))
        for name, freqs in table.items()
    ]
    return sorted(out, key=lambda g: (-len(g.free_hz), g.own_conflicts))


def mixed(table: Table, used_hz: Sequence[int]) -> dict[str, int]:
    """How many of the frequencies in use come from each group; more than one entry means groups are mixed."""
    counts = {name: sum(f in freqs for f in used_hz) for name, freqs in table.items()}
    return {name: n for name, n in counts.items() if n}


def mixing_cost(table: Table, a: str, b: str, profile: Profile) -> int:
    """Conflicts that two groups make with one another beyond their own."""
    both = _conflicts((*table[a], *table[b]), profile)
    return both - _conflicts(table[a], profile) - _conflicts(table[b], profile)


def _conflicts(freqs: Sequence[int], profile: Profile) -> int:
    carriers = [Carrier(id=f"{i}", freq_hz=f, profile="group", zone=_ROOM) for i, f in enumerate(freqs)]
    situation = Situation(carriers, {"group": profile}, {})
    return len(clashes(situation)) + len(hits(situation))
