"""When everything fits: the widest margin all round, the quiet channels to what matters, spares in other channels."""

from dataclasses import replace
from itertools import pairwise

import pytest

from azven.rf.coordinate import Heard, conflicts, coordinate, settle, swap_spares
from azven.rf.request import PlanRequest, Profile, Range, Request

LOW, HIGH = 470_000_000, 518_000_000
CHANNELS = tuple(
    Heard(f, f + 8_000_000, dbm)
    for f, dbm in zip(range(LOW, HIGH, 8_000_000), (-90, -112, None, -110.5, -98, -70), strict=True)
)


def asked(count: int, guards: dict[str, int] | None = None, spares: int = 0) -> PlanRequest:
    links = tuple(
        Request(
            id=f"l{i:02}", profile="voice", zone="hall", ranges=(Range(LOW, HIGH),), step_hz=25_000, origin_hz=0,
            priority=1 + i % 3 + (90 if i >= count - spares else 0),
        )
        for i in range(count)
    )  # fmt: skip
    guards = {"2a-b": 50_000, "a+b-c": 25_000} if guards is None else guards
    return PlanRequest(profiles={"voice": Profile(300_000, guards)}, zones=("hall",), requests=links)


def widened(request: PlanRequest, factor: float) -> PlanRequest:
    """The same with spacing and guards that much wider."""
    voice = request.profiles["voice"]
    wide = Profile(round(voice.spacing_hz * factor), {k: round(g * factor) for k, g in voice.guard_hz.items()})
    return replace(request, profiles={"voice": wide})


@pytest.mark.parametrize(("count", "factor"), [(3, 20), (5, 9), (8, 3.5)])
def test_what_is_left_becomes_margin(count, factor):
    request = asked(count)
    frequencies = {a.id: a.freq_hz for a in coordinate(request).assignments}
    assert len(frequencies) == count
    assert not conflicts(widened(request, factor), frequencies)[0]
    assert max(frequencies.values()) - min(frequencies.values()) > 0.6 * (HIGH - LOW)


def test_spacing_alone_is_spread_as_wide_as_it_goes():
    """Four links over 48 MHz can stand 16 MHz apart: 53 times their spacing."""
    frequencies = sorted(a.freq_hz for a in coordinate(asked(4, {})).assignments)
    assert min(b - a for a, b in pairwise(frequencies)) > 15_000_000


def test_the_most_important_get_the_quietest_channels_and_margins_stay():
    request = asked(12)
    found = coordinate(request)
    after = settle(request, found, CHANNELS, frozenset())
    assert sorted(a.freq_hz for a in after.assignments) == sorted(a.freq_hz for a in found.assignments)
    assert min(a.margin_hz for a in after.assignments) == min(a.margin_hz for a in found.assignments)
    priority = {r.id: r.priority for r in request.requests}

    def loud(freq_hz: int) -> float:
        dbm = next(c.dbm for c in CHANNELS if c.low_hz <= freq_hz < c.high_hz)
        return 1e9 if dbm is None else round(dbm / 3)

    ranked = sorted((priority[a.id], loud(a.freq_hz)) for a in after.assignments)
    assert [level for _, level in ranked] == sorted(level for _, level in ranked)
    assert [a.id for a in after.assignments] == [a.id for a in found.assignments]


def test_a_spare_stands_where_few_of_its_links_do():
    request = asked(9, spares=2)
    found = coordinate(request)
    spares = {"l07", "l08"}
    after = {a.id: (a.freq_hz - LOW) // 8_000_000 for a in settle(request, found, CHANNELS, spares).assignments}
    crowds = [sum(c == channel for c in after.values()) for channel in range(6)]
    assert after["l07"] != after["l08"]
    assert {crowds[after[s]] for s in spares} <= set(sorted(c for c in crowds if c)[:2])


def test_links_that_differ_keep_their_frequencies():
    request = asked(6)
    first, *rest = request.requests
    request = replace(request, requests=(replace(first, ranges=(Range(LOW, LOW + 8_000_000),)), *rest))
    found = coordinate(request)
    after = {a.id: a.freq_hz for a in settle(request, found, CHANNELS, frozenset()).assignments}
    assert after["l00"] == next(a.freq_hz for a in found.assignments if a.id == "l00")


def test_a_swap_spare_is_in_another_channel_and_far_away():
    request = asked(6)
    frequencies = {a.id: a.freq_hz for a in coordinate(request).assignments}
    swaps = swap_spares(request, frequencies, sorted(frequencies), channels=CHANNELS)
    assert len(swaps) == 6
    for name, swap in swaps.items():
        assert (swap.freq_hz - LOW) // 8_000_000 != (frequencies[name] - LOW) // 8_000_000
        assert abs(swap.freq_hz - frequencies[name]) >= 6_000_000
