"""A search in another process: the same answer, progress, stopping, trouble."""

import multiprocessing
import subprocess
import sys
import time
from pathlib import Path

import pytest

from azven.rf.coordinate import coordinate
from azven.rf.request import PlanRequest, Profile, Range, Request
from azven.work.plan import elsewhere

VOICE = Profile(350_000, {"2a-b": 100_000, "a+b-c": 50_000})


def request(n, **more):
    wishes = tuple(
        Request(id=f"v{i:03}", profile="voice", zone="hall", ranges=(Range(470_000_000, 608_000_000),), step_hz=25_000)
        for i in range(n)
    )
    return PlanRequest(
        profiles={"voice": VOICE}, zones=("hall",), requests=wishes, **{"effort": 1, "time_limit_s": 60.0} | more
    )


def go_on(done, total):
    return True


def test_the_answer_is_the_same_as_here():
    asked = request(70)
    heard, better = [], []

    def progress(done, total):
        heard.append(done)
        return True

    there = elsewhere.run(coordinate, (asked,), 70, progress, lambda: 0.0, better.append)
    assert there.assignments == coordinate(asked).assignments
    assert heard
    assert better[0].placed > 20


def test_a_stop_reaches_the_other_process_and_its_best_comes_back():
    found = elsewhere.run(coordinate, (request(70, effort=5),), 70, lambda done, total: False, lambda: 0.0)
    assert 20 <= len(found.assignments) < 70
    assert found.stats.elapsed_s < 40


def test_what_goes_wrong_there_is_said_here():
    wrong = request(70, effort=9)
    with pytest.raises(ValueError, match="effort: must be 1 to 5"):
        elsewhere.run(coordinate, (wrong,), 70, go_on, lambda: 0.0)


def test_few_links_are_planned_at_once():
    here = elsewhere.run(coordinate, (request(5),), 5, go_on, lambda: 0.0)
    assert len(here.assignments) == 5


def hurried(progress, elapsed):
    """Tells how it goes once, and is done before anybody can stop it."""
    progress(1, 2)
    return "best so far"


def test_a_wish_to_stop_that_comes_too_late_loses_no_answer():
    def slow_to_say_stop(done, total):
        for child in multiprocessing.active_children():
            child.join()
        return False

    assert elsewhere.run(hurried, (), elsewhere.WORTH_IT, slow_to_say_stop, lambda: 0.0) == "best so far"


def waits_for_ever(progress, elapsed):
    while True:
        time.sleep(0.05)
        progress(1, 2)


def test_the_other_process_ends_when_nobody_is_left_to_ask(tmp_path):
    """Whatever ends the one that asked: here it is killed in the middle."""
    told = tmp_path / "pids"
    script = tmp_path / "asks.py"
    script.write_text(
        "import multiprocessing, pathlib, sys\n"
        f"sys.path.insert(0, {str(Path(__file__).parent)!r})\n"
        "from test_elsewhere import waits_for_ever\n"
        "from azven.work.plan import elsewhere\n"
        "def progress(done, total):\n"
        "    pids = [p.pid for p in multiprocessing.active_children()]\n"
        f"    pathlib.Path({str(told)!r}).write_text(str(pids[0]))\n"
        "    return True\n"
        "if __name__ == '__main__':\n"
        "    elsewhere.run(waits_for_ever, (), 99, progress, lambda: 0.0)\n"
    )
    asking = subprocess.Popen([sys.executable, str(script)])
    child = int(within(20, lambda: told.exists() and told.read_text()))
    assert alive(child)
    asking.kill()
    asking.wait()
    assert within(10, lambda: not alive(child))


def within(seconds, found):
    until = time.monotonic() + seconds
    while not (what := found()) and time.monotonic() < until:
        time.sleep(0.05)
    return what


def alive(pid):
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] != "Z"
    except FileNotFoundError:
        return False
