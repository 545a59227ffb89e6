"""Batteries that were swapped, told by the jump of their gauge; where a full one lies in a charger."""

import json
import zlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path

from azven.book.formats import status_log
from azven.gear.racks.values import Fields
from azven.work.prove.channels import Known
from azven.work.watch.batteries import Charge
from azven.work.watch.traces import Key
from azven.work.wording import one_line

JUMP_POINTS, FULL = 10.0, 95.0
_SHORT_LINE = 4096


@dataclass(frozen=True, kw_only=True)
class Swap:
    """A fresh battery at a time of the watch [s]: gauge before and after [%], minutes that the old one ran in it."""

    t: float
    link: str
    before: float
    after: float
    ran_min: float | None = None

    def said(self, at: datetime) -> str:
        ran = f", the old one ran {self.ran_min:.0f} min" if self.ran_min is not None else ""
        return f"{at:%H:%M} {self.link}: {self.before:.0f} → {self.after:.0f} %{ran}"


@dataclass
class Swaps:
    """Sees swaps: two readings in a row that are more than ten points above both before them (domain, section 8)."""

    _last: dict[str, list[float]] = field(default_factory=dict)
    _since: dict[str, float] = field(default_factory=dict)

    def look(self, charges: Sequence[Charge], t: float) -> list[Swap]:
        """Those that are seen at a time [s]."""
        found = []
        for charge in charges:
            if charge.gauge is None:
                continue
            told = self._last.setdefault(charge.name, [])
            told.append(charge.gauge)
            del told[:-4]
            if len(told) == 4 and min(told[2:]) > max(told[:2]) + JUMP_POINTS:
                since = self._since.get(charge.name)
                ran = (t - since) / 60 if since is not None else None
                found.append(Swap(t=t, link=charge.name, before=told[1], after=told[3], ran_min=ran))
                self._since[charge.name] = t
                del told[:2]
        return found


def bays_for(racks: Sequence[Known], now: Callable[[Key], Fields], names: Sequence[str]) -> dict[str, str]:
    """A bay of a charger with a full battery for each of some links: the pack of that name first, then any that is
    full."""
    bays = [
        (rack.card.name, channel.id, now((rack.card.id, channel.id)))
        for rack in racks if rack.card.kind == "charger" for channel in rack.card.channels
    ]  # fmt: skip
    full = [(f"{name}, bay {bay}", told) for name, bay, told in bays if (told.get("bat") or 0) >= FULL]
    found: dict[str, str] = {}
    for link in names:
        mine = next((b for b in full if b[1].get("txn") == link), None)
        if mine is not None:
            found[link] = mine[0]
            full.remove(mine)
    for link in names:
        if link not in found and full:
            found[link] = full.pop(0)[0]
    return found


def history(logs: Sequence[Path], progress: Callable[[int, int], bool]) -> list[str]:
    """Every swap in some logs, as lines, the newest first; damaged lines are passed over."""
    out: list[str] = []
    for k, path in enumerate(logs):
        if not progress(k, len(logs)):
            break
        out += _of_log(path)
    return out


def _of_log(path: Path) -> list[str]:
    found: list[str] = []
    try:
        with status_log.opened(path) as file:
            head = json.loads(file.readline())
            start = datetime.fromisoformat(str(head.get("start")))
            for line in file:
                if len(line) < _SHORT_LINE and b'"kind":"battery"' in line:
                    found.append(_line(json.loads(line), start))
    except (OSError, EOFError, zlib.error, ValueError, TypeError, AttributeError, KeyError):
        return found[::-1]
    return found[::-1]


def _line(told: Mapping[str, object], start: datetime) -> str:
    event = told["event"]
    assert isinstance(event, dict)
    at = start + timedelta(seconds=float(told["t"]))  # type: ignore[arg-type]
    return f"{at:%Y-%m-%d %H:%M} {one_line(str(event['link']))}: {event['before']:.0f} → {event['after']:.0f} %"
