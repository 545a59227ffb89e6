"""Reasons for an incident that a rehearsal foretells: what was heard in it, how often it came, what was tried."""

from functools import partial

from azven.book.store import Store
from azven.work import chosen
from azven.work.reasons.case import of_detail
from azven.work.reasons.told import Option, Reasons
from azven.work.rehearse.helping import Tried
from azven.work.watch import said
from azven.work.wording import listed

_SHOWN = 8


def for_trouble(store: Store, what: chosen.Foretold) -> Reasons:
    """What the panel says of it. What was tried and did not help is told without a deed."""
    trouble, it = what.trouble, what.trouble.incident
    helps = [x for x in what.tried if x.helps]
    return Reasons(
        title=said.who_of(it), figure=f"{trouble.lost_s:.1f} s", state=f"in {100 * trouble.share:.0f} % of runs",
        verdict=" ".join((said.what_of(it), *it.evidence)),
        arithmetic=(
            ("lost in the mean of all runs", f"{trouble.lost_s:.1f} s"),
            ("came in", f"{len(trouble.seeds)} of {what.runs} runs"),
            *of_detail(it), *((x.idea.title, _effect(x)) for x in what.tried if not x.helps),
        ),
        origins=(
            ("links", listed(list(it.links), _SHOWN)), ("how sure", f"{it.sure:.0%}"),
            ("seeds", listed([str(s) for s in trouble.seeds], _SHOWN)), ("heard in", "the simulated venue"),
        ),
        heading="What was heard", steps=tuple(it.next),
        options=tuple(Option(x.idea.title, _effect(x), partial(x.idea.make, store)) for x in helps),
    )  # fmt: skip


def _effect(x: Tried) -> str:
    return f"{x.before_s.p50:.1f} s before, {x.after_s.p50:.1f} s with it"
