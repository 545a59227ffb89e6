"""Plan: from what the book knows to a coordination, and back into the book."""

from azven.work.plan.board import (
    TIGHT_HZ,
    Board,
    Progress,
    adopt,
    assignments,
    board_from,
    board_of,
    go_back_to,
    judge,
    lock,
    moved,
    nearest_step,
    set_density,
    set_frequencies,
    set_school,
    try_at,
)
from azven.work.plan.verdicts import TIGHT_DB, Trial, Verdict

__all__ = [
    "TIGHT_DB",
    "TIGHT_HZ",
    "Board",
    "Progress",
    "Trial",
    "Verdict",
    "adopt",
    "assignments",
    "board_from",
    "board_of",
    "go_back_to",
    "judge",
    "lock",
    "moved",
    "nearest_step",
    "set_density",
    "set_frequencies",
    "set_school",
    "try_at",
]
