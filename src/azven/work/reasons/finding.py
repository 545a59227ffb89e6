"""The reasons for whatever is chosen: one table by its kind."""

from collections.abc import Callable
from datetime import datetime
from typing import TYPE_CHECKING, Any, Protocol

from azven.book.records import Unit
from azven.book.store import Store
from azven.work import chosen, ground, ids, kit, listen
from azven.work.chosen import Chosen
from azven.work.listen import Picture
from azven.work.plan import Board
from azven.work.reasons import panel, spectrum
from azven.work.reasons.told import Reasons
from azven.work.scope import Scope

if TYPE_CHECKING:
    from azven.work.watch.night import Seen


class Known(Protocol):
    """Whoever asks: where, and what is known there."""

    @property
    def store(self) -> Store: ...

    @property
    def scope(self) -> Scope: ...

    @property
    def picture(self) -> Picture: ...

    @property
    def board(self) -> Board: ...

    @property
    def watched(self) -> "Seen | None": ...

    def now(self) -> datetime: ...


def reasons_for(known: Known, what: Chosen | None) -> Reasons | None:
    """The reasons for what is chosen; None for nothing, and for what is no longer there."""
    return None if what is None else _BY_KIND[type(what)](known, what)


def _link(known: Known, what: chosen.Link) -> Reasons | None:
    if not any(ids.of(x) == what.id and not x.set_aside for x in kit.links(known.store, known.scope)):
        return None
    return panel.for_link(known.store, known.scope, known.board, known.picture, what.id, known.now())


def _sweep(known: Known, what: chosen.Sweep) -> Reasons | None:
    record = next((s for s in listen.sweeps(known.store, known.scope) if s.id == what.id), None)
    return None if record is None else spectrum.for_sweep(record, known.store, known.now())


def _line(known: Known, what: chosen.Line) -> Reasons | None:
    return spectrum.for_line(known.store, known.scope, what.line) if what.line in known.picture.lines else None


def _channel(known: Known, what: chosen.Channel) -> Reasons | None:
    return spectrum.for_channel(known.picture, what.use, what.name, known.now(), what.low_hz)


def _rule(known: Known, what: chosen.Rule) -> Reasons | None:
    region = ground.here(known.store, known.scope).region
    there = region is not None and what.number < len(region.rules)
    return spectrum.for_rule(region, region.rules[what.number]) if region is not None and there else None


def _neighbour(known: Known, what: chosen.Neighbour) -> Reasons | None:
    found = next((n for n in ground.neighbours(known.store, known.scope) if n.id == what.id), None)
    return None if found is None else spectrum.for_neighbour(known.store, found)


def _joint(known: Known, what: chosen.Joint) -> Reasons | None:
    from azven.rf.chain.design import solve_design
    from azven.work import chain
    from azven.work.chain import edits
    from azven.work.reasons import chain as reasons_chain

    record = next((d for d in chain.designs(known.store, known.scope) if d.id == what.design_id), None)
    if record is None:
        return None
    design = chain.read(chain.document_of(record))
    solved = solve_design(design)
    found = reasons_chain.for_joint(design, solved, what.name) or reasons_chain.for_system(design, solved, what.name)
    return found.with_options(edits.options(record, what.name)) if what.name in design.blocks else found


def _antenna(known: Known, what: chosen.Antenna) -> Reasons | None:
    from azven.work import reach
    from azven.work.reasons import reach as reasons_reach

    zone = next((z for z in ground.zones(known.store, known.scope) if z.id == what.zone_id), None)
    if zone is None:
        return None
    drawn = reach.room(known.store, known.scope, zone, what.placement, known.picture)
    antenna = next((a for a in drawn.antennas if a.id == what.id), None)
    return reasons_reach.for_antenna(drawn, antenna, what.wearer) if antenna else None


def _person(known: Known, what: chosen.Person) -> Reasons | None:
    from azven.work.reasons import person as reasons_person

    return reasons_person.for_person(known.store, known.scope, what.id)


def _wideband(known: Known, what: chosen.Wideband) -> Reasons | None:
    from azven.work.reasons import wide

    return wide.for_carrier(known.store, known.scope, known.picture, what.id)


def _foretold(known: Known, what: chosen.Foretold) -> Reasons | None:
    from azven.work.reasons import foretold as reasons_foretold

    return reasons_foretold.for_trouble(known.store, what)


def _unit(known: Known, what: chosen.Unit) -> Reasons | None:
    from azven.work.reasons import unit as reasons_unit

    found = known.store.all(Unit, id=what.id)
    clock = ground.here(known.store, known.scope).clock
    return reasons_unit.for_unit(known.store, clock, found[0], known.now()) if found else None


def _board_case(known: Known, what: chosen.BoardCase) -> Reasons | None:
    from azven.work.reasons import board_case

    return board_case.for_case(known, what.case)


def _case(known: Known, what: chosen.Case) -> Reasons | None:
    from azven.work.reasons import case as reasons_case

    seen = known.watched
    cases = (*seen.open, *seen.in_hand, *seen.closed) if seen is not None else ()
    found = next((c for c in cases if c.number == what.number), None)
    return reasons_case.for_case(seen, found) if seen is not None and found is not None else None


_BY_KIND: dict[type[Chosen], Callable[[Known, Any], Reasons | None]] = {
    chosen.Link: _link,
    chosen.Sweep: _sweep,
    chosen.Line: _line,
    chosen.Channel: _channel,
    chosen.Rule: _rule,
    chosen.Neighbour: _neighbour,
    chosen.Joint: _joint,
    chosen.Antenna: _antenna,
    chosen.Person: _person,
    chosen.Wideband: _wideband,
    chosen.Case: _case,
    chosen.Foretold: _foretold,
    chosen.BoardCase: _board_case,
    chosen.Unit: _unit,
}
