"""What links showed, looked back upon: rings, records for diagnosis, a log that is played again."""

import json
import random
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest

from azven.book.formats import status_log
from azven.rf.diagnose.record import Head, LinkHead
from azven.rf.diagnose.weigh import diagnose
from azven.work.watch import rings
from azven.work.watch.board import Board
from azven.work.watch.looking import Looking
from azven.work.watch.night import Night
from azven.work.watch.replay import Replay, watched_of
from azven.work.watch.rings import FIELDS, RATE_HZ, Rings

ALL = np.arange(2)


def shown(a, q=100.0, af=-30.0, bat=80.0):
    """Two links that show the same."""
    return np.array([[a] * 2, [a - 10] * 2, [q] * 2, [af] * 2, [bat] * 2, [np.nan] * 2], np.float32)


def played(made, tenths, a=-60.0, q=100.0, af=-30.0, signs=rings.ON | rings.NAMED):
    for _ in range(tenths):
        made.forward(made.slot + 1, ALL, shown(a, q, af), np.full(2, signs, np.uint8))


@pytest.fixture
def made():
    found = Rings()
    found.widen(2)
    return found


def test_ten_minutes_are_kept_and_no_more(made):
    played(made, 6500, a=-50.0)
    played(made, 10, a=-70.0)
    recent = made.recent.readings[made.recent.at(6000), rings.A, 0]
    assert len(recent) == 6000
    assert (recent[-10:] == -70).all()
    assert (recent[:-10] == -50).all()


def test_the_evening_keeps_the_worst_of_every_stretch(made):
    played(made, 39)
    played(made, 1, a=-95.0, q=7.0, af=-2.0, signs=rings.MUTED | rings.NAMED)
    played(made, 40)
    evening = made.evening.readings[made.evening.lived()]
    assert evening[:, rings.A, 0].tolist() == [-95.0, -60.0]
    assert evening[:, rings.Q, 0].tolist() == [7.0, 100.0]
    assert evening[:, rings.AF, 0].tolist() == [-2.0, -30.0]
    signs = made.evening.signs[made.evening.lived(), 0]
    assert (signs & rings.MUTED).astype(bool).tolist() == [True, False]


def test_what_nobody_told_is_not_known(made):
    played(made, 100)
    made.forward(200, ALL, shown(-61.0), np.full(2, rings.NAMED, np.uint8))
    recent = made.recent.readings[made.recent.at(110), rings.A, 0]
    assert np.isnan(recent[10:100]).all()
    assert recent[-10:].tolist() == [-61.0] * 10
    looks = made.looks.readings[made.looks.at(20), rings.A, 0]
    assert np.isnan(looks[1:17]).all()


def test_memory_is_the_same_after_eight_hours(made):
    sizes = [r.readings.nbytes for r in (made.recent, made.looks, made.evening)]
    for second in range(8 * 3600):
        made.forward((second + 1) * RATE_HZ, ALL, shown(-60.0), np.full(2, rings.NAMED, np.uint8))
    assert [r.readings.nbytes for r in (made.recent, made.looks, made.evening)] == sizes
    assert len(made.evening.lived()) == made.evening.slots
    assert np.isfinite(made.evening.readings[made.evening.lived(), rings.A, 0]).all()


def test_more_links_come_and_what_was_known_stays(made):
    played(made, 50)
    made.widen(40)
    assert made.room >= 40
    assert made.recent.readings[made.recent.at(50), rings.A, 0].tolist() == [-60.0] * 50
    assert np.isnan(made.recent.readings[made.recent.at(50), rings.A, 3]).all()


def test_of_links_that_come_in_the_first_seconds_nothing_is_known_before(made):
    made.forward(1017, ALL, shown(-60.0), np.full(2, rings.NAMED, np.uint8))
    made.widen(40)
    played(made, 23)
    evening = made.evening.readings[made.evening.lived()]
    assert np.isnan(evening[:, :, 2:]).all()
    assert evening[-1, rings.A, 0] == -60.0
    assert not made.evening.signs[made.evening.lived(), 2:].any()
    assert not (made.looks.signs[made.looks.lived(), 2:]).any()


@pytest.mark.parametrize("first", [0, 1, 5, 39, 41, 300, 12345])
def test_whatever_memory_held_before_is_never_seen(first, monkeypatch):
    empty = np.empty

    def dirty(shape, kind=float):
        made = empty(shape, kind)
        made.fill(255 if made.dtype == np.uint8 else np.finfo(made.dtype).max)
        return made

    monkeypatch.setattr(np, "empty", dirty)
    chance, made, slot = random.Random(first), Rings(), first
    made.widen(2)
    for k in range(40):
        if k in (1, 4, 20):
            made.widen(made.room + 1)
        rows = np.arange(chance.randint(0, made.room))
        made.forward(slot, rows, np.full((6, len(rows)), -60.0, np.float32), np.zeros(len(rows), np.uint8))
        for ring in (made.recent, made.looks, made.evening):
            at = ring.last(ring.slots)[0]
            assert not (ring.readings[at] > 0).any()
            assert not ring.signs[at].any()
        slot += chance.choice([1, 1, 1, 2, 5, 30, 200, 900, 7000])


