"""What all screens share: the open book, undo, the selection, and derived pictures."""

from collections.abc import Callable
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from azven.book.edits import BookError, ConflictError, Edit, NeededError
from azven.book.records import (
    Act,
    Antenna,
    Assignment,
    Link,
    Model,
    Neighbour,
    Permit,
    Plan,
    Reception,
    Region,
    Relation,
    Show,
    Site,
    Sweep,
    Trace,
    Unit,
    Wall,
    Wideband,
    Worn,
    Zone,
)
from azven.book.store import Store
from azven.desk import faults
from azven.desk.band_view import BandView
from azven.desk.jobs import Jobs
from azven.desk.reading_on import ReadingOn
from azven.desk.theme import DAYLIGHT, Theme
from azven.work import chosen, ground, ids, kit, listen, plan
from azven.work.chosen import Chosen
from azven.work.desks import collisions
from azven.work.ground.hours import Clock
from azven.work.listen import Picture
from azven.work.plan import Board
from azven.work.register.following import with_assignments
from azven.work.scope import Scope, exists, opening

if TYPE_CHECKING:
    from azven.desk.prove.racks import RackDesk
    from azven.work.surroundings import OnOffer, Surroundings
    from azven.work.watch.night import Seen

_PICTURE_DEPENDS_ON = (Sweep, Trace, Neighbour, Region, Site)
_BOARD_DEPENDS_ON = (
    *_PICTURE_DEPENDS_ON, Act, Antenna, Assignment, Link, Model, Permit, Plan, Reception, Relation, Show, Unit, Wall,
    Wideband, Worn, Zone,
)  # fmt: skip
_AT_ONCE = 60
"""So many new sweeps are worked out while the window waits, more beside it."""
_JUDGED_AT_ONCE = 60
"""So many links are judged while the window waits, more beside it."""
_SWEEPS, JUDGING = "sweeps", "judging"
"""Names of the jobs of the session itself."""
_OTHERS_MS = 400
"""How often one looks whether another desk has changed the book."""


