"""What Plan writes: frequencies as they stand, and plans as they were adopted."""

from dataclasses import field
from datetime import datetime

from azven.book.records.base import EPOCH, Record, record
from azven.book.records.words import School


@record
class Plan(Record):
    """A set of assignments of a show; `inputs` is the fingerprint of what it was computed from."""

    show_id: int
    name: str
    made_at: datetime = EPOCH
    inputs: dict[str, str] = field(default_factory=dict)
    note: str = ""


@record
class Assignment(Record):
    plan_id: int
    link_id: int
    freq_hz: int
    locked: bool = False


@record
class KeptPlan(Record):
    """A plan as it was adopted: frequencies [Hz] by link id (`link-12`), the names the links had then, and what it was
    made from."""

    show_id: int
    title: str
    made_at: datetime = EPOCH
    made_by: str = ""
    school: School = "spacing"
    density: int = 1
    frequencies: dict[str, int] = field(default_factory=dict)
    names: dict[str, str] = field(default_factory=dict)
    inputs: dict[str, str] = field(default_factory=dict)
    made_from: tuple[str, ...] = ()