def test_slots_that_were_not_lived_through_are_not_known():
    board, key = Told(), ("r-1", "1")
    board.tell(1000.0, key, a=-60.0, b=-64.5, q=100, af=-20.0, tx="on")
    board.tell(1010.0, key, a=-60.0)
    traces = board.traces(key, 60.0, 1010.0)
    assert len(traces.a) == 600
    assert np.isnan(traces.a[:490]).all()
    assert traces.a[-1] == -60.0
    readings, signs = board.looks([key], 60.0, 1010.0)
    assert len(readings) == len(signs) == 120
    assert np.isnan(readings[:90]).all()
    assert readings[-1, rings.A, 0] == -60.0


class Told(Board):
    """A board that is told by hand."""

    def __init__(self):
        super().__init__()
        self.fields = {}

    def tell(self, t, key, **fields):
        self._forward(t)
        self._row(key)
        self.fields.setdefault(key, {}).update(fields)
        self._sign(key, t, fields, self.fields[key])

    def _heard(self, now_s):
        yield [self._rows[k] for k in self.fields], list(self.fields.values())


def test_a_record_says_what_was_told_by_link_and_time():
    board, key = Told(), ("r-1", "1")
    head = Head(links=(LinkHead(name="nobody"), LinkHead(name="Narrator", freq_hz=500_000_000)))
    for k in range(1, 101):
        board.tell(k / 10, key, a=-60.0, b=-64.5, q=100 if k != 77 else 9, af=-20.0, tx="on" if k < 60 else "off",
                   txf=500_025_000, clip=k == 33)  # fmt: skip
    record = board.record(head, [None, key], 10.0, 2.0)
    assert np.isnan(record.a[0]).all()
    assert not record.heard[0].any()
    assert record.a[1, -1] == -60.0
    assert record.b[1, -1] == -64.5
    assert record.at_s[-1] == 8.0
    assert np.diff(record.at_s) == pytest.approx(0.5)
    assert record.q[1].min() == 9
    assert record.at_s[int(np.argmin(record.q[1]))] == pytest.approx(6.0, abs=0.51)
    assert (record.clip[1] == 1).sum() == 1
    assert set(record.tx[1][record.at_s < 3]) == {1.0}
    assert record.tx[1, -1] == 0
    assert (record.txf[1] == 500_025_000).all()


def test_of_few_links_what_they_show_now_is_seen_at_once():
    class Now(Told):
        def now(self, key):
            return self.fields.get(key, {})

    board, key = Now(), ("r-1", "1")
    for k in range(1, 33):
        board.tell(k / 10, key, a=-60.0, q=100 if k != 31 else 30)
    board.fields[key]["a"] = -75.0
    readings, signs = board.looks([key, None], 2.0, 3.25)
    assert readings.shape[0] == 4
    assert readings[-1, rings.A, 0] == -75.0
    assert readings[-1, rings.Q, 0] == 30.0
    assert readings[-2, rings.A, 0] == -60.0
    assert np.isnan(readings[:, :, 1]).all()
    assert signs[-1, 0] & rings.NAMED


def test_a_field_that_was_never_told_and_one_told_as_unknown_are_not_known():
    board, key = Told(), ("r-1", "1")
    for k in range(1, 21):
        board.tell(k / 10, key, a=-60.0, q=None)
    traces = board.traces(key, 1.0, 2.0)
    assert traces.a[-1] == -60.0
    assert np.isnan(traces.q).all()
    assert np.isnan(traces.b).all()


LINKS = [{"name": f"L{i}", "freq_hz": 500_000_000 + 3_000_000 * i + 100_000 * i * i, "rack": "r-1", "zone": "Hall",
          "threshold_dbm": -92, "needed_db": 20} for i in range(4)]  # fmt: skip


@pytest.fixture
def log(tmp_path):
    """Two minutes at two frames a second: L1 is muted for twenty seconds, L2 goes for ten."""
    rng = np.random.default_rng(5)
    path = tmp_path / "show.jsonl"
    lines = [{"format": "azven-status-log", "version": 1, "start": "2026-09-12T18:00:00Z", "links": LINKS}]
    for k in range(240):
        t = k / 2
        c = {}
        for i in range(4):
            off = i == 2 and 60 <= t < 70
            level = -110.0 if off else -60 + rng.normal(0, 1)
            c[f"L{i}"] = {"a": round(level, 1), "b": round(level - 2, 1), "q": 0 if off else 98, "af": -25, "bat": 80,
                          "tx": "off" if off else "on", "mute": i == 1 and 30 <= t < 50}  # fmt: skip
        lines.append({"t": t, "c": c})
    path.write_text("\n".join(map(json.dumps, lines)) + "\n{cut")
    return path


