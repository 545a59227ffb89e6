"""Reasons for links of bands that everybody shares."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from azven.book.edits import Edit
from azven.book.store import Store
from azven.rf import bands, dfs
from azven.rf.coordinate.grid import tunable
from azven.rf.shared import Seat, SharedStanding, best_for, standing
from azven.work import plan
from azven.work.plan import Board, Verdict
from azven.work.plan.search import beside_products
from azven.work.plan.verdicts import struck
from azven.work.reasons.told import LANE_CAUSES, Option, Reasons, Row
from azven.work.scope import Scope
from azven.work.wording import decibel, mhz

_BETTER_DB = 1.0
_WORTH = {"sound": "holds", "tight": "holds, barely", "broken": "broken", "unplaced": "not placed"}


def for_link(store: Store, scope: Scope, now: Board, verdict: Verdict) -> Reasons:
    """Why a link of a shared band stands as it does."""
    name, shared = now.input.name(verdict.id), verdict.shared
    if verdict.slots is not None:
        return _by_slots(name, verdict)
    if shared is None:
        open_to = _seat(now, verdict.id).centres
        said = (
            f"{len(open_to)} channels are open to it; none is taken yet." if open_to
            else "No channel of its tuning band is open to it here."
        )  # fmt: skip
        return Reasons(title=name, figure="no frequency", state="not placed" if open_to else "no room", verdict=said)
    return Reasons(
        title=name, figure=_figure(verdict.freq_hz), state=_WORTH[verdict.state],
        verdict=_sentence(now, verdict, shared),
        arithmetic=_rows(now, shared), origins=_origins(now, verdict, shared),
        options=(*(_lock(store, scope, verdict) if verdict.freq_hz is not None else ()), *_tick(verdict)),
    )  # fmt: skip


def _figure(freq_hz: int | None) -> str:
    if freq_hz is None:
        return "hops"
    number = bands.channel_at(freq_hz)
    return f"{f'channel {number}, ' if number else ''}{mhz(freq_hz)} MHz"


def _seat(now: Board, link_id: str) -> Seat:
    found = now.input.shared.request.seat(link_id)
    assert found is not None
    return found


def _by_slots(name: str, verdict: Verdict) -> Reasons:
    slots = verdict.slots
    assert slots is not None
    beside = f", beside {slots.systems - 1} that it is not synchronised with" if slots.systems > 1 else ""
    fits = f"It chooses its carrier by itself. Its system takes {slots.taken} of {slots.there_are} slots{beside}."
    if not slots.known:
        fits += " Nobody has looked: no sweep reaches all carriers and no other user is listed, so there may be more."
    rows: tuple[Row, ...] = (("slots taken", str(slots.taken)), ("slots there are", str(slots.there_are)),
            ("systems heard", str(slots.systems)))  # fmt: skip
    return Reasons(title=name, figure="its own choice", state=_WORTH[verdict.state], verdict=fits, arithmetic=rows,
                   options=_tick(verdict))  # fmt: skip


def _sentence(now: Board, verdict: Verdict, found: SharedStanding) -> str:
    if verdict.fault:
        return f"It may not stand here: {verdict.fault}."
    if not found.known:
        return (
            "Nobody has looked here: no sweep reaches its channel and no other user is listed. It may not be as free."
        )
    spare = f"{abs(found.spare_db):.0f} dB"
    if found.interference_dbm is None:
        who = "Nobody else is known in its channel"
    elif found.swept:
        who = f"A sweep heard {decibel(found.interference_dbm)} in its channel"
    else:
        who = f"Most in its channel comes from {now.input.name(found.loudest)}"
    return f"{who}; the wanted signal is {spare} {'over' if found.spare_db >= 0 else 'under'} what it needs."


def _rows(now: Board, found: SharedStanding) -> tuple[Row, ...]:
    rows = [
        ("wanted, at the farthest place", decibel(found.wanted_dbm)),
        ("noise in its width", decibel(found.noise_dbm)),
    ]
    if found.loudest and found.loudest_dbm is not None:
        rows.append((f"from {now.input.name(found.loudest)}", decibel(found.loudest_dbm)))
    if found.interference_dbm is not None:
        rows.append(("a sweep heard" if found.swept else "all others together", decibel(found.interference_dbm)))
    over = f"{found.spare_db:+.1f} dB".replace("-", "−")
    return (*rows, ("needed over both", f"{found.needed_db:g} dB"), ("over need", over))


def _origins(now: Board, verdict: Verdict, found: SharedStanding) -> tuple[Row, ...]:
    seat = _seat(now, verdict.id)
    rows = [("others listed", str(len(seat.others))), ("channels open to it", str(len(seat.centres)))]
    if seat.by_radar and verdict.freq_hz is not None:
        region, number = now.input.shared.request.region, int(bands.channel_at(verdict.freq_hz) or 0)
        wait = region.listen_s(number)
        rows.append(("listening before use", f"{wait:.0f} s" if wait else "none"))
        if wait:
            rows.append(("after a radar event", f"closed for {dfs.CLOSED_S / 60:.0f} min"))
    return tuple(rows)


def _lock(store: Store, scope: Scope, verdict: Verdict) -> tuple[Option, ...]:
    title, effect = (
        ("Unlock it", "Plan all may move it again")
        if verdict.locked
        else ("Lock it", "Plan all and Mend leave it here")
    )
    return (Option(title, effect, lambda: plan.lock(store, scope, verdict.link, not verdict.locked)),)


def _tick(verdict: Verdict) -> tuple[Option, ...]:
    """Saying by hand that it is switched on, or no longer."""
    from azven.work.bands import views

    on, link = verdict.link.switched_on, verdict.link
    title, effect = ("It is off", "No longer ticked as on") if on else ("It is on", "Whoever looks next hears it")
    return (Option(title, effect, lambda: views.switch([link], not on)),)


def better_place(store: Store, scope: Scope, now: Board, link_id: str) -> tuple[Option, ...]:
    """The channel that suits a link best beside all others, where that is better than its own."""
    request, verdict = beside_products(now.input, now.frequencies), now.verdict(link_id)
    seat = request.seat(link_id) or _seat(now, link_id)
    if seat.choosing != "is set":
        return ()
    others = {k: f for k, f in now.frequencies.items() if k in now.input.shared and k != link_id}
    to = best_for(request, seat, others)
    if to is None or to == verdict.freq_hz:
        return ()
    found = standing(request, seat, others | {link_id: to})
    if verdict.shared is not None and not verdict.fault and found.spare_db < verdict.shared.spare_db + _BETTER_DB:
        return ()
    deed = f"{'Move' if verdict.freq_hz is not None else 'Place'} {now.input.name(link_id)}"
    effect = f"{found.spare_db:.0f} dB over need".replace("-", "−")
    return (Option(f"Move to {mhz(to)}" if verdict.freq_hz else f"Put it at {mhz(to)}", effect,
                   _putting(store, scope, link_id, to, deed)),)  # fmt: skip


def _putting(store: Store, scope: Scope, link_id: str, to: int, deed: str) -> Callable[[], Edit]:
    return lambda: plan.set_frequencies(store, scope, {link_id: to}, deed)


def shared_causes(now: Board, link_id: str) -> tuple[NDArray[np.int64], NDArray[np.int8]]:
    """Steps of a link [Hz] and what closes each, as indices into the causes of lanes: not permitted, or too little
    over need there because of a sweep or of others."""
    request, seat = now.input.shared.request, _seat(now, link_id)
    others = {k: f for k, f in now.frequencies.items() if k in now.input.shared and k != link_id}
    steps = tunable(now.input.wish(link_id))
    codes = np.zeros(len(steps), np.int8)
    for i, freq in enumerate(steps):
        if seat.choosing != "is set":
            continue
        if freq not in seat.centres:
            codes[i] = LANE_CAUSES.index("permission")
            continue
        if struck(now.input, now.frequencies, link_id, freq) is not None:
            codes[i] = LANE_CAUSES.index("intermodulation")
            continue
        found = standing(request, seat, others | {link_id: freq})
        if found.spare_db < 0:
            codes[i] = LANE_CAUSES.index("sweep" if found.swept else "neighbour")
    return np.array(steps, np.int64), codes
