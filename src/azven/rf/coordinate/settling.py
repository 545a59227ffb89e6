"""Who gets which of the frequencies that were found: links of one shape change places without touching any margin."""

from collections import Counter
from collections.abc import Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, replace
from math import inf

from azven.rf.coordinate.plan import Plan, assess
from azven.rf.request import PlanRequest, Request

_ALIKE_DB = 3.0
"""Channels whose levels are so near one another are equally quiet."""


@dataclass(frozen=True)
class Heard:
    """A raster channel [low_hz, high_hz) and what is heard in it in a link's width [dBm], None where not known."""

    low_hz: int
    high_hz: int
    dbm: float | None = None


def settle(request: PlanRequest, plan: Plan, channels: Sequence[Heard], spares: AbstractSet[str]) -> Plan:
    """The plan with its frequencies dealt out anew among links that are alike but for their importance: a spare to a
    channel with few of the links that it may stand in for, so that one new transmitter does not take both; the others
    by importance, to the quietest channel and there to the widest margin. No smallest margin changes."""
    placed = {a.id: a.freq_hz for a in plan.assignments}
    margin = {a.id: inf if a.margin_hz is None else a.margin_hz for a in plan.assignments}
    groups: dict[Request, list[Request]] = {}
    for r in request.requests:
        if r.id in placed:
            groups.setdefault(replace(r, id="", priority=0, origin_hz=r.origin_hz % r.step_hz), []).append(r)
    dealt: dict[str, int] = {}
    for alike in groups.values():
        of_a_kind = [r for r in request.requests if (r.profile, r.zone) == (alike[0].profile, alike[0].zone)]
        others = Counter(channel_of(channels, placed[r.id]) for r in of_a_kind if r.id in placed)
        dealt |= _deal(alike, [(placed[r.id], margin[r.id]) for r in alike], channels, others, spares)
    return replace(plan, assignments=assess(request, {a.id: dealt[a.id] for a in plan.assignments}))


def channel_of(channels: Sequence[Heard], freq_hz: int) -> Heard | None:
    """The channel that holds a frequency [Hz]; None outside all of them."""
    return next((c for c in channels if c.low_hz <= freq_hz < c.high_hz), None)


def _deal(
    alike: Sequence[Request], places: Sequence[tuple[int, float]], channels: Sequence[Heard],
    others: Counter[Heard | None], spares: AbstractSet[str],
) -> dict[str, int]:  # fmt: skip
    """Frequencies by link, from `places`: frequency and margin."""

    def loudness(freq_hz: int) -> float:
        channel = channel_of(channels, freq_hz)
        return inf if channel is None or channel.dbm is None else round(channel.dbm / _ALIKE_DB)

    ranked = sorted(alike, key=lambda r: r.priority)
    left, crowd, out = sorted(places), Counter(others), {}
    for r in (r for r in ranked if r.id in spares):
        alone = min(left, key=lambda place: (crowd[channel_of(channels, place[0])], -loudness(place[0]), place))
        crowd[channel_of(channels, alone[0])] += len(alike)
        left.remove(alone)
        out[r.id] = alone[0]
    left.sort(key=lambda place: (loudness(place[0]), -place[1], place[0]))
    return out | {r.id: f for r, (f, _) in zip((r for r in ranked if r.id not in spares), left, strict=True)}
