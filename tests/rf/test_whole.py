"""Every radio in one plan: narrow links, wideband carriers and links of shared bands, checked from the definitions."""

import itertools
import json
import math
import random
import time

import pytest
from click.testing import CliRunner

from azven.book.formats import plan as plan_format
from azven.book.formats import plan_request
from azven.book.formats.errors import FormatError
from azven.cli import main
from azven.rf import whole

COEFFICIENTS = {"2a-b": [(2, -1)], "a+b-c": [(1, 1, -1)], "3a-2b": [(3, -2)]}
RASTER = [(str(21 + k), 470_000_000 + 8_000_000 * k, 478_000_000 + 8_000_000 * k) for k in range(28)]


def document(narrow=60, wides=2, shareds=6, seed=1):
    rng = random.Random(seed)
    guards = {"2a-b": 50_000, "a+b-c": 25_000}
    channels = [{"name": n, "low_hz": a, "high_hz": b, "interference_dbm": -100 + rng.choice([0, 0.3, 4, 20])}
                for n, a, b in RASTER]  # fmt: skip
    channels[3]["interference_dbm"] = None
    return {
        "format": "azven-plan-request", "version": 2, "seed": 1, "effort": 1, "time_limit_s": 8.0,
        "profiles": {
            "voice": {"spacing_hz": 300_000, "guard_hz": guards}, "wide": {"spacing_hz": 0},
            "guitar": {"spacing_hz": 4_000_000, "width_hz": 2_000_000, "shared": True},
        },
        "zones": {"hall": {}, "quay": {}, "house": {}, "inland": {}},
        "acts": {"one": {"name": "Blessing of Boats"}, "two": {}},
        "relations": [
            {"zones": ["hall", "quay"], "relation": "near"}, {"zones": ["hall", "inland"], "relation": "far"},
        ],
        "blocked": [{"low_hz": 550_000_000, "high_hz": 566_000_000, "reason": "tv"}],
        "carriers": [{"id": "n", "freq_hz": 474_000_000, "profile": "voice", "zone": "hall"}],
        "requests": [
            *({"id": f"v{i}", "profile": "voice", "zone": ["hall", "quay", "house", "inland"][i % 4], "step_hz": 25_000,
               "ranges": [{"low_hz": 470_000_000, "high_hz": 606_000_000}],
               "times": ["one"] if i % 5 == 0 else []} for i in range(narrow)),
            *({"id": f"w{i}", "profile": "wide", "zone": "hall", "priority": i,
               "wide": {"width_hz": 8_000_000, "channels": channels}} for i in range(wides)),
            *({"id": f"g{i}", "profile": "guitar", "zone": "hall", "step_hz": 1_000_000,
               "ranges": [{"low_hz": 2_404_000_000, "high_hz": 2_480_000_000}]} for i in range(shareds)),
        ],
        "others": [
            {"id": "ap", "centre_hz": 2_412_000_000, "width_hz": 16_600_000, "level_dbm": -45, "duty": 0.4},
            {"id": "ap 2", "centre_hz": 2_462_000_000, "width_hz": 16_600_000, "level_dbm": -60, "zones": ["house"]},
        ],
    }  # fmt: skip


def faults_by_definition(asked, frequencies):
    """Everything that is wrong, written out: zones, times, spacings, widths, products, guards of carriers."""
    relations = {frozenset(r["zones"]): r["relation"] for r in asked["relations"]}

    def relation(a, b):
        return "together" if a["zone"] == b["zone"] else relations.get(frozenset((a["zone"], b["zone"])), "apart")

    def in_time(a, b):
        return not a.get("times") or not b.get("times") or set(a["times"]) & set(b["times"])

    members = {r["id"]: r for r in [*asked["requests"], *asked["carriers"]]}
    at = {**frequencies, **{c["id"]: c["freq_hz"] for c in asked["carriers"]}}
    narrow = [m for k, m in members.items() if k in at and "wide" not in m and m["profile"] != "guitar"]
    wides = [m for k, m in members.items() if k in at and "wide" in m]
    out = []
    for a, b in itertools.combinations(narrow, 2):
        distance, how = abs(at[a["id"]] - at[b["id"]]), relation(a, b)
        need = {"apart": 0, "far": 200_000}.get(how, 300_000)
        if in_time(a, b) and distance < need:
            out.append(("spacing", a["id"], b["id"]))
    for zone in asked["zones"]:
        here = [m for m in narrow if m["zone"] == zone]
        for kind, guard in asked["profiles"]["voice"]["guard_hz"].items():
            for coefficients in COEFFICIENTS[kind]:
                for sources in itertools.permutations(here, len(coefficients)):
                    if kind == "a+b-c" and sources[0]["id"] > sources[1]["id"]:
                        continue
                    product = sum(c * at[s["id"]] for c, s in zip(coefficients, sources, strict=True))
                    for victim in here:
                        if victim in sources or abs(product - at[victim["id"]]) >= guard:
                            continue
                        if all(in_time(x, y) for x, y in itertools.combinations([*sources, victim], 2)):
                            out.append((kind, victim["id"]))
    for w in wides:
        centre = at[w["id"]]
        if not any(c["low_hz"] + c["high_hz"] == 2 * centre for c in w["wide"]["channels"]):
            out.append(("channel", w["id"]))
        for m in narrow:
            how = relation(w, m)
            need = {"apart": 0, "far": 4_100_000}.get(how, 4_500_000)
            if in_time(w, m) and abs(at[m["id"]] - centre) < need:
                out.append(("wide", w["id"], m["id"]))
    for a, b in itertools.combinations(wides, 2):
        if relation(a, b) in ("together", "near") and abs(at[a["id"]] - at[b["id"]]) < 8_000_000:
            out.append(("overlap", a["id"], b["id"]))
    return out


