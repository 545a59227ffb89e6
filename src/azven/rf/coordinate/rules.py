"""What a grid asks of its members, worked out once and shared by all states of a search."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from azven.rf.coordinate.buckets import Buckets, buckets
from azven.rf.coordinate.grid import Grid
from azven.rf.coordinate.relations import RELATIONS, Level, Term, terms_of, window, within
from azven.rf.coordinate.written_out import ByTag

_STEPS_A_UNIT = 1_400
Look = tuple[int, int, int]
"""How a new carrier looks into a set: c_x, and the first and last n at which |c_f·f + c_x·x − s| is too small."""


Peek = tuple[int, int, int, int, int, int]
"""One set to look into: its place, modulus, c_x, the first and last n with the set's remainder added, and how far its
bits are to be lifted to begin below the raster."""
Join = tuple[tuple[int, int], int, int, int, int]
"""One set of sums that grows: family and look, d of the new carrier, modulus, bias, place of the other's variant."""


Seen = tuple[tuple[int, ...], tuple[int, ...]]
"""Buckets of singles and of pairs."""
Target = tuple[int, tuple[tuple[int, Seen], ...], tuple[int, ...]]
"""Whose steps may be closed: the level of f, what is seen of it and x, each part with a number, and the tags of f."""
_REMEMBERED_BITS = 80_000_000


@dataclass(frozen=True)
class Family:
    """Sets of numbers s = Σ d·y of one or two placed carriers, kept apart by the remainder of s modulo `modulus`, and
    the terms that look into them: those whose c_f is the modulus. `bias` makes s // modulus the number of a bit."""

    rest: tuple[int, ...]
    modulus: int
    bias: int
    terms: tuple[Term, ...]


