"""What goes wrong with the demonstration's racks when they are started by hand: a script, or what is typed."""

import sys
import threading
from collections.abc import Iterable
from pathlib import Path

from azven.gear.standins import breaking
from azven.gear.standins.breaking import Break
from azven.refusal import Refusal
from azven.work.simulated_racks import SimulatedRacks


def script(path: str | None) -> list[Break] | None:
    """What a file says goes wrong, and when; None for `-`: it will be typed. Refusal for a file that says none."""
    if path == "-":
        return None
    try:
        return breaking.script(Path(path).read_text("utf-8").splitlines()) if path else []
    except (OSError, UnicodeDecodeError) as error:
        raise Refusal(f"{path} cannot be read: {error}.") from None


def follow(there: SimulatedRacks, planned: list[Break] | None, over: threading.Event) -> None:
    """Let each thing go wrong at its time from now on, until `over`; what is typed at its time after it was."""
    if planned is None:
        threading.Thread(target=_follow_typed, args=(there, over), name="faults", daemon=True).start()
    else:
        _happen(there, planned, over)


def _follow_typed(there: SimulatedRacks, over: threading.Event) -> None:
    for line in sys.stdin:
        try:
            _happen(there, breaking.script([line]), over)
        except Refusal as refusal:
            _say(str(refusal))


def _happen(there: SimulatedRacks, planned: Iterable[Break], over: threading.Event) -> None:
    begun_s = there.clock()
    for what in planned:
        if over.wait(max(begun_s + what.at_s - there.clock(), 0.0)):
            return
        try:
            breaking.happen(there.house, what)
            _say(" ".join(filter(None, (what.rack, what.channel, what.fault))))
        except Refusal as refusal:
            _say(str(refusal))


def _say(words: str) -> None:
    print(words, file=sys.stderr, flush=True)
