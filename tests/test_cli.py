"""The command line as scripts use it: exit codes, one-line errors, clean plans."""

import json
import signal
import subprocess
import sys
from contextlib import contextmanager

import numpy as np
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


def sweep_file(folder, name="sweep.csv", extra=(), head="# rbw_hz: 30000\n"):
    """20 MHz of noise with a multiplex on 22 and a carrier on 23."""
    rng = np.random.default_rng(4)
    freq = np.arange(470_000_000, 494_000_000, 15_000)
    mean = np.full(len(freq), 10.0 ** (-11.5))
    mean[(freq >= 478_200_000) & (freq < 485_800_000)] = 10.0**-6
    power = mean * rng.gamma(24, 1 / 24, len(freq))
    for at in (488_000_000, *extra):
        power[np.argmin(abs(freq - at))] = 10.0**-6
    rows = "\n".join(f"{f},{10 * np.log10(p):.2f}" for f, p in zip(freq.tolist(), power.tolist(), strict=True))
    path = folder / name
    path.write_text(f"{head}frequency_hz,level_dbm\n{rows}\n", encoding="utf-8")
    return path


def test_a_sweep_file_is_judged_as_listen_does(tmp_path):
    found = json.loads(run("sweep", sweep_file(tmp_path), "--json").stdout)
    assert (found["format"], found["version"], found["floor_seen"]) == ("azven-sweep-judgement", 1, True)
    by_name = {c["name"]: c for c in found["channels"]}
    assert by_name["21"]["class"] == {"in-ear": "quiet", "voice": "quiet"}
    assert by_name["22"]["class"] == {"in-ear": "taken", "voice": "taken"}
    assert by_name["22"]["multiplex"]
    assert list(by_name) == ["21", "22", "23"]
    inside = [e for e in found["emissions"] if e["low_hz"] <= 488_000_000 <= e["high_hz"]]
    assert len(inside) == len(found["emissions"]) == 1
    said = run("sweep", sweep_file(tmp_path)).stdout.splitlines()
    assert said[0] == "The noise floor is seen."
    assert said[2].startswith("channel 22: taken for in-ear, taken for voice; −3")
    assert said[2].endswith("multiplex")
    assert said[-1].startswith("emission 487.9")


def test_impulses_are_told_and_leave_when_another_sweep_shows_them_gone(tmp_path):
    places = (470_300_000 + 333_000 * np.arange(22)).tolist()
    first = sweep_file(tmp_path, "first.csv", places)
    alone = json.loads(run("sweep", first, "--json").stdout)
    assert alone["impulse_share"] > 0.01
    assert len(alone["emissions"]) > 20
    assert "impulse noise" in run("sweep", first).stdout
    both = json.loads(run("sweep", first, sweep_file(tmp_path, "second.csv"), "--json").stdout)
    assert len(both["emissions"]) == 1


@pytest.mark.parametrize(
    ("arguments", "said"),
    [(("--region", "atlantis"), "atlantis is neither"), (("--rbw", "-1"), "resolution bandwidth")],
)
def test_a_sweep_that_cannot_be_judged_is_one_line(tmp_path, arguments, said):
    found = run("sweep", sweep_file(tmp_path, head=""), *arguments)
    assert found.exit_code == 2
    assert said in found.stderr
    assert len(found.stderr.splitlines()) == 1
    missing = run("sweep", tmp_path / "none.csv")
    assert missing.exit_code == 2
    assert "none.csv" in missing.stderr


def test_set_gains_prints_the_design_and_what_changed(tmp_path):
    nodes = [
        {"id": "a", "type": "antenna"},
        {"id": "mast", "type": "amp", "gain_db": 0, "steps_db": [0, 3, 6, 9, 12], "nf_db": 3, "oip3_dbm": 36,
         "p1db_out_dbm": 21},
        {"id": "run", "type": "cable", "cable": "lowloss-10mm", "length_m": 100},
        {"id": "rx", "type": "receiver", "nf_db": 8, "p1db_in_dbm": -5},
    ]  # fmt: skip
    carriers = [{"id": "far", "freq_hz": 600_000_000, "zone": "hall", "role": "wanted", "level_dbm": -70}]
    design = {
        "format": "azven-chain", "version": 1, "name": "x", "freq_hz": 600_000_000, "bandwidth_hz": 200_000,
        "zones": {"hall": {"antennas": ["a"]}}, "nodes": nodes,
        "edges": [["a", "mast"], ["mast", "run"], ["run", "rx"]],
        "carriers": carriers, "kept": "what nobody knows",
    }  # fmt: skip
    path, out = tmp_path / "design.json", tmp_path / "set.json"
    path.write_text(json.dumps(design), encoding="utf-8")
    found = run("chain", path, "--set-gains", "-o", out)
    assert found.exit_code == 0
    written = json.loads(out.read_text(encoding="utf-8"))
    assert next(n for n in written["nodes"] if n["id"] == "mast")["gain_db"] == 12
    assert written["kept"] == "what nobody knows"
    assert "mast: 0 dB to 12 dB" in found.stderr
    again = run("chain", out, "--set-gains")
    assert json.loads(again.stdout) == written
    assert "already stands" in again.stderr
    design["nodes"][1].pop("steps_db")
    path.write_text(json.dumps(design), encoding="utf-8")
    assert "steps to choose from" in run("chain", path, "--set-gains").stderr


@contextmanager
def racks_running(script):
    """`azven racks`, with its ports told; killed where it does not end by itself."""
    words = [sys.executable, "-m", "azven", "racks", "--script", str(script)]
    pipes = dict.fromkeys(("stdin", "stdout", "stderr"), subprocess.PIPE)
    with subprocess.Popen(words, text=True, **pipes) as racks:
        try:
            assert "r-0401" in racks.stdout.readline()
            yield racks
        finally:
            racks.kill()


def test_stand_in_racks_follow_a_script(tmp_path):
    script = tmp_path / "faults.jsonl"
    script.write_text('{"rack": "r-0401", "fault": "old firmware"}\n', "utf-8")
    with racks_running(script) as racks:
        assert racks.stderr.readline().strip() == "r-0401 old firmware"
        racks.terminate()
        assert racks.wait(20) == 0
    script.write_text('{"rack": "r-0401", "fault": "storm"}\n', "utf-8")
    refused = run("racks", "--script", script)
    assert refused.exit_code == 2
    assert "Line 1 of the script is no fault" in refused.stderr


def test_stand_in_racks_follow_what_comes_over_standard_input():
    with racks_running("-") as racks:
        racks.stdin.write('quay\n{"rack": "r-0402", "channel": "1", "fault": "muted"}\n')
        racks.stdin.flush()
        assert "is no fault" in racks.stderr.readline()
        assert racks.stderr.readline().strip() == "r-0402 1 muted"
        racks.terminate()
        assert racks.wait(20) == 0


def test_stand_in_racks_end_at_whatever_moment_they_are_told_to(tmp_path):
    script = tmp_path / "faults.jsonl"
    script.write_text('{"rack": "r-0401", "fault": "old firmware"}\n', "utf-8")
    with racks_running(script) as racks:
        racks.stderr.readline()
        for _ in range(500):
            racks.terminate()
        assert racks.wait(20) in (0, -signal.SIGTERM)
