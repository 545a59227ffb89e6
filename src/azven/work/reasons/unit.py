"""Reasons for a unit of the register: how it stands, and everything that was done with it."""

from datetime import datetime

from azven.book.records import Deed, Model, Show, Site, Unit
from azven.book.store import Store
from azven.work import register
from azven.work.ground.hours import Clock
from azven.work.reasons.told import Reasons, Row
from azven.work.watch.hours import in_words, of_unit, together

_SHOWN, _HEARD = 30, 12


def for_unit(store: Store, clock: Clock, unit: Unit, now: datetime) -> Reasons:
    """What the panel says of a unit: its trail, the newest deed first."""
    state, sites = register.state_at(unit, now), {s.id: s.name for s in store.all(Site)}
    shows = {s.id: s.name for s in store.all(Show)}
    heard = [(h.at, (clock.said(h.at), in_words(h))) for h in together(of_unit(store, unit))[:_HEARD]]
    trail = sorted(store.all(Deed, unit_id=unit.id), key=lambda d: (d.at, d.id), reverse=True)
    told = [*heard, *((d.at, (clock.said(d.at), register.deed_said(d, shows, sites))) for d in trail[:_SHOWN])]
    rows = tuple(row for _, row in sorted(told, key=lambda x: x[0], reverse=True))
    more: tuple[Row, ...] = ((f"and {len(trail) - _SHOWN} before", ""),) if len(trail) > _SHOWN else ()
    origins = (
        ("serial", unit.serial or "none"), ("model", store.get(Model, unit.model_id).name),
        ("home", sites.get(unit.site_home_id or 0, "not said")), ("firmware", unit.firmware or "not known"),
        *((("condition", unit.condition),) if unit.condition != "good" else ()),
    )  # fmt: skip
    return Reasons(
        title=unit.name, figure=state, state="late" if late(unit, now) else "",
        verdict=sentence(store, clock, unit, now), heading="Its trail", arithmetic=(*rows, *more), origins=origins,
    )  # fmt: skip


def late(unit: Unit, now: datetime) -> bool:
    """Whether it is lent past its day."""
    return unit.state == "on loan" and unit.until is not None and unit.until < now


def sentence(store: Store, clock: Clock, unit: Unit, now: datetime) -> str:
    """How it stands, where and since when."""
    state, where = register.state_at(unit, now), register.where_said(store, unit)
    parts = [{"on loan": f"Lent to {unit.holder or 'somebody'}", "assigned": "Held for a show",
              "in case": "In its case"}.get(state, state.capitalize())]  # fmt: skip
    if where:
        parts.append(f"{'last known ' if state == 'missing' else ''}at {where}")
    if unit.since is not None and state == unit.state:
        parts.append(f"since {clock.said(unit.since)}")
    if unit.until is not None and state == unit.state:
        parts.append(f"{'was due' if late(unit, now) else 'until'} {clock.said(unit.until)}")
    return ", ".join(parts) + ("." if unit.since is not None else "; nothing was done with it yet.")
