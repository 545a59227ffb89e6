"""A watch in another process sees what one here sees, and goes on when that process ends."""

import os
import signal
import subprocess
import sys
import time
from datetime import UTC, datetime

import numpy as np
import pytest
from tests.work.test_elsewhere import alive, within
from tests.work.test_watch_board import Told

from azven.rf.diagnose.record import Sweep
from azven.work.watch import beside
from azven.work.watch.beside import Beside
from azven.work.watch.lookout import Lookout
from azven.work.watch.night import Night
from azven.work.watch.watched import Watched

KEYS = tuple((f"r-{k // 4}", str(k)) for k in range(12))


@pytest.fixture
def watched():
    links = [{"name": f"L{i}", "freq_hz": 500_000_000 + 3_000_000 * i + 100_000 * i * i, "zone": "Hall",
              "rack": key[0], "system": "Hall pair", "threshold_dbm": -92, "needed_db": 20}
             for i, key in enumerate(KEYS)]  # fmt: skip
    return Watched(document={"links": links}, start=datetime(2026, 9, 12, 18, tzinfo=UTC), keys=KEYS)


def play(board, rng, seconds, since=0):
    """Every link well; L1 muted from the twentieth second on, L2 off from the fortieth."""
    for second in range(since, since + seconds):
        for i, key in enumerate(KEYS):
            off = i == 2 and second >= 40
            level = -110.0 if off else -60 + rng.normal(0, 1)
            board.tell(float(second + 1), key, a=level, b=level - 2, q=0 if off else 98, af=-25.0, bat=80,
                       tx="off" if off else "on", mute=i == 1 and second >= 20)  # fmt: skip


def told(look):
    return sorted((x.cause, x.links, x.from_s, x.to_s) for x in (*look.found, *look.ahead))


@pytest.fixture
def there(watched):
    board = Told()
    made = Beside(board, watched, 0.0)
    yield board, made
    made.close()


def test_what_another_process_sees_is_what_is_seen_here(there, watched):
    board, made = there
    here = Lookout(board, watched, 0.0)
    rng, status = np.random.default_rng(4), [{"bat": 80, "left_min": 200.0}] * len(KEYS)
    for k in range(4):
        play(board, rng, 20, 20 * k)
        now = 20.0 * (k + 1)
        if k == 2:
            for looks in (here, made):
                looks.sent(KEYS[3], {"mute": True}, 50.0)
                looks.swept(Sweep(55.0, None, 470_000_000, 25_000, np.full(100, -100.0)))
                looks.show(watched)
        mine, theirs = here.look(now, status, {"L5": ["power"]}), made.look(now, status, {"L5": ["power"]})
        assert told(theirs) == told(mine)
        assert (theirs.poor, theirs.unwell, theirs.charges) == (mine.poor, mine.unwell, mine.charges)
    assert {("muted", ("L1",)), ("switched-off", ("L2",))} <= {x[:2] for x in told(theirs)}
    assert theirs.took_s > 0


def test_a_process_that_ends_is_told_and_another_one_knows_all_of_it(there):
    board, made = there
    play(board, np.random.default_rng(4), 60)
    before = told(made.look(60.0, [{}] * len(KEYS), {}))
    assert before
    os.kill(made._worker.pid, signal.SIGKILL)
    made._worker.join()
    with pytest.raises(RuntimeError, match="another one is begun"):
        made.look(60.0, [{}] * len(KEYS), {})
    assert told(made.look(60.0, [{}] * len(KEYS), {})) == before


def test_a_fault_there_is_raised_here_and_the_next_look_is_well(there):
    board, made = there
    play(board, np.random.default_rng(4), 30)
    with pytest.raises(ValueError, match="zip"):
        made.look(30.0, [], {})
    assert told(made.look(30.0, [{}] * len(KEYS), {}))


def test_many_links_are_watched_elsewhere_and_the_process_ends_with_the_watch(watched, monkeypatch):
    monkeypatch.setattr(beside, "WORTH_IT", 5)
    monkeypatch.setattr("azven.work.watch.night.WORTH_IT", 5)
    board, failed = Told(), []
    play(board, np.random.default_rng(4), 60)
    night = Night(board, watched, lambda: 60.0, 0.0, failed=failed.append, beside=True)
    night.start()
    end = time.monotonic() + 20
    while not night.seen.open and time.monotonic() < end:
        time.sleep(0.05)
    worker = night._looks._worker
    assert {c.incident.cause for c in night.seen.open} >= {"muted", "switched-off"}
    night.stop()
    assert not worker.is_alive()
    assert failed == []


def test_the_process_ends_when_the_window_is_killed(tmp_path):
    program = tmp_path / "window.py"
    program.write_text(
        "import time\n"
        "from datetime import UTC, datetime\n"
        "from azven.work.watch.beside import Beside, Copy\n"
        "from azven.work.watch.watched import Watched\n"
        "if __name__ == '__main__':\n"
        "    watched = Watched(document={'links': [{'name': 'Solo'}]}, start=datetime.now(UTC), keys=(('r-1', '1'),))\n"
        "    looks = Beside(Copy(True), watched, 0.0)\n"
        "    looks.look(1.0, [{}], {})\n"
        "    print(looks._worker.pid, flush=True)\n"
        "    time.sleep(60)\n"
    )
    with subprocess.Popen([sys.executable, str(program)], stdout=subprocess.PIPE, text=True) as window:
        worker = int(window.stdout.readline())
        assert alive(worker)
        window.kill()
    assert within(20, lambda: not alive(worker))
