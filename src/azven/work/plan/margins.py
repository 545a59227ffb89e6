"""Margins: which links are tightest, who does most harm, which kinds set the limits, and the schools side by side."""

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from azven.rf import coordinate as rf
from azven.rf.products import Situation
from azven.rf.verdict import margins
from azven.work import plan
from azven.work.plan.board import Board
from azven.work.plan.input import PlanInput
from azven.work.plan.verdicts import Verdict
from azven.work.reasons import always
from azven.work.wording import formula

_TRIED = 3


@dataclass(frozen=True, kw_only=True)
class Row:
    """A link, by its id in the plan, in all schools: margin [Hz] and what sets it; ratio and need [dB]; its state by
    spacing and by level."""

    id: str
    name: str
    freq_hz: int
    margin_hz: int | None
    kind: str
    set_by: str
    ratio_db: float
    needed_db: float
    by_spacing: str
    by_level: str
    worst: str

    @property
    def schools(self) -> str:
        """Where the schools differ, in words."""
        if self.by_spacing == "broken" and self.by_level != "broken":
            return "excused"
        if self.by_level == "broken" and self.by_spacing != "broken":
            return "level only"
        return ""


def rows(spacing: Board, level: Board) -> list[Row]:
    """Every placed link as judged by spacing and by level, the tightest by spacing first."""
    out = []
    for v in spacing.verdicts:
        other = level.verdict(v.id)
        if v.freq_hz is not None and other.level is not None:
            out.append(_row(v, other, spacing.input.name))
    return sorted(out, key=lambda r: (r.margin_hz is None, r.margin_hz or 0))


def _row(v: Verdict, other: Verdict, name: Callable[[str], str]) -> Row:
    limit, standing = v.limit, other.level
    assert standing is not None
    worst = standing.worst
    return Row(
        id=v.id,
        name=name(v.id),
        freq_hz=v.freq_hz or 0,
        margin_hz=v.margin_hz,
        kind=limit.kind if limit else "",
        set_by=", ".join(name(s) for s in limit.sources) if limit else "nothing near",
        ratio_db=standing.ratio_db,
        needed_db=standing.needed_db,
        by_spacing=v.state,
        by_level=other.state,
        worst=f"{formula(worst.kind)} of {', '.join(name(s) for s in worst.sources)}" if worst else "",
    )


def judged_both_ways(asked: PlanInput, now: Board) -> tuple[Board, Board]:
    """The plan as it stands, by spacing and by level."""
    return (
        plan.judge(replace(asked, school="spacing"), now.frequencies, now.locked),
        plan.judge(replace(asked, school="level"), now.frequencies, now.locked),
    )


def in_words(found: Sequence[Row]) -> str:
    """The difference between the schools, for the plan as it stands."""
    excused = [r.name for r in found if r.schools == "excused"]
    danger = [r.name for r in found if r.schools == "level only"]
    if not excused and not danger:
        return "Both schools agree on every link of this plan."
    parts = []
    if excused:
        parts.append(f"levels excuse {len(excused)} that spacing calls broken ({_some(excused)})")
    if danger:
        parts.append(f"levels see {len(danger)} in danger that spacing passes ({_some(danger)})")
    return "The schools differ: " + "; ".join(parts) + "."


def _some(names: Sequence[str]) -> str:
    return ", ".join(names[:3]) + ("" if len(names) <= 3 else f" and {len(names) - 3} more")


def limits_by_kind(now: Board) -> str:
    """Which kinds set the margins."""
    kinds = Counter(v.limit.kind for v in now.verdicts if v.limit is not None)
    if not kinds:
        return "Nothing limits any link."
    return "Margins are set by " + ", ".join(f"{formula(kind)} ({n})" for kind, n in kinds.most_common()) + "."


@dataclass(frozen=True)
class Harm:
    """What the plan would gain without one carrier: links whose margin grows, and the tightest margin [Hz] then."""

    name: str
    limits: int
    gaining: int
    tightest_hz: int | None
    tightest_without_hz: int | None

    def sentence(self) -> str:
        def words(hz: int | None) -> str:
            return "no limit" if hz is None else f"{hz / 1e3:g} kHz".replace("-", "−")

        return (
            f"{self.name} takes part in {self.limits} of the limits, more than any other. Without it {self.gaining} "
            f"links gain margin; the tightest goes from {words(self.tightest_hz)} to {words(self.tightest_without_hz)}."
        )


def most_harmful(now: Board, progress: plan.Progress = always) -> Harm | None:
    """The carrier that takes part in most limits, with what leaving it out would gain; None when nothing limits."""
    sources = Counter(s for v in now.verdicts if v.limit is not None for s in v.limit.sources)
    best: Harm | None = None
    for i, (carrier, times) in enumerate(sources.most_common(_TRIED)):
        if not progress(i, _TRIED):
            break
        harm = _without(now, carrier, times)
        if best is None or (harm.limits, harm.gaining) > (best.limits, best.gaining):
            best = harm
    return best


def _without(now: Board, carrier: str, times: int) -> Harm:
    request = now.input.request
    rest = [c for c in rf.carriers_of(request, dict(now.frequencies)) if c.id != carrier]
    found = margins(Situation(rest, request.profiles, request.relations))
    then = {v.id: v.margin_hz for v in now.verdicts if v.freq_hz is not None and v.shared is None and v.id != carrier}
    now_hz = {k: found[k].margin_hz for k in then}
    gaining = sum(hz is not None and (now_hz[k] is None or (now_hz[k] or 0) > hz) for k, hz in then.items())
    before = [hz for hz in then.values() if hz is not None]
    bounded = [hz for hz in now_hz.values() if hz is not None]
    name = now.input.name(carrier)
    return Harm(name, times, gaining, min(before, default=None), min(bounded, default=None))
