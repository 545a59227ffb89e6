"""Which steps are still open after some carriers have been placed, as Python's big integers.

A set of steps is an integer whose bit p stands for step p. So are the sums s = d·y (+ d·z) of placed carriers that
product rules are made of (`relations`), kept apart by their remainder where a rule has the candidate more than once:
then one shift of a set answers a rule for all pairs at once. A state is cheap to copy and only grows; taking a carrier
out means building the rest again.
"""

from collections.abc import Collection, Sequence
from operator import or_
from typing import Any

from azven.rf.coordinate import written_out
from azven.rf.coordinate.rules import Peek, Rules, roles

Sets = tuple[int, ...]
Singles = dict[int, Sets]
"""By class: the placed carriers, a set for every variant of d and modulus and every remainder."""
Pairs = dict[tuple[int, int], Sets]
"""By family and look: sums of pairs, a set for every remainder."""


def widen(bits: int, more: int) -> int:
    """The set with every element spread `more` steps upwards."""
    have, want = 1, more + 1
    while have < want:
        by = have if have < want - have else want - have
        bits |= bits << by
        have += by
    return bits


_PLACED, _WRITTEN_OUT = 10, 800
"""What it costs to place a carrier at least, and more for each tag where rules are written out."""


class State:
    """Placed carriers by tag and, per searched tag, the steps closed to it.

    The newest carrier closes steps at once but enters the other sets only when they are needed (`settle`), and what a
    bucket holds is replaced rather than changed: most states of a search are looked at and dropped.
    """

    __slots__ = ("_newest", "asking", "closed", "pairs", "placed", "rules", "singles")

    def __init__(self, rules: Rules) -> None:
        self.rules = rules
        self.placed: dict[int, tuple[int, ...]] = {}
        self.singles: dict[int, Singles] = {}
        self.pairs: dict[int, Pairs] = {}
        self.closed: dict[int, int] = dict.fromkeys(rules.grid.searched, 0)
        self.asking: Collection[int] = rules.grid.searched
        """Tags whose steps are still asked for: only what is closed to these goes on to be true."""
        self._newest: tuple[int, int] | None = None

    def copy(self, asking: Collection[int] | None = None) -> "State":
        """A state of its own with the same carriers, for the same tags or fewer."""
        self.settle()
        other = State.__new__(State)
        other.rules, other._newest = self.rules, None
        other.asking = self.asking if asking is None else asking
        other.placed, other.closed = dict(self.placed), dict(self.closed)
        other.singles, other.pairs = dict(self.singles), dict(self.pairs)
        return other

    def settle(self) -> "State":
        """Bring the newest carrier into all sets; returns self."""
        if self._newest is not None:
            tag, x = self._newest
            self._newest = None
            self._remember(tag, x)
            self.placed[tag] = (*self.placed.get(tag, ()), x)
        return self

    def add(self, tag: int, x: int) -> int:
        """Place a carrier of `tag` at step `x` and close what it closes; returns what that costs, in units of work."""
        self.settle()
        rules = self.rules
        self._close_by_spacing(tag, x)
        looked = self._close_by_products(tag, x) if rules.terms else 0
        if rules.absolute_kinds:
            written_out.close_absolute(self, tag, x)
            looked += _WRITTEN_OUT * len(self.asking)
        self._newest = (tag, x)
        return _PLACED + (looked + rules.upkeep[rules.grid.group_of[tag]]) * rules.price // 10

    def add_off_raster(self, members: Sequence[tuple[int, int]]) -> None:
        """Place given carriers (tag, step) that lie off the raster; before all others, since what they close among
        themselves is written out."""
        for tag, x in members:
            self._close_by_spacing(tag, x)
            if self.rules.absolute_kinds:
                written_out.close_absolute(self, tag, x)
            self.placed[tag] = (*self.placed.get(tag, ()), x)
        written_out.close_among(self, members)
        self._remember_pairs_of(members)
        for tag, x in members:
            self._remember_single(tag, x)

    def _close_by_spacing(self, tag: int, x: int) -> None:
        grid = self.rules.grid
        for f in self.asking:
            first, last = self.rules.spacing[f][tag]
            if first <= last and grid.meets[f][tag]:
                low, high = max(x + first, 0), min(x + last, grid.width - 1)
                if high >= low:
                    self.closed[f] |= ((1 << (high + 1 - low)) - 1) << low

    # -- looking into the sets -----------------------------------------------------------------------

    def _close_by_products(self, tag: int, x: int) -> int:
        """Returns how many sets were looked into."""
        rules, grid, closed = self.rules, self.rules.grid, self.closed
        lx, looked, asking = grid.level_of[tag], 0, self.asking
        done: dict[tuple[int, int], int] = {}
        for lf, seen, tags in rules.targets[grid.group_of[tag]]:
            who = [f for f in tags if f in asking]
            if not who:
                continue
            found = 0
            for place, part in seen:
                key = lf, place
                if key not in done:
                    done[key], sets = self._products(lf, lx, x, *part)
                    looked += sets
                found |= done[key]
            if found:
                for f in who:
                    closed[f] |= found
        return looked

    def _products(self, lf: int, lx: int, x: int, singles: tuple[int, ...], pairs: tuple[int, ...]) -> tuple[int, int]:
        """Steps closed to f by x and what the buckets hold, and how many sets these are."""
        rules = self.rules
        by_width: dict[int, int] = {}
        looked = 3
        for bucket in singles:
            for level_class, sets in self.singles.get(bucket, _NOTHING).items():
                peeks = rules.into_singles(lf, lx, level_class)
                _collect(by_width, sets, peeks, x)
                looked += len(peeks)
        for bucket in pairs:
            for held, sets in self.pairs.get(bucket, _NOTHING).items():
                peeks = rules.into_pairs(lf, lx, held)
                _collect(by_width, sets, peeks, x)
                looked += len(peeks)
        out = 0
        for more, bits in by_width.items():
            out |= widen(bits & rules.inside, more)
        return out >> rules.pad & rules.all_steps, looked + 2 * len(by_width)

    # -- filling the sets ----------------------------------------------------------------------------

    def _remember(self, tag: int, x: int) -> None:
        rules, grid = self.rules, self.rules.grid
        if rules.pairs:
            level = grid.level_of[tag]
            for bucket, into in rules.buckets.joins[grid.group_of[tag]]:
                if held := self.singles.get(bucket):
                    self.pairs[into] = self._joined(self.pairs.get(into, _NOTHING), held, level, x)
        self._remember_single(tag, x)

    def _joined(self, pairs: Pairs, held: Singles, level: int, x: int) -> Pairs:
        """The pairs with those of x and every single carrier of a bucket."""
        out = pairs.copy()
        for level_class, sets in held.items():
            for key, d_x, m, bias, at in self.rules.joining(level, level_class):
                if m == 1:
                    old = out.get(key)
                    new = sets[at] << (d_x * x + bias)
                    out[key] = (old[0] | new,) if old else (new,)
                    continue
                now = list(out.get(key, (0,) * m))
                t, carried = divmod(d_x * x, m)
                for remainder in range(m):
                    if bits := sets[at + remainder]:
                        over, into = divmod(remainder + carried, m)
                        now[into] |= bits << (t + bias + over)
                out[key] = tuple(now)
        return out

    def _remember_pairs_of(self, members: Sequence[tuple[int, int]]) -> None:
        """The sums of all pairs of some carriers, by their exact levels."""
        rules, grid = self.rules, self.rules.grid
        sums: dict[int, dict[tuple[int, int], list[int]]] = {}
        for n, (tag, x) in enumerate(members if rules.pairs else ()):
            for other, y in members[:n]:
                for into in rules.pair_buckets(grid.group_of[tag], grid.group_of[other]):
                    held = sums.setdefault(into, {})
                    for i, family in enumerate(rules.pairs):
                        for d_x, d_y, levels in roles(family.rest, grid.level_of[tag], grid.level_of[other]):
                            if (look := rules.look(i, levels)) >= 0:
                                t, remainder = divmod(d_x * x + d_y * y, family.modulus)
                                sets = held.setdefault((i, look), [0] * family.modulus)
                                sets[remainder] |= 1 << (t + family.bias)
        for into, held in sums.items():
            self.pairs[into] = {key: tuple(sets) for key, sets in held.items()}

    def _remember_single(self, tag: int, x: int) -> None:
        rules, grid = self.rules, self.rules.grid
        if not rules.terms:
            return
        level_class = rules.class_of[grid.level_of[tag]]
        entry = rules.entry(x)
        for bucket in rules.buckets.single[grid.group_of[tag]]:
            held = self.singles.get(bucket)
            if held is None:
                self.singles[bucket] = {level_class: entry}
                continue
            held = held.copy()
            old = held.get(level_class)
            held[level_class] = tuple(map(or_, old, entry)) if old else entry
            self.singles[bucket] = held


_NOTHING: dict[Any, Any] = {}


def _collect(by_width: dict[int, int], sets: Sets, peeks: tuple[Peek, ...], x: int) -> None:
    """c_f·f = s − c_x·x + n for every n of a window: f = t + q for s = c_f·t + remainder and a run of q."""
    for at, m, c_x, first, last, lift in peeks:
        if bits := sets[at]:
            low, high = first - c_x * x, last - c_x * x
            if m > 1:
                low, high = -(-low // m), high // m
                if low > high:
                    continue
            by = low + lift
            high -= low
            moved = bits << by if by >= 0 else bits >> -by
            by_width[high] = by_width[high] | moved if high in by_width else moved


def build(rules: Rules, members: Sequence[tuple[int, int]]) -> State:
    """A state holding `members`, each a tag and a step."""
    state = State(rules)
    levels = rules.grid.levels
    off = [levels[rules.grid.level_of[tag]].offset_hz != 0 for tag, _ in members]
    state.add_off_raster([m for m, is_off in zip(members, off, strict=True) if is_off])
    for member in (m for m, is_off in zip(members, off, strict=True) if not is_off):
        state.add(*member)
    return state.settle()
