"""Plan: from what the book knows to a coordination, and back into the book."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime

from azven.book.edits import Change, Edit, add, replace_record
from azven.book.reading import Reading
from azven.book.records import Assignment, KeptPlan, Link, Record
from azven.book.records import Plan as PlanRecord
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf import coordinate as rf
from azven.rf import schools
from azven.rf.density import STEPS
from azven.rf.products import Situation
from azven.rf.schools import LevelJudge, School
from azven.rf.verdict import harmed_by, margins
from azven.work import ground, ids, kit, listen
from azven.work.listen import Picture
from azven.work.plan import history
from azven.work.plan.history import SCHOOL_WORDS, Changed, fingerprint, keep, plan_record
from azven.work.plan.input import PlanInput, input_for, on_one_group, same_question
from azven.work.plan.verdicts import TIGHT_DB, Trial, Verdict, shared_verdicts, try_in_shared
from azven.work.scope import Scope

Progress = Callable[[int, int], bool]
TIGHT_HZ = 12_500
_LEVELS_WHILE_DRAGGING = 80


_UNKNOWN = rf.Ceiling()


@dataclass(frozen=True)
class Board:
    """The plan as it stands: input, frequencies by link id, verdicts in order of importance."""

    input: PlanInput
    frequencies: Mapping[str, int]
    verdicts: tuple[Verdict, ...]
    locked: frozenset[str]
    changed: tuple[Changed, ...] = ()
    ceiling: rf.Ceiling = _UNKNOWN
    """How many links can be placed at most, where some are missing and that is known without a search."""

    @property
    def narrow(self) -> dict[str, int]:
        """Frequencies of the links that are coordinated, without those of shared bands."""
        return {k: f for k, f in self.frequencies.items() if k not in self.input.shared}

    @property
    def stale(self) -> tuple[str, ...]:
        """Kinds of things that have changed since the plan was made."""
        return tuple(dict.fromkeys(c.kinds() for c in self.changed))

    def asks_the_same(self, other: "Board") -> bool:
        """Whether all that a search or a judgement depends on stands here as it stands there."""
        alike = self.frequencies == other.frequencies and self.locked == other.locked
        return alike and same_question(self.input, other.input)

    def verdict(self, link_id: str) -> Verdict:
        return next(v for v in self.verdicts if v.id == link_id)

    def count(self, *states: str) -> int:
        return sum(v.state in states for v in self.verdicts)


# -- how the plan stands -------------------------------------------------------------------------------


def assignments(store: Reading, scope: Scope) -> dict[int, Assignment]:
    """Assignments of the show's plan by link id."""
    plan = plan_record(store, scope)
    return {a.link_id: a for a in store.all(Assignment, plan_id=plan.id)} if plan else {}


def board_of(store: Store, scope: Scope, picture: Picture | None = None) -> Board:
    """The plan as it stands in the book, judged exactly."""
    return board_from(store, scope, picture or listen.picture(store, scope))


def board_from(store: Reading, scope: Scope, picture: Picture, before: Board | None = None) -> Board:
    """The plan as it stands in the book, judged exactly; what was judged `before` still holds where nothing that it
    depends on has changed."""
    asked = input_for(store, scope, picture)
    placed = assignments(store, scope)
    frequencies = {k: placed[x.id].freq_hz for k, x in asked.links.items() if x.id in placed}
    found = on_one_group(asked, frequencies)
    locked = frozenset(k for k, x in found.links.items() if x.id in placed and placed[x.id].locked)
    changed = history.changed(store, scope)
    if before is None or frequencies != before.frequencies or not same_question(found, before.input):
        board = judge(found, frequencies, locked, changed)
        return replace(board, ceiling=_ceiling(board))
    verdicts = (replace(v, link=found.links[v.id], locked=v.id in locked) for v in before.verdicts)
    return Board(found, frequencies, tuple(verdicts), locked, changed, before.ceiling)


def _ceiling(board: Board) -> rf.Ceiling:
    asked = board.input.school == "spacing" and not board.count("broken")
    asked = asked and any(v.state == "unplaced" and v.id not in board.input.shared for v in board.verdicts)
    asked = asked and not board.input.group_sets  # another group might hold more
    return rf.ceiling_of(board.input.request, board.narrow) if asked else _UNKNOWN


