"""A record written as an `azven-status-log`: what a rehearsal played can be watched like any log."""

import json
from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np

from azven.book.formats.whole import write_whole
from azven.rf.diagnose.record import Head, LinkHead, Record

Progress = Callable[[int, int], bool]
_FULL_EVERY = 20
_TOLD_EVERY = 200
_LEVELS = ("a", "b", "q", "bat", "noise")


def write(path: Path, record: Record, progress: Progress = lambda done, total: True) -> bool:
    """Write a record whole or not at all; whether it was not stopped."""
    lines = []
    for k, line in enumerate(_lines(record)):
        lines.append(json.dumps(line, ensure_ascii=False, separators=(",", ":")))
        if k % _TOLD_EVERY == 0 and not progress(k, len(record.at_s)):
            return False
    write_whole(path, ("\n".join(lines) + "\n").encode("utf-8"))
    return True


def since(record: Record, begin_s: float, names: Mapping[str, str]) -> Record:
    """The record as one that began at a moment [s], with its acts called by names; of two of one name the second has
    its id too."""
    head, called = record.head, dict[str, str]()
    for act in head.acts:
        name = names.get(act, act)
        called[act] = name if name not in called.values() else f"{name} ({act})"
    start = datetime.fromisoformat(head.start) + timedelta(seconds=begin_s) if head.start else None
    moved = replace(
        head, start=start.isoformat() if start else "",
        acts={called[a]: (begin - begin_s, end - begin_s) for a, (begin, end) in head.acts.items()},
        links=tuple(replace(x, acts=tuple(called.get(a, a) for a in x.acts)) for x in head.links),
    )  # fmt: skip
    return replace(record, head=moved, at_s=record.at_s - begin_s, named_s=record.named_s - begin_s)


def _lines(record: Record) -> Iterator[dict[str, Any]]:
    """The head, then what changed at every moment; all of it every ten seconds."""
    yield {"format": "azven-status-log", "version": 1, **document(record.head)}
    before: list[dict[str, Any]] = [{} for _ in record.head.links]
    for k, t in enumerate(record.at_s.tolist()):
        now = [_fields(record, i, k) for i in range(len(record.head.links))]
        full = k % _FULL_EVERY == 0
        told = {
            link.name: {name: v for name, v in fields.items() if full or old.get(name) != v}
            for link, fields, old in zip(record.head.links, now, before, strict=True)
        }
        yield {"t": round(t, 2), "c": {name: fields for name, fields in told.items() if fields}}
        before = now


def _fields(record: Record, i: int, k: int) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for name in _LEVELS:
        value = float(getattr(record, name)[i, k])
        out[name] = None if np.isnan(value) else value
    if np.isfinite(record.tx[i, k]):
        out["tx"] = "on" if record.tx[i, k] else "off"
    return out


def document(head: Head) -> dict[str, Any]:
    """A head as it stands in a log, without its format."""
    return {
        "start": head.start,
        "links": [_link(x) for x in head.links],
        "systems": [
            {"name": s.name, "zone": s.zone,
             "sides": {side: [{"name": n, "kind": kind, "gain_db": gain} for n, kind, gain in blocks]
                       for side, blocks in s.sides.items()}}
            for s in head.systems
        ],
        "carriers": [{"name": c.name, "freq_hz": c.freq_hz, "hours": c.hours} for c in head.carriers],
        "acts": [{"name": name, "from_s": begin, "to_s": end} for name, (begin, end) in head.acts.items()],
    }  # fmt: skip


def _link(link: LinkHead) -> dict[str, Any]:
    told = {**vars(link), "acts": list(link.acts)}
    return {name: value for name, value in told.items() if value is not None}
