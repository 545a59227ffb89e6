"""From nothing to the shown window with the demo book, against importing the toolkit and an empty window."""

import os
import subprocess
import sys
import time

EMPTY = """
import PyQt6.QtWidgets as w, numpy, pyqtgraph
app = w.QApplication([]); window = w.QMainWindow(); window.resize(1280, 800); window.show(); app.processEvents()
"""
FRAME = """
from azven.desk.app import frame
frame(None)
import os; os._exit(0)
"""
DEMO = """
from azven.desk.app import start
start(True, None, "plan", None)
import os; os._exit(0)
"""


def seconds(code: str, runs: int = 5) -> float:
    """Least wall time [s] of a fresh process; compiled modules are warm after the first."""
    environment = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
    best = float("inf")
    for _ in range(runs):
        started = time.monotonic()
        subprocess.run([sys.executable, "-c", code], check=True, env=environment, capture_output=True)
        best = min(best, time.monotonic() - started)
    return best


def main(words: list[str]) -> None:
    """With `busy` the two cores are kept busy meanwhile."""
    burners = [subprocess.Popen([sys.executable, "-c", "while True: pass"]) for _ in range(2 * ("busy" in words))]
    try:
        baseline, framed, demo = seconds(EMPTY), seconds(FRAME), seconds(DEMO)
    finally:
        for burner in burners:
            burner.kill()
    print(f"empty window with PyQt6.QtWidgets, numpy, pyqtgraph {1e3 * baseline:8.0f} ms")
    print(f"frame on the screen {1e3 * framed:40.0f} ms  {framed / baseline:.2f} × (wanted under 1.3)")
    print(f"demo book to shown window {1e3 * demo:34.0f} ms  {demo / baseline:.2f} × (wanted under 2)")
