"""A virtual screen with a small window manager, and an application on it that is driven through the X server."""

import json
import os
import select
import subprocess
import sys
import time
from contextlib import contextmanager, suppress
from pathlib import Path

WAIT_S = 60.0
_KEYS_S = 2.0


@contextmanager
def virtual_screen(size):
    """An X server of its own with openbox, on the first display that is free."""
    told, tell = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(tell), "-screen", "0", f"{size}x24", "-nolisten", "tcp"],
        pass_fds=(tell,), stderr=subprocess.DEVNULL,
    )  # fmt: skip
    os.close(tell)
    try:
        assert select.select([told], [], [], WAIT_S)[0], "Xvfb did not start"
        display = f":{os.read(told, 32).decode().strip()}"
        manager = subprocess.Popen(["openbox"], env={**os.environ, "DISPLAY": display}, stderr=subprocess.DEVNULL)
        try:
            yield display
        finally:
            manager.terminate()
            manager.wait()
    finally:
        os.close(told)
        server.terminate()
        server.wait()


class Desk:
    """A running application: questions through its standard input, everything else through the X server."""

    def __init__(self, display, home, book="demo", stage="plan"):
        self.environment = {
            **os.environ, "DISPLAY": display, "HOME": str(home), "XDG_DATA_HOME": str(home),
            "XDG_CONFIG_HOME": str(home), "XDG_STATE_HOME": str(home), "QT_QPA_PLATFORM": "xcb",
            "QT_ACCESSIBILITY": "0", "TMPDIR": str(home),
        }  # fmt: skip
        with (home / "stderr").open("ab") as errors:
            self.process = subprocess.Popen(
                [sys.executable, str(Path(__file__).with_name("driver.py")), str(book), stage],
                stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=errors, env=self.environment,
            )  # fmt: skip
        self._home = home
        assert self._answer() == "ready"
        self.until("window.isActiveWindow()")
        self._framed()
        self.do("mousemove", *self.ask("at(window.header, 0.4, 0.5)"))

    def _framed(self):
        """Wait until the window manager has put its frame round the window, which takes from its size."""
        sizes = []
        while len(sizes) < 4 or len(set(sizes[-4:])) > 1:
            sizes.append(tuple(self.ask("[window.width(), window.height(), window.x(), window.y()]")))
            time.sleep(0.1)

    def _answer(self):
        ready, _, _ = select.select([self.process.stdout], [], [], WAIT_S)
        line = self.process.stdout.readline() if ready else b""
        assert line, (self._home / "stderr").read_text()
        answer = json.loads(line)
        assert "error" not in answer, answer["error"]
        return answer["value"]

    def ask(self, expression):
        """The value of an expression in the application."""
        self.process.stdin.write(json.dumps(expression).encode() + b"\n")
        self.process.stdin.flush()
        return self._answer()

    def until(self, expression, value=True):
        """Wait until an expression has a value; give what it had last."""
        end = time.monotonic() + WAIT_S
        while (found := self.ask(expression)) != value and time.monotonic() < end:
            time.sleep(0.02)
        assert found == value, f"{expression} is {found!r}, not {value!r}"
        return found

    def do(self, *arguments):
        """Something for xdotool."""
        words = [str(a) for a in arguments]
        subprocess.run(["xdotool", *words], env=self.environment, check=True, stdout=subprocess.DEVNULL, timeout=WAIT_S)

    def key(self, *keys):
        with self._all_heard(len(keys)):
            self.do("key", "--clearmodifiers", *keys)

    def type(self, text):
        with self._all_heard(len(text)):
            self.do("type", "--delay", "5", text)

    @contextmanager
    def _all_heard(self, count):
        """Keys come another way than questions: none is asked before they have arrived, or went elsewhere."""
        wanted = self.ask("keys.count") + count
        yield
        end = time.monotonic() + _KEYS_S
        with suppress(AssertionError, BrokenPipeError):  # a key may close the application
            while self.ask("keys.count") < wanted and time.monotonic() < end:
                time.sleep(0.01)
            self.ask("keys.count")  # what was heard last has been done by now

    def click(self, x, y, times=1):
        self.do("mousemove", x, y, "click", "--repeat", times, "--delay", "40", "1")

    def drag(self, start, end):
        """Press, move in steps, let go."""
        self.do("mousemove", *start, "mousedown", "1")
        for share in (0.25, 0.5, 0.75, 1.0):
            self.do("mousemove", *(round(a + share * (b - a)) for a, b in zip(start, end, strict=True)))
        self.do("mouseup", "1")

    def close(self):
        self.process.stdin.close()
        if self.process.poll() is None:
            try:
                self.process.wait(WAIT_S)
            except subprocess.TimeoutExpired:
                self.process.kill()
                raise
        self.process.stdout.close()