def judge(
    found: PlanInput,
    frequencies: Mapping[str, int],
    locked: frozenset[str] = frozenset(),
    changed: tuple[Changed, ...] = (),
) -> Board:
    """Verdicts on `frequencies` (link id → Hz)."""
    request = found.request
    narrow = {k: f for k, f in frequencies.items() if k not in found.shared}
    situation = Situation(rf.carriers_of(request, narrow), request.profiles, request.relations)
    known = margins(situation)
    faults = {fault.id: fault.words() for fault in rf.tuning_faults(request, narrow)}
    by_level = _by_level(found, frequencies) if found.school != "spacing" else None
    verdicts = []
    shared = shared_verdicts(found, frequencies, locked)
    for key, link in found.links.items():
        freq = frequencies.get(key)
        if key in shared:
            verdicts.append(shared[key])
            continue
        if freq is None:
            verdicts.append(Verdict(link=link, state="unplaced"))
            continue
        margin, fault = known[key], faults.get(key, "")
        verdict = Verdict(
            link=link,
            state=_state(margin.margin_hz, fault),
            freq_hz=freq,
            margin_hz=margin.margin_hz,
            limit=margin.limit,
            locked=key in locked,
            fault=fault,
        )
        verdicts.append(verdict if by_level is None else by_level.judge(key, verdict, found.school))
    return Board(found, dict(frequencies), tuple(verdicts), locked, changed)


def _state(margin_hz: int | None, fault: str) -> str:
    if fault or (margin_hz is not None and margin_hz < 0):
        return "broken"
    return "tight" if margin_hz is not None and margin_hz < TIGHT_HZ else "sound"


@dataclass(frozen=True)
class _ByLevel:
    """The plan by level: who is broken in the school, and every link's standing."""

    broken: set[str]
    judge_: LevelJudge

    def judge(self, link_id: str, verdict: Verdict, school: School) -> Verdict:
        standing = self.judge_.standing(link_id)
        if verdict.fault or link_id in self.broken:
            return replace(verdict, state="broken", level=standing)
        below = verdict.margin_hz is not None and verdict.margin_hz < 0
        tight = standing.spare_db < TIGHT_DB or (verdict.state == "tight" and school == "both")
        return replace(verdict, state="tight" if tight else "sound", level=standing, excused=below)


def _by_level(found: PlanInput, frequencies: Mapping[str, int]) -> _ByLevel:
    carriers = rf.carriers_of(found.request, dict(frequencies))
    radios, rooms = found.levels.radios, found.levels.rooms
    judge = LevelJudge(found.request, carriers, radios, rooms)
    return _ByLevel(schools.broken(found.request, carriers, radios, rooms, found.school, judge=judge), judge)


def try_at(now: Board, link_id: str, freq_hz: int) -> Trial:
    """Judge one link at another frequency, everything else as it stands."""
    if link_id in now.input.shared:
        states = {v.id: v.state for v in now.verdicts}
        return try_in_shared(now.input, now.frequencies, states, link_id, freq_hz)
    request = now.input.request
    frequencies = dict(now.frequencies) | {link_id: freq_hz}
    situation = Situation(rf.carriers_of(request, frequencies), request.profiles, request.relations)
    harmed = harmed_by(situation, link_id)
    margin = margins(situation, only=[link_id])[link_id]
    if now.input.school != "spacing" and len(frequencies) <= _LEVELS_WHILE_DRAGGING:
        here = _by_level(now.input, frequencies)
        before = {v.id for v in now.verdicts if v.state == "broken" and v.id != link_id}
        harmed = here.broken - before
        if link_id not in harmed:
            margin = replace(margin, margin_hz=max(margin.margin_hz or 0, 0))
    order = [link_id, *sorted(harmed - {link_id})]
    breaks = {k: now.input.name(k) for k in order if k in harmed}
    return Trial(freq_hz, margin.margin_hz, margin.limit, _fault_at(now.input, link_id, freq_hz), breaks)


def _fault_at(found: PlanInput, link_id: str, freq_hz: int) -> str:
    """Why a link may not stand at a frequency, empty where it may."""
    fault = next(iter(rf.tuning_faults(found.request, {link_id: freq_hz})), None)
    if fault is None:
        return ""
    return next((b.text for b in found.bars[link_id] if b.low_hz <= freq_hz < b.high_hz), fault.words())


