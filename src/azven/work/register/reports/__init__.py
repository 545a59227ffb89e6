"""The reports of the register, by the name under which they are asked for."""

from collections.abc import Callable
from dataclasses import dataclass

from azven.work.register.reports import after, frequencies, stock
from azven.work.register.reports.report import Asking, Progress, Report, Section, csv_text, html, shortened

__all__ = ["REPORTS", "Asking", "Kind", "Progress", "Report", "Section", "csv_text", "html", "shortened"]


@dataclass(frozen=True)
class Kind:
    """A report that can be asked for: its name, title, and what it tells; `make` may take long and can be stopped."""

    name: str
    title: str
    words: str
    make: Callable[[Asking], Report]


REPORTS: tuple[Kind, ...] = (
    Kind("room", "Frequencies by room", "Every link of the show with its frequency, room by room", frequencies.by_room),
    Kind("person", "Frequencies by person", "Who is on which frequency", frequencies.by_person),
    Kind("rack", "Frequencies by rack", "Which rack and receiver hears whom", frequencies.by_rack),
    Kind("antennas", "Antennas", "Where every antenna stands, how high, where it looks", frequencies.antennas),
    Kind("bring", "Who brings what", "What is booked for the show, by where it comes from", stock.who_brings_what),
    Kind("exceptions", "Exceptions", "What is astray, missing, late, or booked twice", stock.exceptions),
    Kind("after", "After the show", "What was used, what came back, what was left open", after.after_show),
    Kind("use", "Utilisation", "How much of the stock was at work in the last year", stock.utilisation),
)
