"""Makes the pictures of docs/screenshots anew from the demonstration book: ./run shots."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QTimer

from azven.desk.app import start
from azven.desk.window import Window

FOLDER = Path(__file__).parent / "screenshots"
VIEWS = (
    ("ground-daylight", "", ("rule", 1)),
    ("listen-daylight", "", ("channel", ("in-ear", "35"))),
    ("kit-daylight", "", ("link", "Brass ear 1")),
    ("plan-daylight", "", ("link", "Lamp Choir 4")),
    ("plan-backstage", "", ("link", "Lamp Choir 4")),
    ("plan-products-daylight", "products", ("link", "Brass 1")),
)
"""Picture name (stage, anything, theme), an action to run first, and what is selected."""


def wait(until: Callable[[], bool]) -> None:
    """Let the window work until a condition holds for a moment."""
    loop = QEventLoop()
    timer = QTimer(interval=60)
    quiet = 0

    def look() -> None:
        nonlocal quiet
        quiet = quiet + 1 if until() else 0
        if quiet >= 3:
            loop.quit()

    timer.timeout.connect(look)
    timer.start()
    loop.exec()


def close(window: Window) -> None:
    window.close()
    if window.session.venue is not None:
        window.session.venue.stop()
    window.session.store.close()


def main() -> None:
    FOLDER.mkdir(exist_ok=True)
    for name, action, selection in VIEWS:
        stage, theme = name.split("-")[0], name.split("-")[-1]
        window = start(True, None, stage, theme)
        window.tell("")
        if action:
            window.actions_table.run(action)
        window.session.select(*selection)
        wait(lambda w=window: w.session.jobs.idle)  # type: ignore[misc]
        path = FOLDER / f"{name}.png"
        window.grab().save(str(path))
        print(path.relative_to(FOLDER.parent.parent))
        close(window)


main()
