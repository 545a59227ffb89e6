"""Whether a record that was read can be what was written: its types, its closed sets of words, its bounds.

A book may come from a broken disk or another program. What does not fit is set aside by the store, not guessed.
"""

import types
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from typing import Any, Literal, Union, get_args, get_origin

from azven.book import records as r
from azven.book import regions
from azven.book.columns import hints

_BOUNDS: Mapping[type[r.Record], Mapping[str, tuple[float, float]]] = {
    r.Zone: {"near_m": (0.0, 1e6), "far_m": (0.0, 1e6), "between_m": (0.0, 1e6), "exponent": (0.0, 80.0)},
    r.Neighbour: {"freq_hz": (0, 10**12), "spacing_hz": (0, 10**12)},
    r.Model: {
        "step_hz": (1, 10**12), "bandwidth_hz": (1, 10**12), "power_mw": (1e-9, 1e9), "spacing_hz": (0, 10**12),
        "nf_db": (0.0, 200.0), "duty": (0.0, 1.0), "rejoin_s": (0.0, 1e5),
    },
    r.Unit: {"channels": (0, 1_000_000), "ran_min": (0.0, 1e6)},
    r.Show: {"density": (0, 4)},
    r.Wideband: {"guard_hz": (0, 10**9)},
    r.Occupant: {
        "centre_hz": (1, 10**12), "width_hz": (1, 10**12), "level_dbm": (-300.0, 300.0), "duty": (0.0, 1.0),
    },
    r.RadarEvent: {"channel": (1, 1_000), "minute": (0, 1_000_000)},
    r.TalkGroup: {"at_once": (0, 100_000)},
    r.Assignment: {"freq_hz": (0, 10**12)},
    r.Permit: {"low_hz": (0, 10**12), "high_hz": (0, 10**12)},
    r.Antenna: {"beamwidth_deg": (1e-6, 360.0), "carriers": (0, 10_000)},
}  # fmt: skip
_JUDGED_ELSEWHERE: Mapping[type[r.Record], tuple[str, ...]] = {r.Sweep: ("rbw_hz", "points", "low_hz", "high_hz")}
_OF_THEIR_OWN = (r.Model, r.Region, *_JUDGED_ELSEWHERE)
_PLAIN_KINDS = frozenset({int, float, str, datetime})
"""Values of one of these that are equal fit alike."""
_MOST = 1e15
"""No figure in a book is larger."""


def fault(record: r.Record) -> str:
    """What is wrong with a record, empty when nothing is. Figures of a sweep are judged where its bins are read, so
    that one damaged sweep costs only what it covers."""
    values = vars(record)
    for name, fits in _checks(type(record)):
        value = values[name]
        if not fits(value):
            if name in _JUDGED_ELSEWHERE.get(type(record), ()) and isinstance(value, int | float):
                continue
            words = get_args(hints(type(record))[name])
            closed = get_origin(hints(type(record))[name]) is Literal
            return f"its {name} is none of {', '.join(words)}" if closed else f"its {name} cannot be read"
    for name, (low, high) in _BOUNDS.get(type(record), {}).items():
        if (value := values[name]) is not None and not low <= value <= high:
            return f"its {name} is out of bounds"
    return _own_fault(record)


def all_sound(kind: type[r.Record], records: Sequence[r.Record]) -> bool:
    """Whether nothing at all is wrong with many records of a kind; where it is, `fault` says what with which. A value
    that several have is looked at once."""
    if kind in _OF_THEIR_OWN:
        return not any(map(fault, records))
    bounds = _BOUNDS.get(kind, {})
    for name, fits in _checks(kind):
        values = [vars(x)[name] for x in records]
        kinds = set(map(type, values)) - {type(None)}
        some = set(values) if len(kinds) == 1 and kinds <= _PLAIN_KINDS else {id(v): v for v in values}.values()
        if not all(map(fits, some)):
            return False
        if name in bounds:
            low, high = bounds[name]
            if not all(v is None or low <= v <= high for v in some):
                return False
    return True


def _own_fault(record: r.Record) -> str:
    if isinstance(record, r.Model) and not (record.bands and all(0 < a <= b <= 10**12 for _, a, b in record.bands)):
        return "its bands cannot be read"
    return _fault_of_rules(_thawed(record.document)) if isinstance(record, r.Region) else ""


def _fault_of_rules(document: Any) -> str:
    """What is wrong with a region file; one that ships is known to be sound, and needs nothing loaded to see it."""
    if document in regions.shipped():
        return ""
    from azven.book.formats import region
    from azven.book.formats.errors import FormatError

    try:
        region.read(document)
    except FormatError as error:
        return str(error)
    return ""


def _thawed(value: Any) -> Any:
    """Tuples as lists all the way down, as a document has them."""
    if isinstance(value, tuple):
        return [_thawed(v) for v in value]
    return {k: _thawed(v) for k, v in value.items()} if isinstance(value, dict) else value


_Check = Callable[[Any], bool]


_known: dict[str, tuple[tuple[str, _Check], ...]] = {}


def _checks(kind: type[r.Record]) -> tuple[tuple[str, _Check], ...]:
    """A test for every field of a kind of record, made once."""
    if kind.__name__ not in _known:
        _known[kind.__name__] = tuple((name, _check(hint)) for name, hint in hints(kind).items())
    return _known[kind.__name__]


def _check(hint: Any) -> _Check:
    """A test of values against a type of the records."""
    origin, parts = get_origin(hint), get_args(hint)
    if origin in (Union, types.UnionType):
        each = [_check(p) for p in parts if p is not type(None)]
        if len(each) == 1 < len(parts):
            (fits,) = each
            return lambda v: v is None or fits(v)
        return lambda v: any(fits(v) for fits in each) or (v is None and type(None) in parts)
    if origin is Literal:
        return lambda v: v in parts
    if origin is tuple:
        return _check_tuple(parts)
    if origin is dict:
        key, value = (_check(p) for p in parts)
        return lambda v: isinstance(v, dict) and all(key(k) and value(x) for k, x in v.items())
    return _PLAIN.get(hint, lambda v: True)


def _check_tuple(parts: tuple[Any, ...]) -> _Check:
    if len(parts) == 2 and parts[1] is ...:
        one = _check(parts[0])
        return lambda v: isinstance(v, tuple) and all(map(one, v))
    each = [_check(p) for p in parts]
    return lambda v: isinstance(v, tuple) and len(v) == len(each) and all(f(x) for f, x in zip(each, v, strict=True))


def _number(value: Any) -> bool:
    return not isinstance(value, bool) and isinstance(value, int | float) and abs(value) < _MOST


def _whole(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and abs(value) < _MOST


_PLAIN: Mapping[Any, _Check] = {
    int: _whole,
    float: _number,
    str: lambda v: isinstance(v, str),
    bool: lambda v: isinstance(v, bool),
    bytes: lambda v: isinstance(v, bytes),
    datetime: lambda v: isinstance(v, datetime),
    type(None): lambda v: v is None,
}
