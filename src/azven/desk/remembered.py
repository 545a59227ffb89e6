"""What this desk remembers between two starts, outside of every book: recent books, where one was in each, the theme,
where the window stood, and what rings."""

import json

from PyQt6.QtCore import QByteArray, QSettings

from azven.book.place import File, Place, place

_MOST_RECENT = 12
_MOST_PLACES = 60


class Remembered:
    """Settings of the desk, in the user's settings folder."""

    def __init__(self) -> None:
        self._settings = QSettings(QSettings.Format.IniFormat, QSettings.Scope.UserScope, "azven", "azven")

    def recent(self) -> list[Place]:
        """Books that were open, the last one first; files that are gone are left out."""
        known = [place(text) for text in self._texts("recent")]
        return [p for p in known if not isinstance(p, File) or p.path.exists()]

    def opened(self, book: Place) -> None:
        """Put a book at the head of the recent ones. The key of a place holds no password."""
        name = book.key
        listed = [name, *(t for t in self._texts("recent") if t != name)]
        self._settings.setValue("recent", listed[:_MOST_RECENT])

    def stayed(self, book: Place) -> tuple[int, int] | None:
        """The ids of the site and show where one was in a book; None when nobody has been in it from here."""
        for line in self._texts("places"):
            site, show, name = (*line.split(" ", 2), "", "")[:3]
            if name == book.key and site.isdigit() and show.isdigit():
                return int(site), int(show)
        return None

    def stay(self, book: Place, site: int, show: int) -> None:
        """Remember at which site and show, by their ids, one is in a book."""
        name = book.key
        others = [t for t in self._texts("places") if not t.endswith(f" {name}")]
        self._settings.setValue("places", [f"{site} {show} {name}", *others][:_MOST_PLACES])

    @property
    def theme(self) -> str:
        return str(self._settings.value("theme", "daylight"))

    @theme.setter
    def theme(self, name: str) -> None:
        self._settings.setValue("theme", name)

    @property
    def alarms(self) -> str:
        """What tells that somebody should look, as JSON."""
        return str(self._settings.value("alarms", "{}"))

    @alarms.setter
    def alarms(self, told: str) -> None:
        self._settings.setValue("alarms", told)

    @property
    def drills(self) -> dict[str, float]:
        """Seconds of the fastest right answer, by drill."""
        try:
            told = json.loads(str(self._settings.value("drills", "{}")))
            return {str(k): float(v) for k, v in told.items()}
        except (ValueError, TypeError, AttributeError):
            return {}

    @drills.setter
    def drills(self, best: dict[str, float]) -> None:
        self._settings.setValue("drills", json.dumps(best))

    @property
    def geometry(self) -> QByteArray | None:
        """Where the window stood, as Qt keeps it."""
        found = self._settings.value("window")
        return found if isinstance(found, QByteArray) else None

    @geometry.setter
    def geometry(self, stood: QByteArray) -> None:
        self._settings.setValue("window", stood)

    def _texts(self, key: str) -> list[str]:
        found = self._settings.value(key, [])
        return [found] if isinstance(found, str) else [str(x) for x in found or []]
