"""A thread that listens at a PostgreSQL server for the edits of others, and notices when the server goes and comes."""

import logging
import threading
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

import psycopg

from azven.refusal import Refusal

_LISTENS_S = 0.25
_ASKS_AFTER = 16
"""After so many quiet turns the server is asked for a sign of life."""
_WAITS_S = (0.2, 0.4, 0.8, 1.5)
"""Between attempts to reach a server that is gone; the last for all further ones."""


class Watcher(threading.Thread):
    """Listens on a connection of its own until it is closed."""

    def __init__(self, connect: Callable[[], Any], channel: str) -> None:
        super().__init__(name="azven-watcher", daemon=True)
        self._connect = connect
        self._channel = channel
        self._news = threading.Event()
        self._closed = threading.Event()
        self.away_since: datetime | None = None
        """Since when the server has not answered; None while it does."""

    def heard(self) -> bool:
        """Whether anything was heard since this was last asked; also after each time that the server came back."""
        news = self._news.is_set()
        self._news.clear()
        return news

    def lost(self) -> None:
        """Somebody else has noticed that the server is gone."""
        self.away_since = self.away_since or datetime.now(UTC)

    def close(self) -> None:
        self._closed.set()

    def run(self) -> None:
        tried = 0
        while not self._closed.is_set():
            try:
                with self._connect() as connection:
                    tried = 0
                    self._listen(connection)
            except (psycopg.Error, Refusal, OSError):
                self.lost()
            except Exception:
                logging.getLogger(__name__).exception("the watcher of a book has failed")
                self.lost()
            self._closed.wait(_WAITS_S[min(tried, len(_WAITS_S) - 1)])
            tried += 1

    def _listen(self, connection: Any) -> None:
        connection.autocommit = True
        connection.execute(f"LISTEN {self._channel}")
        self.away_since = None
        self._news.set()
        quiet = 0
        while not self._closed.is_set():
            quiet += 1
            for _ in connection.notifies(timeout=_LISTENS_S, stop_after=1):
                self._news.set()
                quiet = 0
            if quiet >= _ASKS_AFTER:
                connection.execute("SELECT 1")
                quiet = 0
            if self.away_since is not None:
                connection.execute("SELECT 1")
                self.away_since = None
                self._news.set()
