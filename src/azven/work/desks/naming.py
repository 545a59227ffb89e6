"""Records, their fields and values as people call them."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from azven.book.columns import columns, kind_of
from azven.book.reading import Reading
from azven.book.records import (
    Act,
    Assignment,
    Backdrop,
    Design,
    KeptPlan,
    Link,
    Plan,
    Record,
    Relation,
    Retention,
    Show,
    Sweep,
    Trace,
    Zone,
)
from azven.work.wording import mhz, one_line

_KINDS: Mapping[type[Record], str] = {
    Zone: "room", Assignment: "frequency", KeptPlan: "kept plan", Trace: "bins of the sweep", Backdrop: "drawing",
    Design: "antenna system", Relation: "rooms", Retention: "length of the history",
}  # fmt: skip
_FIELDS: Mapping[str, str] = {
    "freq_hz": "frequency", "zone_id": "room", "zone_a_id": "room", "zone_b_id": "other room",
    "psi_deg": "tilt of the axis", "nf_db": "noise figure [dB]", "iip3_dbm": "intercept [dBm]",
    "use_class": "spectrum", "acts_gone": "acts that are gone",
    "inputs": "what it was made from", "bulky": "bins and drawings", "edits": "edits kept", "own_on": "our own on",
}  # fmt: skip
_UNITS: Mapping[str, str] = {
    "_hz": "", "_db": " [dB]", "_dbm": " [dBm]", "_dbi": " [dBi]", "_m": " [m]", "_mw": " [mW]", "_deg": " [°]",
    "_id": "", "_at": "",
}  # fmt: skip
_MOST_CHARS = 60


def kind_word(kind: type[Record]) -> str:
    """What people call a kind of record."""
    return _KINDS.get(kind, kind.__name__.lower())


def thing(book: Reading, record: Record) -> str:
    """A record with its kind: `room “Attic”`."""
    name = _name(book, record)
    return f"{kind_word(type(record))} “{name}”" if name else kind_word(type(record))


def _name(book: Reading, record: Record) -> str:
    if isinstance(record, Relation):
        return f"{_referred(book, Zone, record.zone_a_id)} and {_referred(book, Zone, record.zone_b_id)}"
    if isinstance(record, Assignment):
        return _referred(book, Link, record.link_id)
    if isinstance(record, Plan):
        return _referred(book, Show, record.show_id)
    if isinstance(record, Trace):
        return _referred(book, Sweep, record.sweep_id)
    return next((one_line(getattr(record, f)) for f in ("name", "title", "place") if hasattr(record, f)), "")


def _referred(book: Reading, kind: type[Record], number: int) -> str:
    found = next(iter(book.all(kind, id=number)), None)
    return _name(book, found) if found is not None else f"no. {number}"


def field_word(name: str) -> str:
    """What people call a field, with its unit."""
    if name in _FIELDS:
        return _FIELDS[name]
    for ending, unit in _UNITS.items():
        if name.endswith(ending):
            return name.removesuffix(ending).replace("_", " ") + unit
    return name.replace("_", " ")


def value(book: Reading, kind: type[Record], field: str, held: Any) -> str:
    """A value of a field, short enough for a line."""
    column = next(c for c in columns(kind) if c.name == field)
    if held is None:
        return "none"
    if field == "acts":
        return _short(", ".join(_referred(book, Act, a) for a in held)) or "always on"
    if column.refers:
        return f"“{_referred(book, kind_of(column.refers), held)}”"
    if column.sort == "hertz":
        return f"{mhz(held)} MHz" if abs(held) >= 10**7 else f"{held / 1e3:g} kHz"
    if column.sort == "truth":
        return "yes" if held else "no"
    if isinstance(held, datetime):
        return f"{held:%Y-%m-%d %H:%M} UTC"
    if isinstance(held, float):
        return f"{held:g}"
    if isinstance(held, str):
        return f"“{_short(held)}”" if held else "empty"
    if isinstance(held, int):
        return str(held)
    return _collection(held)


def _collection(held: Any) -> str:
    if not hasattr(held, "__len__"):
        return str(held)
    if len(held) == 0:
        return "nothing"
    if isinstance(held, tuple) and all(isinstance(v, str | int | float) for v in held):
        return _short(", ".join(map(str, held)))
    return f"{len(held)} values"


def _short(text: str) -> str:
    line = one_line(text)
    return line if len(line) <= _MOST_CHARS else line[: _MOST_CHARS - 1] + "…"
