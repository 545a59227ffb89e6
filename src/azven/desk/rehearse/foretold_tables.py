"""Tables of a rehearsal: what each link is foretold, what comes again, and what was tried against the worst of it."""

from dataclasses import dataclass

from azven.desk.tables import Column
from azven.rf.rehearse.foretold import Foretold, Spread, Trouble
from azven.work.rehearse.helping import Helped, Tried
from azven.work.watch import said


@dataclass(frozen=True)
class LinkRow:
    """A link in the act, with what is foretold of it beside."""

    id: int
    foretold: Foretold
    other: Foretold | None = None


@dataclass(frozen=True)
class TroubleRow:
    id: int
    trouble: Trouble


@dataclass(frozen=True)
class TriedRow:
    """Something that was tried against an incident; nothing where nobody knew an idea."""

    id: int
    trouble: Trouble
    tried: Tried | None


def tried_rows(found: list[Helped]) -> list[TriedRow]:
    rows = [(h.trouble, t) for h in found for t in (h.tried or (None,))]
    return [TriedRow(k, trouble, tried) for k, (trouble, tried) in enumerate(rows)]


def link_columns(beside: str) -> list[Column]:
    """The third is of the rehearsal beside, by its name."""
    return [
        Column(title="Link", width=150, show=lambda r: r.foretold.link, mark=_worse,
               hint="Marked where it is worse than what is beside it is in nine runs of ten"),
        Column(title="Lost, s", width=60, show=lambda r: seconds(r.foretold.dropout_s.p50), right=True,
               hint="Seconds without sound in the act, in the middle of the runs"),
        Column(title="from … to", width=96, show=lambda r: _spread(r.foretold.dropout_s), right=True,
               hint="Leaving out the best and the worst tenth of the runs"),
        Column(title="Beside, s", width=80, show=_other, right=True,
               hint=f"The same in {beside or 'what is beside it'}"),
        Column(title="Worst", width=260, show=_worst, prose=True,
               hint="The longest loss of all runs; before it, when its battery ends and in how many runs"),
    ]  # fmt: skip


BESIDE = 3
"""Which of them is that."""


def seconds(value: float) -> str:
    return "0" if value == 0 else f"{value:.1f}" if value < 10 else f"{value:.0f}"


def _other(row: LinkRow) -> str:
    return seconds(row.other.dropout_s.p50) if row.other is not None else ""


def _worse(row: LinkRow) -> str:
    """Worse beyond what runs differ by anyhow."""
    if row.other is None:
        return ""
    return "tight" if row.foretold.dropout_s.p50 > row.other.dropout_s.p90 else ""


def _spread(spread: Spread) -> str:
    return f"{seconds(spread.p10)} … {seconds(spread.p90)}" if spread.p90 > 0 else ""


def _worst(row: LinkRow) -> str:
    ends, parts = row.foretold.battery_end_s, []
    if ends is not None:
        parts.append(f"battery ends at {minute(ends.p50)} in {100 * row.foretold.battery_share:.0f} %")
    if row.foretold.worst:
        worst = row.foretold.worst[0]
        parts.append(f"{seconds(worst.seconds)} s at {minute(worst.at_s)}: {said.of_cause(worst.cause)}")
    return " · ".join(parts)


def minute(at_s: float) -> str:
    return f"{int(at_s // 60)}:{int(at_s % 60):02d}"


def trouble_columns() -> list[Column]:
    return [
        Column(title="Lost, s", width=60, show=lambda r: seconds(r.trouble.lost_s), right=True,
               hint="Seconds without sound of its links, in the mean of all runs"),
        Column(title="Runs", width=64, show=lambda r: f"{100 * r.trouble.share:.0f} %", right=True,
               hint="In so many of the runs it came"),
        Column(title="At", width=64, show=lambda r: minute(r.trouble.incident.from_s), right=True,
               hint="Minutes and seconds of the act"),
        Column(title="Who", width=150, show=lambda r: said.who_of(r.trouble.incident)),
        Column(title="What", width=300, show=lambda r: said.what_of(r.trouble.incident), prose=True),
    ]  # fmt: skip


def tried_columns() -> list[Column]:
    return [
        Column(title="Against", width=140, show=lambda r: said.who_of(r.trouble.incident),
               hint="Whose incident; it is one of the three that cost most sound"),
        Column(title="What was tried", width=280, show=_idea),
        Column(title="Helps", width=92, show=_helps, mark=_mark,
               hint="Yes: half as much is lost and less, nobody else pays for it, and runs do not differ as much"),
        Column(title="Before, s", width=70, show=lambda r: seconds(r.tried.before_s.p50) if r.tried else "", right=True,
               hint="Seconds without sound of its links from five minutes before it to five after, in the middle"),
        Column(title="With it, s", width=70, show=lambda r: seconds(r.tried.after_s.p50) if r.tried else "", right=True,
               hint="The same with this done, over the same seeds"),
        Column(title="All links, s", width=110, show=_all, right=True, hint="The same of all links of the show"),
    ]  # fmt: skip


def _idea(row: TriedRow) -> str:
    if row.tried is None:
        return "nobody here has an idea against it"
    return row.tried.idea.title


def _helps(row: TriedRow) -> str:
    return row.tried.worth if row.tried is not None else ""


def _mark(row: TriedRow) -> str:
    marks = {"yes": "sound", "a little": "tight", "no": "broken", "others pay": "broken"}
    return marks[row.tried.worth] if row.tried is not None else "unknown"


def _all(row: TriedRow) -> str:
    return f"{seconds(row.tried.all_before_s)} → {seconds(row.tried.all_after_s)}" if row.tried else ""
