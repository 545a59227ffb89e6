"""What if: a change tried on a copy, who would break, what mending would cost; then kept or dropped."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace

from azven.book.edits import Edit, add
from azven.book.records import Link, Neighbour, Zone
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.coordinate import Mended
from azven.rf.request import Relation
from azven.rf.sweep import Channel
from azven.work import ground, ids, kit, plan
from azven.work.listen import Picture
from azven.work.plan import input as plan_input
from azven.work.plan import search
from azven.work.plan.board import Board, Progress
from azven.work.plan.input import PlanInput
from azven.work.scope import Scope

_NAMED = 3
_EMISSION_HZ = 100_000


@dataclass(frozen=True)
class Supposition:
    """Something that might come: what it adds or changes, in the book's own records (ids still negative)."""

    title: str
    neighbours: tuple[Neighbour, ...] = ()
    links: tuple[Link, ...] = ()
    opened: tuple[Zone, Zone] | None = None

    def input(self, store: Store, scope: Scope, picture: Picture) -> PlanInput:
        """The coordination as it would be."""
        related: dict[frozenset[str], Relation] = {}
        if self.opened is not None:
            related[frozenset(ids.of(z) for z in self.opened)] = "together"
        return plan_input.input_for(
            store, scope, picture, extra=self.links, neighbours=self.neighbours, related=related
        )


def neighbour_appears(store: Store, scope: Scope, freq_hz: int, zone: Zone | None, mixes: bool) -> Supposition:
    """Somebody else's carrier at `freq_hz`, in one room or everywhere. Refusal for no frequency."""
    ground.check_frequency(freq_hz)
    new = Neighbour(
        id=-1, site_id=scope.site, name="New neighbour", freq_hz=freq_hz,
        zone_id=zone.id if zone else None, mixes=mixes,
    )  # fmt: skip
    where = f"in {zone.name}" if zone else "everywhere"
    return Supposition(f"A neighbour at {freq_hz / 1e6:.3f} MHz {where}", neighbours=(new,))


def multiplex_comes(store: Store, scope: Scope, channel: Channel) -> Supposition:
    """A television multiplex on a raster channel: its whole width, and half an emission beside it, is closed."""
    half = (channel.high_hz - channel.low_hz) // 2
    new = Neighbour(
        id=-1, site_id=scope.site, name=f"Multiplex on {channel.name}", kind="avoid",
        freq_hz=(channel.low_hz + channel.high_hz) // 2, spacing_hz=half + _EMISSION_HZ,
    )  # fmt: skip
    return Supposition(f"A multiplex on channel {channel.name}", neighbours=(new,))


def door_opens(a: Zone, b: Zone) -> Supposition:
    """Two rooms that hear one another as one."""
    return Supposition(f"The door between {a.name} and {b.name} opens", opened=(a, b))


def links_come(store: Store, scope: Scope, like: Link, count: int) -> Supposition:
    """So many more links like one that is there. Refusal when that cannot be meant."""
    if not 1 <= count <= 200:
        raise Refusal(f"Between 1 and 200 more links, not {count}.")
    taken = [x.name for x in kit.links(store, scope)]
    names = kit.numbered(like.name, count, taken)
    first = max((x.position for x in kit.links(store, scope)), default=0) + 1
    links = tuple(
        replace(like, id=-i - 1, version=0, name=n, unit_id=None, performer="", position=first + i)
        for i, n in enumerate(names)
    )  # fmt: skip
    return Supposition(f"{count} more like {like.name}", links=links)


@dataclass(frozen=True, kw_only=True)
class Outcome:
    """The plan under a supposition: who breaks if nothing is done, and what mending would do."""

    supposition: Supposition
    before: Board
    standing: Board
    mended: Mended
    after: Board
    lost: tuple[str, ...] = field(default=())

    @property
    def broken(self) -> list[str]:
        """Ids of the links that break and did not before."""
        known = {v.id: v.state for v in self.before.verdicts}
        return [v.id for v in self.standing.verdicts if v.state == "broken" and known.get(v.id) != "broken"]

    def harm(self) -> str:
        """Who would break."""
        names = [self.standing.input.name(key) for key in self.broken]
        if not names:
            return "Nobody breaks."
        more = f" and {len(names) - _NAMED} more" if len(names) > _NAMED else ""
        return f"{len(names)} break: {', '.join(names[:_NAMED])}{more}."

    def cost(self) -> str:
        """What mending would take."""
        moved = [m for m in self.mended.moves if m.to_hz is not None]
        parts = [f"{len(moved)} would move" if moved else "nobody would move"]
        if new := [v for v in self.after.verdicts if v.freq_hz and v.id not in self.before.frequencies]:
            parts.append(f"{len(new)} find a place")
        if self.lost:
            names = [self.after.input.name(key) for key in self.lost[:_NAMED]]
            parts.append(f"{len(self.lost)} would have no frequency ({', '.join(names)})")
        return "To mend: " + ", ".join(parts) + "."


def try_out(
    supposition: Supposition, asked: PlanInput, now: Board, progress: Progress, elapsed: Callable[[], float]
) -> Outcome:
    """The plan under the supposition `asked` describes, as it stands and mended."""
    standing = plan.judge(asked, now.frequencies, now.locked)
    mended = search.mend(standing, progress, elapsed)
    found = {n: now.frequencies[n] for n in now.locked} | {a.id: a.freq_hz for a in mended.plan.assignments}
    after = plan.judge(asked, found, now.locked)
    lost = tuple(v.id for v in after.verdicts if not v.settled)
    return Outcome(supposition=supposition, before=now, standing=standing, mended=mended, after=after, lost=lost)


def keep(store: Store, scope: Scope, outcome: Outcome) -> Edit:
    """The edit that makes the supposition true: its records, and the mended plan."""
    what = outcome.supposition
    supposed = (*what.neighbours, *what.links)
    first = store.reserve(len(supposed) or 1)
    records = [replace(r, id=first + i) for i, r in enumerate(supposed)]
    lasting = {ids.of(old): ids.of(new) for old, new in zip(supposed, records, strict=True)}
    changes = add(*records)
    if what.opened is not None:
        loss = ground.relations(store, scope).get(frozenset(z.id for z in what.opened))
        changes += ground.relate(store, scope, *what.opened, "together", loss.wall_loss_db if loss else None).changes
    coming = [c.after for c in changes if c.after is not None]
    frequencies = {lasting.get(key, key): freq for key, freq in outcome.after.frequencies.items()}
    placed = plan.set_frequencies(store, scope, frequencies, what.title, complete=True, coming=coming)
    return Edit(f"Keep: {what.title}", changes + placed.changes)
