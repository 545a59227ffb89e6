"""Frequencies for the neighbour next door, from the same calculation that makes our own plan."""

from collections.abc import Callable
from dataclasses import replace

from azven.book.edits import Edit, add
from azven.book.records import Link, Model, Neighbour, Zone
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf import coordinate as rf
from azven.work import ground, ids
from azven.work.listen import Picture
from azven.work.plan import Board, Progress
from azven.work.plan import input as plan_input
from azven.work.plan.input import PlanInput
from azven.work.scope import Scope
from azven.work.wording import mhz


def wishes(store: Store, scope: Scope, who: str, model: Model, band: str, zone: Zone, count: int) -> tuple[Link, ...]:
    """So many links of theirs, as if they were ours; Refusal when that cannot be meant."""
    if not who.strip():
        raise Refusal("Say who the frequencies are for.")
    if not 1 <= count <= 60:
        raise Refusal(f"Between 1 and 60 frequencies, not {count}.")
    show = ground.here(store, scope).show
    return tuple(
        Link(id=-i, show_id=show.id, name=f"{who.strip()} {i}", model_id=model.id, band=band, zone_id=zone.id,
             service=model.service, priority=4, position=10_000 + i)
        for i in range(1, count + 1)
    )  # fmt: skip


def asked(store: Store, scope: Scope, picture: Picture, links: tuple[Link, ...]) -> PlanInput:
    return plan_input.input_for(store, scope, picture, extra=links)


def propose(
    found: PlanInput, now: Board, links: tuple[Link, ...], progress: Progress, elapsed: Callable[[], float]
) -> dict[str, int]:
    """Frequencies [Hz] by name for their links that harm none of ours and are not harmed by us; none of ours moves."""
    names = {ids.of(x): x.name for x in links}
    held = tuple(r.at(now.frequencies[r.id]) for r in found.request.requests if r.id in now.frequencies)
    wanted = tuple(r for r in found.request.requests if r.id in names)
    request = replace(found.request, carriers=(*found.request.carriers, *held), requests=wanted, effort=2)
    plan = rf.coordinate(replace(request, time_limit_s=10.0), progress, elapsed)
    return {names[a.id]: a.freq_hz for a in plan.assignments}


def keep(store: Store, scope: Scope, frequencies: dict[str, int], zone: Zone, contact: str) -> Edit:
    """Write the proposal down as neighbours, so that our plan keeps clear of it from now on."""
    first = store.reserve(max(len(frequencies), 1))
    site_id = scope.site
    new = [
        Neighbour(id=first + i, site_id=site_id, name=name, freq_hz=freq, zone_id=zone.id, contact=contact,
                  note="proposed by us")
        for i, (name, freq) in enumerate(frequencies.items())
    ]  # fmt: skip
    return Edit(f"{len(new)} frequencies for a neighbour", add(*new))


def slip(store: Store, scope: Scope, frequencies: dict[str, int], zone: Zone) -> str:
    """A slip of paper for them, as text."""
    place = ground.here(store, scope)
    lines = [f"{place.show.name}, {place.site.name}", f"Frequencies proposed for {zone.name}:", ""]
    lines += [f"  {name:<24} {mhz(freq)} MHz" for name, freq in sorted(frequencies.items(), key=lambda x: x[1])]
    lines += ["", "They keep clear of ours and ours of them. Tell us before you change one.",
              "Your own licence and the local regulator decide whether you may use them."]  # fmt: skip
    return "\n".join(lines) + "\n"
