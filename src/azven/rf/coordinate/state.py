"""Which steps are still open after some carriers have been placed, as Python's big integers.

A set of steps is an integer whose bit p stands for step p. Differences and sums of placed pairs are
kept as such sets too, so that all three-signal exclusions of a new carrier come from two shifts.
A state is cheap to copy and only grows; taking a carrier out means building the rest again.
"""

from collections.abc import Sequence
from typing import NamedTuple

from azven.rf.coordinate.grid import Grid

Levels = tuple[int, int]
PairKey = tuple[int, int, Levels]
"""Groups of the two members of a pair, and their levels (sorted)."""


def widen(bits: int, reach: int) -> int:
    """The set with every element spread `reach` steps to either side (shifted up by `reach`)."""
    have, want = 1, 2 * reach + 1
    while have < want:
        by = min(have, want - have)
        bits |= bits << by
        have += by
    return bits


class Rules:
    """Exclusion patterns of a grid, computed once and shared by all states of a search."""

    def __init__(self, grid: Grid) -> None:
        self.grid = grid
        n = len(grid.tags)
        self.searched_groups = sorted({grid.group_of[f] for f in grid.searched})
        self.all_steps = (1 << grid.width) - 1
        self.pad = grid.widest_reach()
        """Steps kept below the raster while shifting: a product just under it still closes its lowest steps."""
        self.spacing = [[grid.spacing_reach(a, b) for b in range(n)] for a in range(n)]
        self.pairs_matter = any(grid.active(k) for k in ("2a-b", "3a-2b", "4a-3b", "5a-4b"))
        self.triples_matter = grid.active("a+b-c")
        self.absolute_kinds = [k for k in ("2a", "3a", "a-b") if grid.active(k)]
        self.fifth_matters = grid.active("3a-b-c")
        self.pair_patterns: dict[tuple[int, int, int, int], tuple[int, int]] = {}
        self._pair_rules: dict[tuple[int, int, int], tuple[tuple[int, int, int] | None, bool]] = {}

    def pair_rule(self, needs: tuple[int, int, int]) -> tuple[tuple[int, int, int] | None, bool]:
        """How far 2a-b reaches (beyond, behind, middle) where shifts can do it, and whether patterns are needed too."""
        if needs not in self._pair_rules:
            self._pair_rules[needs] = self.grid.pair_rule(*needs)
        return self._pair_rules[needs]

    def pair(self, f: int, x: int, y: int, d: int) -> tuple[int, int]:
        key = (f, x, y, d)
        pattern = self.pair_patterns.get(key)
        if pattern is None:
            pattern = self.pair_patterns[key] = self.grid.two_signal_pattern(f, x, y, d)
        return pattern


class Ladder(NamedTuple):
    """Placed steps y of one tag as sets: width − y, 2y, and the halves of the even and of the odd ones."""

    reverse: int = 0
    double: int = 0
    even: int = 0
    odd: int = 0

    def with_step(self, y: int, width: int) -> "Ladder":
        half = 1 << (y >> 1)
        even, odd = (self.even, self.odd | half) if y & 1 else (self.even | half, self.odd)
        return Ladder(self.reverse | 1 << (width - y), self.double | 1 << 2 * y, even, odd)