def nearest_step(found: PlanInput, link_id: str, freq_hz: float) -> int:
    """The step of a link nearest to a frequency, inside its tuning band."""
    wish = found.wish(link_id)
    seat = found.shared.request.seat(link_id)
    if seat is not None and seat.centres:
        return min(seat.centres, key=lambda f: abs(f - freq_hz))
    band = wish.ranges[0]
    first = -(-(band.low_hz - wish.origin_hz) // wish.step_hz)
    last = (band.high_hz - wish.origin_hz) // wish.step_hz
    k = round((freq_hz - wish.origin_hz) / wish.step_hz)
    return wish.origin_hz + max(first, min(last, k)) * wish.step_hz


def adopt(store: Store, scope: Scope, found: rf.Plan, title: str, keep: Mapping[str, int] | None = None) -> Edit:
    """The edit that makes a coordination the plan of the show. `keep`: locked frequencies, which stay."""
    frequencies = dict(keep or {}) | {a.id: a.freq_hz for a in found.assignments}
    return set_frequencies(store, scope, frequencies, title, complete=True)


def set_frequencies(
    store: Store, scope: Scope, frequencies: Mapping[str, int], title: str, complete: bool = False,
    coming: Sequence[Record] = (),
) -> Edit:  # fmt: skip
    """Give links (by id) frequencies [Hz]; with `complete`, links not named lose theirs.

    `coming` records are about to be added or changed in the same edit.
    """
    by_id = {ids.of(x): x for x in [*kit.links(store, scope), *(r for r in coming if isinstance(r, Link))]}
    placed = assignments(store, scope)
    changes: list[Change] = []
    plan = plan_record(store, scope)
    inputs = fingerprint(store, scope, coming) if plan is None or complete else {}
    now = PlanRecord(show_id=scope.show, name="Plan", made_at=datetime.now(UTC), inputs=inputs)
    if plan is None:
        plan = replace(now, id=store.reserve())
        changes += add(plan)
    elif complete:
        changes += replace_record(plan, replace(plan, made_at=now.made_at, inputs=now.inputs))
    fresh = [k for k in frequencies if by_id[k].id not in placed]
    first = store.reserve(len(fresh)) if fresh else 0
    for i, key in enumerate(fresh):
        changes += add(Assignment(id=first + i, plan_id=plan.id, link_id=by_id[key].id, freq_hz=frequencies[key]))
    for key, link in by_id.items():
        old = placed.get(link.id)
        if old is None:
            continue
        if key in frequencies:
            changes += replace_record(old, replace(old, freq_hz=frequencies[key]))
        elif complete:
            changes.append(Change(old, None))
    if complete:
        changes += keep(store, scope, title, frequencies, inputs)
    return Edit(title, tuple(changes), tuple(by_id[k].id for k in frequencies) if len(frequencies) == 1 else ())


def moved(store: Reading, scope: Scope, frequencies: Mapping[str, int], title: str) -> Edit:
    """Other frequencies [Hz] for links (by id) that have one."""
    placed = {ids.key(Link, n): a for n, a in assignments(store, scope).items()}
    changes: list[Change] = []
    for key, freq_hz in frequencies.items():
        changes += replace_record(placed[key], replace(placed[key], freq_hz=freq_hz))
    return Edit(title, tuple(changes), tuple(placed[k].link_id for k in frequencies) if len(frequencies) == 1 else ())


def lock(store: Reading, scope: Scope, link: Link, locked: bool) -> Edit:
    """Hold a link where it is, or let it go; Refusal when it has no frequency."""
    placed = assignments(store, scope).get(link.id)
    if placed is None:
        raise Refusal(f"{link.name} has no frequency to lock.")
    title = f"{'Lock' if locked else 'Unlock'} {link.name}"
    return Edit(title, replace_record(placed, replace(placed, locked=locked)), (link.id,))


def set_density(store: Reading, scope: Scope, step: int) -> Edit:
    show = ground.here(store, scope).show
    return Edit(f"Density: {STEPS[step].name}", replace_record(show, replace(show, density=step)))


def set_school(store: Reading, scope: Scope, school: School) -> Edit:
    """Judge and plan by spacing, by level, or by spacing with what is harmless excused."""
    show = ground.here(store, scope).show
    return Edit(f"Judge {SCHOOL_WORDS[school]}", replace_record(show, replace(show, school=school)))


def go_back_to(store: Store, scope: Scope, kept: KeptPlan) -> Edit:
    """The edit that makes a kept plan the plan of the show again; links that are gone stay gone."""
    known = {ids.of(x) for x in kit.links(store, scope)}
    frequencies = {k: f for k, f in kept.frequencies.items() if k in known}
    return set_frequencies(store, scope, frequencies, f"Back to {kept.title}", complete=True)
