"""What is heard live against what the register says: units on the air that should not be, or not there, or not on that
frequency."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import TYPE_CHECKING

from azven.book.records import Link, Site, Unit, Worn
from azven.book.store import Store
from azven.rf.register import astray as core
from azven.rf.register.astray import Code, Side, Written
from azven.work import plan
from azven.work.kit import persons
from azven.work.register.finding import site_of, state_at
from azven.work.scope import Scope
from azven.work.wording import mhz, one_line

if TYPE_CHECKING:
    from azven.work.watch.night import Seen


@dataclass(frozen=True)
class Astray:
    """An exception: a unit heard through a link, with what is written of it and what is heard."""

    id: int
    unit: Unit
    link: Link
    code: Code
    written: str
    heard: str

    @property
    def words(self) -> str:
        """What is wrong, in one sentence."""
        return {
            "state": f"is on the air as {one_line(self.link.name)}; the register has it {self.written}.",
            "campus": f"is heard at {self.heard}; the register has it at {self.written}.",
            "frequency": f"sends on {self.heard}; {one_line(self.link.name)} is planned on {self.written}.",
        }[self.code]


def astray(store: Store, scope: Scope, seen: "Seen | None", now: datetime) -> list[Astray]:
    """Exceptions as the racks of the site hear it now; nothing where no rack is heard."""
    if seen is None:
        return []
    placed, worn = plan.assignments(store, scope), _worn(store, scope)
    sites = {s.id: s.name for s in store.all(Site)}
    out: list[Astray] = []
    for i, link in enumerate(seen.watched.links):
        told = seen.told(i)
        if link is None or told.get("tx") != "on" or link.id not in worn:
            continue
        unit = store.get(Unit, worn[link.id])
        planned = placed[link.id].freq_hz if link.id in placed else None
        sends = told.get("txf")
        at = site_of(store, unit)
        heard = core.Heard(now, str(unit.id), sends if isinstance(sends, int) else planned or 0, str(scope.site))
        said = Written(state_at(unit, now), planned, str(at if at is not None else scope.site))
        for code, (written, is_so) in core.sides(heard, said).items():
            out.append(Astray(len(out) + 1, unit, link, code, _said(written, code, sites), _said(is_so, code, sites)))
    return out


def _worn(store: Store, scope: Scope) -> Mapping[int, int]:
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
