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
    progress: Callable[[int, int], bool] = lambda done, total: True, effort: int = 1,
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
    return sum(broken(freqs, profile).values())


@dataclass(frozen=True)
class Choice:
    """The group to take, how many of its channels are free in every room, and the first of these for the links."""

    group: str
    free: int
    freq_hz: tuple[int, ...]


def choose(table: Table, links: int, scans_dbm: Sequence[Mapping[int, float]], limit_dbm: float) -> Choice:
    """The group with most free channels, of equal ones the first: free is under the limit in every room's scan
    (frequency [Hz] to level [dBm]), and what was not scanned is not free. One group for all rooms that are together;
    ValueError where none has a channel for each of the links."""

    def free_in(group: str) -> tuple[int, ...]:
        return tuple(f for f in table[group] if all(f in s and s[f] < limit_dbm for s in scans_dbm))

    best = max(table, key=lambda g: len(free_in(g)), default=None)
    free = free_in(best) if best is not None else ()
    if best is None or len(free) < links:
        raise ValueError(f"too few channels: no group has {links} that are free, and groups are never mixed")
    return Choice(best, len(free), free[:links])


def broken(freq_hz: Sequence[int], profile: Profile) -> dict[str, int]:
    """How often a group breaks its own rules, by `spacing` and kind of product."""
    carriers = [Carrier(id=f"{i}", freq_hz=f, profile="group", zone=_ROOM) for i, f in enumerate(freq_hz)]
    situation = Situation(carriers, {"group": profile}, {})
    out = {"spacing": len(clashes(situation))} | dict.fromkeys(("2a-b", "a+b-c", *profile.guard_hz), 0)
    for hit in hits(situation):
        out[hit.kind] += 1
    return out
