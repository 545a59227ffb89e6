"""Assignments follow the show that they are for: when its times change, units stay assigned for as long as it lasts."""

from contextlib import suppress
from dataclasses import replace
from datetime import datetime, timedelta

from azven.book.edits import BookError, Change, Edit, replace_record
from azven.book.reading import Reading, Supposed
from azven.book.records import Act, Deed, Show, Unit
from azven.work.register.doing import followed
from azven.work.register.times import times

_LONG_OVER = timedelta(days=7)
"""Assignments that ended so long ago stay as they were: the show is another one by now."""


def with_assignments(store: Reading, edit: Edit, now: datetime) -> Edit:
    """An edit that changes when shows are, with what that changes of the units assigned to them; others as they are.
    While the server of the book is away, units that cannot be asked for stay as they are."""
    touched = {c.record.id for c in edit.changes if isinstance(c.record, Show) and c.before and c.after}
    touched |= {c.record.show_id for c in edit.changes if isinstance(c.record, Act)}
    if not touched:
        return edit
    after = Supposed(store, edit)
    more: list[Change] = []
    for number in sorted(touched):
        before = next(iter(store.all(Show, id=number)), None)
        show = next(iter(after.all(Show, id=number)), None)
        if before is None or show is None:
            continue
        (_, was), (_, ends) = times(store, before), times(after, show)
        if ends is not None and was != ends:
            with suppress(BookError):
                more += _assignments(store, show, ends, now)
    return replace(edit, changes=(*edit.changes, *more)) if more else edit


def _assignments(store: Reading, show: Show, ends: datetime, now: datetime) -> list[Change]:
    """Units whose last deed is to be in this show stay in it until it loads out."""
    out: list[Change] = []
    for number in dict.fromkeys(d.unit_id for d in store.all(Deed, show_id=show.id)):
        unit = next(iter(store.all(Unit, id=number)), None)
        deeds = store.all(Deed, unit_id=number)
        valid = [d for d in deeds if not d.refused]
        if unit is None or unit.state != "assigned" or not valid:
            continue
        last = max((d for d in valid if d.deed == "assign"), key=lambda d: (d.at, d.id), default=None)
        if last is None or last.show_id != show.id or last.ends_at in (None, ends):
            continue
        assert last.ends_at is not None
        if last.ends_at < now - _LONG_OVER or ends < last.at:
            continue
        stands, told = followed(unit, [replace(d, ends_at=ends) if d.id == last.id else d for d in deeds])
        known = {d.id: d for d in deeds}
        out += [c for d in told for c in replace_record(known[d.id], d)]
        out += replace_record(unit, stands)
    return out