class _Shifts:
    """2a-b of x with all carriers of a tag at once: f at 2x − y, at 2y − x, and in the middle of both."""

    def __init__(self, pad: int) -> None:
        self._pad = pad
        self._around: dict[int, int] = {}
        self._middle: dict[int, int] = {}
        self._between: dict[int, int] = {}

    def collect(self, ladder: Ladder, x: int, width: int, reaches: tuple[int, int, int]) -> None:
        beyond, behind, middle = reaches
        self._put(self._around, beyond, ladder.reverse << (2 * x + self._pad) >> width)
        self._put(self._around, behind, ladder.double << self._pad >> x)
        k = x >> 1
        if x & 1:
            self._put(self._middle, middle, ladder.odd << (k + 1))
            self._put(self._between, middle, ladder.even << k)
        else:
            self._put(self._middle, middle, ladder.even << k)
            self._put(self._between, middle, ladder.odd << k)

    @staticmethod
    def _put(sets: dict[int, int], reach: int, bits: int) -> None:
        if reach >= 0:
            sets[reach] = sets.get(reach, 0) | bits

    def closed(self) -> int:
        out = 0
        for r, bits in self._around.items():
            out |= widen(bits, r) >> (r + self._pad)
        for r, bits in self._middle.items():  # |2f − s| ≤ r around a whole step
            out |= widen(bits, r // 2) >> r // 2
        for r, bits in self._between.items():  # the same around a half step
            if r:
                by = (r - 1) // 2
                out |= widen(bits | bits << 1, by) >> by
        return out


class State:
    """Placed carriers by tag and, per searched tag, the steps closed to it.

    The newest carrier closes steps at once but enters the other sets only when they are needed (`settle`),
    and copies share those sets until one of them changes: most states of a search are looked at and dropped.
    """

    __slots__ = (
        "_newest", "_shared", "closed", "differences", "ladders", "placed", "reverse", "rules", "steps", "sums",
    )  # fmt: skip

    def __init__(self, rules: Rules) -> None:
        self.rules = rules
        self.placed: dict[int, tuple[int, ...]] = {}
        self.ladders: dict[int, Ladder] = {}
        self.steps: dict[tuple[int, int], int] = {}
        self.reverse: dict[tuple[int, int], int] = {}
        self.differences: dict[PairKey, int] = {}
        self.sums: dict[PairKey, int] = {}
        self.closed: dict[int, int] = dict.fromkeys(rules.grid.searched, 0)
        self._newest: tuple[int, int] | None = None
        self._shared = False

    def copy(self) -> "State":
        self.settle()
        other = State.__new__(State)
        other.rules = self.rules
        other.closed = dict(self.closed)
        other._newest = None
        other._take_sets(self)
        self._shared = other._shared = True
        return other

    def _take_sets(self, source: "State") -> None:
        self.placed, self.ladders = source.placed, source.ladders
        self.steps, self.reverse = source.steps, source.reverse
        self.differences, self.sums = source.differences, source.sums

    def _own_sets(self) -> None:
        self.placed, self.ladders = dict(self.placed), dict(self.ladders)
        self.steps, self.reverse = dict(self.steps), dict(self.reverse)
        self.differences, self.sums = dict(self.differences), dict(self.sums)
        self._shared = False

    def settle(self) -> "State":
        """Bring the newest carrier into all sets; returns self."""
        if self._newest is None:
            return self
        if self._shared:
            self._own_sets()
        tag, x = self._newest
        self._newest = None
        if self.rules.triples_matter:
            self._remember_pairs(tag, x)
        if self.rules.pairs_matter:
            self.ladders[tag] = self.ladders.get(tag, Ladder()).with_step(x, self.rules.grid.width)
        self.placed[tag] = (*self.placed.get(tag, ()), x)
        return self

    def add(self, tag: int, x: int) -> None:
        """Place a carrier of `tag` at step `x` and close what it closes."""
        self.settle()
        self._close_by_spacing(tag, x)
        if self.rules.pairs_matter:
            self._close_by_pairs(tag, x)
        if self.rules.triples_matter:
            self._close_by_triples(tag, x)
        if self.rules.fifth_matters or self.rules.absolute_kinds:
            from azven.rf.coordinate import rare

            rare.close(self, tag, x)
        for f, bits in self.closed.items():
            self.closed[f] = bits & self.rules.all_steps
        self._newest = (tag, x)

    def _close_by_spacing(self, tag: int, x: int) -> None:
        grid = self.rules.grid
        for f in grid.searched:
            r = self.rules.spacing[f][tag]
            if r >= 0 and grid.meets[f][tag]:
                low = max(x - r, 0)
                self.closed[f] |= ((1 << (x + r + 1 - low)) - 1) << low

    def _close_by_pairs(self, tag: int, x: int) -> None:
        """Two-signal products of x, one placed carrier and f: 2a-b by shifts where it can be, patterns for the rest."""
        grid, rules = self.rules.grid, self.rules
        for f in grid.searched:
            if not grid.mixes[f][tag]:
                continue
            shifted = _Shifts(rules.pad)
            closed = 0
            for other, places in self.placed.items():
                if not (grid.mixes[f][other] and grid.mixes[tag][other]):
                    continue
                needs = grid.need_of[f], grid.need_of[tag], grid.need_of[other]
                reaches, pattern_too = rules.pair_rule(needs)
                if reaches is not None:
                    shifted.collect(self.ladders[other], x, grid.width, reaches)
                if pattern_too:
                    closed |= self._pattern(needs, x, places)
            self.closed[f] |= closed | shifted.closed()

    def _pattern(self, needs: tuple[int, int, int], x: int, places: tuple[int, ...]) -> int:
        patterns = self.rules.pair_patterns
        closed = 0
        for y in places:
            pattern = patterns.get((*needs, y - x))
            if pattern is None:
                pattern = self.rules.pair(*needs, y - x)
            at = x + pattern[1]
            closed |= pattern[0] << at if at >= 0 else pattern[0] >> -at
        return closed

    def _close_by_triples(self, tag: int, x: int) -> None:
        """f + z = x + y: y − z and y + z are at hand as sets, so x shifts them onto f."""
        grid = self.rules.grid
        mixes, width, gx = grid.group_mixes, grid.width, grid.group_of[tag]
        searched = [g for g in self.rules.searched_groups if mixes[gx][g]]
        moved: dict[int, dict[Levels, int]] = {g: {} for g in searched}
        pad = self.rules.pad
        for sets, up, down in ((self.differences, x + pad, width), (self.sums, pad, x)):
            for (j, k, levels), bits in sets.items():
                if not (mixes[gx][j] and mixes[gx][k]):
                    continue
                bits = bits << up >> down
                for g in searched:
                    if mixes[g][j] and mixes[g][k]:
                        moved[g][levels] = moved[g].get(levels, 0) | bits
        lx = grid.level_of[tag]
        done: dict[tuple[int, int], int] = {}
        for f in grid.searched:
            key = grid.group_of[f], grid.level_of[f]
            if key[0] in moved:
                if key not in done:
                    done[key] = self._widened(moved[key[0]], key[1], lx)
                self.closed[f] |= done[key]

    def _widened(self, moved: dict[Levels, int], lf: int, lx: int) -> int:
        """All sets together, each spread by the reach of its levels."""
        by_reach: dict[int, int] = {}
        for (j, k), bits in moved.items():
            r = self.rules.grid.three_signal(lf, lx, j, k)
            if r >= 0:
                by_reach[r] = by_reach.get(r, 0) | bits
        out = 0
        for r, bits in by_reach.items():
            out |= widen(bits, r) >> (r + self.rules.pad)
        return out

    def _remember_pairs(self, tag: int, x: int) -> None:
        grid = self.rules.grid
        width, group, level = grid.width, grid.group_of[tag], grid.level_of[tag]
        for (g, other), steps in self.steps.items():
            if not grid.group_mixes[group][g]:
                continue
            levels = (level, other) if level < other else (other, level)
            self._join(self.differences, (group, g, levels), self.reverse[g, other] << x)
            self._join(self.differences, (g, group, levels), steps << width >> x)
            self._join(self.sums, (min(g, group), max(g, group), levels), steps << x)
        here = group, level
        self.steps[here] = self.steps.get(here, 0) | 1 << x
        self.reverse[here] = self.reverse.get(here, 0) | 1 << (width - x)

    @staticmethod
    def _join(sets: dict[PairKey, int], key: PairKey, bits: int) -> None:
        sets[key] = sets.get(key, 0) | bits


def build(rules: Rules, members: Sequence[tuple[int, int]]) -> State:
    """A state holding `members`, each a tag and a step."""
    state = State(rules)
    for tag, x in members:
        state.add(tag, x)
    return state.settle()
