"""What has been proven of every link, by whom and when; what is due next."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from azven.book.edits import Edit, add, remove, replace_record
from azven.book.reading import Reading
from azven.book.records import Link, Model, Outcome, Proof, ProofStep
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import kit
from azven.work.prove.steps import TITLES, TOGETHER, steps_of
from azven.work.scope import Scope

DONE: tuple[Outcome, ...] = ("held", "remark")


@dataclass(frozen=True)
class Lane:
    """A link on its way: the steps that it goes through, and how those that ended did."""

    link: Link
    model: Model
    steps: tuple[ProofStep, ...]
    ended: Mapping[ProofStep, Proof]

    @property
    def at(self) -> ProofStep | None:
        """The first step that has not ended; None when all have."""
        return next((s for s in self.steps if s not in self.ended), None)

    @property
    def proven(self) -> bool:
        """Whether every step holds, with a remark or without."""
        return self.at is None and all(p.outcome in DONE for p in self.ended.values())

    @property
    def open(self) -> list[Proof]:
        """Steps that failed or were left open, in order."""
        found = [self.ended[s] for s in self.steps if s in self.ended]
        return [p for p in found if p.outcome not in DONE]


def lanes(store: Reading, scope: Scope) -> list[Lane]:
    """Every link of the show that takes part, receivers first in the order of their importance, spares last."""
    links = [x for x in kit.links(store, scope) if not x.set_aside]
    models = kit.models_by_link(store, links)
    ended: dict[int, dict[ProofStep, Proof]] = {}
    for proof in store.all(Proof, show_id=scope.show):
        ended.setdefault(proof.link_id, {})[proof.step] = proof
    ordered = sorted(links, key=lambda x: (x.spare, x.priority, x.position, x.id))
    return [Lane(x, models[x.id], steps_of(models[x.id]), ended.get(x.id, {})) for x in ordered]


def due(ways: Sequence[Lane], one_by_one: bool = False) -> tuple[Lane, ProofStep] | None:
    """What comes next: the steps that may go together for all links, then one link after the other; `one_by_one`: each
    link as a whole. None when everything has ended."""
    if not one_by_one:
        for step in TOGETHER:
            for lane in ways:
                if lane.at == step:
                    return lane, step
    for lane in ways:
        if lane.at is not None:
            return lane, lane.at
    return None


def record(
    store: Store, scope: Scope, link: Link, step: ProofStep, outcome: Outcome, now: datetime,
    measured: Mapping[str, Any] | None = None, note: str = "",
) -> Edit:  # fmt: skip
    """Write down how a step ended. Refusal for one that is left open, or failed, without a reason."""
    if outcome in ("left open", "remark") and not note.strip():
        raise Refusal("Say why: the reason stands on the sign-off.")
    values: dict[str, Any] = {"outcome": outcome, "made_by": store.author.who, "made_at": now,
                              "measured": dict(measured or {}), "note": note.strip()}  # fmt: skip
    before = [p for p in store.all(Proof, show_id=scope.show) if p.link_id == link.id and p.step == step]
    title = f"{link.name}: {TITLES[step]} {outcome}"
    if before:
        return Edit(title, replace_record(before[0], replace(before[0], **values)))
    new = Proof(id=store.reserve(), show_id=scope.show, link_id=link.id, step=step, **values)
    return Edit(title, add(new))


def record_all(store: Store, scope: Scope, held: Mapping[int, Mapping[str, Any]], ways: Sequence[Lane], step: ProofStep,
               now: datetime) -> Edit:  # fmt: skip
    """Write down that a step holds for several links at once: what was measured, by link id."""
    chosen = [x for x in ways if x.link.id in held and x.at == step]
    first = store.reserve(len(chosen)) if chosen else 0
    new = [
        Proof(id=first + i, show_id=scope.show, link_id=lane.link.id, step=step, made_by=store.author.who, made_at=now,
              measured=dict(held[lane.link.id]))
        for i, lane in enumerate(chosen)
    ]  # fmt: skip
    return Edit(f"{TITLES[step]} held for {len(new)} links", add(*new))


def again(store: Store, scope: Scope, link: Link, step: ProofStep) -> Edit:
    """Prove a step and all after it anew."""
    order = list(TITLES)
    late = set(order[order.index(step) :])
    gone = [p for p in store.all(Proof, show_id=scope.show) if p.link_id == link.id and p.step in late]
    return Edit(f"{link.name}: {TITLES[step]} again", remove(gone))
