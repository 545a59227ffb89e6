"""A rehearsal as the command line asks for it: one show, what is beside it, and what would help."""

from collections.abc import Sequence
from typing import Any

from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import kit, plan, rehearse
from azven.work.rehearse import helping, ideas
from azven.work.rehearse.crew import Progress
from azven.work.rehearse.helping import Helped, Tried
from azven.work.scope import Scope


def variants(store: Store, show: str | None) -> list[str]:
    """Titles of what can be rehearsed beside a show."""
    return [x.title for x in ideas.variants(store, rehearse.scope(store, show))]


def rehearsed(
    store: Store, show: str | None, seeds: Sequence[int], beside: str | None, helps: bool, progress: Progress
) -> dict[str, Any]:  # fmt: skip
    """A rehearsal as `azven-rehearsal` 1, with the one `beside` it and with what `helps` where these are asked for.
    Refusal for a show or a variant that is not there."""
    scope = rehearse.scope(store, show)
    cast = rehearse.production(store, scope)
    shows = [cast]
    if beside is not None:
        shows.append(helping.instead(store, scope, cast, _named(store, scope, beside)))
    found, *others = rehearse.side_by_side(shows, seeds, progress)
    out = rehearse.document(found)
    if others:
        out["beside"] = {"title": beside, **rehearse.document(others[0])}
    if helps and not found.stopped:
        snapshot = store.snapshot(kit.units(store, scope))
        told = helping.helped(snapshot, scope, plan.board_of(store, scope), found, progress)
        names = {a.id: a.name for a in cast.acts}
        out["helps"] = [_helped(x, names[x.trouble.act]) for x in told]
    return out


def _named(store: Store, scope: Scope, title: str) -> ideas.Idea:
    known = ideas.variants(store, scope)
    found = next((x for x in known if x.title == title), None)
    if found is None:
        there = "; ".join(x.title for x in known) or "nothing"
        raise Refusal(f"There is no “{title}” to rehearse beside; there is: {there}.")
    return found


def _helped(x: Helped, act: str) -> dict[str, Any]:
    it = x.trouble.incident
    return {"act": act, "cause": it.cause, "links": list(it.links), "at_s": round(it.from_s, 1),
            "lost_s": round(x.trouble.lost_s, 2), "tried": [_tried(t) for t in x.tried]}  # fmt: skip


def _tried(x: Tried) -> dict[str, Any]:
    return {"from": x.idea.source, "title": x.idea.title, "helps": x.worth,
            "before_s": vars(x.before_s), "after_s": vars(x.after_s),
            "all_before_s": x.all_before_s, "all_after_s": x.all_after_s}  # fmt: skip
