"""The evening as it really goes: an act that begins now, and those after it that move with it."""

from dataclasses import replace
from datetime import datetime, timedelta

from azven.book.edits import Edit, replace_record
from azven.book.records import Act
from azven.book.store import Store
from azven.work import kit
from azven.work.scope import Scope

LENGTH, BREAK = timedelta(minutes=60), timedelta(minutes=15)
"""Of an act whose times nobody has said, planning values."""


def runs_now(store: Store, scope: Scope, act: Act, now: datetime) -> Edit:
    """An act begins now and keeps its length; those after it keep their distance from it and one another, those before
    it are over. Acts without times get an hour each, with a quarter of an hour between."""
    acts = kit.acts(store, scope)
    place = next(i for i, a in enumerate(acts) if a.id == act.id)
    begins = {act.id: now.replace(second=0, microsecond=0)}
    ends = {act.id: begins[act.id] + _length(act)}
    for before, after in zip(acts[place:], acts[place + 1 :], strict=False):
        begins[after.id] = ends[before.id] + _gap(before, after)
        ends[after.id] = begins[after.id] + _length(after)
    for after, before in zip(acts[place::-1], acts[place - 1 :: -1] if place else [], strict=False):
        ends[before.id] = begins[after.id] - _gap(before, after)
        begins[before.id] = ends[before.id] - _length(before)
    changes = [
        replace_record(a, replace(a, starts_at=begins[a.id], ends_at=ends[a.id]))
        for a in acts if (a.starts_at, a.ends_at) != (begins[a.id], ends[a.id])
    ]  # fmt: skip
    return Edit(f"{act.name} runs now", tuple(c for part in changes for c in part))


def _length(act: Act) -> timedelta:
    if act.starts_at is not None and act.ends_at is not None and act.ends_at > act.starts_at:
        return act.ends_at - act.starts_at
    return LENGTH


def _gap(before: Act, after: Act) -> timedelta:
    if before.ends_at is not None and after.starts_at is not None and after.starts_at >= before.ends_at:
        return after.starts_at - before.ends_at
    return BREAK
