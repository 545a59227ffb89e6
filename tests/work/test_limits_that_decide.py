"""The limits by which things are called tight, high or short of headroom, and what keeps the history of plans short."""

from dataclasses import replace

import pytest

from azven.rf.chain.design import solve_design
from azven.rf.chain.graph import flag
from azven.work import chain, plan
from azven.work.chain import troubles
from azven.work.plan import history
from azven.work.plan.board import _state
from azven.work.scope import opening as here


@pytest.mark.parametrize(
    ("margin", "fault", "state"),
    [(-1, "", "broken"), (0, "", "tight"), (12_499, "", "tight"), (12_500, "", "sound"), (None, "", "sound"),
     (10**6, "not tunable", "broken")],
)  # fmt: skip
def test_a_link_is_tight_under_half_a_channel_step_of_25_khz(margin, fault, state):
    assert _state(margin, fault) == state


@pytest.mark.parametrize(("excess", "said"), [(3.0, "ok"), (3.01, "high"), (-6.0, "ok"), (-6.01, "low"), (0.0, "ok")])
def test_gain_is_high_above_three_decibels_over_loss_and_low_under_minus_six(excess, said):
    assert flag(excess) == said


@pytest.mark.parametrize(("headroom", "told"), [(2.9, True), (3.0, False), (3.1, False), (-5.0, True)])
def test_less_than_three_decibels_of_headroom_is_told(store, headroom, told):
    design = chain.read(chain.document_of(chain.designs(store, here(store))[0]))
    solved = solve_design(design)
    stage = next(iter(solved.joints))
    calm = tuple(replace(r, headroom_db=40.0, limiting_stage=stage) for r in solved.receivers)
    short = replace(solved, receivers=(replace(calm[0], headroom_db=headroom), *calm[1:]))
    found = [t for t in troubles.warnings(design, short) if "of headroom" in t.text]
    assert bool(found) is told
    assert not [t for t in troubles.warnings(design, replace(solved, receivers=calm)) if "of headroom" in t.text]


def test_the_history_of_plans_keeps_the_newest_forty(store):
    scope = here(store)
    frequencies = plan.board_of(store, scope).frequencies
    for i in range(45):
        store.apply(plan.set_frequencies(store, scope, frequencies, f"Plan {i}", complete=True))
    kept = history.kept_plans(store, scope)
    assert [k.title for k in kept] == [f"Plan {i}" for i in reversed(range(5, 45))]