class Rules:
    """Families of sums and the windows in which relations are broken, for the levels of a grid.

    Placed carriers are told apart by the class of their level alone: levels of one class bring the same to every window
    of whoever is searched. Carriers off the raster bring windows that lie to one side.
    """

    def __init__(self, grid: Grid) -> None:
        self.grid = grid
        self.all_steps = (1 << grid.width) - 1
        self.kinds = tuple(kind for kind in RELATIONS if grid.active(kind))
        self.absolute_kinds = [k for k in ("2a", "3a", "a-b") if grid.active(k)]
        self.by_tag = ByTag(grid)
        self.terms = terms_of(self.kinds)
        self.singles = self._families(t for t in self.terms if len(t.rest) == 1)
        self.pairs = self._families(t for t in self.terms if len(t.rest) == 2)
        self.asked = sorted({grid.level_of[t] for t in grid.searched})
        """Levels of f."""
        self.newest = sorted({*self.asked, *(i for i, v in enumerate(grid.levels) if not v.offset_hz)})
        """Levels of carriers that close steps by sets; what others close among themselves is written out."""
        self.variants = sorted({(d, f.modulus) for f in (*self.singles, *self.pairs) for d in f.rest})
        """Every d and modulus by which single carriers are kept."""
        self.variant_at: dict[tuple[int, int], int] = {}
        self.variant_count = 0
        for d, modulus in self.variants:
            self.variant_at[d, modulus] = self.variant_count
            self.variant_count += modulus
        self.pad = grid.widest()
        """Steps kept below the raster while shifting: a product just under it still closes its lowest steps."""
        self.inside = (1 << (grid.width + self.pad)) - 1
        self.price = 5 + grid.width // _STEPS_A_UNIT
        """What it costs to look into a set, in tenths of a unit of work."""
        n = len(grid.tags)
        self.spacing = [[grid.spacing_window(f, x) for x in range(n)] for f in range(n)]
        shapes: dict[Level, int] = {}
        self._shape_of = [shapes.setdefault(replace(v, offset_hz=0), len(shapes)) for v in grid.levels]
        self._looks: dict[tuple[int, int, tuple[int, ...]], int] = {}
        self._asking: dict[tuple[int, int, tuple[int, ...]], list[tuple[tuple[int, int], int, int]]] = {}
        self._by_bounds: dict[tuple[Any, ...], int] = {}
        self._plans: list[dict[tuple[int, int], tuple[Look, ...]]] = []
        self._known: dict[tuple[tuple[tuple[int, int], tuple[Look, ...]], ...], int] = {}
        self._into_singles: dict[tuple[int, int, int], tuple[Peek, ...]] = {}
        self._into_pairs: dict[tuple[int, int, tuple[int, int]], tuple[Peek, ...]] = {}
        self._pair_buckets: dict[tuple[int, int], tuple[int, ...]] = {}
        self._joining: dict[tuple[int, int], tuple[Join, ...]] = {}
        self._entries: dict[int, tuple[int, ...]] = {}
        self.class_of = self._classes()
        self.entering = tuple((d, m, self.variant_at[d, m], self.bias(d, m)) for d, m in self.variants)
        """How a carrier enters the singles: d, modulus, place of the variant, bias."""

    @cached_property
    def buckets(self) -> Buckets:
        """Where groups of the grid keep their sums."""
        return buckets(self.grid.group_mixes)

    @cached_property
    def upkeep(self) -> list[int]:
        """By group: about how many sets a carrier goes into."""
        joined, own = sum(len(f.rest) for f in self.pairs), self.variant_count // 2
        return [len(single) * (joined + own) for single in self.buckets.single]

    @cached_property
    def targets(self) -> list[list[Target]]:
        """By the group of x: whose steps it may close."""
        grid, places = self.grid, dict[Seen, int]()
        out: list[list[Target]] = []
        for gx in range(len(grid.group_mixes)):
            found: dict[tuple[int, int], list[int]] = {}
            for f in grid.searched:
                if grid.group_mixes[grid.group_of[f]][gx]:
                    found.setdefault((grid.group_of[f], grid.level_of[f]), []).append(f)
            targets = []
            for (g, level), tags in found.items():
                singles, pairs = self.buckets.seen[g][gx]
                parts = [((s,), (s,)) for s in singles] if singles == pairs else [(singles, pairs)]
                seen = tuple((places.setdefault(part, len(places)), part) for part in parts)
                targets.append((level, seen, tuple(tags)))
            out.append(targets)
        return out

    def entry(self, x: int) -> tuple[int, ...]:
        """What a carrier at step x brings to the singles: a set for every variant and remainder."""
        found = self._entries.get(x)
        if found is None:
            now = [0] * self.variant_count
            for d, m, at, bias in self.entering:
                t, remainder = divmod(d * x, m)
                now[at + remainder] = 1 << (t + bias)
            found = tuple(now)
            if len(self._entries) * self.variant_count * self.grid.width < _REMEMBERED_BITS:
                self._entries[x] = found
        return found

    def pair_buckets(self, g: int, h: int) -> tuple[int, ...]:
        """The buckets of a pair of carriers by their groups; none where these do not mix."""
        if (g, h) not in self._pair_buckets:
            shared = set(self.buckets.single[h])
            mixed = self.grid.group_mixes[g][h]
            into = {into for bucket, into in self.buckets.joins[g] if bucket in shared} if mixed else set()
            self._pair_buckets[g, h] = tuple(sorted(into))
        return self._pair_buckets[g, h]

    def bias(self, d: int, modulus: int) -> int:
        """What makes d·y // modulus a number of a bit for every step y of the raster."""
        return 0 if d > 0 else -d * self.grid.width // modulus + 1

    def look(self, family: int, levels: tuple[int, ...]) -> int:
        """The number of the plan by which a set of a family of singles or pairs is looked into, for sums of members of
        these levels in the order of `rest`; −1 where nobody ever looks."""
        key = len(levels), family, levels
        found = self._looks.get(key)
        if found is None:
            found = self._looks[key] = self._look((self.singles, self.pairs)[len(levels) - 1][family], family, levels)
        return found

    def _look(self, family: Family, number: int, levels: tuple[int, ...]) -> int:
        """Levels that differ only in how far they are off the raster have few windows: those of one are those of
        another where the bounds are in the same step."""
        key = len(levels), number, tuple(self._shape_of[v] for v in levels)
        if key not in self._asking:
            self._asking[key] = self._who_asks(family, levels)
        unit, rows = self.grid.unit, self._asking[key]
        off = -sum(d * self.grid.levels[v].offset_hz for d, v in zip(family.rest, levels, strict=True))
        distances = {row[2]: 0 for row in rows}
        bounds = tuple(window(distance, off, unit) for distance in distances)
        known = self._by_bounds.get((*key, bounds))
        if known is None:
            known = self._by_bounds[(*key, bounds)] = self._new_look(rows, off)
        return known

    def _who_asks(self, family: Family, levels: tuple[int, ...]) -> list[tuple[tuple[int, int], int, int]]:
        """For every pair of levels of f and x and every term with a guard: both levels, c_x, and the distance [Hz]
        within which the relation is broken."""
        rows = []
        for f in self.asked:
            for x in self.newest:
                members = [self.grid.levels[i] for i in (f, x, *levels)]
                for term in family.terms:
                    if (distance := within(term.kind, term.coefficients, members)) is not None:
                        rows.append(((f, x), term.c_x, distance))
        return rows

    def _new_look(self, rows: Iterable[tuple[tuple[int, int], int, int]], off: int) -> int:
        unit = self.grid.unit
        plan: dict[tuple[int, int], list[Look]] = {(f, x): [] for f in self.asked for x in self.newest}
        for who, c_x, distance in rows:
            first, last = window(distance, off, unit)
            if first <= last:
                plan[who].append((c_x, first, last))
        if not any(plan.values()):
            return -1
        key = tuple((who, tuple(looks)) for who, looks in plan.items())
        if key not in self._known:
            self._known[key] = len(self._plans)
            self._plans.append({who: tuple(looks) for who, looks in plan.items()})
        return self._known[key]

    def into_singles(self, f: int, x: int, level_class: int) -> tuple[Peek, ...]:
        """How x looks, for f, into the single carriers of a class; all by their levels."""
        key = f, x, level_class
        if key not in self._into_singles:
            found: list[Peek] = []
            for i, family in enumerate(self.singles):
                look = self.look(i, (self.level_of_class[level_class],))
                at = self.variant_at[family.rest[0], family.modulus]
                found += self._peeks(family, self._plans[look][f, x] if look >= 0 else (), at)
            self._into_singles[key] = tuple(found)
        return self._into_singles[key]

    def into_pairs(self, f: int, x: int, held: tuple[int, int]) -> tuple[Peek, ...]:
        """How x looks, for f, into the sums of a family and look."""
        key = f, x, held
        if key not in self._into_pairs:
            i, look = held
            self._into_pairs[key] = tuple(self._peeks(self.pairs[i], self._plans[look][f, x], 0))
        return self._into_pairs[key]

    def _peeks(self, family: Family, looks: Iterable[Look], at: int) -> list[Peek]:
        lift, m = self.pad - family.bias, family.modulus
        return [(at + r, m, c_x, first + r, last + r, lift) for c_x, first, last in looks for r in range(m)]

    def joining(self, level: int, level_class: int) -> tuple[Join, ...]:
        """The sums that a new carrier of a level makes with a single one of a class."""
        key = level, level_class
        if key not in self._joining:
            found: list[Join] = []
            for i, family in enumerate(self.pairs):
                for d_x, d_y, levels in roles(family.rest, level, self.level_of_class[level_class]):
                    if (look := self.look(i, levels)) >= 0:
                        m = family.modulus
                        found.append(((i, look), d_x, m, self.bias(d_x, m), self.variant_at[d_y, m]))
            self._joining[key] = tuple(found)
        return self._joining[key]

    def reach(self, kind: str, tag: int) -> int:
        """Steps on either side of a product that members of one tag, all on the raster, keep clear; −1 when off."""
        guard = self.grid.profile(tag).guard(kind)
        return (guard - 1) // self.grid.unit if guard > 0 and not self.grid.tags[tag].error_hz else -1

    def apart(self, tag: int) -> int:
        """Steps that two members of one tag keep from one another, −1 where they may even share one."""
        return self.spacing[tag][tag][1]

    def _families(self, terms: Iterable[Term]) -> list[Family]:
        found: dict[tuple[tuple[int, ...], int], list[Term]] = {}
        for term in terms:
            found.setdefault((term.rest, term.c_f), []).append(term)
        return [Family(r, m, sum(self.bias(d, m) for d in r), tuple(t)) for (r, m), t in found.items()]

    def _classes(self) -> list[int]:
        """By level: its class. The looks of all that can be asked are worked out on the way."""
        classes: dict[tuple[int, ...], int] = {}
        out = []
        for level in range(len(self.grid.levels)):
            brings = [self.look(i, (level,)) for i in range(len(self.singles))]
            for i in range(len(self.pairs)):
                for x in self.newest:
                    brings += [self.look(i, (x, level)), self.look(i, (level, x))]
            out.append(classes.setdefault(tuple(brings), len(classes)))
        self.level_of_class = [out.index(c) for c in range(len(classes))]
        return out


def roles(rest: tuple[int, ...], x: int, y: int) -> list[tuple[int, int, tuple[int, int]]]:
    """The ways in which x and y make a sum: d of x, d of y, and their levels in the order of `rest`."""
    first, second = rest
    if first == second:
        return [(first, first, (x, y))]
    return [(first, second, (x, y)), (second, first, (y, x))]
