"""What is heard live against what the register says: units on the air that should not be, or not there, or not on that
frequency."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import TYPE_CHECKING, Literal

from azven.book.records import Deed, Link, Show, Site, Unit, Worn
from azven.book.store import Store
from azven.rf.register import astray as core
from azven.rf.register.astray import Code, Side, Written
from azven.work import plan
from azven.work.kit import persons
from azven.work.register.finding import site_of, state_at
from azven.work.register.times import span
from azven.work.scope import Scope
from azven.work.wording import decibel, mhz, one_line

if TYPE_CHECKING:
    from azven.work.watch.night import Seen


Sort = Code | Literal["over", "unknown"]


@dataclass(frozen=True)
class Astray:
    """An exception: a unit heard through a link, with what is written of it and what is heard, and by whom each. No
    `unit`: nobody has said which one that is, and `heard` is what it calls itself."""

    id: int
    unit: Unit | None
    link: Link
    code: Sort
    written: str
    heard: str
    heard_by: str = ""
    freq_hz: int | None = None
    """Where in the band it sends, as far as that is known."""
    last: Deed | None = None
    """What was done with it last."""

    @property
    def evidence(self) -> str:
        """Who hears it, and who wrote what is written."""
        return ". ".join(filter(None, (self.heard_by, self.written_by)))

    @property
    def written_by(self) -> str:
        if self.unit is None:
            return ""
        if self.last is None:
            return "Nothing was done with it yet"
        return f"Written by {one_line(self.last.made_by) or 'somebody'}, {self.last.deed}, {self.last.at:%Y-%m-%d}"

    @property
    def name(self) -> str:
        """What to call it."""
        return one_line(self.unit.name) if self.unit is not None else self.heard or "unknown"

    @property
    def serial(self) -> str:
        return self.unit.serial if self.unit is not None else ""

    @property
    def words(self) -> str:
        """What is wrong, in one sentence."""
        link = one_line(self.link.name)
        return {
            "state": f"is on the air as {link}; the register has it {self.written}.",
            "campus": f"is heard at {self.heard}; the register has it at {self.written}.",
            "frequency": f"sends on {self.heard}; {link} is planned on {self.written}.",
            "over": f"is on the air as {link} though {self.written} has loaded out.",
            "unknown": f"is on the air as {link}; its unit is not said.",
        }[self.code]


def astray(store: Store, scope: Scope, seen: "Seen | None", now: datetime) -> list[Astray]:
    """Exceptions as the racks of the site hear it now, those of units that are not known last; nothing where no rack is
    heard."""
    if seen is None:
        return []
    placed, worn = plan.assignments(store, scope), worn_units(store, scope)
    show = store.get(Show, scope.show)
    when = span(store, show)
    over = one_line(show.name) if when is not None and when.load_out <= now else ""
    sites = {s.id: s.name for s in store.all(Site)}
    found: list[Astray] = []
    for i, link in enumerate(seen.watched.links):
        told = seen.told(i)
        if link is None or told.get("tx") != "on":
            continue
        unit = store.get(Unit, worn[link.id]) if link.id in worn else None
        planned = placed[link.id].freq_hz if link.id in placed else None
        sends = told.get("txf") if isinstance(told.get("txf"), int) else planned
        if unit is None:
            code: Sort = "over" if over else "unknown"
            heard = one_line(str(told.get("txn") or ""))
            found.append(Astray(0, None, link, code, over, heard, _heard_by(seen, i), sends))
            continue
        sides = _sides(store, scope, unit, planned, told.get("txf"), now)
        last = _last(store, unit) if sides else None
        for side, (written, is_so) in sides.items():
            sort: Sort = "over" if over and side == "state" and written == "in case" else side
            found.append(Astray(0, unit, link, sort, over if sort == "over" else _said(written, side, sites),
                                _said(is_so, side, sites), _heard_by(seen, i), sends, last))  # fmt: skip
    found.sort(key=lambda x: x.unit is None)
    return [replace(x, id=k) for k, x in enumerate(found, start=1)]


def _heard_by(seen: "Seen", i: int) -> str:
    """Which rack hears a link, on which channel, how loud."""
    key, told = seen.watched.keys[i], seen.told(i)
    levels = [float(v) for v in (told.get("a"), told.get("b")) if isinstance(v, int | float)]
    rack = f" by {one_line(key[0])} · {one_line(key[1])}" if key is not None else ""
    level = f" at {decibel(max(levels))}" if levels else ""
    return f"Heard{rack}{level}" if rack or level else ""


def _last(store: Store, unit: Unit) -> Deed | None:
    """What was done with it last."""
    deeds = (d for d in store.all(Deed, unit_id=unit.id) if not d.refused)
    return max(deeds, key=lambda d: (d.at, d.id), default=None)


def _sides(
    store: Store, scope: Scope, unit: Unit, planned: int | None, sends: object, now: datetime
) -> dict[Code, tuple[Side, Side]]:  # fmt: skip
    """By its code, what is written of a unit and what is heard of it."""
    at = site_of(store, unit)
    heard = core.Heard(now, str(unit.id), sends if isinstance(sends, int) else planned or 0, str(scope.site))
    return core.sides(heard, Written(state_at(unit, now), planned, str(at if at is not None else scope.site)))


def worn_units(store: Store, scope: Scope) -> Mapping[int, int]:
    """The unit that somebody wears for each link; the first where several are named."""
    out: dict[int, int] = {}
    worn: list[Worn] = persons.worn(store, scope)
    for item in sorted(worn, key=lambda w: w.id):
        if item.unit_id is not None:
            out.setdefault(item.link_id, item.unit_id)
    return out


def _said(value: Side, code: Code, sites: Mapping[int, str]) -> str:
    if code == "frequency":
        return f"{mhz(int(value))} MHz"
    return sites.get(int(value), "a place that is gone") if code == "campus" else str(value)
