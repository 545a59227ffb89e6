"""Products, hits, clashes and margins against the shared vectors and against each other."""

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.book.formats.plan_request import CODES
from azven.rf.products import Situation, products, third_order
from azven.rf.request import KINDS, Carrier, Profile
from azven.rf.verdict import clashes, harmed_by, hits, involvement, margins
from vectors import load

VECTORS = load("intermod.json")


def by_formula(by_code):
    """The vectors name kinds by the codes of version 1."""
    return {CODES[code]: value for code, value in by_code.items()}


def situation(case):
    profiles = {k: Profile(p["spacing_hz"], by_formula(p["guard_hz"])) for k, p in case["profiles"].items()}
    relations = {frozenset(r["zones"]): r["relation"] for r in case.get("relations", [])}
    carriers = [
        Carrier(
            id=c["id"],
            freq_hz=c["freq_hz"],
            profile=c["profile"],
            zone=c.get("zone", ""),
            radiates=c.get("radiates", True),
            times=frozenset(c.get("times", [])),
        )
        for c in case["carriers"]
    ]
    return Situation(carriers, profiles, relations)


def formula(coefficients, sources):
    """A product with its letters in any order."""
    return tuple(sorted(zip(coefficients, sources, strict=True)))


@pytest.fixture(params=VECTORS["cases"], ids=lambda c: c["name"])
def case(request):
    return request.param


def test_products(case):
    sit = situation(case)
    for kind, expected in by_formula(case.get("products", {})).items():
        found = [
            (int(p), formula(f.coefficients, [sit.ids[s] for s in row]))
            for f in products(sit, kind)
            for p, row in zip(f.product, f.sources, strict=True)
        ]
        wanted = [(e["product_hz"], formula(e["coefficients"], e["sources"])) for e in expected]
        if kind == "a-b":  # a − b is unordered: which letter is first is free
            found, wanted = ([(p, tuple(s for _, s in f)) for p, f in x] for x in (found, wanted))
            found, wanted = ([(p, tuple(sorted(s))) for p, s in x] for x in (found, wanted))
        assert sorted(found) == sorted(wanted)


def test_hits(case):
    found = [
        (h.victim, h.kind, h.product_hz, formula(h.coefficients, h.sources), h.distance_hz)
        for h in hits(situation(case))
    ]
    wanted = [
        (h["victim"], CODES[h["kind"]], h["product_hz"], formula(h["coefficients"], h["sources"]), h["distance_hz"])
        for h in case["expected"]["hits"]
    ]
    assert sorted(found) == sorted(wanted)


def test_clashes(case):
    found = [(tuple(sorted(c.ids)), c.distance_hz, c.spacing_hz) for c in clashes(situation(case))]
    assert sorted(found) == sorted(
        (tuple(sorted(c["ids"])), c["distance_hz"], c["spacing_hz"]) for c in case["expected"]["clashes"]
    )


def test_margins(case):
    found = margins(situation(case))
    for name, wanted in case["expected"]["margins"].items():
        assert found[name].margin_hz == wanted["margin_hz"]
        if wanted["limits"]:
            limit = found[name].limit
            names = [(CODES.get(w["kind"], w["kind"]), w["product_hz"], sorted(w["sources"])) for w in wanted["limits"]]
            assert (limit.kind, limit.product_hz, sorted(limit.sources)) in names
        else:
            assert found[name].limit is None


@pytest.mark.parametrize("row", VECTORS["counts"], ids=lambda r: f"n={r['n']}")
def test_counts(row):
    n = row["n"]
    carriers = [Carrier(id=f"c{i}", freq_hz=500_000_000 + 1_000_000 * i * i, profile="p", zone="") for i in range(n)]
    sit = Situation(carriers, {"p": Profile(0)}, {})
    kinds = [CODES[code] for code in VECTORS["kinds"]]
    assert {k: sum(len(f.product) for f in products(sit, k)) for k in kinds} == {
        CODES[code]: row[code] for code in VECTORS["kinds"]
    }


