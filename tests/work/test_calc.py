"""Calculations on the command line: every shared vector, and inputs that nobody should give."""

import json
import random

import pytest
from click.testing import CliRunner

from azven.book.formats.errors import FormatError
from azven.cli import main
from azven.work.calc import KINDS, answer
from vectors import load

FILES = {name: load(f"{name}.json")["cases"] for name in ("chain", "links", "bands", "network", "register", "intermod")}
CASES = [c for name in ("chain", "links", "bands", "network", "register") for c in FILES[name] if c["kind"] in KINDS]
RELATIVE = {"outage": 1e-3, "outage_1": 1e-3, "outage_2": 1e-3, "eirp_total_w": 3e-3, "s_w_m2": 3e-3}
ABSOLUTE = {"angle_deg": 0.05, "distance_m": 0.001, "length_mm": 0.1}


def alike(found, wanted, key=""):
    """Whether a result is what a vector expects, key by key; more keys are allowed."""
    if isinstance(wanted, dict):
        return isinstance(found, dict) and all(k in found and alike(found[k], v, k) for k, v in wanted.items())
    if isinstance(wanted, list):
        same = isinstance(found, list) and len(found) == len(wanted)
        return same and all(alike(f, w, key) for f, w in zip(found, wanted, strict=True))
    if isinstance(wanted, float):
        keep_away = 0.001 if key.endswith("_m") else 0.01
        return found == pytest.approx(wanted, rel=RELATIVE.get(key, 0), abs=ABSOLUTE.get(key, keep_away))
    return found == wanted


def result(case):
    (found,) = answer({"cases": [case]})["results"]
    assert found["id"] == case.get("id", case.get("name"))
    return found


@pytest.mark.parametrize("case", CASES, ids=lambda c: f"{c['kind']}-{c['id']}")
def test_every_vector(case):
    found = result(case)
    if "error" in case["expect"]:
        assert found["error"].endswith(".")
        assert "output" not in found
    else:
        assert alike(found.get("output"), case["expect"]), found


def by_letters(product):
    return tuple(sorted(zip(product["coefficients"], product["sources"], strict=True)))


@pytest.mark.parametrize("case", FILES["intermod"], ids=lambda c: c["name"])
def test_intermodulation(case):
    found, wanted = result(case)["output"], case["expected"]
    key = [sorted((h["victim"], h["kind"], h["product_hz"], by_letters(h)) for h in x["hits"]) for x in (found, wanted)]
    assert key[0] == key[1]
    assert len(found["clashes"]) == len(wanted["clashes"])
    for name, margin in wanted["margins"].items():
        assert found["margins"][name]["margin_hz"] == margin["margin_hz"]
        told = [(x["kind"], x["product_hz"], sorted(x["sources"])) for x in margin["limits"]]
        assert all((x["kind"], x["product_hz"], sorted(x["sources"])) in told for x in found["margins"][name]["limits"])
    for kind, products in case.get("products", {}).items():
        assert [p["product_hz"] for p in found["products"][kind]] == [p["product_hz"] for p in products]


def test_the_command_line_answers_all_and_lists_its_kinds(tmp_path):
    path, out = tmp_path / "cases.json", tmp_path / "results.json"
    strange = {"id": "strange", "kind": "no such kind", "input": {}}
    path.write_text(json.dumps({"cases": [CASES[0], strange, CASES[1]]}), encoding="utf-8")
    done = CliRunner().invoke(main, ["calc", str(path), "-o", str(out)])
    assert done.exit_code == 0, done.output
    told = json.loads(out.read_text("utf-8"))
    assert (told["format"], told["version"]) == ("azven-results", 1)
    assert [r["id"] for r in told["results"]] == [CASES[0]["id"], "strange", CASES[1]["id"]]
    assert "error" in told["results"][1]
    assert "output" in told["results"][2]
    listed = CliRunner().invoke(main, ["calc", "--kinds"]).output.splitlines()
    assert [line.split()[0] for line in listed] == list(KINDS)
    assert all(len(line.split()) > 2 for line in listed)


@pytest.mark.parametrize("document", [[], {"cases": {}}, {"cases": "x"}, 3, {}])
def test_what_holds_no_cases_is_refused(document):
    with pytest.raises(FormatError, match="cases"):
        answer(document)


@pytest.mark.parametrize("arguments", [["calc"], ["calc", "nowhere.json"]])
def test_no_file_is_a_sentence(arguments):
    done = CliRunner().invoke(main, arguments)
    assert done.exit_code == 2
    assert "Traceback" not in done.output


STRANGE = (None, "", "x", -1, 0, 1e308, [], {}, [None], {"a": 1}, True, float("nan"), "9" * 400)


def mutated(value, chance):
    """The input with something in it replaced, taken out or doubled."""
    if isinstance(value, dict) and value and chance.random() < 0.9:
        key = chance.choice(sorted(value))
        if chance.random() < 0.25:
            return {k: v for k, v in value.items() if k != key}
        return {**value, key: mutated(value[key], chance)}
    if isinstance(value, list) and value and chance.random() < 0.8:
        i = chance.randrange(len(value))
        return [*value[:i], mutated(value[i], chance), *value[i + 1 :]]
    return chance.choice(STRANGE)


@pytest.mark.parametrize("seed", range(10))
def test_mutated_inputs_get_an_answer_or_a_sentence(seed):
    chance = random.Random(seed)
    cases = [{**c, "input": mutated(c["input"], chance)} for c in CASES for _ in range(3)]
    cases += [mutated(c, chance) for c in FILES["intermod"]]
    results = answer({"cases": cases})["results"]
    assert len(results) == len(cases)
    for found in results:
        assert ("output" in found) != ("error" in found)
        assert found.get("error", "A sentence.").endswith(".")
        assert len(found.get("error", "")) < 400
    json.dumps(results, allow_nan=False)