class Session(QObject):
    """The state of the window. Screens listen to its signals and call `do` to change the book.

    `edited` says that the book has changed, `judged`, which follows it, that the plan as it stands now is known.
    """

    edited = pyqtSignal()
    judged = pyqtSignal()
    moved = pyqtSignal()
    acted = pyqtSignal()
    selected = pyqtSignal()
    themed = pyqtSignal()
    said = pyqtSignal(str, bool)
    hinted = pyqtSignal(object)
    counted = pyqtSignal()
    """There are other cases to look at than before."""
    reached = pyqtSignal()
    """The server of the book has gone or come back, or other edits wait for it than before."""

    def __init__(
        self, store: Store, scope: Scope, venue: "Surroundings | None" = None, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self.store = store
        self.scope = scope
        self.venue = venue
        self.jobs = Jobs(self)
        self.undo = QUndoStack(self)
        self.selection: Chosen | None = None
        self.act: int | None = None
        self.theme: Theme = DAYLIGHT
        self._racks: RackDesk | None = None
        self.held: Callable[[], str] = str
        """What goes on between jobs and would end by going elsewhere, such as a timetable; empty for nothing."""
        self.wrong: dict[int, tuple[int, int]] = {}
        """How many things are wrong with a design, by its id: its version then, and the count."""
        self._picture: Picture | None = None
        self._board: Board | None = None
        self._before: Board | None = None
        self._links: frozenset[str] | None = None
        self.judging = self._judge_again = False
        """Whether the plan is being judged beside the window; `judged` will say when it is."""
        self._paused = False
        self.away_since: datetime | None = None
        """Since when the server of the book has been away; None when it is there."""
        self._unwritten = (0, 0)
        self.view = BandView(lambda: (self.store, self.scope), self)
        self.jobs.trouble.connect(lambda text: self.say(text, trouble=True))
        self.drops: Callable[[str, str], bool] = lambda title, why: False
        """Asks whether an undo step that others have overtaken is to be dropped; the window does."""
        store.listen(self._landed)
        store.say_where(scope.site, scope.show)
        self._watch = QTimer(self)
        self._watch.timeout.connect(self._look_at_others)
        self._watch.start(_OTHERS_MS)
        self._reading = ReadingOn(store, self)

    # -- derived -------------------------------------------------------------------------------------

    @property
    def picture(self) -> Picture:
        """What the sweeps say together, computed again when something it depends on has changed."""
        if self._picture is None:
            self._picture = listen.picture(self.store, self.scope, _AT_ONCE)
            if self._picture.waiting and not self._paused:
                QTimer.singleShot(0, self._work_out)  # somebody may be painting
        return self._picture

    def ready(self) -> bool:
        """Whether all sweeps in use have been worked out; if not, that is said, and it goes on."""
        waiting = self.picture.waiting
        if waiting:
            self.say(f"{waiting} sweeps are still being worked out; nothing is planned without them.", trouble=True)
            self._work_out()
        return not waiting

    def _work_out(self) -> None:
        if self.jobs.taken(_SWEEPS) or self.jobs.closed:
            return
        self._paused = False
        task = listen.WorkingOut(self.store, self.scope)

        def finish(job_stopped: bool) -> None:
            self._paused = job_stopped
            task.hand_over(self.store)
            self._picture = None
            self._judge_anew()
            self._tell()

        job = self.jobs.start("Working out the sweeps", task.run, lambda _: finish(job is not None and job.stopped),
                              lane=_SWEEPS)  # fmt: skip

    @property
    def board(self) -> Board:
        """The plan as it stands: what deeds act on."""
        if self._board is None:
            self._board = plan.board_from(self.store, self.scope, self.picture, self._before)
        return self._board

    @property
    def shown(self) -> Board:
        """The plan as screens paint it: the last one that is known, while the next is judged."""
        return self._board or self._before or self.board

    def still_holds(self, board: Board) -> bool:
        """Whether what was worked out from a board is true of what the screens show."""
        return not self.judging and self.shown.asks_the_same(board)

    def _judge_anew(self) -> None:
        self._before, self._board = self._board or self._before, None

    def _tell(self) -> None:
        """Say that the book has changed, and that the plan is judged once it is: beside the window where that takes
        longer than one should wait."""
        self.edited.emit()
        if self._board is not None or len(self.links) <= _JUDGED_AT_ONCE:
            self.judged.emit()
        else:
            self._judge()

    def _judge(self) -> None:
        """Judge the plan beside the window, once at a time: what changes meanwhile is judged after that."""
        if self.judging or self.jobs.closed:
            self._judge_again = self.judging
            return
        book, scope, picture, before = (
            self.store.snapshot(kit.units(self.store, self.scope)),
            self.scope,
            self.picture,
            self._before,
        )
        self.judging, self._judge_again = True, False

        def take(board: Board | None) -> None:
            self.judging = False
            if self._board is None and (self._judge_again or self.scope != scope):
                self._judge()
                return
            self._board = self._board or board
            self.judged.emit()

        job = self.jobs.quiet(JUDGING, lambda _: plan.board_from(book, scope, picture, before), take, after_ms=0)
        job.signals.failed.connect(lambda _: setattr(self, "judging", False))

    @property
    def links(self) -> frozenset[str]:
        """Ids of the links that take part in the plan."""
        if self._links is None:
            self._links = frozenset(ids.of(x) for x in kit.links(self.store, self.scope) if not x.set_aside)
        return self._links

    def now(self) -> datetime:
        return datetime.now(UTC)

    @property
    def clock(self) -> Clock:
        """The clock of the site, by which people here read and type times."""
        return ground.here(self.store, self.scope).clock

    def local_now(self) -> datetime:
        """What that clock shows now."""
        return self.now().astimezone(self.clock.tz)

    # -- where we are --------------------------------------------------------------------------------

    def go(self, scope: Scope) -> bool:
        """Go to another site and show of the book; not while something runs that would land in the wrong one."""
        running = [job.title for lane, job in self.jobs.visible.items() if lane != _SWEEPS]
        if held := self.held() or (f"“{running[-1]}”" if running else ""):
            self.say(f"{held} is still running here; stop it first.", trouble=True)
            return False
        if _SWEEPS in self.jobs.visible:
            self.jobs.visible[_SWEEPS].stop()
        try:
            kit.units(self.store, scope)
        except BookError as error:  # the server is away, and nobody has been there before
            self.say(str(error), trouble=True)
            return False
        if scope != self.scope:
            self._move(scope)
            self._tell()
        return True

    def _move(self, scope: Scope) -> None:
        self.scope, self.act, self._paused = scope, None, False
        self._picture = self._board = self._before = self._links = None
        self.jobs.unheard(but=JUDGING)
        self.select(None)
        self.view.begin()
        if self.venue is not None:
            self.venue.follow(scope)
        if self._racks is not None:
            self._racks.move()
        self.store.say_where(scope.site, scope.show)
        self.moved.emit()
        self.view.changed.emit()

    @property
    def surroundings(self) -> "Surroundings | None":
        """The simulated venue, where one is at the site in view."""
        return self.venue if self.venue is not None and self.venue.site == self.scope.site else None

    @property
    def racks(self) -> "RackDesk":
        """The racks that this window is connected to; made when they are first asked for."""
        if self._racks is None:
            from azven.desk.prove.racks import RackDesk

            self._racks = RackDesk(self)
        return self._racks

    @property
    def watched(self) -> "Seen | None":
        """How the watch in view stands; None before racks were looked at."""
        return self._racks.watch.seen if self._racks is not None else None

    @property
    def live(self) -> "Seen | None":
        """How the show stands live, whatever is played; None before racks were looked at."""
        return self._racks.watch.live.seen if self._racks is not None else None

    def instruments(self) -> "list[OnOffer]":
        """What can sweep for us: stand-ins of a demonstration, and channels of racks, once racks were looked at."""
        found = list(self.surroundings.instruments()) if self.surroundings is not None else []
        if self._racks is not None:
            from azven.work.prove import scanning

            found += scanning.offers(self._racks.here, self._racks.now)
        return found

    def firmware(self) -> dict[str, str]:
        """What racks say that they run, by their ids; nothing before racks were looked at."""
        return self._racks.here.firmware() if self._racks is not None else {}

    def unit_settings(self) -> dict[int, dict[str, Any]]:
        """How units are set, by the numbers of their links, as far as it was read."""
        if self._racks is None:
            return {}
        here, now = self._racks.here, self._racks.now
        return {number: told for number, key in now.keys.items() if (told := here.settings(key))}

    def choose_act(self, act: int | None) -> None:
        """Look at one act: what is not on in it is dimmed; None looks at all."""
        if act != self.act:
            self.act = act
            self.acted.emit()

    def is_on(self, link: Link) -> bool:
        """Whether a link is on in the act that is looked at."""
        return self.act is None or not link.acts or self.act in link.acts

    # -- editing -------------------------------------------------------------------------------------

    def do(self, make: Callable[[], Edit]) -> bool:
        """Make an edit and carry it out, undoable; trouble is said to the user. True when something changed."""
        try:
            edit = make()
            if not edit:
                return False
            landed = self.store.apply(with_assignments(self.store, edit, self.now()))
        except ConflictError as conflict:
            self.say(self._collision(conflict), trouble=True)
            return False
        except Exception as error:  # a refusal, or a fault of ours: either way nothing was written
            self.say(faults.sentence(error), trouble=True)
            return False
        if landed:
            self.undo.push(_Command(landed))
        return bool(landed)

    def _collision(self, conflict: ConflictError) -> str:
        return collisions.told(self.store, self.clock, conflict).sentence()

    def landed_late(self, landed: Edit) -> None:
        """An edit that has landed in another way than by `do`: it can be undone as well."""
        if landed:
            self.undo.push(_Command(landed))
        self._look_at_the_server()

    def step_back(self) -> None:
        """Take the last edit back."""
        command = self.undo.command(self.undo.index() - 1)
        if isinstance(command, _Command) and self._flip(command, "Undone"):
            self.undo.undo()

    def step_forward(self) -> None:
        """Carry out again what was taken back."""
        command = self.undo.command(self.undo.index())
        if isinstance(command, _Command) and self._flip(command, "Done again"):
            self.undo.redo()

    def _flip(self, command: "_Command", word: str) -> bool:
        try:
            command.flip(self.store)
        except (ConflictError, NeededError) as error:
            why = self._collision(error) if isinstance(error, ConflictError) else str(error)
            if not self.drops(command.text(), why):
                self.say(why, trouble=True)
                return False
            command.setObsolete(True)
            self.say(f"Dropped: {command.text()}. The steps before it can be undone.")
            return True
        except BookError as error:
            self.say(str(error), trouble=True)
            return False
        self.say(f"{word}: {command.text()}")
        return True

    def _landed(self, edit: Edit) -> None:
        kinds = edit.kinds
        if kinds & {Site, Show} and not exists(self.store, self.scope):
            self._move(opening(self.store))
        if self.act is not None and not self.store.all(Act, id=self.act):
            self.act = None
        own_lines = Assignment in kinds and any(r.own_on for r, _ in (self._picture.sweeps if self._picture else ()))
        if kinds & set(_PICTURE_DEPENDS_ON) or own_lines:
            self._picture = None
        if kinds & set(_BOARD_DEPENDS_ON) or self._picture is None:
            self._judge_anew()
        self._links = None
        if self._racks is not None:
            self._racks.forget()
        self.view.look_again()
        self._tell()

    # -- others --------------------------------------------------------------------------------------

    def _look_at_others(self) -> None:
        """Take over what other desks have changed, and notice when the server goes and comes."""
        self._look_at_the_server()
        if not self.store.others_wrote():
            return
        try:
            edits = self.store.catch_up()
        except BookError:
            return  # the server has just gone; one looks again
        if edits:
            more = f" and {len(edits) - 1} more" if len(edits) > 1 else ""
            self.say(f"{edits[-1].by}: {edits[-1].title}{more}")
        self._look_at_the_server()

    def _look_at_the_server(self) -> None:
        unwritten = self.store.waiting, len(self.store.collided)
        if (self.store.away_since, unwritten) != (self.away_since, self._unwritten):
            self.away_since, self._unwritten = self.store.away_since, unwritten
            self.reached.emit()

    def rest(self) -> None:
        """Look and read no more, and let go of the racks: the book is being closed."""
        self._watch.stop()
        self._reading.stop()
        if self._racks is not None:
            self._racks.stop()

    # -- telling -------------------------------------------------------------------------------------

    def say(self, text: str, trouble: bool = False) -> None:
        """One line for the user."""
        self.said.emit(text, trouble)

    def select(self, what: Chosen | None) -> None:
        if what != self.selection:
            self.selection = what
            self._show_band_of(what)
            self.selected.emit()

    def _show_band_of(self, what: Chosen | None) -> None:
        """What is selected is to be seen: its band comes into view."""
        if isinstance(what, chosen.Link) and len(self.view.bands) > 1:
            link = next((x for x in kit.links(self.store, self.scope) if ids.of(x) == what.id), None)
            if link is not None:
                self.view.bring_in(link)

    @property
    def link_id(self) -> str | None:
        """Id of the selected link, if it is one of the plan."""
        found = self.selection
        return found.id if isinstance(found, chosen.Link) and found.id in self.links else None

    def set_theme(self, theme: Theme) -> None:
        self.theme = theme
        self.themed.emit()


class _Command(QUndoCommand):
    """An edit on the undo stack. The session flips it before the stack moves, so that a failure moves nothing."""

    def __init__(self, landed: Edit) -> None:
        super().__init__(landed.title)
        self._landed = landed

    def flip(self, store: Store) -> None:
        """Write the opposite of what was written last."""
        self._landed = store.apply(self._landed.inverse())
