"""Ways out for a link that finds no room: each is tried before it is offered, the cheapest first."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

from azven.book.edits import Edit, add
from azven.book.records import Link, Model
from azven.book.store import Store
from azven.rf.coordinate import lane
from azven.rf.coordinate.plan import carriers_of
from azven.work import ground, ids, kit, plan
from azven.work.listen import Picture
from azven.work.plan import input as plan_input
from azven.work.plan.board import Board, Progress
from azven.work.plan.input import PlanInput
from azven.work.reasons import Option, always, best_alternative
from azven.work.scope import Scope
from azven.work.wording import formula, mhz

_FREED_AT_MOST = 12
_OFFERED_AT_MOST = 2


@dataclass(frozen=True)
class Variant:
    """The link changed in one way, the coordination that follows, and a model that has to be added for it."""

    title: str
    changes: Mapping[str, object]
    input: PlanInput
    model: Model | None = None


def variants(store: Store, scope: Scope, picture: Picture, now: PlanInput, link: Link) -> tuple[Variant, ...]:
    """Changes to the link itself that could give it room, the cheapest first: noisier spectrum, no guard against
    three-transmitter products for a spare, another tuning band, on in one act only, another room."""
    out = []
    model = store.get(Model, link.model_id)
    wishes: list[tuple[str, dict[str, object]]] = []
    if link.use_class == "quiet":
        wishes.append(("Let it use noisier spectrum", {"use_class": "usable"}))
    wishes += [(f"Another tuning band, {b[0]}", {"band": b[0]}) for b in model.bands if b[0] != link.band]
    acts = kit.acts(store, scope)
    if len(acts) > 1 and len(link.acts) != 1:
        on = [a for a in acts if not link.acts or a.id in link.acts]
        wishes += [(f"On in {a.name} only", {"acts": (a.id,)}) for a in on]
    wishes += [(f"Work it in {z.name}", {"zone_id": z.id}) for z in ground.zones(store, scope) if z.id != link.zone_id]
    for title, changes in wishes:
        changed = replace(link, **changes)  # type: ignore[arg-type]
        out.append(Variant(title, changes, plan_input.with_link(now, store, scope, picture, changed)))
    if link.spare and model.guard_hz.get("a+b-c"):
        out.insert(0, _unguarded(store, scope, picture, now, link, model))
    return tuple(out)


def _unguarded(store: Store, scope: Scope, picture: Picture, now: PlanInput, link: Link, model: Model) -> Variant:
    """The spare as a model of its own without a guard against three-transmitter products."""
    name = f"{model.name}, {formula('a+b-c')} may land"
    guards = {k: g for k, g in model.guard_hz.items() if k != "a+b-c"}
    known = next((m for m in store.all(Model) if replace(m, id=0, version=0, name="", builtin=False)
                  == replace(model, id=0, version=0, name="", guard_hz=guards, builtin=False)), None)  # fmt: skip
    free = known or replace(model, id=-1, version=0, name=name, guard_hz=guards, builtin=False)
    asked = plan_input.with_link(now, store, scope, picture, replace(link, model_id=free.id), (free,))
    title = f"Remove its guard against {formula('a+b-c')}, as it is a spare"
    return Variant(title, {"model_id": free.id}, asked, None if known else free)


def ways_out(
    store: Store, scope: Scope, now: Board, link_id: str, tries: tuple[Variant, ...], progress: Progress = always
) -> tuple[Option, ...]:
    """Options that were tried and give the link a clean frequency; slow, so screens ask off their own thread."""
    out: list[Option] = []
    for variant in tries:
        board = plan.judge(variant.input, now.frequencies, now.locked)
        found = best_alternative(board, link_id, progress)
        if found is not None:
            out.append(_changing(store, scope, now.input.links[link_id], variant, found))
    return (*out, *_freeing(store, scope, now, link_id, progress))


def _changing(store: Store, scope: Scope, link: Link, variant: Variant, found: plan.Trial) -> Option:
    """The link changed and placed, in one edit."""
    to = found.freq_hz

    def edit() -> Edit:
        changes: dict[str, object] = dict(variant.changes)
        models: tuple[Model, ...] = ()
        if variant.model is not None:
            models = (replace(variant.model, id=store.reserve()),)
            changes["model_id"] = models[0].id
        first = kit.change_links(store, [link], models=models, **changes)
        then = plan.set_frequencies(store, scope, {ids.of(link): to}, f"Place {link.name}")
        return Edit(f"{link.name}: {variant.title.lower()}", add(*models) + first.changes + then.changes, (link.id,))

    return Option(variant.title, f"{mhz(to)} MHz, {found.sentence()}", edit)


def _freeing(store: Store, scope: Scope, now: Board, link_id: str, progress: Progress) -> list[Option]:
    """Others, least important first, that could go elsewhere and leave room."""
    out: list[Option] = []
    own = now.verdict(link_id).link
    movable = [
        v for v in reversed(now.verdicts)
        if v.freq_hz is not None and v.shared is None and not v.locked and v.id != link_id
        and _rank(v.link) >= _rank(own)
    ]  # fmt: skip
    for i, other in enumerate(movable[:_FREED_AT_MOST]):
        if not progress(i, _FREED_AT_MOST) or len(out) >= _OFFERED_AT_MOST:
            break
        swap = _swap(now, link_id, other.id)
        if swap is not None:
            here, there = swap
            title = f"Move {now.input.name(other.id)} to {mhz(there)}"
            places = {other.id: there, link_id: here}
            name = now.input.name(link_id)
            out.append(
                Option(
                    title, f"then {name} fits at {mhz(here)}", _placing(store, scope, places, f"Make room for {name}")
                )
            )
    return out


def _rank(link: Link) -> tuple[bool, int]:
    return link.spare, link.priority


def _placing(store: Store, scope: Scope, places: Mapping[str, int], title: str) -> Callable[[], Edit]:
    return lambda: plan.set_frequencies(store, scope, places, title)


def _swap(now: Board, link_id: str, other: str) -> tuple[int, int] | None:
    """Where the link and the other one would stand if the other made room; None when that does not work."""
    request = now.input.request
    without = {k: f for k, f in now.frequencies.items() if k != other}
    for here in lane(request, now.input.wish(link_id), carriers_of(request, without)).free[:1].tolist():
        placed = without | {link_id: here}
        for there in lane(request, now.input.wish(other), carriers_of(request, placed)).free[:1].tolist():
            board = replace(now, frequencies=placed | {other: there})
            if plan.try_at(board, link_id, here).clean and plan.try_at(board, other, there).clean:
                return here, there
    return None