def test_a_log_played_again_shows_what_it_told(log):
    replay = Replay(log)
    replay.speed = 0
    assert replay.end_s == 119.5
    replay.advance(40.0)
    assert replay.now(("log", "L1"))["mute"] is True
    assert replay.now(("log", "L2"))["tx"] == "on"
    replay.advance(65.0)
    assert replay.now(("log", "L2"))["tx"] == "off"
    replay.begin()
    replay.advance(10.0)
    assert replay.now(("log", "L1"))["mute"] is False
    assert replay.t == 10.0


def test_what_is_said_beside_a_log_is_what_is_said_of_it_when_it_is_finished(log):
    afterwards = {(x.cause, x.links) for x in diagnose(status_log.read(log))}
    replay = Replay(log)
    replay.speed = 0
    rang = []
    night = Night(replay, watched_of(log), lambda: replay.t, 0.0, lambda alarms, t: rang.extend((t, x) for x in alarms))
    while not replay.over:
        replay.advance(min(replay.t + 1.0, replay.end_s))
        night.look()
    live = {(c.incident.cause, c.links): c for c in night.cases.all.values()}
    assert set(live) == afterwards == {("muted", ("L1",)), ("switched-off", ("L2",))}
    assert {c.state for c in live.values()} == {"closed"}
    heard = {x.case.number: t for t, x in rang if x.why == "new"}
    assert heard[live["muted", ("L1",)].number] <= 30 + 5 + 3
    assert heard[live["switched-off", ("L2",)].number] <= 60 + 3


def test_a_watch_goes_on_by_another_book_and_keeps_its_cases(log):
    replay = Replay(log)
    replay.speed = 0
    night = Night(replay, watched_of(log), lambda: replay.t, 0.0)
    for _ in range(40):
        replay.advance(replay.t + 1.0)
        night.look()
    (muted,) = night.seen.open
    night.do(lambda cases, t: cases.take(muted.number, "Ona", t))
    night.show(watched_of(log))
    night.look()
    (same,) = night.seen.in_hand
    assert (same.number, same.by) == (muted.number, "Ona")
    assert night.seen.t == 40.0


def test_a_link_that_is_called_otherwise_keeps_its_case(log):
    replay = Replay(log)
    replay.speed = 0
    before = watched_of(log)
    night = Night(replay, before, lambda: replay.t, 0.0)
    for _ in range(40):
        replay.advance(replay.t + 1.0)
        night.look()
    (muted,) = night.seen.open
    night.do(lambda cases, t: cases.take(muted.number, "Ona", t))
    names = {"L1": "L2", "L2": "L1"}
    links = [{**x, "name": names.get(x["name"], x["name"])} for x in before.document["links"]]
    night.show(replace(before, document={**before.document, "links": links}))
    assert [c.links for c in night.seen.in_hand] == [("L2",)]
    night.look()
    (same,) = night.seen.in_hand
    assert (same.number, same.by, same.links) == (muted.number, "Ona", ("L2",))
    assert not night.seen.open


def test_what_an_older_look_found_is_not_taken_over_after_the_board_went_back(log):
    replay = Replay(log)
    replay.speed = 0
    night = Night(replay, watched_of(log), lambda: replay.t, 0.0)
    replay.advance(40.0)
    found = night._looks.look

    def slow(*asked):
        seen = found(*asked)
        night.begin_again()
        return seen

    night._looks.look = slow
    night.look()
    assert not night.cases.all


def test_the_head_of_a_log_says_when_it_began(log):
    assert watched_of(log).start == datetime(2026, 9, 12, 18, tzinfo=UTC)
    assert len(FIELDS) == 6


def test_a_side_that_is_lost_stays_told_when_the_book_changes_and_however_long_it_lasts():
    board = Told()
    keys = [("r-1", str(i)) for i in range(6)]
    names = [f"L{i}" for i in range(6)]
    links = tuple(LinkHead(name=n, freq_hz=500_000_000 + 2_300_000 * i + 90_000 * i * i, system="Hall", zone="Hall",
                           threshold_dbm=-92.0) for i, n in enumerate(names))  # fmt: skip
    rng, t = np.random.default_rng(2), 0.0
    looking = Looking(board, Head(links=links), keys, 0.0)
    told = []
    for second in range(1, 1500):
        t = float(second)
        for i, key in enumerate(keys):
            lost = 14.0 if second > 300 else 0.0
            board.tell(t, key, a=-55.0 - i + rng.normal(0, 1), b=-57.0 - i - lost + rng.normal(0, 1), q=99, tx="on")
        if second == 700:
            again = Looking(board, Head(links=links[::-1]), keys[::-1], 0.0)
            again.goes_on_from(looking)
            looking = again
        if second % 20 == 0:
            told.append((second, {x.detail.get("side") for x in looking.look(t) if x.to_s > t - 10}))
    assert all(not sides for second, sides in told if second <= 300)
    assert all(sides == {"b"} for second, sides in told if second >= 360), told
