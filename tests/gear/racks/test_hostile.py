"""A rack that lies, floods and breaks its lines: nothing of it gets past the parser, and nothing piles up."""

import json
import random

import pytest

from azven.gear.racks.calls import Call
from azven.gear.racks.words import BAD_LINES
from gear.racks.exchange import Exchange, played
from vectors import DATA

DOCUMENT = json.loads((DATA / "rack-link.json").read_text())
SEEDS = [
    line for c in DOCUMENT["cases"] for s in c["steps"] if isinstance(line := s.get("in"), str) and len(line) < 2000
]
STRANGE = (None, True, "", "x" * 70, -1, 0, 1.5, 2**60, 1e308, [], {}, [[]], {"a": {}}, "\u202e", "NaN", -0.0)


def live():
    return played(DOCUMENT, {"after": "live", "steps": [], "kind": "exchange"})


def twisted(value, chance):
    """A value with something in it replaced, taken out or doubled."""
    if isinstance(value, dict) and value and chance.random() < 0.9:
        key = chance.choice(sorted(value))
        if chance.random() < 0.2:
            return {k: v for k, v in value.items() if k != key}
        return {**value, key: twisted(value[key], chance)}
    return chance.choice(STRANGE)


def lines(seed):
    chance = random.Random(seed)
    for _ in range(300):
        line = chance.choice(SEEDS)
        try:
            text = json.dumps(twisted(json.loads(line), chance))
        except (ValueError, RecursionError):
            text = line
        data = text.encode("utf-8", "surrogatepass")
        if chance.random() < 0.2:
            cut = chance.randrange(max(len(data), 1))
            data = data[:cut] + bytes([chance.randrange(256)]) + data[cut:]
        yield data.replace(b"\n", b"") + b"\n"


@pytest.mark.parametrize("seed", range(40))
def test_no_line_breaks_the_parser(seed):
    exchange = live()
    for k, line in enumerate(lines(seed)):
        exchange.until(0.2 + 0.7 * k)
        if not exchange.link.up:
            exchange.link.opened(exchange.now_s)
            exchange.answer({"answer": "hello", "result": DOCUMENT["preambles"]["live"][2]["result"]})
        exchange.bytes(line)
        for fields in exchange.link.status.values.values():
            assert all(v is None or isinstance(v, bool | int | float | str) for v in fields.values())
    json.dumps(exchange.log, allow_nan=False)
    assert set(exchange.link.status.values) == {"1", "2"}


@pytest.mark.parametrize("seed", range(10))
def test_bytes_in_any_pieces_are_the_same(seed):
    chance = random.Random(seed)
    data = b"".join(list(lines(seed))[:19])
    whole, pieces = live(), live()
    whole.now_s = pieces.now_s = 0.2
    whole.bytes(data)
    while data:
        n = chance.randint(1, 40)
        pieces.bytes(data[:n])
        data = data[n:]
    assert whole.link.status.values == pieces.link.status.values
    assert whole.counted() == pieces.counted()
    assert whole.log == pieces.log


def test_ten_minutes_of_nonsense_keep_nothing_and_close_the_link_each_time():
    exchange = live()
    closed = 0
    for k in range(6_000):
        exchange.until(0.2 + 0.1 * k)
        if exchange.link.up:
            exchange.bytes(b"?" * 500 + b"\n")
        elif (exchange.link.next_try_s or 0) <= exchange.now_s:
            closed += 1
            exchange.link.opened(exchange.now_s)
            exchange.answer({"answer": "hello", "result": DOCUMENT["preambles"]["live"][2]["result"]})
    assert closed > 40
    assert exchange.counted()["text"] <= (closed + 1) * BAD_LINES
    assert len(exchange.link.status._recent) <= 128
    assert len(exchange.link._calls._late) < 2_000


def test_a_rack_that_never_answers_leaves_no_calls_behind():
    exchange = live()
    ended = []
    for k in range(200):
        exchange.until(0.2 + k * 0.05)
        exchange.link.call(Call("set", {"channel": "1", "values": {"mute": True}}, "a test", ended=ended.append),
                           exchange.now_s)  # fmt: skip
    assert exchange.times()["set"] <= 3
    exchange.link.ended(exchange.now_s)
    assert len(ended) == 200
    assert {c.outcome for c in ended} <= {"unanswered", "cut"}


def test_a_call_ends_even_when_its_answer_closes_the_link():
    exchange = live()
    for _ in range(BAD_LINES - 1):
        exchange.bytes(b"?\n")
    ended = []
    exchange.link.call(Call("set", {"channel": "1", "values": {"mute": True}}, "a test", ended=ended.append), 0.2)
    exchange.bytes(json.dumps({"jsonrpc": "2.0", "id": exchange.sent[-1]["id"], "error": "no"}).encode() + b"\n")
    assert not exchange.link.up
    assert [c.outcome for c in ended] == ["cut"]


def test_one_changing_call_at_a_time_on_a_channel_and_sixteen_in_all():
    exchange = Exchange()
    exchange.link.opened(0.0)
    exchange.answer({"answer": "hello", "result": {
        **DOCUMENT["preambles"]["live"][2]["result"], "channels": [{"id": str(k)} for k in range(40)],
    }})  # fmt: skip
    assert len(exchange.sent) <= 1 + 16
    for _ in range(2):
        exchange.link.call(Call("set", {"channel": "1", "values": {"mute": True}}, "a test"), 0.1)
    while exchange.times()["get"] < 40:
        last = [m for m in exchange.sent if m["method"] != "hello"]
        for m in last:
            exchange.bytes(json.dumps({"jsonrpc": "2.0", "id": m["id"], "result": {}}).encode() + b"\n")
        if exchange.times()["set"]:
            break
    assert exchange.times()["set"] == 1


def test_settings_that_were_not_told_are_asked_for_again():
    exchange = live()

    def asked():
        return [m["params"]["channel"] for m in exchange.sent if m["method"] == "get"]

    first = asked()
    assert first
    n = 100
    for t in range(1, 45):
        exchange.until(exchange.now_s + 1.0)
        n += 1
        status = {"jsonrpc": "2.0", "method": "status", "params": {"ms": 1000 * t, "n": n, "full": False, "c": {}}}
        exchange.bytes(json.dumps(status).encode() + b"\n")
    assert exchange.link.up
    assert asked().count(first[0]) == 2
