"""A finished log diagnosed from the command line; damaged logs; what the figures on the public logs and on made shows
are."""

import gzip
import json
import runpy
import sys
from pathlib import Path

import pytest
from click.testing import CliRunner

from azven.book.formats import status_log
from azven.cli import main
from azven.refusal import Refusal
from azven.rf.diagnose.weigh import diagnose
from azven.work import diagnosing

BENCH = Path(__file__).parents[2] / "bench"
LOGS = BENCH / "logs"
HEAD = {
    "format": "azven-status-log", "version": 1, "start": "2026-09-12T18:00:00Z", "acts": [],
    "links": [{"name": "Narrator", "freq_hz": 470_800_000, "rack": "r-1", "threshold_dbm": -92, "acts": []}],
}  # fmt: skip
WELL = {"a": -60, "b": -62, "q": 99, "tx": "on", "mute": False, "bat": 80, "af": -25}


def written(folder, lines, name="show.jsonl"):
    path = folder / name
    text = "\n".join(x if isinstance(x, str) else json.dumps(x) for x in lines)
    data = text.encode("utf-8")
    path.write_bytes(gzip.compress(data) if name.endswith("gz") else data)
    return path


def frames(seconds, changes):
    """A frame every half second, full every ten; `changes` by second."""
    out = []
    for k in range(seconds * 2):
        fields = dict(WELL if k == 0 else {"q": 99} if k % 20 else {**WELL, **changes.get("held", {})})
        fields |= changes.get(k / 2, {})
        out.append({"t": k / 2, "c": {"Narrator": fields}})
    return out


def test_a_log_is_diagnosed_from_the_command_line(tmp_path):
    changes = {30.0: {"mute": True}, 60.0: {"mute": False}}
    changes |= {k: {"mute": True} for k in (40.0, 50.0)}
    path = written(tmp_path, [HEAD, *frames(120, changes)], "show.jsonl.gz")
    out = tmp_path / "told.json"
    assert CliRunner().invoke(main, ["diagnose", str(path), "-o", str(out)]).exit_code == 0
    told = json.loads(out.read_text("utf-8"))
    assert (told["format"], told["version"]) == ("azven-diagnosis", 1)
    (found,) = told["incidents"]
    assert (found["cause"], found["links"], found["from_s"], found["to_s"]) == ("muted", ["Narrator"], 30.0, 60.0)
    assert found["evidence"]
    assert found["next"]
    assert 0.9 <= found["sure"] <= 1.0


@pytest.mark.parametrize("lines", [[], ["quay"], [{"format": "else"}], [{**HEAD, "version": 2}]])
def test_a_file_that_is_no_log_is_refused_in_one_sentence(tmp_path, lines):
    done = CliRunner().invoke(main, ["diagnose", str(written(tmp_path, [*lines, ""] if lines else []))])
    assert done.exit_code == 2
    assert "show.jsonl" in done.output
    assert "Traceback" not in done.output
    assert CliRunner().invoke(main, ["diagnose", str(tmp_path / "none.jsonl")]).exit_code == 2


def test_damaged_lines_are_left_out_counted_and_told(tmp_path):
    path = written(tmp_path, [HEAD, *frames(20, {}), "nonsense", "[" * 5_000, *frames(1, {}), ""])
    done = CliRunner().invoke(main, ["diagnose", str(path)])
    assert done.exit_code == 0
    assert "2 damaged lines left out" in done.stderr
    assert json.loads(done.stdout)["incidents"] == []


def test_a_log_whose_writer_was_stopped_is_read_as_far_as_it_goes(tmp_path):
    lines = [HEAD, *frames(30, {}), '{"t": 30.0, "c": {"Narr']
    assert len(status_log.read(written(tmp_path, lines)).at_s) == 61 - 1
    path = written(tmp_path, [HEAD, *frames(600, {})], "cut.jsonl.gz")
    path.write_bytes(path.read_bytes()[:-200])
    assert len(status_log.read(path).at_s) > 100


