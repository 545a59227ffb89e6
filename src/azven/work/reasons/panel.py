"""Reasons: why a link stands as it does, with this case's numbers, and what could be done about it."""

from collections.abc import Callable
from datetime import datetime
from itertools import combinations

import numpy as np

from azven.book.store import Store
from azven.rf.coordinate import Lane, lane, swap_spares
from azven.rf.coordinate.plan import carriers_of
from azven.rf.products import PATTERNS
from azven.rf.verdict import Limit
from azven.work import ids, kit, listen, plan
from azven.work.ground import permission
from azven.work.listen import Picture
from azven.work.plan import Board, Progress, Verdict
from azven.work.reasons import level, shared
from azven.work.reasons.told import LANE_CAUSES, Option, Reasons, Row, always
from azven.work.scope import Scope
from azven.work.wording import ORDERS, at_most, formula, khz, listed, mhz

_CANDIDATES = 24
_UNLIMITED = 1 << 60


def lane_of(now: Board, link_id: str) -> Lane:
    """The lane of a link with everybody else where they stand."""
    request = now.input.request
    return lane(request, now.input.wish(link_id), carriers_of(request, dict(now.frequencies)))


def for_link(store: Store, scope: Scope, now: Board, picture: Picture, link_id: str, moment: datetime) -> Reasons:
    """Reasons for a link of the plan."""
    verdict = now.verdict(link_id)
    if link_id in now.input.shared:
        return shared.for_link(store, scope, now, verdict)
    if verdict.freq_hz is None:
        return _unplaced(now, verdict)
    return Reasons(
        title=now.input.name(link_id),
        figure=f"{mhz(verdict.freq_hz)} MHz",
        state={"sound": "holds", "tight": "holds, barely", "broken": "broken"}[verdict.state],
        verdict=sentence(now, verdict),
        arithmetic=_arithmetic(now, verdict) + level.rows(verdict.level),
        origins=_origins(store, scope, now, picture, verdict, moment),
        options=_options(store, scope, verdict),
        threats=() if verdict.limit is None or verdict.limit.product_hz is None else (verdict.limit.product_hz,),
    )


def sentence(now: Board, verdict: Verdict) -> str:
    """How a link that is coordinated and has a frequency stands."""
    if verdict.fault:
        bar = next((b for b in now.input.bars[verdict.id] if b.low_hz <= (verdict.freq_hz or 0) < b.high_hz), None)
        return f"It may not stand here: {bar.text if bar else verdict.fault}."
    if verdict.limit is None or verdict.margin_hz is None:
        return "Nothing that is on at the same time comes near it."
    who = _who(now, verdict.limit)
    if verdict.level is not None and (verdict.excused or verdict.state == "broken" or now.input.school == "level"):
        return level.sentence(now, verdict, verdict.level, who)
    if verdict.margin_hz < 0:
        return f"Too close by {khz(-verdict.margin_hz)}: {who}.{_only_in_a_change(now, verdict.id, verdict.limit)}"
    return f"Clear of everything by {khz(verdict.margin_hz)}. The tightest is {who}."


def _only_in_a_change(now: Board, link_id: str, limit: Limit) -> str:
    """A sentence where some who take part meet only while one act follows another; empty where not."""
    request = now.input.request
    times = {r.id: r.times for r in request.requests} | {c.id: c.times for c in request.carriers}
    for a, b in combinations((link_id, *limit.sources), 2):
        shared = times[a] & times[b]
        if shared and all(map(ids.is_change, shared)):
            return f" {listed([now.input.name(a), now.input.name(b)])} meet only in a change of act: " + (
                f"{listed(sorted(request.act_names[t] for t in shared))}."
            )
    return ""


def _who(now: Board, limit: Limit) -> str:
    names = [_called(now, s) for s in limit.sources]
    if limit.kind == "spacing":
        return f"its neighbour {names[0]}"
    return f"the product {formula(limit.kind)} of {listed(names)} ({ORDERS[limit.kind]})"


def _called(now: Board, carrier: str) -> str:
    """The name of a carrier, and what it is where it is none of ours."""
    what = now.input.foreign.get(carrier, "")
    return now.input.name(carrier) + (f" ({what})" if what else "")


