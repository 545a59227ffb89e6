"""Racks watched without a window: what is told, what is kept, how it ends."""

import gzip
import json
import os
import threading
from collections import Counter

import pytest
from click.testing import CliRunner

from azven.book.eventlog import StatusLog
from azven.cli import main
from azven.gear.racks.address import address
from azven.gear.racks.told import Told
from azven.gear.standins.house import RackHouse
from azven.refusal import Refusal
from azven.work.watch import watching
from azven.work.watch.recorder import Recorder
from gear.racks.exchange import played
from gear.racks.standing import rack
from patience import until
from vectors import load


@pytest.fixture
def house():
    made = RackHouse([rack(k + 1) for k in range(2)]).start()
    yield made
    made.stop()


def logged(path):
    data = path.read_bytes()
    return [json.loads(x) for x in (gzip.decompress(data) if path.suffix == ".gz" else data).splitlines()]


@pytest.mark.parametrize("name", ["show.jsonl", "show.jsonl.gz"])
def test_everything_is_in_the_log(house, tmp_path, name):
    over, told = threading.Event(), []
    house.servers[0].rack.channels[0].pack.on = True
    wanted = [address(s.address) for s in house.servers]
    ended = []
    thread = threading.Thread(
        target=lambda: ended.append(watching.watch(wanted, lambda t, e: told.append(e), over, None, tmp_path / name))
    )
    thread.start()
    until(lambda: sum(e["kind"] == "connected" for e in told) == 2)
    house.soon(lambda: house.servers[0].cut(0.2))
    until(lambda: sum(e["kind"] == "connected" for e in told) == 3)
    until(lambda: any("r-0001/1" in x.get("c", ()) for x in logged(tmp_path / name)))
    over.set()
    thread.join()
    assert ended == [2]
    head, *lines = logged(tmp_path / name)
    assert (head["format"], head["version"]) == ("azven-status-log", 1)
    times = [x["t"] for x in lines]
    assert times == sorted(times)
    kinds = Counter(x["event"]["kind"] for x in lines if "event" in x)
    assert kinds["connected"] == 3
    assert kinds["cut"] == 1
    first = next(x["c"] for x in lines if "c" in x and "r-0001/1" in x["c"])
    assert first["r-0001/1"] == {"a": -61.5, "b": -70.0, "q": 98}
    links = next(x["event"]["links"] for x in lines if x.get("event", {}).get("kind") == "links")
    assert {"name": "r-0001/1", "rack": "r-0001", "channel": "1", "service": "voice"}.items() <= links[0].items()


class Sink:
    def __init__(self):
        self.frames, self.events = [], []

    def frame(self, t, links):
        self.frames.append((t, links))

    def event(self, t, event):
        self.events.append(event)


def test_every_link_is_named_with_all_its_fields_every_ten_seconds():
    exchange = played(load("rack-link.json"), {"after": "live", "steps": []})
    sink = Sink()
    recorder = Recorder([sink], 0.0)
    link = exchange.link
    for k in range(400):
        now = 0.1 * (k + 1)
        fields = {"1": {"q": 90 + k % 5}}
        link.status.values["1"].update(fields["1"])
        recorder.frame(link, now, fields, k == 0)
    for key in ("r-0417/1", "r-0417/2"):
        named = [t for t, c in sink.frames if set(c.get(key, {})) == {"a", "b", "use", "q"}]
        assert len(named) >= 4
        assert max(b - a for a, b in zip([0.0, *named], [*named, 40.0], strict=True)) <= 10.0


def test_what_links_are_set_to_is_told_once_it_is_known():
    exchange = played(load("rack-link.json"), {"after": "live", "steps": []})
    sink = Sink()
    recorder = Recorder([sink], 0.0)
    recorder.frame(exchange.link, 1.0, {}, True)
    assert sink.events == []
    exchange.link.settings["1"] = {"freq_hz": 471_150_000, "name": "Lamp Choir 1"}
    for t in (2.0, 12.0):
        recorder.frame(exchange.link, t, {}, True)
    (event,) = sink.events
    assert event["links"][0]["freq_hz"] == 471_150_000
    assert event["links"][0]["title"] == "Lamp Choir 1"


def test_a_rack_whose_first_frame_is_not_full_is_named_too():
    exchange = played(load("rack-link.json"), {"after": "live", "steps": []})
    sink = Sink()
    recorder = Recorder([sink], 0.0)
    for k in range(120):
        recorder.frame(exchange.link, 0.1 * k, {"1": {"q": 90 + k % 5}}, False)
    assert any(set(c.get("r-0417/2", {})) == {"a", "b", "use", "q"} for _, c in sink.frames)


