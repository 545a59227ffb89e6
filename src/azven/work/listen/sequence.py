"""Bring-up by sequence: a handful of links without a plan, one after another, each sweep with the others on.

The first receiver finds its place, its transmitter stays on, the next receiver sweeps with it on, and so on. It suits
a few links, or bands where other people's gear must be on; past four or five it is not enough.
"""

from dataclasses import dataclass

from azven.book.edits import Edit
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import plan
from azven.work.plan import Board, Progress
from azven.work.reasons import always, best_alternative
from azven.work.scope import Scope
from azven.work.wording import mhz

SENSIBLE = 5


@dataclass(frozen=True)
class Step:
    """One thing to do: `all off`, `sweep`, `choose` or `switch on`, for a link (its id) where it is about one."""

    kind: str
    link: str
    text: str


def steps(board: Board, links: tuple[str, ...]) -> list[Step]:
    """The whole sequence for the links (ids), in their order."""
    out = [Step("all off", "", "Switch every transmitter of ours off.")]
    names = [board.input.name(link) for link in links]
    for i, (link, name) in enumerate(zip(links, names, strict=True)):
        on = f"with {', '.join(names[:i])} on" if i else "with all of ours off"
        out.append(Step("sweep", link, f"Sweep for {name}, {on}."))
        out.append(Step("choose", link, f"Choose a frequency for {name} from what is free now."))
        out.append(Step("switch on", link, f"Tune {name}, switch it on, hear it, leave it on."))
    return out


def candidates(board: Board) -> tuple[str, ...]:
    """Ids of links without a frequency, the most important first; those of shared bands have a page of their own."""
    return tuple(v.id for v in board.verdicts if v.freq_hz is None and v.id not in board.input.shared)


def caution(count: int) -> str:
    """What to know before beginning."""
    if count > SENSIBLE:
        return f"{count} links are too many for this: products pile up unseen. Make a plan instead."
    return "Each transmitter stays on for the sweeps of those after it, so its products are seen."


def choose(store: Store, scope: Scope, board: Board, link_id: str, progress: Progress = always) -> tuple[Edit, str]:
    """The edit that gives a link the free step with the widest margin, and that in words; Refusal when none is."""
    name = board.input.name(link_id)
    found = best_alternative(board, link_id, progress)
    if found is None:
        raise Refusal(f"Nothing is free for {name} in what was swept. Its reasons say what closes its lane.")
    text = f"{name} at {mhz(found.freq_hz)} MHz, {found.sentence()}."
    return plan.set_frequencies(store, scope, {link_id: found.freq_hz}, f"Place {name}"), text