def _arithmetic(now: Board, verdict: Verdict) -> tuple[Row, ...]:
    limit, freq = verdict.limit, verdict.freq_hz or 0
    if limit is None or verdict.margin_hz is None:
        return ()
    placed = {c.id: c for c in carriers_of(now.input.request, dict(now.frequencies))}
    profiles = now.input.request.profiles
    own = profiles[placed[verdict.id].profile]
    if limit.kind == "spacing":
        other = placed[limit.sources[0]]
        need = max(own.spacing_hz, profiles[other.profile].spacing_hz)
        distance = abs(other.freq_hz - freq)
        return (
            (now.input.name(other.id), mhz(other.freq_hz)),
            ("distance", khz(distance)),
            ("spacing needed", khz(need)),
            ("margin", khz(distance - need)),
        )
    rows = _terms(limit, {k: c.freq_hz for k, c in placed.items()}, now.input.name)
    distance = abs((limit.product_hz or 0) - freq)
    return (
        *rows,
        ("product", mhz(limit.product_hz or 0)),
        ("distance", khz(distance)),
        (f"guard {formula(limit.kind)}", khz(own.guard(limit.kind))),
        ("margin", khz(verdict.margin_hz)),
    )


def _terms(limit: Limit, freq: dict[str, int], name: Callable[[str], str]) -> tuple[Row, ...]:
    """The terms of the formula that gives this product."""
    for pattern in PATTERNS[limit.kind]:
        total = sum(c * freq[s] for c, s in zip(pattern.coefficients, limit.sources, strict=True))
        if limit.product_hz in (total, abs(total)):
            return tuple(
                (f"{'−' if c < 0 else ''}{f'{abs(c)} × ' if abs(c) > 1 else ' ' if c < 0 else ''}{name(s)}",
                 f"{'−' if c < 0 else ''}{mhz(abs(c) * freq[s])}")
                for c, s in zip(pattern.coefficients, limit.sources, strict=True)
            )  # fmt: skip
    return ()


def _origins(
    store: Store, scope: Scope, now: Board, picture: Picture, verdict: Verdict, moment: datetime
) -> tuple[Row, ...]:
    freq = verdict.freq_hz or 0
    use = "in-ear" if verdict.link.service == "in-ear" else "voice"
    rows: list[Row] = []
    for decision in picture.decisions[use]:
        channel = decision.reading.channel
        if channel.low_hz <= freq < channel.high_hz:
            rows.append((f"channel {channel.name} for {use}", decision.reading.occupancy))
            if decision.reading.floor_dbm is not None:
                rows.append(("noise floor", f"{decision.reading.floor_dbm:.0f} dBm".replace("-", "−")))
            if decision.sweep is not None:
                rows.append(("decided by the sweep", f"{decision.sweep.place}, {listen.age(decision.sweep, moment)}"))
    merged = picture.merged(freq - 100_000, freq + 100_000)
    if merged is not None:
        levels = merged.level_dbm[merged.between(freq - 100_000, freq + 100_000)]
        if len(levels):
            rows.append(("strongest within 100 kHz", f"{levels.max():.0f} dBm".replace("-", "−")))
    else:
        rows.append(("sweep", "none yet"))
    rule = permission.rule_at(store, scope, freq)
    if rule is not None:
        rows += [("permitted by", rule.title), ("power cap", rule.cap_text() or "none given")]
    rows.append(("spacing and guards from", now.input.name(now.input.wish(verdict.id).profile)))
    return (*rows, *_kit_rows(store, scope, verdict))


def _kit_rows(store: Store, scope: Scope, verdict: Verdict) -> list[Row]:
    """Who wears the link, which rack units hear it, and what does not fit."""
    number = verdict.link.id
    worn, found = kit.wearers(store, scope).get(number), kit.fits(store, scope)
    rows = [("worn by", worn)] if worn else []
    ends = [f"{u.name} · {n}" if n else u.name for u, n in found.heard_by.get(number, ())]
    if ends:
        rows.append(("sent by" if verdict.link.service == "in-ear" else "heard by", listed(ends)))
    return rows + [("does not fit", n.text) for n in found.links.get(number, ()) if n.wrong]


def _options(store: Store, scope: Scope, verdict: Verdict) -> tuple[Option, ...]:
    if verdict.locked:
        return (
            Option("Unlock it", "Plan all may move it again", lambda: plan.lock(store, scope, verdict.link, False)),
        )
    return (Option("Lock it", "Plan all and Mend leave it here", lambda: plan.lock(store, scope, verdict.link, True)),)


def better_place(
    store: Store, scope: Scope, now: Board, link_id: str, progress: Progress = always
) -> tuple[Option, ...]:
    """Moving to the best free step if that is better than where the link stands, and, for an important link that
    stands well, its swap spare. Tried out; takes some 100 ms at large sizes, so screens ask off their own thread."""
    if link_id in now.input.shared:
        return shared.better_place(store, scope, now, link_id)
    return (*_better(store, scope, now, link_id, progress), *_swap(store, scope, now, link_id))


