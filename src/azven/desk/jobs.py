"""Long work off the GUI thread: a pure call with progress and Stop, answered back on the GUI thread."""

from collections.abc import Callable, Mapping
from concurrent import futures
from typing import Any, TypeVar

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from azven.desk import faults

_SETTLE_MS = 60
"""A job waits this long, so that what it would compete with is painted first."""

_WORKERS = 128
"""So many jobs at once, each instrument that sweeps being one; threads are made as they are needed."""
_MAIN = "main"
_CLOSING_S = 2.0
"""Closing the window waits no longer than this."""

Progress = Callable[[int, int], bool]
Work = Callable[[Progress], Any]
T = TypeVar("T")


class _Signals(QObject):
    done = pyqtSignal(object)
    failed = pyqtSignal(object)
    progress = pyqtSignal(int, int)
    part = pyqtSignal(object)


class Job:
    """One piece of work. `tell(part)` may be called from inside it to hand over what is ready so far."""

    def __init__(self, title: str, work: Work) -> None:
        self.title = title
        self.signals = _Signals()
        self._work = work
        self._stopped = False
        self._lets_go: list[Callable[[], None]] = []

    def stop(self) -> None:
        """Ask the work to end; it answers with what it has. What it waits for is let go of at once."""
        self._stopped = True
        while self._lets_go:
            self._lets_go.pop()()

    def on_stop(self, let_go: Callable[[], None]) -> None:
        """Have something let go of when the work is stopped, now if it is already; called from inside the work."""
        self._lets_go.append(let_go)
        if self._stopped:
            self.stop()

    @property
    def stopped(self) -> bool:
        return self._stopped

    def tell(self, part: object) -> None:
        self.signals.part.emit(part)

    def _progress(self, done: int, total: int) -> bool:
        self.signals.progress.emit(done, total)
        return not self._stopped

    def run(self) -> None:
        try:
            result = self._work(self._progress)
        except Exception as error:  # handed to the GUI thread, which knows what to say
            self.signals.failed.emit(error)
        else:
            self.signals.done.emit(result)


class Jobs(QObject):
    """Runs visible jobs, one in each lane, and quiet ones beside them of which only the newest of a name counts.

    The main lane is for what answers with an edit of the plan or reads a file; every instrument has a lane of its own.
    Progress is told of the visible job that began last, and Stop stops that one.
    """

    started = pyqtSignal(str)
    progressed = pyqtSignal(int, int)
    noted = pyqtSignal(str)
    ended = pyqtSignal()
    trouble = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = futures.ThreadPoolExecutor(_WORKERS, "azven job")
        self._running: set[Job] = set()
        self._submitted: set[futures.Future[None]] = set()
        self._closed = False
        self._visible: dict[str, Job] = {}
        self._quiet: dict[str, Job] = {}

    @property
    def busy(self) -> bool:
        """Whether the main lane is taken."""
        return _MAIN in self._visible

    def taken(self, lane: str) -> bool:
        """Whether something visible is running in a lane."""
        return lane in self._visible

    @property
    def visible(self) -> Mapping[str, Job]:
        """The visible jobs by their lanes, the one that began last at the end."""
        return self._visible

    @property
    def shown(self) -> Job | None:
        """The visible job that began last."""
        return next(reversed(self._visible.values()), None)

    @property
    def closed(self) -> bool:
        """Whether nothing will run any more."""
        return self._closed

    @property
    def idle(self) -> bool:
        """Whether nothing at all is running."""
        return not self._running

    def start(
        self,
        title: str,
        work: Work,
        done: Callable[[Any], None],
        part: Callable[[Any], None] | None = None,
        lane: str = _MAIN,
        ended: Callable[[], None] | None = None,
    ) -> Job | None:
        """Run `work` with progress shown; None when something else is running in its lane. `ended` is called first,
        whatever came of it."""
        if lane in self._visible:
            self.trouble.emit(f"“{self._visible[lane].title}” is still running; stop it first.")
            return None
        job = self._visible[lane] = Job(title, work)
        job.signals.progress.connect(lambda *share: self._progress(job, *share))
        job.signals.done.connect(lambda result: self._finish(lane, lambda: done(result)))
        job.signals.failed.connect(lambda error: self._finish(lane, lambda: self._say(error)))
        if part is not None:
            job.signals.part.connect(part)
        if ended is not None:
            job.signals.done.connect(ended)
            job.signals.failed.connect(ended)
        self.started.emit(title)
        self._go(job)
        return job

    def quiet(self, name: str, work: Work, done: Callable[[Any], None], after_ms: int = _SETTLE_MS) -> Job:
        """Run `work` unseen; a newer job of the same name makes this one's answer worthless."""
        old = self._quiet.get(name)
        if old is not None:
            old.stop()
        job = self._quiet[name] = Job(name, work)
        job.signals.done.connect(lambda result: self._settle(name, job, lambda: done(result)))
        job.signals.failed.connect(lambda error: self._settle(name, job, lambda: self._say(error)))
        self._go(job, after_ms)
        return job

    def unheard(self, but: str) -> None:
        """Stop all quiet jobs but one, and hear no answer of theirs: whoever asked is gone."""
        for name in [n for n in self._quiet if n != but]:
            self._quiet.pop(name).stop()

    def _go(self, job: Job, after_ms: int = _SETTLE_MS) -> None:
        """Run a job; it is held until its answer has been dealt with. After `wait` nothing is run any more, nor
        what a newer quiet job made worthless before it began."""
        if self._closed:
            return
        self._running.add(job)
        job.signals.done.connect(lambda _: self._running.discard(job))
        job.signals.failed.connect(lambda _: self._running.discard(job))
        QTimer.singleShot(after_ms, lambda: self._submit(job))

    def _submit(self, job: Job) -> None:
        if job.stopped and job not in self._visible.values():
            self._running.discard(job)
        elif not self._closed:
            future = self._pool.submit(job.run)
            self._submitted.add(future)
            future.add_done_callback(self._submitted.discard)

    def stop(self) -> None:
        if self.shown is not None:
            self.shown.stop()

    def note(self, text: str) -> None:
        """A few words beside the progress of the visible job."""
        self.noted.emit(text)

    def wait(self, seconds: float = _CLOSING_S) -> bool:
        """Stop everything and wait for it, so long at most; for closing the window. Whether all of it has ended."""
        self._closed = True
        for job in self._running:
            job.stop()
        self._pool.shutdown(wait=False, cancel_futures=True)
        return not futures.wait(self._submitted, seconds).not_done

    def _progress(self, job: Job, done: int, total: int) -> None:
        if job is self.shown:
            self.progressed.emit(done, total)

    def _finish(self, lane: str, answer: Callable[[], None]) -> None:
        del self._visible[lane]
        self.ended.emit()
        if self.shown is not None:
            self.started.emit(self.shown.title)
        answer()

    def _settle(self, name: str, job: Job, answer: Callable[[], None]) -> None:
        if self._quiet.get(name) is job:
            del self._quiet[name]
            if not self._closed:  # whoever asked is gone
                answer()

    def _say(self, error: Exception) -> None:
        self.trouble.emit(faults.sentence(error))
