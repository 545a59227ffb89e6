"""Ways out for a link that finds no room: each is tried before it is offered, the cheapest first."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

from azven.book.edits import Edit
from azven.book.records import Link, Model
from azven.book.store import Store
from azven.rf.coordinate import lane
from azven.rf.coordinate.plan import carriers_of
from azven.work import kit, plan, plan_input
from azven.work.listen import Picture
from azven.work.plan import Board, Progress
from azven.work.plan_input import PlanInput
from azven.work.reasons import Option, always, best_alternative, mhz

_FREED_AT_MOST = 12
_OFFERED_AT_MOST = 2


@dataclass(frozen=True)
class Variant:
    """The link changed in one way, and the coordination that follows."""

    title: str
    changes: Mapping[str, object]
    input: PlanInput


def variants(store: Store, picture: Picture, link: Link) -> tuple[Variant, ...]:
    """Changes to the link itself that could give it room: noisier spectrum, another tuning band of its model."""
    out = []
    model = store.get(Model, link.model_id)
    wishes: list[tuple[str, dict[str, object]]] = []
    if link.use_class == "quiet":
        wishes.append(("Let it use noisier spectrum", {"use_class": "usable"}))
    wishes += [(f"Another tuning band, {b[0]}", {"band": b[0]}) for b in model.bands if b[0] != link.band]
    for title, changes in wishes:
        changed = replace(link, **changes)  # type: ignore[arg-type]
        out.append(Variant(title, changes, plan_input.input_for(store, picture, changed={link.id: changed})))
    return tuple(out)


def ways_out(
    store: Store, now: Board, name: str, tries: tuple[Variant, ...], progress: Progress = always
) -> tuple[Option, ...]:
    """Options that were tried and give the link a clean frequency; slow, so screens ask off their own thread."""
    out: list[Option] = []
    for variant in tries:
        board = plan.judge(variant.input, now.frequencies, now.locked)
        found = best_alternative(board, name, progress)
        if found is not None:
            out.append(_changing(store, now.input.links[name], variant, found))
    return (*out, *_freeing(store, now, name, progress))


def _changing(store: Store, link: Link, variant: Variant, found: plan.Trial) -> Option:
    """The link changed and placed, in one edit."""
    to = found.freq_hz

    def edit() -> Edit:
        first = kit.change_links(store, [link], **variant.changes)
        then = plan.set_frequencies(store, {link.name: to}, f"Place {link.name}")
        return Edit(f"{link.name}: {variant.title.lower()}", first.changes + then.changes, (link.id,))

    return Option(variant.title, f"{mhz(to)} MHz, {found.sentence()}", edit)


def _freeing(store: Store, now: Board, name: str, progress: Progress) -> list[Option]:
    """Others, least important first, that could go elsewhere and leave room."""
    out: list[Option] = []
    own = now.verdict(name).link
    movable = [
        v for v in reversed(now.verdicts)
        if v.freq_hz is not None and not v.locked and v.link.name != name and _rank(v.link) >= _rank(own)
    ]  # fmt: skip
    for i, other in enumerate(movable[:_FREED_AT_MOST]):
        if not progress(i, _FREED_AT_MOST) or len(out) >= _OFFERED_AT_MOST:
            break
        swap = _swap(now, name, other.link.name)
        if swap is not None:
            here, there = swap
            title = f"Move {other.link.name} to {mhz(there)}"
            places = {other.link.name: there, name: here}
            out.append(
                Option(title, f"then {name} fits at {mhz(here)}", _placing(store, places, f"Make room for {name}"))
            )
    return out


def _rank(link: Link) -> tuple[bool, int]:
    return link.spare, link.priority


def _placing(store: Store, places: Mapping[str, int], title: str) -> Callable[[], Edit]:
    return lambda: plan.set_frequencies(store, places, title)


def _swap(now: Board, name: str, other: str) -> tuple[int, int] | None:
    """Where the link and the other one would stand if the other made room; None when that does not work."""
    request = now.input.request
    without = {k: f for k, f in now.frequencies.items() if k != other}
    for here in lane(request, now.input.wish(name), carriers_of(request, without)).free[:1].tolist():
        placed = without | {name: here}
        for there in lane(request, now.input.wish(other), carriers_of(request, placed)).free[:1].tolist():
            board = replace(now, frequencies=placed | {other: there})
            if plan.try_at(board, name, here).clean and plan.try_at(board, other, there).clean:
                return here, there
    return None
