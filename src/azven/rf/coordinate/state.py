"""Which steps are still open after some carriers have been placed, as Python's big integers.

A set of steps is an integer whose bit p stands for step p. Differences and sums of placed pairs are
kept as such sets too, so that all three-signal exclusions of a new carrier come from two shifts.
A state is cheap to copy and only grows; taking a carrier out means building the rest again.
"""

from collections.abc import Sequence

from azven.rf.coordinate.grid import Grid


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
        self.all_steps = (1 << grid.width) - 1
        self.spacing = [[grid.spacing_reach(a, b) for b in range(n)] for a in range(n)]
        self.pairs_matter = any(grid.active(k) for k in ("2T3O", "2T5O", "2T7O", "2T9O"))
        self.triples_matter = grid.active("3T3O")
        self.absolute_kinds = [k for k in ("H2", "H3", "2T2O") if grid.active(k)]
        self.fifth_matters = grid.active("3T5O")
        self.pair_patterns: dict[tuple[int, int, int, int], tuple[int, int]] = {}

    def pair(self, f: int, x: int, y: int, d: int) -> tuple[int, int]:
        key = (f, x, y, d)
        pattern = self.pair_patterns.get(key)
        if pattern is None:
            pattern = self.pair_patterns[key] = self.grid.two_signal_pattern(f, x, y, d)
        return pattern


class State:
    """Placed carriers by tag and, per searched tag, the steps closed to it."""

    __slots__ = ("closed", "differences", "placed", "reverse", "rules", "steps", "sums")

    def __init__(self, rules: Rules) -> None:
        self.rules = rules
        self.placed: dict[int, tuple[int, ...]] = {}
        self.steps: dict[int, int] = {}
        self.reverse: dict[int, int] = {}
        self.differences: dict[tuple[int, int], int] = {}
        self.sums: dict[tuple[int, int], int] = {}
        self.closed: dict[int, int] = dict.fromkeys(rules.grid.searched, 0)

    def copy(self) -> "State":
        other = State.__new__(State)
        other.rules = self.rules
        other.placed = dict(self.placed)
        other.steps = dict(self.steps)
        other.reverse = dict(self.reverse)
        other.differences = dict(self.differences)
        other.sums = dict(self.sums)
        other.closed = dict(self.closed)
        return other

    def add(self, tag: int, x: int) -> None:
        """Place a carrier of `tag` at step `x` and close what it closes."""
        self._close_by_spacing(tag, x)
        if self.rules.pairs_matter:
            self._close_by_pairs(tag, x)
        if self.rules.triples_matter:
            self._close_by_triples(tag, x)
        if self.rules.fifth_matters or self.rules.absolute_kinds:
            from azven.rf.coordinate import rare

            rare.close(self, tag, x)
        if self.rules.triples_matter:
            self._remember_pairs(tag, x)
        for f, bits in self.closed.items():
            self.closed[f] = bits & self.rules.all_steps
        self.placed[tag] = (*self.placed.get(tag, ()), x)

    def _close_by_spacing(self, tag: int, x: int) -> None:
        grid = self.rules.grid
        for f in grid.searched:
            r = self.rules.spacing[f][tag]
            if r >= 0 and grid.meets[f][tag]:
                low = max(x - r, 0)
                self.closed[f] |= ((1 << (x + r + 1 - low)) - 1) << low

    def _close_by_pairs(self, tag: int, x: int) -> None:
        grid, rules = self.rules.grid, self.rules
        patterns = rules.pair_patterns
        for f in grid.searched:
            if not grid.mixes[f][tag]:
                continue
            closed = self.closed[f]
            for other, places in self.placed.items():
                if not (grid.mixes[f][other] and grid.mixes[tag][other]):
                    continue
                for y in places:
                    pattern = patterns.get((f, tag, other, y - x))
                    if pattern is None:
                        pattern = rules.pair(f, tag, other, y - x)
                    at = x + pattern[1]
                    closed |= pattern[0] << at if at >= 0 else pattern[0] >> -at
            self.closed[f] = closed

    def _close_by_triples(self, tag: int, x: int) -> None:
        grid = self.rules.grid
        reach, width = grid.three_signal, grid.width
        mixing = [f for f in grid.searched if grid.mixes[f][tag]]
        found: dict[tuple[int, int], int] = {}
        for (j, k), difference in self.differences.items():
            moved = difference << x >> width
            for f in mixing:
                r = reach(f, tag, j, k)
                if r >= 0:
                    found[f, r] = found.get((f, r), 0) | moved
        for (j, k), total in self.sums.items():
            moved = total >> x
            for f in mixing:
                r = reach(f, tag, j, k)
                if r >= 0:
                    found[f, r] = found.get((f, r), 0) | moved
        for (f, r), bits in found.items():
            self.closed[f] |= widen(bits, r) >> r if r else bits

    def _remember_pairs(self, tag: int, x: int) -> None:
        grid = self.rules.grid
        width = grid.width
        for other, steps in self.steps.items():
            if not grid.mixes[tag][other]:
                continue
            self._join(self.differences, (tag, other), self.reverse[other] << x)
            self._join(self.differences, (other, tag), steps << width >> x)
            self._join(self.sums, (tag, other) if tag < other else (other, tag), steps << x)
        self.steps[tag] = self.steps.get(tag, 0) | 1 << x
        self.reverse[tag] = self.reverse.get(tag, 0) | 1 << (width - x)

    @staticmethod
    def _join(sets: dict[tuple[int, int], int], key: tuple[int, int], bits: int) -> None:
        sets[key] = sets.get(key, 0) | bits


def build(rules: Rules, members: Sequence[tuple[int, int]]) -> State:
    """A state holding `members`, each a tag and a step."""
    state = State(rules)
    for tag, x in members:
        state.add(tag, x)
    return state