@pytest.mark.parametrize(
    "strange",
    [{"t": "now", "c": {}}, {"t": -1, "c": {}}, {"t": 1e99, "c": {}}, {"t": 1, "c": [1]},
     {"t": 1, "c": {"Narrator": 7}},
     {"t": 1, "c": {"Narrator": {"a": "loud", "q": None, "tx": 5, "mute": "yes", "enc": [], "new": 1}}},
     {"t": 1, "event": {"kind": "sweep", "low_hz": 1, "step_hz": 0, "levels": [1]}}, {"t": 1, "event": 3}, [1], 7, None,
     {"t": 1, "event": {"kind": "sent", "channel": "Narrator", "values": {"freq_hz": "high"}}}],
)  # fmt: skip
def test_what_is_strange_in_a_log_is_left_out(tmp_path, strange):
    record = status_log.read(written(tmp_path, [HEAD, *frames(20, {}), strange, *frames(1, {})]))
    assert diagnose(record) == []
    assert record.at_s[-1] < 30


def test_a_link_that_the_head_does_not_know_is_taken_in(tmp_path):
    lines = [{**HEAD, "links": []}, *frames(40, {10.0: {"mute": True}, 20.0: {"mute": True}, 30.0: {"mute": False}})]
    (found,) = diagnose(status_log.read(written(tmp_path, lines)))
    assert (found.cause, found.links) == ("muted", ("Narrator",))


def test_several_values_within_a_step_keep_the_worst_and_go_on_with_the_last(tmp_path):
    more = [{"t": 5.1, "c": {"Narrator": {"q": 10, "a": -80}}}, {"t": 5.2, "c": {"Narrator": {"q": 98, "a": -61}}}]
    lines = sorted([*frames(20, {}), *more], key=lambda x: x["t"])
    record = status_log.read(written(tmp_path, [HEAD, *lines]))
    at = int(5.5 / record.step_s)
    assert record.q[0, at] == 10
    assert record.a[0, at] == -61
    assert record.q[0, at + 1] == 99


def test_a_number_that_is_meant_has_a_word():
    words = [diagnosing.sure_in_words(x) for x in (0.95, 0.9, 0.8, 0.5, 0.3)]
    assert words == ["certain", "certain", "likely", "perhaps", "unknown"]


def scored(pairs):
    told = [
        (truth, json.loads(json.dumps(diagnosing.document(diagnose(record)), default=float))) for record, truth in pairs
    ]
    return runpy.run_path(str(LOGS / "score.py"))["score"](told)


def test_the_public_logs_are_read_as_an_expert_would():
    pairs = []
    for log in sorted(LOGS.glob("*.jsonl.gz")):
        truth = json.loads(log.with_name(log.name.replace(".jsonl.gz", ".truth.json")).read_text("utf-8"))
        pairs.append((status_log.read(log), truth))
    found = scored(pairs)
    assert found["all"]["recall_mean_over_causes"] >= 0.97
    assert found["all"]["precision"] >= 0.93
    assert found["all"]["detail"] >= 0.95
    assert found["false_alarms"] <= 2
    calm = scored([p for p in pairs if "blessing" in p[1]["log"]])
    assert calm["false_alarms"] == 0


def test_made_shows_of_other_rooms_and_gear_are_read_too(monkeypatch):
    monkeypatch.syspath_prepend(str(BENCH))
    monkeypatch.delitem(sys.modules, "made_shows", raising=False)
    from made_shows import made

    shows = [made(seed) for seed in range(1, 7)]
    found = scored([(record, json.loads(json.dumps(truth, default=float))) for record, truth in shows])
    assert found["all"]["recall_mean_over_causes"] >= 0.85
    assert found["all"]["precision"] >= 0.85


def test_a_head_of_nonsense_is_not_known_and_a_refusal_names_the_file(tmp_path):
    links = [{"name": 7}, 3, {"name": "A", "freq_hz": "x", "acts": 4}]
    more = {"systems": {"a": 1}, "acts": [{}], "carriers": [{"freq_hz": None}], "start": 4}
    odd = {"format": "azven-status-log", "version": 1, "links": links, **more}
    record = status_log.read(written(tmp_path, [odd, {"t": 1.0, "c": {"A": {"q": 3}}}, ""]))
    assert [x.name for x in record.head.links] == ["A"]
    assert record.head.links[0].freq_hz is None
    with pytest.raises(Refusal, match=r"gone\.jsonl"):
        status_log.read(tmp_path / "gone.jsonl")
