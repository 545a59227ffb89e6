"""What is permitted, cut into pieces, against the rule looked up point by point; and every region that ships."""

from datetime import UTC, datetime, timedelta
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.book import regions
from azven.book.records import Act, Permit
from azven.book.regions import Rule, Territory
from azven.work.ground import permission

LOW, HIGH = 0, 40
START = datetime(2026, 8, 14, 18, 0, tzinfo=UTC)


def stretches():
    return st.tuples(st.integers(LOW, HIGH), st.integers(1, 15)).map(lambda t: (t[0], t[0] + t[1]))


CAPS = st.sampled_from([None, 10.0, 25.0, 50.0])


@st.composite
def rules(draw):
    low, high = draw(stretches())
    kind = draw(st.sampled_from(["permitted", "permitted", "reserved"]))
    cap = None if kind == "reserved" else draw(CAPS)
    return Rule(
        low_hz=low,
        high_hz=high,
        kind=kind,
        title=f"{kind} {low}–{high} {cap}",
        power_mw=cap,
        licence=draw(st.booleans()),
    )


@st.composite
def permits(draw):
    low, high = draw(stretches())
    kind = draw(st.sampled_from(["licence", "licence", "override"]))
    days = draw(st.sampled_from([None, -1, 1]))
    ends = None if days is None else START + timedelta(days=days)
    name, cap = f"{kind} {low}", draw(CAPS)
    return Permit(site_id=1, name=name, kind=kind, low_hz=low, high_hz=high, power_mw=cap, ends_at=ends)


def territory(found):
    return Territory(key="t", title="T", dated="2026-01-01", note="", channels=(), rules=tuple(found))


def holds(permit, at, acts):
    in_time = permit.ends_at is None or not acts or permit.ends_at >= acts[-1].ends_at
    return in_time and permit.low_hz <= at < permit.high_hz


def decided(found, held, acts, at):
    """Kind and cap at one frequency by the words of the definition; None where nothing is permitted."""
    over = [p for p in held if p.kind == "override" and holds(p, at, acts)]
    if over:
        return "permitted", over[0].power_mw
    here = [r for r in found if r.low_hz <= at < r.high_hz]
    if any(r.kind == "reserved" for r in here):
        return "reserved", None
    if not here:
        return None
    strictest = min(here, key=lambda r: 1e9 if r.power_mw is None else r.power_mw)
    if not strictest.licence or not any(p.kind == "licence" for p in held):
        return "permitted", strictest.power_mw
    mine = [p for p in held if p.kind == "licence" and holds(p, at, acts)]
    if not mine:
        return None
    caps = [1e9 if p.power_mw is None else p.power_mw for p in mine]
    cap = min([1e9 if strictest.power_mw is None else strictest.power_mw, min(caps)])
    return "permitted", None if cap == 1e9 else cap


@given(st.lists(rules(), max_size=5), st.lists(permits(), max_size=3), st.booleans())
def test_pieces_say_what_every_point_says(found, held, dated):
    acts = [Act(show_id=1, name="Concert", starts_at=START, ends_at=START + timedelta(hours=2))] if dated else []
    pieces = permission.permitted(territory(found), LOW, HIGH, held, acts)
    assert (pieces[0][0], pieces[-1][1]) == (LOW, HIGH)
    assert all(a[1] == b[0] for a, b in pairwise(pieces))
    for at in range(LOW, HIGH):
        rule = next(rule for low, high, rule in pieces if low <= at < high)
        said = None if rule is None else (rule.kind, rule.power_mw)
        assert said == decided(found, held, acts, at), (at, rule)


@pytest.mark.parametrize("document", regions.shipped(), ids=lambda d: d["key"])
def test_every_region_that_ships_holds_together(document):
    region = regions.territory(document)
    assert region.rules
    for rule in region.rules:
        assert rule.low_hz < rule.high_hz, rule
        assert rule.kind in ("permitted", "reserved")
        assert rule.title.strip()
        assert rule.source.strip(), rule
        assert rule.power_mw is None or 0 < rule.power_mw <= 10_000
        assert rule.body_power_mw is None or rule.body_power_mw >= rule.power_mw
    low, high = min(r.low_hz for r in region.rules), max(r.high_hz for r in region.rules)
    assert any(rule is not None and rule.kind == "permitted" for _, _, rule in permission.permitted(region, low, high))


@given(st.sampled_from(["conducted", "EIRP", "e.r.p."]), st.floats(-20, 40), st.floats(-5, 15), st.floats(1, 5_000))
def test_a_cap_is_broken_by_more_than_a_tenth_of_a_decibel(kind, conducted, gain, cap):
    rule = Rule(low_hz=0, high_hz=1, kind="permitted", title="t", power_mw=cap, power_kind=kind)
    sent = permission.excess_mw(rule, conducted, conducted + gain)
    true = 10 ** ((conducted + {"conducted": 0, "EIRP": gain, "e.r.p.": gain - 2.15}[kind]) / 10)
    if sent is None:
        assert true <= 1.031 * cap
    else:
        assert sent == pytest.approx(true)
        assert true >= 1.029 * cap
    assert (
        permission.excess_mw(Rule(low_hz=0, high_hz=1, kind="permitted", title="t"), conducted, conducted + gain)
        is None
    )
