"""Batteries of the evening: minutes left for minutes needed, and who is changed in which break."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from azven.gear.racks.values import Fields
from azven.rf import breaks
from azven.rf.diagnose.record import Record
from azven.rf.running import WINDOW_MIN, Left, minutes_left
from azven.work.watch.watched import Span, Watched

RESERVE_MIN = 10.0
"""So much is to be left at the end of an act, planning value."""
_EACH_S = 60.0


@dataclass(frozen=True, kw_only=True)
class Charge:
    """The battery of a link: its gauge [%], minutes left and needed until the link's last act is over (None: not
    known), and minutes to the end of the act it plays in now."""

    link: int
    name: str
    gauge: float | None
    left: Left
    full_min: float | None
    needed_min: float | None
    act: str = ""
    act_min: float | None = None
    who: str = ""
    cell: str = ""

    @property
    def short_min(self) -> float | None:
        """How much is missing in the act that is on; None where that is not known or nothing is."""
        if self.left.minutes is None or self.act_min is None or self.left.minutes >= self.act_min:
            return None
        return self.act_min - self.left.minutes

    @property
    def lasts(self) -> bool | None:
        """Whether it lasts the evening; None where that is not known."""
        if self.left.minutes is None or self.needed_min is None:
            return None
        return self.left.minutes >= self.needed_min


def charges(watched: Watched, evening: Record | None, status: Sequence[Fields], t: float) -> list[Charge]:
    """The batteries of all links that tell of one, at a time [s since the watch began]."""
    out = []
    for i, (link, told) in enumerate(zip(watched.head.links, status, strict=True)):
        record = watched.record(i)
        gauge, unit = told.get("bat"), told.get("left_min")
        if gauge is None and unit is None:
            continue
        mine = [a for a in watched.acts_of(i) if a.to_s > t]
        act = next((a for a in mine if a.from_s <= t), None)
        number = record.id if record is not None else 0
        out.append(
            Charge(
                link=i, name=link.name, gauge=gauge, left=minutes_left(_readings(evening, i, t), t / 60, unit),
                full_min=watched.full_min.get(number, link.battery_min),
                needed_min=(mine[-1].to_s - t) / 60 if mine else (0.0 if watched.spans else None),
                act=act.name if act else "", act_min=(act.to_s - t) / 60 if act else None,
                who=watched.worn_by.get(number, ""), cell=watched.cells.get(number, ""),
            )
        )  # fmt: skip
    return out


def _readings(evening: Record | None, i: int, t: float) -> list[tuple[float, float | None]]:
    """Gauge readings (minute, %) of the last minutes, one a minute."""
    if evening is None or not len(evening.at_s):
        return []
    each = max(round(_EACH_S / evening.step_s), 1)
    n = round(WINDOW_MIN * 60 / evening.step_s)
    at, gauge = evening.at_s[-n::each], evening.bat[i, -n::each]
    return [(float(s) / 60, float(g)) for s, g in zip(at, gauge, strict=True) if np.isfinite(g)]


@dataclass(frozen=True)
class Change:
    """Batteries that are changed in the break before an act, which begins at `from_s`."""

    before: Span
    from_s: float
    charges: tuple[Charge, ...]


@dataclass(frozen=True)
class Changes:
    """The plan: changes by break, those for whom no break comes in time, and those of whom nothing can be told."""

    breaks: tuple[Change, ...]
    too_late: tuple[Charge, ...]
    unknown: tuple[Charge, ...]


def plan(watched: Watched, found: Sequence[Charge], t: float, reserve_min: float = RESERVE_MIN) -> Changes:
    """Changes into breaks, as seldom as may be; nobody of a pair with the other."""
    slots = [breaks.Slot(str(a.id), (a.from_s - t) / 60, (a.to_s - t) / 60) for a in watched.spans if a.to_s > t]
    known = {c.link: c for c in found if c.left.minutes is not None and c.full_min is not None}
    unknown = tuple(c for c in found if c.link not in known and c.needed_min != 0.0)
    if not slots or _overlap(slots):
        return Changes((), (), unknown)
    packs = {
        i: breaks.Pack(
            id=str(i), left_min=c.left.minutes or 0.0, full_min=c.full_min or 0.0, reserve_min=reserve_min,
            acts=frozenset(str(a.id) for a in watched.acts_of(i) if a.to_s > t),
        )
        for i, c in known.items()
    }  # fmt: skip
    answers = breaks.plan(slots, list(packs.values()), _pairs(watched, packs))
    by_act: dict[str, list[Charge]] = {}
    for number, before in answers.items():
        for act in before or ():
            by_act.setdefault(act, []).append(known[int(number)])
    spans = [a for a in watched.spans if str(a.id) in by_act]
    changes = tuple(Change(a, _begins(watched, a, t), tuple(by_act[str(a.id)])) for a in spans)
    late = tuple(known[int(number)] for number, before in answers.items() if before is None)
    return Changes(changes, late, unknown)


def _overlap(slots: Sequence[breaks.Slot]) -> bool:
    return any(b.from_min < a.to_min for a, b in pairwise(slots))


def _begins(watched: Watched, act: Span, t: float) -> float:
    """When the break before an act begins [s]."""
    return max([a.to_s for a in watched.spans if a.to_s <= act.from_s], default=t)


def _pairs(watched: Watched, packs: Mapping[int, breaks.Pack]) -> list[tuple[str, str]]:
    place = {x.id: i for i, x in enumerate(watched.links) if x is not None}
    pairs, taken = [], set[int]()
    for a, b in watched.pairs:
        i, j = place.get(a), place.get(b)
        if i in packs and j in packs and not {i, j} & taken:
            pairs.append((str(i), str(j)))
            taken |= {i, j}  # type: ignore[arg-type]
    return pairs