def test_a_rack_cannot_speak_in_our_name():
    exchange = played(load("rack-link.json"), {"after": "live", "steps": []})
    sink = Sink()
    recorder = Recorder([sink], 0.0)
    recorder.told(exchange.link, Told(1.0, "r-0417", "event", {"kind": "lost", "channel": None}))
    recorder.told(exchange.link, Told(1.0, "r-0417", "event", {"kind": "button", "channel": "1"}))
    assert [e["kind"] for e in sink.events] == ["lost (said by the rack)", "button"]
    assert sink.events[1]["channel"] == "r-0417/1"


def test_a_log_is_not_written_over(tmp_path):
    path = tmp_path / "show.jsonl"
    path.write_text("something\n")
    with pytest.raises(Refusal, match="already"):
        StatusLog(path, {})
    with pytest.raises(Refusal, match="No log"):
        StatusLog(tmp_path / "nowhere" / "show.jsonl", {})
    assert path.read_text() == "something\n"


def test_a_full_disk_is_told_once_and_nothing_is_lost(tmp_path, monkeypatch):
    said = []
    log = StatusLog(tmp_path / "show.jsonl", {}, said.append)
    real, full = os.pwrite, [True]

    def write(fd, data, at):
        if full[0]:
            real(fd, data[: len(data) // 2], at)
            raise OSError(28, "No space left on device")
        return real(fd, data, at)

    monkeypatch.setattr(os, "pwrite", write)
    for k in range(50):
        log.frame(k / 10, {"r-1/1": {"q": k}})
    log._flush()
    log._flush()
    assert len(said) == 1
    assert len(logged(tmp_path / "show.jsonl")) == 1
    full[0] = False
    log.frame(9.0, {"r-1/1": {"q": 99}})
    log.close()
    assert [x["c"]["r-1/1"]["q"] for x in logged(tmp_path / "show.jsonl")[1:]] == [*range(50), 99]
    assert said[1].endswith("Nothing is missing.")


def test_the_command_says_what_it_reached(house):
    run = CliRunner().invoke
    reached = run(main, ["watch", house.servers[0].address, "--for", "1.5", "--json"])
    assert reached.exit_code == 0, reached.output
    events = [json.loads(x)["event"] for x in reached.output.splitlines()]
    assert events[0]["kind"] == "connected"
    nobody = run(main, ["watch", "rack://127.0.0.1:9", "--for", "0.5"])
    assert nobody.exit_code == 3
    for wrong in (["watch"], ["watch", "http://x"], ["watch", "rack://h", "--for", "0"]):
        assert run(main, wrong).exit_code == 2


def test_a_token_comes_from_the_environment_and_is_shown_nowhere(tmp_path, monkeypatch):
    made = rack(1)
    made.token = "quay-lantern-7"
    house = RackHouse([made]).start()
    monkeypatch.setenv("AZVEN_RACK_TOKEN", "quay-lantern-7")
    path = tmp_path / "show.jsonl"
    try:
        done = CliRunner().invoke(main, ["watch", house.servers[0].address, "--for", "1.5", "--log", str(path)])
        assert done.exit_code == 0
        assert "quay-lantern-7" not in done.output + path.read_text()
    finally:
        house.stop()


def test_trouble_is_told_as_an_incident_and_when_it_is_over(house):
    over, told, muted = threading.Event(), [], [False]
    house.servers[0].rack.channels[0].show = lambda: {"a": -60.0, "b": -62.0, "q": 98, "tx": "on", "mute": muted[0]}
    thread = threading.Thread(
        target=lambda: watching.watch([address(house.servers[0].address)], lambda t, e: told.append(e), over)
    )
    thread.start()
    until(lambda: any(e["kind"] == "connected" for e in told))
    muted[0] = True
    until(lambda: any(e["kind"] == "incident" and e["cause"] == "muted" for e in told))
    muted[0] = False
    until(lambda: any(e["kind"] == "over" and e["cause"] == "muted" for e in told))
    over.set()
    thread.join()
    case = next(e for e in told if e["kind"] == "incident" and e["cause"] == "muted")
    assert case["links"] == ["r-0001/1"]
    assert case["evidence"]
    assert case["next"]
    assert "r-0001/1: muted, certain (new)." in watching.in_words(case)
