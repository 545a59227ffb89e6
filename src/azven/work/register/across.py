"""Campuses that hear one another: pairs of links of two sites that matter, and who could move."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import get_args

from azven.book.edits import Edit, add, remove, replace_record
from azven.book.reading import Making, Reading
from azven.book.records import Act, Antenna, Assignment, Clutter, Distance, Link, Model, Show, Site
from azven.refusal import Refusal
from azven.rf.levels import dbm
from azven.rf.register import far
from azven.rf.register.far import FarLink, Reaching
from azven.work import ids, kit, plan
from azven.work.register.times import at_one_time, span
from azven.work.scope import Scope, of_show

Progress = Callable[[int, int], bool]
CLUTTERS: tuple[Clutter, ...] = get_args(Clutter)
_DIPOLE_DBI, _WHIP_DBI, _MAST_M = 2.15, 2.15, 3.0


@dataclass(frozen=True)
class Pair:
    """Two links that matter to one another over a distance: what each receiver has of the other, and who could move."""

    id: int
    mine: FarLink
    theirs: FarLink
    site: Site
    show: Show
    km: float
    at_mine: Reaching
    at_theirs: Reaching
    move: FarLink | None

    @property
    def worst_db(self) -> float:
        return max(x.over_noise_db for x in (self.at_mine, self.at_theirs) if x.matters)


def set_distance(store: Making, a: Site, b: Site, km: float | None, **more: object) -> Edit:
    """How far two sites are apart; None: nobody knows. Refusal for what is no distance."""
    known = next((d for d in store.all(Distance) if {d.site_a_id, d.site_b_id} == {a.id, b.id}), None)
    title = f"{a.name} and {b.name}"
    if km is None:
        if known is None:
            raise Refusal(f"No distance of {title} is known.")
        return Edit(f"Distance of {title}", remove([known]))
    if not 0 < km < 20_000:
        raise Refusal("Two sites are more than 0 and less than 20 000 km apart.")
    if known is None:
        new = Distance(id=store.reserve(), site_a_id=a.id, site_b_id=b.id, km=km, **more)  # type: ignore[arg-type]
        return Edit(f"Distance of {title}", add(new))
    return Edit(f"Distance of {title}", replace_record(known, replace(known, km=km, **more)))  # type: ignore[arg-type]


def links_of(store: Reading, scope: Scope) -> list[FarLink]:
    """Links of a show that have a frequency, as other sites hear them."""
    placed, models = plan.assignments(store, scope), {m.id: m for m in store.all(Model)}
    return [
        far_link(store, x, models[x.model_id], placed[x.id])
        for x in kit.links(store, scope) if x.id in placed and not x.set_aside
    ]  # fmt: skip


def far_link(store: Reading, link: Link, model: Model, placed: Assignment) -> FarLink:
    """A link as other sites hear it: on in its acts where all of them have times, else as long as its show is, else
    always."""
    whole = span(store, store.get(Show, link.show_id))
    acts = {a.id: a for a in store.all(Act, show_id=link.show_id)}
    mine = [acts[a] for a in link.acts if a in acts]
    times = tuple((a.starts_at, a.ends_at) for a in mine if a.starts_at and a.ends_at)
    if not times or len(times) < len(mine):
        times = ((whole.load_in, whole.load_out),) if whole is not None else ()
    masts = [a for a in store.all(Antenna, zone_id=link.zone_id, layout="A") if a.role == "receive"]
    power = float(dbm(link.power_step_mw or model.power_mw))
    return FarLink(
        id=ids.of(link), name=link.name, freq_hz=float(placed.freq_hz), bandwidth_hz=float(model.bandwidth_hz),
        erp_dbm=power + model.gain_dbi - _DIPOLE_DBI, nf_db=model.nf_db,
        rx_gain_dbi=max((a.gain_dbi for a in masts), default=_WHIP_DBI),
        rx_height_m=max((a.z_m for a in masts), default=_MAST_M),
        times=times, locked=placed.locked, priority=link.priority,
    )  # fmt: skip


def pairs(store: Reading, scope: Scope, progress: Progress = lambda done, total: True) -> tuple[list[Pair], list[str]]:
    """Pairs of links of a show and of shows at other sites that matter, the strongest first; and sites of which no
    distance is known. What is stopped answers with what was found."""
    show = store.get(Show, scope.show)
    home, mine, out = store.get(Site, scope.site), links_of(store, scope), list[Pair]()
    apart = {frozenset({d.site_a_id, d.site_b_id}): d for d in store.all(Distance)}
    unknown = []
    others = [s for s in store.all(Site) if s.id != home.id and not s.archived]
    for k, site in enumerate(others):
        if not progress(k, len(others)):
            break
        shows = [s for s in store.all(Show, site_id=site.id) if not s.archived and at_one_time(store, show, s)]
        between = apart.get(frozenset({home.id, site.id}))
        if between is None:
            unknown += [site.name] if shows else []
            continue
        for show in shows:
            out += _between(mine, links_of(store, of_show(show)), site, show, between)
    ranked = sorted(out, key=lambda p: (-p.worst_db, p.mine.name, p.theirs.name))
    return [replace(p, id=k) for k, p in enumerate(ranked, start=1)], unknown


def _between(
    mine: Sequence[FarLink], theirs: Sequence[FarLink], site: Site, show: Show, apart: Distance
) -> list[Pair]:  # fmt: skip
    lost = far.CLUTTER_DB[apart.clutter] + apart.obstacles_db
    out = []
    for a in mine:
        for b in (x for x in theirs if far.overlap(a, x) and far.together(a, x)):
            here, there = far.reaching(a, b, apart.km, lost), far.reaching(b, a, apart.km, lost)
            if here.matters or there.matters:
                out.append(Pair(0, a, b, site, show, apart.km, here, there, far.who_moves([a, b])))
    return out