def _swap(store: Store, scope: Scope, now: Board, link_id: str) -> tuple[Option, ...]:
    verdict = now.verdict(link_id)
    important = verdict.link.priority <= 2 or verdict.link.use_class == "quiet"
    if verdict.freq_hz is None or verdict.state == "broken" or verdict.link.spare or not important:
        return ()
    found = swap_spares(now.input.request, now.narrow, [link_id], channels=now.input.heard).get(link_id)
    if found is None:
        return ()
    effect = "its swap spare, if this one fails; no other link moves"
    to, deed = found.freq_hz, f"Swap {now.input.name(link_id)}"
    return (Option(f"Swap to {mhz(to)}", effect, lambda: plan.set_frequencies(store, scope, {link_id: to}, deed)),)


def _better(store: Store, scope: Scope, now: Board, link_id: str, progress: Progress) -> tuple[Option, ...]:
    verdict, better = now.verdict(link_id), best_alternative(now, link_id, progress)
    if better is None:
        return ()
    here = verdict.margin_hz if verdict.margin_hz is not None else _UNLIMITED
    there = better.margin_hz if better.margin_hz is not None else _UNLIMITED
    if verdict.freq_hz is not None and verdict.state != "broken" and there <= here:
        return ()
    to = better.freq_hz
    title = f"Move to {mhz(to)}" if verdict.freq_hz is not None else f"Put it at {mhz(to)}"
    deed = f"{'Move' if verdict.freq_hz is not None else 'Place'} {now.input.name(link_id)}"
    effect = f"{better.sentence()}, no other link moves"
    return (Option(title, effect, lambda: plan.set_frequencies(store, scope, {link_id: to}, deed)),)


def best_alternative(now: Board, link_id: str, progress: Progress = always) -> plan.Trial | None:
    """The free step with the widest margin among some spread over the lane; None when none is free."""
    free = lane_of(now, link_id).free
    free = free[free != now.frequencies.get(link_id, -1)]
    if not len(free):
        return None
    chosen = free[np.unique(np.linspace(0, len(free) - 1, _CANDIDATES).round().astype(int))]
    trials = []
    for i, freq in enumerate(chosen.tolist()):
        if not progress(i, len(chosen)):
            break
        trial = plan.try_at(now, link_id, freq)
        if trial.clean:
            trials.append(trial)
    return max(trials, key=lambda t: t.margin_hz if t.margin_hz is not None else _UNLIMITED, default=None)


def _unplaced(now: Board, verdict: Verdict) -> Reasons:
    name = now.input.name(verdict.id)
    found = lane_of(now, verdict.id)
    shares = refined_shares(now, verdict.id, found)
    text = f"None of its {len(found.freq_hz)} steps is free."
    if len(found.free):
        text = f"{len(found.free)} of its {len(found.freq_hz)} steps are free."
    elif known := at_most(now.ceiling):
        text = f"{text} {known}"
    rows = tuple((cause, f"{share:.0%}" if share >= 0.005 else "under 1%") for cause, share in shares)
    return Reasons(
        title=name,
        figure="no frequency",
        state="not placed" if len(found.free) else "no room",
        verdict=text,
        arithmetic=rows,
    )


def refined_shares(now: Board, link_id: str, found: Lane) -> list[tuple[str, float]]:
    """Shares of the lane by cause, with what closed it named: not permitted, television, sweep, tuning."""
    codes, names = refined_causes(now, link_id, found)
    total = max(len(codes), 1)
    counts = np.bincount(codes, minlength=len(names))
    shares = [(names[i], float(counts[i] / total)) for i in range(1, len(names)) if counts[i]]
    return sorted(shares, key=lambda s: -s[1])


def refined_causes(
    now: Board, link_id: str, found: Lane
) -> tuple["np.ndarray[tuple[int], np.dtype[np.int8]]", tuple[str, ...]]:
    """The lane's causes as indices into `LANE_CAUSES`."""
    codes = np.zeros(len(found.freq_hz), np.int8)
    codes[found.cause == 2] = LANE_CAUSES.index("spacing")
    codes[found.cause > 2] = LANE_CAUSES.index("intermodulation")
    request = now.input.request
    own = request.profiles[now.input.wish(link_id).profile]
    for carrier in request.carriers:
        reach = max(own.spacing_hz, request.profiles[carrier.profile].spacing_hz)
        near = np.abs(found.freq_hz - carrier.freq_hz) < reach
        codes[near & (codes == LANE_CAUSES.index("spacing"))] = LANE_CAUSES.index("neighbour")
    for bar in reversed(now.input.bars[link_id]):
        codes[(found.freq_hz >= bar.low_hz) & (found.freq_hz < bar.high_hz)] = LANE_CAUSES.index(bar.cause)
    return codes, LANE_CAUSES
