"""Tables with a heading row, as spreadsheets give them: cells by name, in any order, and names looked up."""

from collections.abc import Mapping, Sequence
from typing import Any, TypeVar

from azven.book.formats.rows import rows_of
from azven.refusal import Refusal

W = TypeVar("W", bound=str)
Headings = Mapping[str, tuple[str, ...]]
"""What a column is for, and the words that may head it."""


def table(text: str, headings: Headings, needed: str) -> tuple[dict[str, int], list[tuple[int, list[str]]]]:
    """Where each known column is, and the rows under the heading with their numbers in the text, blank ones left out.
    No columns where the first row has none that is `needed`: then it is no heading. FormatError for no table."""
    rows = [(i, r) for i, r in enumerate(rows_of(text, _delimiter(text)), start=1) if any(c.strip() for c in r)]
    columns = _columns(rows[0][1], headings) if rows else {}
    return (columns, rows[1:]) if needed in columns else ({}, rows)


def _delimiter(text: str) -> str:
    head = text.splitlines()[0] if text.strip() else ""
    return next((mark for mark in ("\t", ";") if mark in head), ",")


def _columns(head: Sequence[str], headings: Headings) -> dict[str, int]:
    found: dict[str, int] = {}
    for i, cell in enumerate(head):
        word = cell.strip().lstrip("\ufeff").lower().replace("_", " ")
        for key, names in headings.items():
            if word in names and key not in found:
                found[key] = i
    return found


def cell(row: Sequence[str], columns: Mapping[str, int], key: str) -> str:
    """The cell of a column, empty where the row or the table has none. An apostrophe that keeps a spreadsheet from
    running it is taken off."""
    at = columns.get(key, -1)
    text = row[at].strip() if 0 <= at < len(row) else ""
    return text[1:] if len(text) > 1 and text[0] == "'" and text[1] in "=+-@" else text


def by_name(records: Sequence[Any]) -> dict[str, list[Any]]:
    out: dict[str, list[Any]] = {}
    for record in records:
        out.setdefault(record.name.casefold(), []).append(record)
    return out


def named(known: dict[str, list[Any]], name: str, what: str) -> Any:
    """The one record of a name, None for no name; Refusal where the name is nobody's or stands for several."""
    if not name:
        return None
    found = known.get(name.casefold(), [])
    if len(found) != 1:
        raise Refusal(f"no {what} is named {name}" if not found else f"{len(found)} {what}s are named {name}")
    return found[0]


def one_of(words: Sequence[W], text: str, what: str) -> W:
    """One of a closed set of words; Refusal for another."""
    found = next((w for w in words if w == text.casefold()), None)
    if found is None:
        raise Refusal(f"{what} is {', '.join(words[:-1])} or {words[-1]}, not {text}")
    return found


def whole(text: str, low: int, high: int, what: str) -> int:
    """A whole number within bounds; Refusal for another."""
    if not text.isascii() or not text.isdigit() or not low <= int(text[:9]) <= high:
        raise Refusal(f"{what} is {low} to {high}, not {text}")
    return int(text)
