"""The command line as scripts use it: exit codes, one-line errors, clean plans."""

import json

import pytest
from click.testing import CliRunner

from azven import __version__
from azven.cli import main
from vectors import REQUESTS


def run(*arguments):
    return CliRunner().invoke(main, [str(a) for a in arguments])


@pytest.mark.parametrize("path", REQUESTS, ids=lambda p: p.stem)
def test_every_public_request_gets_a_clean_plan(path, tmp_path):
    asked = json.loads(path.read_text(encoding="utf-8")) | {"effort": 1}
    request, answer = tmp_path / "request.json", tmp_path / "plan.json"
    request.write_text(json.dumps(asked), encoding="utf-8")
    assert run("plan", request, "-o", answer).exit_code == 0
    checked = run("check", request, answer)
    assert (checked.exit_code, checked.output) == (0, "")
    plan = json.loads(answer.read_text(encoding="utf-8"))
    named = [a["id"] for a in plan["assignments"]] + [u["id"] for u in plan["unplaced"]]
    assert sorted(named) == sorted(r["id"] for r in asked["requests"])


def test_conflicts_are_one_a_line_and_exit_1(tmp_path):
    path = next(p for p in REQUESTS if p.stem == "open-60MHz")
    low = 500_000_000
    plan = {"format": "azven-plan", "version": 1, "assignments": []}
    ids = [r["id"] for r in json.loads(path.read_text(encoding="utf-8"))["requests"]]
    for i, freq in enumerate((low, low + 400_000, low + 800_000, low + 850_000, low - 25_000, low + 12_345_678)):
        plan["assignments"].append({"id": ids[i], "freq_hz": freq})
    answer = tmp_path / "plan.json"
    answer.write_text(json.dumps(plan), encoding="utf-8")
    result = run("check", path, answer)
    assert result.exit_code == 1
    lines = result.output.splitlines()
    assert any("kHz apart" in line for line in lines)
    assert any("2a-b product" in line for line in lines)
    assert any("outside its tuning ranges" in line for line in lines)
    assert any("not on its steps" in line for line in lines)


@pytest.mark.parametrize(
    "content", ["", "{", "[]", '{"format": "other"}', '{"format": "azven-plan-request", "version": 7}']
)
def test_unusable_input_is_one_line_and_exit_2(tmp_path, content):
    path = tmp_path / "bad.json"
    path.write_text(content, encoding="utf-8")
    for result in (run("plan", path), run("check", path, path), run("plan", tmp_path / "missing.json")):
        assert result.exit_code == 2
        assert len(result.stderr.splitlines()) == 1
        assert "Traceback" not in result.stderr


def test_plan_prints_to_standard_output_and_says_where_it_cannot_write(tmp_path):
    path = next(p for p in REQUESTS if p.stem == "open-60MHz")
    asked = json.loads(path.read_text(encoding="utf-8"))
    small = tmp_path / "small.json"
    small.write_text(json.dumps(asked | {"effort": 1, "requests": asked["requests"][:3]}), encoding="utf-8")
    printed = run("plan", small)
    assert json.loads(printed.stdout)["stats"]["placed"] == 3
    refused = run("plan", small, "-o", tmp_path / "no" / "plan.json")
    assert refused.exit_code == 2
    assert "No such file" in refused.stderr


def test_version():
    assert __version__ in run("--version").output


def test_chain_prints_results_and_refuses_nonsense_in_a_line(tmp_path):
    design = tmp_path / "design.json"
    document = {
        "format": "azven-chain", "version": 1, "freq_hz": 600_000_000, "bandwidth_hz": 200_000,
        "zones": {"hall": {"antennas": ["a"]}},
        "nodes": [{"id": "a", "type": "antenna"}, {"id": "rx", "type": "receiver", "nf_db": 8, "p1db_in_dbm": -5}],
        "edges": [["a", "rx"]],
        "carriers": [{"id": "m", "freq_hz": 600_000_000, "zone": "hall", "level_dbm": -60, "role": "wanted"}],
    }  # fmt: skip
    design.write_text(json.dumps(document), encoding="utf-8")
    found = CliRunner().invoke(main, ["chain", str(design)])
    assert found.exit_code == 0
    assert json.loads(found.output)["paths"][0]["snr_db"] == pytest.approx(-60 + 120.965 - 8, abs=0.01)
    design.write_text(json.dumps(document | {"nodes": [{"id": "a", "type": "magic"}]}), encoding="utf-8")
    refused = CliRunner().invoke(main, ["chain", str(design)])
    assert refused.exit_code == 2
    assert "nodes[0].type" in refused.output
    assert len(refused.output.splitlines()) == 1
