"""The columns behind the fields of records, from their types and names, and how their values are written and read.

Nothing here needs a database library, so that a book can be read before one is loaded.
"""

import base64
import json
import re
import zlib
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import UTC, datetime
from functools import cache, wraps
from typing import Any, Literal, TypeVar, get_args, get_origin, get_type_hints

import numpy as np
from numpy.typing import NDArray

from azven.book import records as r

R = TypeVar("R", bound=r.Record)
Sort = Literal[
    "key", "whole", "hertz", "real", "text", "truth", "bytes", "moment", "json", "frequencies", "levels"
]  # fmt: skip
BULKY: tuple[Sort, ...] = ("bytes", "frequencies", "levels")
"""What may be large: bins of sweeps and drawings."""

KINDS: tuple[type[r.Record], ...] = (
    r.Region, r.Site, r.Zone, r.Relation, r.Neighbour, r.Sweep, r.Trace, r.Model, r.Unit, r.Show, r.Act, r.Link,
    r.Plan, r.Assignment, r.KeptPlan, r.Permit, r.Wall, r.Area, r.Mount, r.Antenna, r.Backdrop, r.Design,
    r.Retention, r.Reception, r.Pair, r.Person, r.Worn, r.Route, r.Port, r.Wideband, r.WidePack,
    r.Occupant, r.RadarEvent, r.Intercom, r.TalkGroup, r.ListedRack, r.RackNetwork, r.Mapped, r.Wanted, r.Proof,
    r.SignOff, r.WalkTest, r.Staging, r.Deed, r.Booking, r.Distance, r.KeptQuestion, r.BookKey, r.Origin, r.Hour,
    r.Inquiry,
)  # fmt: skip
"""Every kind of record, parents before children."""
LARGE: tuple[type[r.Record], ...] = (r.Trace, r.Unit, r.Deed, r.Booking, r.Origin, r.Hour)
"""Kinds that are asked for as they are needed and never held as a whole."""
HELD = tuple(kind for kind in KINDS if kind not in LARGE)
"""The others, which a store holds."""


T = TypeVar("T")


def of_each_kind(make: Callable[[type[r.Record]], T]) -> Callable[[type[r.Record]], T]:
    """What is worked out once for every kind of record."""
    known: dict[type[r.Record], T] = {}

    @wraps(make)
    def found(kind: type[r.Record]) -> T:
        if kind not in known:
            known[kind] = make(kind)
        return known[kind]

    return found


@dataclass(frozen=True)
class Column:
    """A column: what it holds, whether that may be missing, the table it refers to, the words it may hold."""

    name: str
    sort: Sort
    optional: bool = False
    refers: str = ""
    words: tuple[str, ...] = ()


@of_each_kind
def hints(kind: type[r.Record]) -> dict[str, Any]:
    """The types of a record's fields, by name."""
    return get_type_hints(kind)


@of_each_kind
def table_name(kind: type[r.Record]) -> str:
    """`KeptPlan` is in `kept_plan`."""
    return re.sub(r"(?<!^)(?=[A-Z])", "_", kind.__name__).lower()


@cache
def kind_of(table: str) -> type[r.Record]:
    """The kind of record that a table holds; KeyError for none."""
    return {table_name(kind): kind for kind in KINDS}[table]


@of_each_kind
def columns(kind: type[r.Record]) -> tuple[Column, ...]:
    """The columns of a kind, in the order of its fields."""
    return tuple(_column(kind, f.name) for f in fields(kind))


_SORTS: Mapping[Any, Sort] = {
    str: "text", int: "whole", float: "real", bool: "truth", bytes: "bytes", datetime: "moment",
    NDArray[np.int64]: "frequencies", NDArray[np.float64]: "levels",
}  # fmt: skip


def _column(kind: type[r.Record], name: str) -> Column:
    """`zone_id` and `zone_a_id` refer to a zone, `_hz` is hertz."""
    hint = hints(kind)[name]
    parts = get_args(hint)
    if optional := type(None) in parts:
        (hint,) = (p for p in parts if p is not type(None))
    if name == "id":
        return Column(name, "key")
    if name.endswith("_id"):
        return Column(name, "key", optional, refers=name.split("_")[0])
    if get_origin(hint) is Literal:
        return Column(name, "text", optional, words=get_args(hint))
    if name.endswith("_hz") and hint is int:
        return Column(name, "hertz", optional)
    return Column(name, _SORTS.get(hint, "json"), optional)


# -- values as a database has them ---------------------------------------------------------------------


def frozen(value: Any) -> Any:
    """Lists as tuples, all the way down: the form in which lists and objects are read back."""
    if isinstance(value, list):
        return tuple(frozen(v) for v in value)
    if isinstance(value, dict):
        return {k: frozen(v) for k, v in value.items()}
    return value


def as_read(record: R) -> R:
    """The record as it will be read back from the book."""
    changed: dict[str, Any] = {}
    for column in columns(type(record)):
        value = getattr(record, column.name)
        if isinstance(value, list | dict):
            changed[column.name] = frozen(value)
        elif column.sort == "real" and isinstance(value, int):
            changed[column.name] = float(value)
    return replace(record, **changed) if changed else record


_MOST_BINS = 20_000_000


