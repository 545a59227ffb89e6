"""The open format `azven-register` 1: units with what was done with them, bookings and loans, for a hand-over.

Ids are those of the book that it comes from, which `book` names, so that taking it in twice changes nothing.
"""

from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import AwareDatetime, Field

from azven.book.formats.errors import FormatError
from azven.book.formats.reading import Document, parse
from azven.book.records import Condition
from azven.rf.register.deeds import DeedKind, State

NAME, VERSION = "azven-register", 1
MOST_UNITS, MOST_DEEDS = 200_000, 5_000_000
Text = Annotated[str, Field(max_length=2_000)]
Id = Annotated[str, Field(pattern=r"^([a-z]+-[0-9]{1,18})?$")]
"""A kind and a number, as `unit-12`; empty where nothing is named."""
Key = Annotated[str, Field(min_length=1, max_length=60)]
Moment = Annotated[AwareDatetime, Field(strict=False)]


class NamedDocument(Document):
    """A site or a model: its id in the book, and what people call it."""

    id: Id
    name: Text


class ShowDocument(NamedDocument):
    site: Id
    load_in: Moment | None = None
    load_out: Moment | None = None


class UnitDocument(NamedDocument):
    """A unit as it stands: `home` and `at` are sites."""

    model: Id
    serial: Text = ""
    band: Text = ""
    carried: bool = True
    channels: Annotated[int, Field(ge=0, le=1_000_000)] = 1
    home: Id = ""
    state: State = "in case"
    at: Id = ""
    place: Text = ""
    holder: Text = ""
    since: Moment | None = None
    until: Moment | None = None
    firmware: Text = ""
    condition: Condition = "good"
    note: Text = ""
    cells_since: Moment | None = None
    ran_min: Annotated[float, Field(ge=0, le=1e6)] | None = None


class DeedDocument(Document):
    """Something done with a unit; `ends_at`: when its show was to load out."""

    id: Id
    unit: Id
    at: Moment
    deed: DeedKind
    by: Text = ""
    site: Id = ""
    place: Text = ""
    show: Id = ""
    ends_at: Moment | None = None
    link: Text = ""
    to: Text = ""
    until: Moment | None = None
    why: Text = ""


class BookingDocument(Document):
    id: Id
    show: Id
    unit: Id


class LoanDocument(Document):
    """Who has a unit, since when and until when: what follows from its deeds, for other readers."""

    unit: Id
    to: Text = ""
    since: Moment | None = None
    until: Moment | None = None


class RegisterDocument(Document):
    """The whole document."""

    format: Literal["azven-register"]
    version: int
    book: Key
    made: Text = ""
    sites: list[NamedDocument] = []
    models: list[NamedDocument] = []
    shows: list[ShowDocument] = []
    units: Annotated[list[UnitDocument], Field(max_length=MOST_UNITS)] = []
    deeds: Annotated[list[DeedDocument], Field(max_length=MOST_DEEDS)] = []
    bookings: Annotated[list[BookingDocument], Field(max_length=MOST_DEEDS)] = []
    loans: list[LoanDocument] = []


def read(data: Any) -> RegisterDocument:
    """The checked document; FormatError in one line, with the path, when it cannot be used."""
    found = parse(RegisterDocument, data, NAME, VERSION)
    units = {u.id for u in found.units}
    for k, deed in enumerate(found.deeds):
        if deed.unit not in units:
            raise FormatError(f"deeds[{k}].unit: there is no unit '{deed.unit}'")
    return found


def write(book: str, parts: Mapping[str, Any]) -> dict[str, Any]:
    """The document of a book, ready for JSON; `parts` are its lists."""
    return {"format": NAME, "version": VERSION, "book": book, **parts}
