"""Notes of the desktop: over the session bus as freedesktop.org's Desktop Notifications Specification 1.2 has it; where
there is no such bus, by the tray."""

import html
from typing import Any

from PyQt6.QtCore import QMetaType, QObject
from PyQt6.QtDBus import QDBusArgument, QDBusConnection, QDBusMessage
from PyQt6.QtWidgets import QSystemTrayIcon

_SERVICE, _PATH = "org.freedesktop.Notifications", "/org/freedesktop/Notifications"
_AS_LONG_AS_USUAL = -1


class Notes(QObject):
    """Shows notes. `bus` is another bus than the session's, for whoever listens there."""

    def __init__(self, parent: QObject | None = None, bus: QDBusConnection | None = None) -> None:
        super().__init__(parent)
        self._bus = bus
        self._tray: QSystemTrayIcon | None = None

    def tell(self, title: str, words: str) -> bool:
        """Show a note; whether there was anybody to show it. Waits for nobody."""
        bus = self._bus or QDBusConnection.sessionBus()
        if bus.isConnected():
            return bus.send(_call(title, words))
        if not QSystemTrayIcon.isSystemTrayAvailable():
            return False
        if self._tray is None:
            self._tray = QSystemTrayIcon(self)
            self._tray.show()
        self._tray.showMessage(title, words)
        return True


def _call(title: str, words: str) -> QDBusMessage:
    call = QDBusMessage.createMethodCall(_SERVICE, _PATH, _SERVICE, "Notify")
    kinds = QMetaType.Type
    nothing_to_press, no_hints = _typed([], kinds.QStringList), dict[str, Any]()
    call.setArguments([
        "Azven", _typed(0, kinds.UInt), "", title, html.escape(words, quote=False), nothing_to_press, no_hints,
        _typed(_AS_LONG_AS_USUAL, kinds.Int),
    ])  # fmt: skip
    return call


def _typed(value: Any, kind: QMetaType.Type) -> QDBusArgument:
    made = QDBusArgument()
    made.add(value, kind.value)  # type: ignore[arg-type]
    return made
