"""A book that an older Azven wrote is brought up to date beside the window: of a large one that takes a minute."""

import threading
import time
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEventLoop, QTimer

from azven.book.place import Place
from azven.work import books

if TYPE_CHECKING:
    from azven.desk.window import Window

_LOOK_MS = 100


def up_to_date(where: Place, window: "Window") -> None:
    """Bring the book up to date where that is needed, with the window saying so; BookError where it cannot be done: the
    book is as it was then, as it is when Azven is ended meanwhile."""
    if not books.needs_bringing(where):
        return
    trouble: list[Exception] = []

    def work() -> None:
        try:
            books.bring_up_to_date(where)
        except Exception as error:  # raised again where somebody hears it
            trouble.append(error)

    beside, began, loop, timer = threading.Thread(target=work, daemon=True), time.monotonic(), QEventLoop(), QTimer()

    def look() -> None:
        if not beside.is_alive():
            loop.quit()
            return
        window.tell_opening(f"Bringing {where.title} up to date, {time.monotonic() - began:.0f} s")

    timer.timeout.connect(look)
    beside.start()
    timer.start(_LOOK_MS)
    loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    timer.stop()
    if trouble:
        raise trouble[0]
