"""The register of a book: every unit, what was done with it, where it is, what is to be had."""

from azven.work.register.doing import Asked, deed_said, do, standing_of, where_said
from azven.work.register.finding import Question, counts, found, how_many, page, state_at

__all__ = [
    "Asked", "Question", "counts", "deed_said", "do", "found", "how_many", "page", "standing_of", "state_at",
    "where_said",
]  # fmt: skip
