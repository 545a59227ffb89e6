"""What is left when everything fits: margin for every link instead of one empty stretch at the end of the band."""

from dataclasses import replace
from math import sqrt

from azven.rf.coordinate.grid import Grid
from azven.rf.coordinate.moves import Moves
from azven.rf.coordinate.search import Search
from azven.rf.coordinate.starts import quick
from azven.rf.request import PlanRequest, Profile

_SHARE, _EACH = 0.12, 0.01
"""Of the work for all of it, and for moves at one width where a short look leaves something out."""
_FASTER, _CLOSE, _WIDEST = 1.6, 1.03, 64.0
"""How fast widths grow, how close the widest that holds and the next that does not may be, and where it ends."""


def spread(search: Search) -> Search:
    """The plan with spacing and guards widened together as far as everything still finds room: the smallest margin in
    multiples of its guard is as large as this finds. By bisection; `search` is complete."""
    effort, request = search.effort, search.grid.request
    until = effort.spent + round(_SHARE * effort.limit)
    holds, fails, factor = 1.0, _WIDEST * _CLOSE, _FASTER
    while fails > _CLOSE * holds and effort.spent < until and not effort.look():
        wider = Search(Grid(_wider(request, factor)), effort)
        quick(wider)
        if not wider.complete and not effort.over:
            Moves(wider).run(effort.spent + round(_EACH * effort.limit))
        if wider.complete:
            search, holds = wider, factor
        else:
            fails = factor
        factor = min(holds * _FASTER, sqrt(holds * fails))
    return search


def _wider(request: PlanRequest, factor: float) -> PlanRequest:
    profiles = {
        name: Profile(round(p.spacing_hz * factor), {k: round(g * factor) for k, g in p.guard_hz.items()}, p.width_hz)
        for name, p in request.profiles.items()
    }
    return replace(request, profiles=profiles)
