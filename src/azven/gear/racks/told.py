"""What a link has to tell: to the log, to the window, to whoever watches."""

from dataclasses import dataclass, field
from typing import Any, Literal

Kind = Literal["connected", "cut", "silent", "lost", "back", "closed", "refused", "same-id", "bad", "sent", "answered",
               "late", "certificate", "event", "changed"]  # fmt: skip


@dataclass(frozen=True)
class Told:
    """An event of a rack at a time [s of whoever counts]: `rack` is its id, or its address while that is not known;
    `detail` holds members of the event as the status log has them."""

    at_s: float
    rack: str
    kind: Kind
    detail: dict[str, Any] = field(default_factory=dict)