def _unpacked(data: bytes, size: int) -> bytes:
    """Compressed values of `size` bytes each; ValueError when they do not unpack, or to more than a sweep can hold."""
    if not isinstance(data, bytes):
        raise ValueError("the bins are no packed values")
    engine = zlib.decompressobj()
    try:
        found = engine.decompress(data, _MOST_BINS * size)
    except zlib.error as error:
        raise ValueError(f"the bins do not unpack ({error})") from error
    if engine.unconsumed_tail or not engine.eof or len(found) % size:
        raise ValueError("the bins do not unpack to a sweep")
    return found


def _pack_moment(value: datetime) -> datetime:
    return value.astimezone(UTC).replace(tzinfo=None)


def _read_moment(value: Any) -> datetime:
    """SQLite keeps a moment as text without a zone; every moment in a book is in UTC."""
    return (value if isinstance(value, datetime) else datetime.fromisoformat(value)).replace(tzinfo=UTC)


def _pack_frequencies(value: Any) -> bytes:
    """Ascending int64 hertz as compressed differences: equal steps shrink to almost nothing."""
    return zlib.compress(np.diff(value, prepend=0).astype("<i8").tobytes(), 6)


def _read_frequencies(value: bytes) -> NDArray[np.int64]:
    return np.cumsum(np.frombuffer(_unpacked(value, 8), "<i8")).astype(np.int64)


def _pack_levels(value: Any) -> bytes:
    """Levels in dBm as compressed 16-bit hundredths of a decibel, ±327 dB."""
    return zlib.compress(np.clip(np.round(np.asarray(value) * 100), -32768, 32767).astype("<i2").tobytes(), 1)


def _read_levels(value: bytes) -> NDArray[np.float64]:
    return np.frombuffer(_unpacked(value, 2), "<i2").astype(np.float64) / 100


PACK: Mapping[Sort, Callable[[Any], Any]] = {
    "moment": _pack_moment,
    "json": lambda v: json.dumps(v, ensure_ascii=False, separators=(",", ":")),
    "frequencies": _pack_frequencies,
    "levels": _pack_levels,
}
READ: Mapping[Sort, Callable[[Any], Any]] = {
    "truth": bool,
    "moment": _read_moment,
    "json": lambda v: frozen(json.loads(v)),
    "frequencies": _read_frequencies,
    "levels": _read_levels,
}
"""How values of a sort are written and read; sorts that are not named are written and read as they are."""


@of_each_kind
def _readers(kind: type[r.Record]) -> tuple[tuple[str, Callable[[Any], Any]], ...]:
    return tuple((c.name, READ[c.sort]) for c in columns(kind) if c.sort in READ)


@of_each_kind
def _names(kind: type[r.Record]) -> tuple[str, ...]:
    return tuple(c.name for c in columns(kind))


def records_of(kind: type[R], rows: Sequence[Any]) -> list[R]:
    """The records of many rows, as `record_of` makes each; what several have of one text is made of it once."""
    read = [_column_of(c, values) for c, values in zip(columns(kind), zip(*rows, strict=True), strict=True)]
    names, out = _names(kind), []
    for values in zip(*read, strict=True):
        out.append(_made(kind, zip(names, values, strict=True)))
    return out


def _column_of(column: Column, values: Sequence[Any]) -> Sequence[Any]:
    """The values of a column as records have them."""
    if column.sort not in READ:
        return values
    read = READ[column.sort]
    if column.sort == "json":
        shared = {text: read(text) for text in set(values) if text and "{" not in text}  # an object could be changed
        return [shared[v] if v in shared else read(v) if v is not None else None for v in values]
    return [read(value) if value is not None else None for value in values]


def record_of(kind: type[R], row: Any) -> R:
    """The record of a row of its columns; ValueError, TypeError or LookupError when it is damaged."""
    found = dict(zip(_names(kind), row, strict=True))
    for name, read in _readers(kind):
        if found[name] is not None:
            found[name] = read(found[name])
    return _made(kind, found.items())


def _made(kind: type[R], fields: Iterable[tuple[str, Any]]) -> R:
    """A record as the dataclass would make it, which takes a call for every field of what is frozen."""
    made = object.__new__(kind)
    vars(made).update(fields)
    return made


# -- values as JSON has them ---------------------------------------------------------------------------


def as_json(kind: type[r.Record], values: Mapping[str, Any]) -> dict[str, Any]:
    """Some fields of a record as JSON has them: moments in ISO 8601, bytes and bins in base 64."""
    sorts = {c.name: c.sort for c in columns(kind)}
    return {name: _plain(sorts[name], value) for name, value in values.items()}


def from_json(kind: type[r.Record], values: Mapping[str, Any]) -> dict[str, Any]:
    """The fields of a record that `as_json` wrote."""
    sorts = {c.name: c.sort for c in columns(kind)}
    return {name: _back(sorts[name], value) for name, value in values.items()}


def _plain(sort: Sort, value: Any) -> Any:
    if value is None or sort not in ("moment", *BULKY):
        return value
    if sort == "moment":
        return value.isoformat()
    return base64.b64encode(PACK[sort](value) if sort in PACK else value).decode()


def _back(sort: Sort, value: Any) -> Any:
    if value is None:
        return None
    if sort == "moment":
        return datetime.fromisoformat(value)
    if sort in BULKY:
        packed = base64.b64decode(value)
        return READ[sort](packed) if sort in READ else packed
    return frozen(value) if sort == "json" else value
