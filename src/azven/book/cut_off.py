"""A store of a book on a server that goes on while the server is away: its edits wait on this computer."""

from collections.abc import Mapping
from contextlib import suppress
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, TypeVar

from azven.book import history, others
from azven.book.author import Author
from azven.book.columns import LARGE
from azven.book.edits import BookError, Change, ConflictError, Edit, ForbiddenError, NeededError
from azven.book.engines import Away, Engine
from azven.book.holding import answer_after
from azven.book.records import Record, Trace
from azven.book.rows import with_ids
from azven.book.store import Store
from azven.book.waiting import Journal, Waiting, landed_again, landed_here, met_by_others, ours

R = TypeVar("R", bound=Record)
_IDS_AHEAD, _FEWEST_AHEAD = 1_000, 500
"""So many ids are reserved at a time, and again when so few are left, so that some are there without the server."""


class SharedStore(Store):
    """While the server is away, edits land on what is held here and wait in a journal. When it is back they are written
    in their order; one that meets a record that others have changed meanwhile stays in `collided` until it is settled.
    """

    def __init__(self, engine: Engine, by: Author | None, keeping: Path) -> None:
        super().__init__(engine, by)
        self._next_id = self._end_of_ids = 0
        try:
            self._journal: Journal | None = Journal(keeping, engine.place.key)
        except OSError:
            self._journal = None  # then edits are refused while the server is away

    def close(self) -> None:
        super().close()
        if self._journal is not None:
            self._journal.close()

    @property
    def goes_on(self) -> bool:
        return self._journal is not None

    @property
    def waiting(self) -> int:
        """How many edits are not in the book yet."""
        return len(self._journal.edits) if self._journal is not None else 0

    def _unwritten(self) -> list[Waiting]:
        known = {w.mark for w in self.collided}
        return [w for w in self._journal.edits if w.mark not in known] if self._journal is not None else []

    def _look_through(self, thorough: bool = False) -> None:
        super()._look_through(thorough)
        self._reserve_ahead()

    # -- while the server is away --------------------------------------------------------------------

    def reserve(self, n: int = 1) -> int:
        """As ever, from ids that were reserved ahead where there are enough."""
        self._only_reading()
        if self._end_of_ids - self._next_id < n:
            self._next_id = self._reserved(n + _IDS_AHEAD)
            self._end_of_ids = self._next_id + n + _IDS_AHEAD
        self._next_id += n
        return self._next_id - n

    def _reserve_ahead(self) -> None:
        if self._end_of_ids - self._next_id < _FEWEST_AHEAD:
            with suppress(BookError):
                self._may_write()
                self._next_id = self._reserved(_IDS_AHEAD)
                self._end_of_ids = self._next_id + _IDS_AHEAD

    def apply(self, edit: Edit) -> Edit:
        """As ever; while the server is away the edit lands here and waits. It is on disk when this returns."""
        self._only_reading()
        if self._journal is None:
            return super().apply(edit)
        if self.away_since is None:
            self._only_own(edit)
        mark = self._next_mark()
        try:
            if self._unwritten():
                self.catch_up()
            landed, number = self._written(edit, mark)
        except Away:
            return self._put_by(edit, mark)
        except ConflictError as conflict:
            self._explain(conflict)
            raise
        except BookError:
            if self.away_since is None or not self._unwritten():
                raise
            return self._put_by(edit, mark)
        return self._done(landed, number)

    def _put_by(self, edit: Edit, mark: str) -> Edit:
        assert self._journal is not None
        if unread := {c.kind for c in edit.changes} - self._read.keys() - set(LARGE):
            kinds = " or ".join(sorted(kind.__name__.lower() for kind in unread))
            raise BookError(
                f"{self.place} cannot be reached, and not every {kinds} was read before; “{edit.title}” was not done."
            )
        landed = landed_here(edit, self._read, self._journal.edits)
        if landed:
            self._journal.add(Waiting(mark, datetime.now(UTC), landed))
            self._take_over(landed)
            self._tell(landed)
        return landed

    def _asked(self, kind: type[R], where: Mapping[str, Any], start: int = 0, count: int | None = None) -> list[R]:
        """Bins that were kept while the server is away are found where they wait; of other large kinds what waits
        stands over what is in the book."""
        if kind is Trace and self._journal is not None:
            waiting = [c.after for w in self._journal.edits for c in w.edit.changes if isinstance(c.after, kind)]
            if found := [r for r in waiting if all(getattr(r, f) == v for f, v in where.items())]:
                return found
        return self._with_waiting(kind, where, super()._asked(kind, where, start, count), whole=count is None)

    def _with_waiting(self, kind: type[R], where: Mapping[str, Any], found: list[R], whole: bool) -> list[R]:
        """An answer of the server with what is not written yet; of a page no more than its own records."""
        changes = {c.record.id: c for w in self._unwritten() for c in w.edit.changes if c.kind is kind}
        if not changes or kind not in LARGE:
            return found
        if whole and not any(isinstance(v, list) for v in where.values()):
            return answer_after((kind, tuple(where.items())), found, changes)
        out: list[R] = []
        for one in found:
            change = changes.get(one.id)
            after = one if change is None else change.after
            if isinstance(after, kind):
                out.append(after)
        return out

    # -- when it is back -----------------------------------------------------------------------------

    def others_wrote(self) -> bool:
        news = super().others_wrote()
        if news and self.away_since is None:
            self._reserve_ahead()
        return news

    def catch_up(self) -> list[Edit]:
        """As ever; then what waits is written, as long as nobody else has touched the same records."""
        if not self._unwritten():
            return super().catch_up()
        before = self._read
        try:
            with self.told(), self._engine.reading():
                found = history.news(self._engine, self._seen)
                theirs = others.edits_of(self._engine, self._strange(found), before) if found else []
                self._read_anew(whole=True)
                self._seen = history.latest(self._engine)
            self._write_waiting()
        except BookError:
            if self._read is not before:
                self._land_again()
            raise
        finally:
            if self._read is not before:
                self._tell(self._different(before, "Back again"))
        return theirs

    def _land_again(self) -> None:
        """The book was read, and its server went before all was written: what is not written yet is still how it
        stands here."""
        for waiting in self._unwritten():
            with suppress(BookError):
                self._take_over(landed_again(_again(waiting.edit), self._read))

    def _write_waiting(self) -> None:
        assert self._journal is not None
        left, collided = list(self._journal.edits), []
        try:
            while left:
                if not self._write(left[0]):
                    collided.append(left[0])
                left.pop(0)
        except Away as away:
            raise BookError(f"{self.place} went away again; what is not written yet waits. {away}") from away
        finally:
            self.collided = tuple(collided)
            self._journal.keep([*collided, *left])

    def _write(self, waiting: Waiting) -> bool:
        """Write an edit that waits; False where it has to be settled by a person."""
        if history.landed(self._engine, waiting.mark):
            return True
        if met_by_others(waiting, self._now(waiting)):
            return False
        try:
            landed, number = self._written(_again(waiting.edit), waiting.mark)
        except (ConflictError, NeededError, ForbiddenError):
            return False
        self._take_over(landed)
        self._seen = number if number == self._seen + 1 else self._seen
        return True

    def _now(self, waiting: Waiting) -> dict[tuple[type[Record], int], Record]:
        """What is in the book of the records that a waiting edit touches."""
        kinds = {c.kind for c in waiting.edit.changes}
        numbers = {kind: {c.record.id for c in waiting.edit.changes if c.kind is kind} for kind in kinds}
        return {(kind, r.id): r for kind in kinds for r in with_ids(self._engine, kind, numbers[kind])}

    def theirs(self, waiting: Waiting) -> dict[tuple[type[Record], int], Record]:
        """What others have made of the records of an edit that collided; BookError while the server is away."""
        with self.told():
            return self._now(waiting)

    def settle(self, waiting: Waiting, mine: bool) -> Edit:
        """Give up an edit that collided, or with `mine` write its fields over what others have made of them. Returns
        the edit that this took; raises BookError when it cannot be written, and then it still waits."""
        assert self._journal is not None
        done = Edit(waiting.edit.title)
        if mine:
            done = self.apply(ours(waiting, self.theirs(waiting)))
        self.collided = tuple(w for w in self.collided if w is not waiting)
        self._journal.keep([w for w in self._journal.edits if w.mark != waiting.mark])
        return done


def _again(edit: Edit) -> Edit:
    """An edit that landed here, so that landing in the book gives it the same versions."""
    return replace(edit, changes=tuple(map(_unlanded, edit.changes)))


def _unlanded(change: Change) -> Change:
    if change.before is not None or change.after is None:
        return change
    return Change(None, replace(change.after, version=change.after.version - 1))
