"""What changes if some links were of another model, band or power: places in the plan, delay, run time, range."""

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

from azven.book.edits import Edit
from azven.book.reading import Reading
from azven.book.records import Link, Model, Zone
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.coordinate import coordinate
from azven.rf.request import PlanRequest
from azven.work import ids, kit
from azven.work.kit.bands import of_model
from azven.work.kit.take import Figures, figures
from azven.work.listen import Picture
from azven.work.plan import in_groups
from azven.work.plan import input as plan_input
from azven.work.scope import Scope

Progress = Callable[[int, int], bool]
Elapsed = Callable[[], float]
EACH_S = 2.0
"""The plan of each alternative is searched for no longer."""


@dataclass(frozen=True, kw_only=True)
class Alternative:
    """Links of another model: what is asked of the plan, and what the equipment brings. `share` of them are changed,
    the most important ones keep what they have."""

    name: str
    model: Model
    band: str
    power_mw: float
    share: float
    request: PlanRequest
    figures: Figures
    ids: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class Outcome:
    """How the plan of the whole show turns out: links placed of those asked, of the group and in all, and of spares."""

    alternative: Alternative
    group: int
    placed: int
    wanted: int

    @property
    def of_group(self) -> int:
        return len(self.alternative.ids)


def alternatives(store: Reading, scope: Scope, picture: Picture, chosen: Sequence[Link]) -> list[Alternative]:
    """As it is; then every model of the service in each band, at its power and at its lowest step; then half of the
    links of each of these. Refusal where there is nothing to change."""
    if not chosen:
        raise Refusal("Choose the links that might be of another model: on the page Links, or by their model here.")
    models = {m.id: m for m in store.all(Model)}
    service = chosen[0].service
    if any(x.service != service for x in chosen):
        raise Refusal("Links of several services cannot be of one other model; choose those of one.")
    now = models[chosen[0].model_id]
    if any(of_model(models[x.model_id], x.band).shared for x in chosen):
        raise Refusal("Links of bands that everybody shares are judged by who else is there: see Other bands.")
    out = [_alternative(store, scope, picture, chosen, kit.as_used(now, chosen[0]), chosen[0].band, 0.0, "as it is")]
    for model in (m for m in models.values() if m.service == service and not m.capacity):
        for band, *_ in model.bands:
            if (model.id, band) != (now.id, chosen[0].band) and not of_model(model, band).shared:
                out.append(_alternative(store, scope, picture, chosen, model, band, 1.0))
    lowest = min((mw for _, mw in kit.steps_of(now)), default=now.power_mw)
    if lowest < now.power_mw:
        weak = replace(now, power_mw=lowest)
        out.append(_alternative(store, scope, picture, chosen, weak, chosen[0].band, 1.0))
    halves = [replace(a, name="") for a in out[1:] if a.model.id != now.id] if len(chosen) > 1 else []
    return out + [_alternative(store, scope, picture, chosen, a.model, a.band, 0.5) for a in halves]


def _alternative(
    store: Reading, scope: Scope, picture: Picture, chosen: Sequence[Link], model: Model, band: str, share: float,
    name: str = "",
) -> Alternative:  # fmt: skip
    count = round(len(chosen) * share)
    changed = sorted(chosen, key=lambda x: (-x.priority, x.position))[:count]
    others = {x.id: _changed(x, model, band) for x in changed}
    everyone = [others.get(x.id, x) for x in kit.links(store, scope)]
    asked = plan_input.input_for(store, scope, picture, instead=everyone)
    request = in_groups.by_rule(asked.request, asked.group_sets, {})
    room = store.get(Zone, chosen[0].zone_id)
    said = f"{model.name}, {band}, {model.power_mw:.3g} mW"
    return Alternative(
        name=name or (said if share == 1.0 else f"{count} of {len(chosen)}: {said}"), model=model, band=band,
        power_mw=model.power_mw, share=share, request=replace(request, effort=2, time_limit_s=EACH_S),
        figures=figures(model, band, room), ids=tuple(ids.of(x) for x in chosen),
    )  # fmt: skip


def _changed(link: Link, model: Model, band: str) -> Link:
    return replace(
        link, model_id=model.id, band=band, service=model.service, unit_id=None, power_step_mw=model.power_mw
    )


def try_out(found: Sequence[Alternative], progress: Progress, elapsed: Elapsed) -> list[Outcome]:
    """The plan of each, the best first; what is stopped answers with those that were tried."""
    out: list[Outcome] = []
    for i, alternative in enumerate(found):
        if not progress(i, len(found)):
            break
        out.append(_tried(alternative, partial(_going_on, progress, i, len(found)), elapsed))
    return sorted(out, key=lambda o: (-o.placed, -o.group, o.alternative.figures.delay_ms or 1e9))


def _going_on(progress: Progress, done: int, total: int, *_: int) -> bool:
    return progress(done, total)


def _tried(alternative: Alternative, progress: Progress, elapsed: Elapsed) -> Outcome:
    begun = elapsed()
    plan = coordinate(alternative.request, progress, lambda: elapsed() - begun)
    placed = Counter(a.id in alternative.ids for a in plan.assignments)
    return Outcome(
        alternative=alternative, group=placed[True], placed=len(plan.assignments),
        wanted=len(alternative.request.requests),
    )  # fmt: skip


def keep(store: Store, scope: Scope, chosen: Sequence[Link], outcome: Outcome) -> Edit:
    """Make the links what the alternative says. Refusal where nothing would change."""
    what = outcome.alternative
    count = round(len(chosen) * what.share)
    changed = sorted(chosen, key=lambda x: (-x.priority, x.position))[:count]
    if not changed:
        raise Refusal("This is how it is now; there is nothing to change.")
    usual = store.get(Model, what.model.id).power_mw
    power = 0.0 if abs(what.power_mw - usual) < 0.01 else what.power_mw
    return kit.change_links(store, changed, model_id=what.model.id, band=what.band, power_step_mw=power)
