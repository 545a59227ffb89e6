"""What could not be taken from a rack: told by its reason, and a reason to close the link when it is too many lines."""

from collections import deque
from collections.abc import Iterator

from azven.gear.racks.values import Checker
from azven.gear.racks.words import BAD_LINES, BAD_WITHIN_S, Word

_SAYS: dict[Word, str] = {
    "type": "values of a wrong type", "range": "values outside of their range", "channel": "channels the card lacks",
    "name": "names that cannot be shown as they are", "clock": "a clock that went back",
    "long": "lines that are too long", "text": "lines that are no JSON",
    "rpc": "lines that are no message of the rack link", "unasked": "answers nobody asked for",
    "order": "frames out of order", "flood": "more than was asked for",
}  # fmt: skip


class LeftOut:
    """Counts bad lines of one connection, and tells the counts of a checker over all of them."""

    def __init__(self, checker: Checker) -> None:
        self._checker = checker
        self._lines: deque[float] = deque()
        self._told: dict[Word, tuple[float, int]] = {}

    def new_link(self) -> None:
        """A connection begins."""
        self._lines.clear()

    def line(self, word: Word, now_s: float) -> bool:
        """Count a line; whether the link has to be closed for it."""
        self._checker.count(word)
        self._lines.append(now_s)
        while self._lines[0] <= now_s - BAD_WITHIN_S:
            self._lines.popleft()
        return len(self._lines) >= BAD_LINES

    def news(self, now_s: float, all_of_it: bool = False) -> Iterator[tuple[Word, int, str]]:
        """What was left out since it was last told, each word at most once a second: word, count, sentence."""
        for word, count in self._checker.counted.items():
            at_s, told = self._told.get(word, (-1.0, 0))
            if count > told and (all_of_it or now_s >= at_s + 1.0):
                self._told[word] = (now_s, count)
                yield word, count - told, f"{count - told} × {_SAYS[word]} left out."