def planned(asked):
    wanted = plan_request.read_whole(asked)
    begun = time.monotonic()
    found = whole.plan(wanted, lambda *_: True, lambda: time.monotonic() - begun)
    return wanted, plan_format.write_whole(found, wanted), time.monotonic() - begun


def test_sixty_narrow_two_wide_and_six_shared_in_one_go():
    asked = document()
    wanted, answer, took = planned(asked)
    frequencies = {a["id"]: a["freq_hz"] for a in answer["assignments"]}
    assert took < 10
    assert answer["stats"]["requested"] == 68
    assert answer["stats"]["placed"] == len(frequencies)
    assert {"w0", "w1"} <= frequencies.keys()
    assert {f"g{i}" for i in range(6)} <= frequencies.keys()
    assert faults_by_definition(asked, frequencies) == []
    assert whole.faults(wanted, frequencies) == []


@pytest.mark.parametrize("seed", range(6))
def test_what_is_moved_is_found_by_both_checkers(seed):
    asked = document(narrow=12, seed=seed)
    wanted, answer, _ = planned(asked)
    frequencies = {a["id"]: a["freq_hz"] for a in answer["assignments"]}
    rng = random.Random(seed)
    for _ in range(25):
        name = rng.choice([n for n in frequencies if not n.startswith("g")])
        other = rng.choice(list(frequencies))
        moved = {**frequencies, name: frequencies[other] + rng.choice([-4_500_000, 4_499_975, 200_000, 199_975, 0])}
        ours = [x for x in whole.faults(wanted, moved) if not any(w in x for w in ("allowed", "step", "tuning"))]
        theirs = faults_by_definition(asked, moved)
        assert bool(ours) == bool(theirs), (name, ours, theirs)


def test_the_wideband_carrier_takes_the_quietest_channel_then_the_one_that_costs_fewest_links():
    asked = document(narrow=0, wides=1, shareds=0)
    levels = {"25": -99.6, "30": -100.4, "31": -100.2, "24": None}
    asked["requests"][0]["wide"]["channels"] = [
        {"name": n, "low_hz": a, "high_hz": b, "interference_dbm": levels[n]} for n, a, b in RASTER if n in levels
    ]
    _, answer, _ = planned(asked)
    assert [a["channel"] for a in answer["assignments"]] == ["25"]  # all are -100 in whole dB, the lower
    asked["requests"] += [
        {"id": f"v{i}", "profile": "voice", "zone": "hall", "step_hz": 25_000,
         "ranges": [{"low_hz": 502_000_000, "high_hz": 510_000_000}]} for i in range(3)
    ]  # fmt: skip
    _, answer, _ = planned(asked)
    wide = next(a for a in answer["assignments"] if a["id"] == "w0")
    assert (wide["channel"], wide["freq_hz"]) == ("30", 546_000_000)
    assert answer["stats"]["placed"] == 4
    assert wide["margin_hz"] > 0


def test_exactly_the_guard_is_enough():
    asked = document(narrow=1, wides=1, shareds=0)
    asked["carriers"], asked["blocked"] = [], []
    asked["requests"][1]["wide"]["channels"] = [
        {"name": "30", "low_hz": 542_000_000, "high_hz": 550_000_000, "interference_dbm": -90}
    ]
    asked["requests"][0]["ranges"] = [{"low_hz": 541_500_000, "high_hz": 550_475_000}]
    _, answer, _ = planned(asked)
    assert {a["id"]: a["freq_hz"] for a in answer["assignments"]}["v0"] == 541_500_000


