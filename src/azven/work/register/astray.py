"""What is heard live against what the register says: units on the air that should not be, or not there, or not on that
frequency."""

from collections.abc import Mapping
from dataclasses import dataclass
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
    evidence: str = ""

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
    found: list[tuple[Unit | None, Link, Sort, str, str, str]] = []
    for i, link in enumerate(seen.watched.links):
        told = seen.told(i)
        if link is None or told.get("tx") != "on":
            continue
        unit = store.get(Unit, worn[link.id]) if link.id in worn else None
        if unit is None:
            code: Sort = "over" if over else "unknown"
            found.append((None, link, code, over, one_line(str(told.get("txn") or "")), _heard_by(seen, i)))
            continue
        evidence = ". ".join(filter(None, (_heard_by(seen, i), _written_by(store, unit))))
        planned = placed[link.id].freq_hz if link.id in placed else None
        for side, (written, is_so) in _sides(store, scope, unit, planned, told.get("txf"), now).items():
            sort: Sort = "over" if over and side == "state" and written == "in case" else side
            found.append((unit, link, sort, over if sort == "over" else _said(written, side, sites),
                          _said(is_so, side, sites), evidence))  # fmt: skip
    found.sort(key=lambda x: x[0] is None)
    return [Astray(k, *x) for k, x in enumerate(found, start=1)]


def _heard_by(seen: "Seen", i: int) -> str:
    """Which rack hears a link, on which channel, how loud."""
    key, told = seen.watched.keys[i], seen.told(i)
    levels = [float(v) for v in (told.get("a"), told.get("b")) if isinstance(v, int | float)]
    parts = [f"{one_line(key[0])} · {one_line(key[1])}"] if key is not None else []
    parts += [decibel(max(levels))] if levels else []
    return f"Heard by {', '.join(parts)}" if parts else ""


def _written_by(store: Store, unit: Unit) -> str:
    """Who wrote last where it is."""
    deeds = [d for d in store.all(Deed, unit_id=unit.id) if not d.refused]
    if not deeds:
        return "Nothing was done with it yet"
    last = max(deeds, key=lambda d: (d.at, d.id))
    return f"Written by {one_line(last.made_by) or 'somebody'}, {last.deed}, {last.at:%Y-%m-%d}"


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
