"""The application as people start it, in a real window, with an ear for questions on its standard input.

Each line that comes in is a Python expression as a JSON text, evaluated on the GUI thread with `window` and `app` at
hand; its value goes out as a line of JSON. Keys and pointers never come this way: they come through the X server.
"""

import json
import os
import sys
from pathlib import Path

from PyQt6.QtCore import QAbstractNativeEventFilter, QPoint, QSocketNotifier
from PyQt6.QtGui import QGuiApplication  # noqa: F401
from PyQt6.QtWidgets import QApplication, QComboBox, QPushButton, QWidget  # noqa: F401

from azven.book.records import Model, Zone  # noqa: F401
from azven.desk import app as desk
from azven.work import chosen, kit  # noqa: F401

KEY_RELEASE = 3
MODIFIERS = (37, 50, 62, 64, 105, 108)
"""Codes of Control, Shift and Alt."""


class Keys(QAbstractNativeEventFilter):
    """How many keys the X server has told as let go, but for modifiers."""

    def __init__(self):
        super().__init__()
        self.count = 0

    def nativeEventFilter(self, kind, message):
        head = message.asstring(2) if bytes(kind) == b"xcb_generic_event_t" else b"\0\0"
        if head[0] & 0x7F == KEY_RELEASE and head[1] not in MODIFIERS:
            self.count += 1
        return False, 0


def at(widget, x=0.5, y=0.5):
    """A point of a widget on the screen, as shares of its size."""
    point = widget.mapToGlobal(QPoint(round(widget.width() * x), round(widget.height() * y)))
    return [point.x(), point.y()]


def spot(widget, x, y):
    """A point [px] of a widget on the screen."""
    point = widget.mapToGlobal(QPoint(round(x), round(y)))
    return [point.x(), point.y()]


def arrow(box):
    """Where a box is opened, whether its text can be edited or not."""
    return spot(box, box.width() - 10, box.height() / 2)


def boxes(window):
    """Every combo box in view that can be opened."""
    found = [b for b in window.findChildren(QComboBox) if b.isVisible() and b.isEnabled() and b.count()]
    return [b for b in found if not b.visibleRegion().isEmpty()]


def open_list(box):
    """Of an open combo box: whether it is open, rows, how many are in view, and whether the screen has no more room."""
    view = box.view()
    frame = view.window().frameGeometry()
    rows = [view.visualRect(view.model().index(i, 0)) for i in range(box.count())]
    seen = sum(view.viewport().rect().contains(r) for r in rows)
    row = max(rows[0].height(), 1)
    fits = (len(rows) + 2) * row < box.screen().availableGeometry().height()
    return [view.isVisible(), len(rows), seen, fits, frame.height()]


def main():
    book, stage = sys.argv[1], sys.argv[2]
    application, keys = desk.application(), Keys()
    application.installNativeEventFilter(keys)
    window = desk.start(book == "demo", None if book == "demo" else Path(book), stage, None)
    known = globals() | {"window": window, "app": application, "session": window.session, "keys": keys}
    buffer = bytearray()

    def hear():
        data = os.read(0, 65_536)
        if not data:
            for each in list(window.books.windows):
                each.close()
            return
        buffer.extend(data)
        while b"\n" in buffer:
            line, _, rest = bytes(buffer).partition(b"\n")
            buffer[:] = rest
            try:
                answer = {"value": eval(json.loads(line), known)}
            except Exception as error:  # the test reads it
                answer = {"error": repr(error)}
            print(json.dumps(answer, default=str), flush=True)

    ear = QSocketNotifier(0, QSocketNotifier.Type.Read)
    ear.activated.connect(hear)
    print(json.dumps({"value": "ready"}), flush=True)
    status = application.exec()
    for left in list(window.books.windows):
        left.close()
    sys.exit(status)


if __name__ == "__main__":
    main()