def test_shared_links_keep_from_others_that_they_hear_and_from_one_another():
    _, answer, _ = planned(document(narrow=0, wides=0, shareds=6))
    found = {a["id"]: a for a in answer["assignments"]}
    spots = [found[f"g{i}"]["freq_hz"] for i in range(6)]
    assert all(abs(a - b) >= 2_000_000 for a, b in itertools.combinations(spots, 2))
    assert all(abs(f - 2_412_000_000) >= 9_300_000 for f in spots)
    assert {found[f"g{i}"]["interference_dbm"] for i in range(6)} == {None}
    alone = document(narrow=0, wides=0, shareds=1)
    alone["requests"][0]["ranges"] = [{"low_hz": 2_412_000_000, "high_hz": 2_412_000_000}]
    _, answer, _ = planned(alone)
    (only,) = answer["assignments"]
    assert only["interference_dbm"] == pytest.approx(-45 + 10 * math.log10(0.4) + 10 * math.log10(2 / 16.6))


@pytest.mark.parametrize("widths", [(200_000, 200_000), (200_000, 500_000), (25_000, 12_501)])
def test_far_zones_ask_only_that_emissions_do_not_overlap(widths):
    from azven.rf.coordinate import conflicts, coordinate, lane
    from azven.rf.coordinate.plan import carriers_of
    from azven.rf.request import PlanRequest, Profile, Range, Request

    profiles = {n: Profile(400_000, {"2a-b": 100_000}, w) for n, w in zip("ab", widths, strict=True)}
    wishes = tuple(
        Request(id=n, profile=n, zone=n, ranges=(Range(500_000_000, 502_000_000),), step_hz=25_000) for n in "ab"
    )
    request = PlanRequest(
        profiles=profiles, zones=("a", "b"), requests=wishes, relations={frozenset("ab"): "far"}, effort=1
    )
    need = math.ceil(sum(widths) / 2)
    for distance in range(0, 600_000, 25_000):
        at = {"a": 500_000_000, "b": 500_000_000 + distance}
        assert bool(conflicts(request, at)[0]) == (distance < need)
    free = lane(request, wishes[1], carriers_of(request, {"a": 501_000_000})).free
    assert set(range(500_000_000, 502_000_001, 25_000)) - set(free.tolist()) == {
        f for f in range(500_000_000, 502_000_001, 25_000) if abs(f - 501_000_000) < need
    }
    assert not conflicts(request, {x.id: x.freq_hz for x in coordinate(request).assignments})[0]


BROKEN = {
    "requests[0].wide.channels[0]": {"wide": {"width_hz": 1, "channels": [{"name": "x", "low_hz": 5, "high_hz": 5}]}},
    "requests[0].wide.channels": {"wide": {"width_hz": 8_000_000, "channels": []}},
    "requests[0].wide.width_hz": {"wide": {"width_hz": 0, "channels": [{"name": "x", "low_hz": 1, "high_hz": 5}]}},
    "requests[0].ranges": {"wide": None, "ranges": None},
    "requests[0].zone": {
        "zone": "moon",
        "wide": {"width_hz": 8, "channels": [{"name": "x", "low_hz": 2, "high_hz": 9}]},
    },
    "requests[0].profile": {"profile": "none"},
}


@pytest.mark.parametrize("said", BROKEN)
def test_what_cannot_be_meant_is_refused_with_its_place(said):
    asked = document(narrow=1, wides=1, shareds=1)
    asked["requests"][0] = {k: v for k, v in (asked["requests"][0] | BROKEN[said]).items() if v is not None}
    with pytest.raises(FormatError) as error:
        plan_request.read_whole(asked)
    assert str(error.value).startswith(said)


def test_the_command_line_plans_and_checks_the_whole(tmp_path):
    request, plan = tmp_path / "request.json", tmp_path / "plan.json"
    request.write_text(json.dumps(document(narrow=20)))
    assert CliRunner().invoke(main, ["plan", str(request), "-o", str(plan)]).exit_code == 0
    assert CliRunner().invoke(main, ["check", str(request), str(plan)]).exit_code == 0
    answer = json.loads(plan.read_text())
    wide = next(a for a in answer["assignments"] if a["id"] == "w0")
    wide["freq_hz"] += 1
    plan.write_text(json.dumps(answer))
    done = CliRunner().invoke(main, ["check", str(request), str(plan)])
    assert done.exit_code == 1
    assert "centre of no channel" in done.output
    with pytest.raises(FormatError, match="planned as a whole"):
        plan_request.read(document(narrow=1))