def brute_margin(freqs, guards, spacing, victim):
    """The definition written out for third-order and fifth-order products, one profile."""
    others = [f for i, f in enumerate(freqs) if i != victim]
    v = freqs[victim]
    slack = [abs(v - f) - spacing for f in others]
    for a, b in itertools.permutations(others, 2):
        slack.append(abs(2 * a - b - v) - guards["2a-b"])
        slack.append(abs(3 * a - 2 * b - v) - guards["3a-2b"])
    for a, b, c in itertools.permutations(others, 3):
        slack.append(abs(a + b - c - v) - guards["a+b-c"])
        slack.append(abs(3 * a - b - c - v) - guards["3a-b-c"])
        slack.append(abs(2 * a + b - 2 * c - v) - guards["3a-b-c"])
    return min(slack)


@given(st.lists(st.integers(0, 4000), min_size=4, max_size=7), st.integers(1, 300_000))
def test_margins_agree_with_the_definition(steps, guard):
    freqs = [470_000_000 + 12_500 * s for s in steps]
    guards = {"2a-b": guard, "a+b-c": guard // 2 + 1, "3a-2b": guard // 3 + 1, "3a-b-c": guard // 4 + 1}
    carriers = [Carrier(id=f"c{i}", freq_hz=f, profile="p", zone="") for i, f in enumerate(freqs)]
    found = margins(Situation(carriers, {"p": Profile(350_000, guards)}, {}))
    for i in range(len(freqs)):
        assert found[f"c{i}"].margin_hz == brute_margin(freqs, guards, 350_000, i)


@given(st.lists(st.integers(0, 60), min_size=4, max_size=9), st.integers(0, 3))
def test_harm_of_one_carrier_is_what_the_whole_list_says(steps, which):
    carriers = [
        Carrier(id=f"c{i}", freq_hz=500_000_000 + 100_000 * s, profile="p", zone="", radiates=i != 2)
        for i, s in enumerate(steps)
    ]
    sit = Situation(carriers, {"p": Profile(150_000, dict.fromkeys(KINDS, 60_000))}, {})
    name = f"c{which}"
    found = [(h.victim, (h.victim, *h.sources)) for h in hits(sit)] + [(i, c.ids) for c in clashes(sit) for i in c.ids]
    assert harmed_by(sit, name) == {victim for victim, members in found if name in members}
    total = sum(len(members) for _, members in found[: len(hits(sit))]) + 2 * len(clashes(sit))
    assert involvement(sit).sum() == total


def test_margins_of_some_are_the_margins_of_all():
    carriers = [
        Carrier(id=f"c{i}", freq_hz=500_000_000 + 25_000 * (i * i * 7 % 311), profile="p", zone="") for i in range(12)
    ]
    sit = Situation(carriers, {"p": Profile(350_000, dict.fromkeys(KINDS[:4], 50_000))}, {})
    assert margins(sit, only=["c7"])["c7"] == margins(sit)["c7"]


def by_hand(freqs, at_hz, reach_hz):
    """Third-order products near a frequency, each combination tried."""
    near = {}
    for (i, a), (j, b) in itertools.permutations(enumerate(freqs), 2):
        near[("2a-b", (i, j))] = 2 * a - b
    for (i, a), (j, b) in itertools.combinations(list(enumerate(freqs)), 2):
        near |= {("a+b-c", (i, j, k)): a + b - c for k, c in enumerate(freqs) if k not in (i, j)}
    return {(*what, hz) for what, hz in near.items() if abs(hz - at_hz) <= reach_hz}


STEPS = st.integers(0, 400).map(lambda k: 470_000_000 + 25_000 * k)


@given(st.lists(STEPS, max_size=12), STEPS)
def test_third_order_products_near_a_frequency_are_those_of_trying_each(freqs, at_hz):
    found = [
        (kind, tuple(sorted(sources[:2])) + sources[2:] if kind == "a+b-c" else sources, hz)
        for kind, sources, hz in third_order(freqs, at_hz, 150_000)
    ]
    assert len(found) == len(set(found))
    assert set(found) == by_hand(freqs, at_hz, 150_000)
