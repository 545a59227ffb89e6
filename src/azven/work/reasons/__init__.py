"""Reasons: why a link stands as it does, with this case's numbers, and what could be done about it."""

from azven.work.reasons.panel import (
    best_alternative,
    better_place,
    for_link,
    lane_of,
    refined_causes,
    refined_shares,
    sentence,
)
from azven.work.reasons.shared import shared_causes
from azven.work.reasons.told import LANE_CAUSES, Option, Reasons, Row, always

__all__ = [
    "LANE_CAUSES",
    "Option",
    "Reasons",
    "Row",
    "always",
    "best_alternative",
    "better_place",
    "for_link",
    "lane_of",
    "refined_causes",
    "refined_shares",
    "sentence",
    "shared_causes",
]
