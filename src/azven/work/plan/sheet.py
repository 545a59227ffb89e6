"""The frequency sheet: what leaves the screen, as HTML for printing and as CSV."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from azven.book.formats.rows import as_csv
from azven.book.formats.whole import write_whole
from azven.book.records import Act, Link, Model, Zone
from azven.book.regions import ADVICE
from azven.book.store import Store
from azven.rf import bands
from azven.rf.coordinate import Swap
from azven.work import ground, ids, kit, listen
from azven.work.kit import wideband
from azven.work.plan.board import Board
from azven.work.plan.verdicts import Verdict
from azven.work.rendering import render
from azven.work.scope import Scope
from azven.work.wording import mhz

HEADINGS = ("Link", "MHz", "Channel", "Room", "Acts", "Equipment", "Band", "Performer", "Margin kHz", "State")
_STATES = {"sound": "holds", "tight": "tight", "broken": "BROKEN", "unplaced": "no frequency"}


@dataclass(frozen=True, kw_only=True)
class Entry:
    """One printed line."""

    link: str
    mhz: str
    channel: str
    room: str
    acts: str
    equipment: str
    band: str
    performer: str
    margin: str
    state: str
    spare: bool

    def cells(self) -> tuple[str, ...]:
        return (
            self.link, self.mhz, self.channel, self.room, self.acts, self.equipment, self.band, self.performer,
            self.margin, self.state,
        )  # fmt: skip


def entries(store: Store, scope: Scope, board: Board) -> list[Entry]:
    """All links of the plan, by room, then frequency; those without a frequency last."""
    return [entry for _, entry in with_verdicts(store, scope, board)]


def with_verdicts(store: Store, scope: Scope, board: Board) -> list[tuple[Verdict, Entry]]:
    """The same, each with how its link stands."""
    place, names = ground.here(store, scope), board.input.names
    acts = {a.id: names[ids.of(a)] for a in kit.acts(store, scope)}
    models, who = {m.id: m for m in store.all(Model)}, kit.wearers(store, scope)
    return [
        (v, _entry(v, board.input.name(ids.key(Zone, v.link.zone_id)), acts, models[v.link.model_id], place, who))
        for v in _in_order(store, scope, board)
    ]


def _in_order(store: Store, scope: Scope, board: Board) -> list[Verdict]:
    order = {z.id: i for i, z in enumerate(ground.zones(store, scope))}
    return sorted(board.verdicts, key=lambda v: (order[v.link.zone_id], v.freq_hz is None, v.freq_hz or 0))


def _entry(
    v: Verdict, room: str, acts: dict[int, str], model: Model, place: ground.Place, wearers: Mapping[int, str]
) -> Entry:
    channel = ""
    if v.freq_hz is not None:
        channel = bands.channel_at(v.freq_hz) if v.shared is not None else next(
            (c.name for c in place.channels() if c.low_hz <= v.freq_hz < c.high_hz), "")  # fmt: skip
    return Entry(
        link=v.link.name,
        mhz=mhz(v.freq_hz) if v.freq_hz is not None else "own choice" if v.settled else "",
        channel=channel,
        room=room,
        acts=act_names(v.link, acts),
        equipment=model.name,
        band=v.link.band,
        performer=wearers.get(v.link.id) or v.link.performer,
        margin=_margin(v),
        state=_STATES[v.state],
        spare=v.link.spare,
    )


def _margin(v: Verdict) -> str:
    """Kilohertz, or decibels over need in bands that everybody shares."""
    if v.shared is not None:
        return f"{v.shared.spare_db:.0f} dB".replace("-", "−")
    return f"{v.margin_hz / 1e3:g}" if v.margin_hz is not None else ""


def wide_entries(store: Store, scope: Scope) -> list[tuple[Entry, str]]:
    """Wideband carriers at the centres of their channels, and what is wrong with each in sentences."""
    rooms = {z.id: z.name for z in ground.zones(store, scope)}
    out = []
    for standing in wideband.view(store, scope, listen.picture(store, scope)).standings:
        carrier, low, width = standing.carrier, standing.low_hz, standing.model.bandwidth_hz
        count = len({p.id for b in standing.blocks for p in b.packs})
        entry = Entry(
            link=carrier.name,
            mhz="" if low is None else mhz(low + width // 2),
            channel=carrier.channel,
            room=", ".join(rooms[r] for r in carrier.rooms if r in rooms) or "all rooms",
            acts="always",
            equipment=f"{standing.model.name}, {count} packs",
            band="" if low is None else f"{low / 1e6:g}–{(low + width) / 1e6:g}",
            performer="",
            margin="",
            state=_STATES["unplaced" if low is None else "broken" if standing.wrong else "sound"],
            spare=carrier.spare,
        )
        out.append((entry, " ".join(standing.wrong)))
    return out


def act_names(link: Link, acts: dict[int, str]) -> str:
    return ", ".join(acts[a] for a in link.acts if a in acts) or "always"


def html(store: Store, scope: Scope, board: Board, moment: datetime, swaps: Mapping[str, Swap] | None = None) -> str:
    """The sheet as HTML for Qt's document: by room, by act, and where each of the `swaps` goes if it fails."""
    place, name = ground.here(store, scope), board.input.name
    both = with_verdicts(store, scope, board)
    acts = kit.acts(store, scope)
    known = {a.id for a in acts}
    on = {a.id: [e for v, e in both if a.id in v.link.acts or not known & set(v.link.acts)] for a in acts}
    rooms = [(name(ids.of(z)), [e for v, e in both if v.link.zone_id == z.id]) for z in ground.zones(store, scope)]
    wide = wide_entries(store, scope)
    return render(
        "sheet",
        show=place.show.name,
        site=place.site.name,
        acts=[(name(ids.of(a)), _times(a, place), on[a.id]) for a in acts],
        made=place.clock.said(moment),
        zone=place.clock.abbreviation(moment),
        region=f"{place.region.title}, as of {place.region.dated}" if place.region else "no region, none was chosen",
        advice=ADVICE,
        rooms=[(room, listed) for room, listed in rooms if listed],
        wide=wide,
        broken=board.count("broken") + sum(e.state == _STATES["broken"] for e, _ in wide),
        unplaced=board.count("unplaced") + sum(not e.mhz for e, _ in wide),
        stale=board.stale,
        overrides=[
            (p.name, f"{p.low_hz / 1e6:g}–{p.high_hz / 1e6:g} MHz", p.note)
            for p in place.permits
            if p.kind == "override"
        ],
        swaps=[(name(key), mhz(board.frequencies[key]), mhz(s.freq_hz)) for key, s in (swaps or {}).items()],
    )


def _times(act: Act, place: ground.Place) -> str:
    """When an act is on, empty where it has no times."""
    if act.starts_at is None or act.ends_at is None:
        return ""
    return f"{place.clock.said(act.starts_at)}–{place.clock.said(act.ends_at)[-5:]}"


def csv_text(store: Store, scope: Scope, board: Board) -> str:
    """The sheet as CSV (RFC 4180); a cell that a spreadsheet would run is written as text."""
    wide = (e for e, _ in wide_entries(store, scope))
    return as_csv(HEADINGS, (e.cells() for e in (*entries(store, scope, board), *wide)))


def write_csv(store: Store, scope: Scope, board: Board, path: Path) -> None:
    write_whole(path, csv_text(store, scope, board).encode("utf-8"))
