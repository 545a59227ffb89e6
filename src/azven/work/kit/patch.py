"""The audio patch: where links go and ear mixes come from, and the ports of the intercom."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from azven.book.edits import Edit, add
from azven.book.reading import Reading
from azven.book.records import Link, Model, Port, Route
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import ids
from azven.work.kit.fitting import share_an_act
from azven.work.kit.gear import links
from azven.work.scope import Scope
from azven.work.wording import listed

MOST_CHANNELS = 4096


def routes(store: Reading, scope: Scope) -> list[Route]:
    """Routes of the show: outputs first, then sources of ear mixes, each part in its order."""
    ears = {x.id for x in links(store, scope) if x.service == "in-ear"}
    return sorted(store.all(Route, show_id=scope.show), key=lambda r: (r.link_id in ears, r.position, r.id))


def ports(store: Reading, scope: Scope) -> list[Port]:
    return sorted(store.all(Port, show_id=scope.show), key=lambda p: (p.position, p.id))


def is_source(link: Link) -> bool:
    """Whether the audio comes from there: an ear mix; all others go there."""
    return link.service == "in-ear"


def channels(route: Route) -> tuple[int, ...]:
    """The channels of a route: one, or the pair that is kept together."""
    return (route.channel, route.channel + 1) if route.stereo else (route.channel,)


def said(route: Route) -> str:
    """A route in words."""
    numbers = "/".join(map(str, channels(route)))
    return f"{route.device or 'no device'} {numbers} ({route.kind})"


def inputs(store: Reading, scope: Scope) -> dict[int, str]:
    """Where the audio of each link goes, for in-ears where it comes from, in words by link id."""
    found: dict[int, list[str]] = defaultdict(list)
    for route in routes(store, scope):
        found[route.link_id].append(f"{route.device or 'no device'} {'/'.join(map(str, channels(route)))}")
    return {link: ", ".join(ways) for link, ways in found.items()}


@dataclass(frozen=True)
class Patch:
    """Routes and ports with what is to be said of them, by their numbers; links that have no route."""

    routes: tuple[Route, ...]
    ports: tuple[Port, ...]
    wrong: dict[int, str]
    notes: dict[int, str]
    unpatched: tuple[str, ...]

    @property
    def open_points(self) -> int:
        return len(self.wrong)


def patch(store: Reading, scope: Scope) -> Patch:
    """The patch of a show: what collides, which mixes are shared, which links go nowhere."""
    known = {x.id: x for x in links(store, scope) if not x.set_aside}
    names = ids.told_apart(known.values(), lambda x: f"no. {x.id}")
    listed_routes = [r for r in routes(store, scope) if r.link_id in known]
    wrong, notes = _judged(listed_routes, known, {x.id: names[ids.of(x)] for x in known.values()})
    models = {m.id: m for m in store.all(Model)}
    for route in listed_routes:
        audio = models[known[route.link_id].model_id].audio
        if not route.device.strip():
            wrong[route.id] = "It says no device."
        elif audio == "stereo" and not route.stereo and is_source(known[route.link_id]):
            notes.setdefault(route.id, "The model is stereo; this source is mono.")
    routed = {r.link_id for r in listed_routes} | {p.link_id for p in store.all(Port, show_id=scope.show)}
    missing = tuple(names[ids.of(x)] for x in known.values() if x.id not in routed and not x.spare)
    return Patch(tuple(listed_routes), tuple(ports(store, scope)), wrong, notes, missing)


def _judged(found: Sequence[Route], known: dict[int, Link], names: dict[int, str]) -> tuple[dict[int, str], ...]:
    """What collides and what is shared: two transmitters on one input are wrong unless they never share an act, ear
    mixes with one source are one shared mix."""
    wrong: dict[int, str] = {}
    notes: dict[int, str] = {}
    ends: dict[tuple[str, str, int], list[Route]] = defaultdict(list)
    for route in found:
        for channel in channels(route):
            ends[route.kind, route.device.strip().casefold(), channel].append(route)
    for (kind, _, channel), sharing in ends.items():
        for a in sharing:
            others = [b for b in sharing if b.id != a.id]
            for side in (True, False):
                same = [b for b in others if is_source(known[b.link_id]) is side]
                if same and is_source(known[a.link_id]) is side:
                    _say(a, same, side, f"{kind} {channel}", known, names, wrong, notes)
    return wrong, notes


def _say(
    a: Route, same: Sequence[Route], source: bool, end: str, known: dict[int, Link], names: dict[int, str],
    wrong: dict[int, str], notes: dict[int, str],
) -> None:  # fmt: skip
    who = listed([names[n] for n in dict.fromkeys(b.link_id for b in same)], 4)
    if source:
        whole = all(channels(b) == channels(a) for b in same)
        if whole:
            notes[a.id] = f"Shared mix with {who}."
        else:
            wrong[a.id] = f"Half of it is also the source of {who}: stereo stays together."
        return
    at_once = [b for b in same if share_an_act(known[a.link_id], known[b.link_id])]
    if at_once:
        wrong[a.id] = f"{end} also takes {listed([names[b.link_id] for b in at_once], 4)}, at the same time."
    else:
        notes[a.id] = f"{end} takes {who} in other acts."


# -- deeds -----------------------------------------------------------------------------------------------


def add_route(store: Store, scope: Scope, link: Link, **more: Any) -> Edit:
    """A further route of a link: at the next free channel of the device used last, a pair where its audio is stereo."""
    model = store.get(Model, link.model_id)
    known = routes(store, scope)
    like = next((r for r in reversed(known) if is_source(store.get(Link, r.link_id)) == is_source(link)), None)
    device, kind = (like.device, like.kind) if like else ("Desk", "console input")
    taken = [c for r in known if r.device == device and r.kind == kind for c in channels(r)]
    values: dict[str, Any] = {
        "kind": kind, "device": device, "channel": max(taken, default=0) + 1,
        "stereo": model.audio == "stereo" and is_source(link), "position": len(known),
    }  # fmt: skip
    new = Route(id=store.reserve(), show_id=scope.show, link_id=link.id, **{**values, **more})
    return Edit(f"{link.name}: {said(new)}", add(new), (new.id,))


def add_routes(store: Store, scope: Scope, chosen: Sequence[Link]) -> Edit:
    """A route for every link that has none, channels counting up."""
    routed = {r.link_id for r in routes(store, scope)}
    missing = [x for x in chosen if x.id not in routed]
    if not missing:
        raise Refusal("Every link has a route already.")
    changes: list[Any] = []
    nexts: dict[tuple[str, str], int] = {}
    for link in missing:
        (change,) = add_route(store, scope, link).changes
        route = change.after
        assert isinstance(route, Route)
        key = (route.kind, route.device)
        at = nexts.get(key, route.channel)
        nexts[key] = at + (2 if route.stereo else 1)
        changes += add(replace(route, channel=at, position=route.position + len(changes)))
    return Edit(f"Patch {len(missing)} links", tuple(changes), tuple(c.after.id for c in changes))


def add_port(store: Store, scope: Scope, name: str = "") -> Edit:
    known = ports(store, scope)
    new = Port(
        id=store.reserve(), show_id=scope.show, name=name.strip() or f"Port {len(known) + 1}", position=len(known)
    )
    return Edit(f"Add {new.name}", add(new), (new.id,))


def joined(found: Sequence[Port]) -> dict[str, list[Port]]:
    """The ports that each line or group joins, by its name."""
    out: dict[str, list[Port]] = defaultdict(list)
    for port in found:
        for line in port.joins:
            out[line].append(port)
    return dict(out)
