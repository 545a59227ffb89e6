"""Request and plan in both versions: what 1 called by codes, 2 calls by formulas; each is answered in its own."""

import json

import pytest
from click.testing import CliRunner

from azven.book.formats import plan_request
from azven.book.formats.errors import FormatError
from azven.cli import main
from vectors import REQUESTS

FIRST = json.loads(next(p for p in REQUESTS if p.stem == "open-60MHz").read_text("utf-8"))
CODES = {"2T3O", "3T3O", "2T5O", "3T5O", "2T7O", "2T9O", "spacing", "range"}


def in_version_2(document):
    guards = {k: {plan_request.CODES[c]: g for c, g in p["guard_hz"].items()} for k, p in document["profiles"].items()}
    profiles = {k: p | {"guard_hz": guards[k]} for k, p in document["profiles"].items()}
    return document | {"version": 2, "profiles": profiles}


def planned(tmp_path, document):
    path = tmp_path / "request.json"
    path.write_text(json.dumps(document), encoding="utf-8")
    result = CliRunner().invoke(main, ["plan", str(path)])
    assert result.exit_code == 0, result.output
    return json.loads(result.stdout)


def kinds(plan):
    named = {a["limit"]["kind"] for a in plan["assignments"] if a["limit"]}
    return named | {b["kind"] for u in plan["unplaced"] for b in u["blockers"]}


def test_both_versions_are_answered_alike_but_for_the_names(tmp_path):
    document = FIRST | {"effort": 1, "requests": FIRST["requests"] * 1}
    document["requests"] = [dict(r, id=f"{r['id']}{i}") for i in (1, 2) for r in FIRST["requests"]][:40]
    first, second = planned(tmp_path, document), planned(tmp_path, in_version_2(document))
    assert (first["version"], second["version"]) == (1, 2)
    assert [(a["id"], a["freq_hz"], a["margin_hz"]) for a in first["assignments"]] == [
        (a["id"], a["freq_hz"], a["margin_hz"]) for a in second["assignments"]
    ]
    assert first["unplaced"]
    assert kinds(first) <= CODES
    assert kinds(second) <= set(plan_request.CODES.values()) | {"spacing", "range"}
    assert kinds(first) - {"spacing", "range"}
    assert "proof" not in first["stats"]
    assert second["stats"]["proved"] is False
    assert not any("T3O" in u["reason"] for u in first["unplaced"])  # people read formulas


def test_names_are_carried_and_ids_stay(tmp_path):
    document = in_version_2(FIRST) | {"effort": 1, "acts": {"a1": {"name": "Tide Concert"}}}
    document["requests"] = [FIRST["requests"][0] | {"name": "Anna: ears", "times": ["a1"]}]
    document["zones"] = {k: {"name": "Rope Hall"} for k in document["zones"]}
    request = plan_request.read(document)
    assert request.names == {FIRST["requests"][0]["id"]: "Anna: ears"}
    assert request.act_names == {"a1": "Tide Concert"}
    assert set(request.zone_names.values()) == {"Rope Hall"}
    assert plan_request.read(plan_request.write(request)) == request
    answer = planned(tmp_path, document)
    assert [(a["id"], a["name"]) for a in answer["assignments"]] == [(FIRST["requests"][0]["id"], "Anna: ears")]
    assert answer["stats"]["proof"] == "all placed"


def test_a_code_of_version_1_is_unknown_in_version_2_and_the_reverse():
    with pytest.raises(FormatError, match=r"guard_hz\.2T3O: unknown product kind; known: 2a-b"):
        plan_request.read(FIRST | {"version": 2})
    with pytest.raises(FormatError, match=r"guard_hz\.2a-b: unknown product kind; known: 2T3O"):
        plan_request.read(in_version_2(FIRST) | {"version": 1})


def test_far_zones_are_read_and_written():
    zone = FIRST["requests"][0]["zone"]
    relations = [{"zones": ["hall", "foyer"], "relation": "far", "distance_m": 900}]
    document = in_version_2(FIRST) | {"zones": {zone: {}, "foyer": {}, "hall": {}}, "relations": relations}
    request = plan_request.read(document)
    assert request.relations[frozenset(("hall", "foyer"))] == "far"
    assert plan_request.read(plan_request.write(request)) == request


@pytest.mark.parametrize(
    "change",
    [
        {"wide": {"width_hz": 8_000_000, "channels": [{"name": "37", "low_hz": 598_000_000, "high_hz": 606_000_000}]}},
        {"shared": True},
    ],
)
def test_what_only_a_whole_plan_takes_is_refused_as_a_narrow_one_rather_than_left_out(change):
    document = in_version_2(FIRST)
    if "wide" in change:
        document["requests"] = [FIRST["requests"][0] | change]
    else:
        document["profiles"] = {k: p | change for k, p in document["profiles"].items()}
    with pytest.raises(FormatError, match=r"requests\[0\]: is not a narrow link"):
        plan_request.read(document)
    whole = plan_request.read_whole(document)
    taken = len(whole.wides) + len(whole.shareds)
    assert taken == (1 if "wide" in change else len(document["requests"]))
