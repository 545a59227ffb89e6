"""What comes from a rack is never trusted: each value is taken, or left out and counted by its reason."""

import math
import unicodedata
from collections import Counter
from collections.abc import Mapping
from typing import Any, TypeGuard

from azven.gear.racks.words import (
    CHOICES,
    FLAGS,
    LARGEST_INT,
    LONGEST_MESSAGE,
    LONGEST_TEXT,
    NUMBERS,
    SETTINGS,
    TRANSMITTER_HZ,
    SettingType,
    Word,
)

Fields = dict[str, Any]
_MARKS = frozenset("\u061c\u200e\u200f\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069")
_UNSHOWN = frozenset({"Cc", "Cs", "Zl", "Zp"})
_HIDDEN = "•••"


def is_int(value: Any) -> TypeGuard[int]:
    """An integer without point and exponent, within ±2^53; true and false are none."""
    return type(value) is int and -LARGEST_INT <= value <= LARGEST_INT


def is_number(value: Any) -> TypeGuard[int | float]:
    """A finite number; true and false are none."""
    return type(value) is int or (type(value) is float and math.isfinite(value))


class Checker:
    """Takes values of one rack, and counts what it leaves out by the words of the rack link. The rack's `token` is
    shown nowhere, not even where the rack says it back."""

    def __init__(self, token: str | None = None) -> None:
        self.counted: Counter[Word] = Counter()
        self._token = token or None

    def count(self, word: Word, times: int = 1) -> None:
        self.counted[word] += times

    def text(self, value: str, longest: int = LONGEST_TEXT) -> str:
        """A name as it may be shown: no control characters, no direction marks, not too long; never markup."""
        if self._token and self._token in value:
            value = value.replace(self._token, _HIDDEN)
        if value.isascii() and value.isprintable() and len(value) <= longest:
            return value
        shown = "".join("\ufffd" if _unshown(c) else c for c in value[:longest])
        if shown != value:
            self.count("name")
        return shown

    def sentence(self, value: Any) -> str:
        """A message of an error, as it may be shown."""
        return self.text(value, LONGEST_MESSAGE) if isinstance(value, str) else ""

    def status(self, fields: Fields) -> Fields:
        """Status fields of one channel: those of the table, with null for what cannot be taken. The same dictionary
        where nothing had to be changed."""
        try:
            for key, value in fields.items():
                kind = type(value)
                if kind is float or kind is int:
                    low, high = NUMBERS[key]
                    if low <= value <= high:
                        continue
                elif kind is str:
                    if value in CHOICES[key]:
                        continue
                elif kind is bool and key in FLAGS:
                    continue
                return self._mended(fields)
        except KeyError:  # a field that is none of these
            return self._mended(fields)
        return fields

    def _mended(self, fields: Fields) -> Fields:
        return {key: self._one(key, value) for key, value in fields.items() if key in _KNOWN}

    def _one(self, key: str, value: Any) -> Any:
        if value is None:
            return None
        if key in NUMBERS:
            return self.number(value, *NUMBERS[key])
        if key in CHOICES:
            return value if isinstance(value, str) and value in CHOICES[key] else self._none("type")
        if key in FLAGS:
            return value if isinstance(value, bool) else self._none("type")
        if key == "txn":
            return self.text(value) if isinstance(value, str) else self._none("type")
        if type(value) is not int:
            return self._none("range" if isinstance(value, float) and math.isinf(value) else "type")
        return value if TRANSMITTER_HZ[0] <= value <= TRANSMITTER_HZ[1] else self._none("range")

    def number(self, value: Any, low: float, high: float) -> float | None:
        """A number in a closed range, or None, counted."""
        if type(value) is not int and type(value) is not float:
            self.count("type")
            return None
        if low <= value <= high:
            return value
        self.count("range")
        return None

    def settings(self, values: Mapping[str, Any]) -> Fields:
        """Settings of a channel, those that the rack link knows; what is of a wrong type is left out."""
        known = {key: value for key, value in values.items() if key in SETTINGS}
        taken = {key: None if value is None else self._setting(SETTINGS[key], value) for key, value in known.items()}
        return {key: value for key, value in taken.items() if value is not None or known[key] is None}

    def _setting(self, kind: SettingType, value: Any) -> Any:
        if kind == "bool":
            return value if isinstance(value, bool) else self._none("type")
        if kind == "text":
            return self.text(value) if isinstance(value, str) else self._none("type")
        if type(value) is not int and (kind == "int" or type(value) is not float):
            return self._none("type")
        return value if is_number(value) and abs(value) <= LARGEST_INT else self._none("range")

    def _none(self, word: Word) -> Any:
        self.count(word)
        return None


def _unshown(character: str) -> bool:
    return unicodedata.category(character) in _UNSHOWN or character in _MARKS


_KNOWN = frozenset(NUMBERS) | frozenset(CHOICES) | FLAGS | {"txn", "txf"}
