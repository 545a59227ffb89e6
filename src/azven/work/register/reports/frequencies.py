"""Frequencies by room, by person and by rack; antennas with where they stand."""

from collections.abc import Callable, Mapping, Sequence

from azven.book.records import Antenna, Design
from azven.book.regions import ADVICE
from azven.work import ground, kit, plan
from azven.work.kit.fitting import receptions
from azven.work.plan import sheet
from azven.work.plan.sheet import Entry
from azven.work.plan.verdicts import Verdict
from azven.work.register.reports.report import Asking, Report, Row, Section

_NOBODY, _NO_RACK = "nobody said", "no rack said"
_COLUMNS = ("Link", "MHz", "Channel", "Room", "Person", "Equipment", "Acts", "State")
Grouping = Callable[[Verdict, Entry], Sequence[str]]


def by_room(asked: Asking) -> Report:
    """A section a room."""
    return _report(asked, "Frequencies by room", lambda v, e: [e.room])


def by_person(asked: Asking) -> Report:
    """A section a person; a link that is handed on stands with each who wears it."""
    return _report(asked, "Frequencies by person", lambda v, e: e.performer.split(", ") if e.performer else [_NOBODY])


def by_rack(asked: Asking) -> Report:
    """A section a rack unit, its receivers in their order."""
    store, scope = asked.store, asked.scope
    heard = receptions(store, kit.links(store, scope))
    names = {u.id: u.name for u in kit.units(store, scope)}

    def racks(v: Verdict, e: Entry) -> list[str]:
        return [names[unit] for unit, _ in heard[v.link.id] if unit in names] or [_NO_RACK]

    receiver = {v: ", ".join(f"{names[u]} {r}" for u, r in on if u in names and r) for v, on in heard.items()}
    return _report(asked, "Frequencies by rack", racks, receiver)


def _report(
    asked: Asking, title: str, group: Grouping, receivers: Mapping[int, str] | None = None
) -> Report:  # fmt: skip
    board = plan.board_of(asked.store, asked.scope)
    sections: dict[str, list[Row]] = {}
    for verdict, entry in sheet.with_verdicts(asked.store, asked.scope, board):
        row: Row = (entry.link + (" (spare)" if entry.spare else ""), entry.mhz or "—", entry.channel, entry.room,
                    entry.performer, f"{entry.equipment}, {entry.band}", entry.acts, entry.state)  # fmt: skip
        for name in dict.fromkeys(group(verdict, entry)):
            sections.setdefault(name, []).append((*row, (receivers or {}).get(verdict.link.id, "")))
    columns: Row = (*_COLUMNS, "Receiver")
    if not any((receivers or {}).values()):
        columns, sections = _COLUMNS, {name: [r[:-1] for r in rows] for name, rows in sections.items()}
    broken, unplaced = board.count("broken"), board.count("unplaced")
    wrong = [f"{broken} broken."] * bool(broken) + [f"{unplaced} without a frequency."] * bool(unplaced)
    if board.stale:
        wrong.append(f"Changed since the plan was made: {', '.join(board.stale)}.")
    listed = [Section(name, tuple(rows)) for name, rows in sections.items()]
    last = {_NOBODY, _NO_RACK}
    listed.sort(key=lambda s: (s.heading in last, s.heading.casefold() if title != "Frequencies by room" else ""))
    return Report(title, columns, tuple(listed), frozenset({"MHz"}), (), tuple(wrong),
                  f"{ADVICE} A wireless link is never a life-safety link.")  # fmt: skip


def antennas(asked: Asking) -> Report:
    """Antennas by room with where they stand, and the systems that they belong to."""
    store, scope = asked.store, asked.scope
    sections = []
    for zone in ground.zones(store, scope):
        rows = tuple(_antenna(a) for a in store.all(Antenna, zone_id=zone.id))
        if rows:
            sections.append(Section(zone.name, rows))
    systems = [d.name for d in store.all(Design, site_id=scope.site)]
    notes = (f"Antenna systems, printed in Chain: {', '.join(systems)}.",) if systems else ()
    advice = (
        "Work at height and rigging by those who are trained and allowed to; keep the distances of the exposure rules "
        "from transmitting antennas; keep clear of power lines. Local codes decide."
    )
    columns = ("Antenna", "Role", "Side", "Kind", "x m", "y m", "Height m", "Azimuth °", "Gain dBi", "Polarisation")
    right = frozenset({"x m", "y m", "Height m", "Azimuth °", "Gain dBi"})
    return Report("Antennas", columns, tuple(sections), right, notes, (), advice)


def _antenna(a: Antenna) -> Row:
    return (a.name, a.role, a.side, a.kind, f"{a.x_m:g}", f"{a.y_m:g}", f"{a.z_m:g}", f"{a.azimuth_deg:g}",
            f"{a.gain_dbi:g}", a.polarisation)  # fmt: skip
