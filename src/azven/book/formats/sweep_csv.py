"""Sweep CSV: written in one plain form, read in many, hostile files included."""

import csv
import io
import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from azven.book.formats.errors import FormatError
from azven.book.formats.reading import read_bytes
from azven.book.formats.whole import write_whole

_UNITS = {"hz": 1.0, "khz": 1e3, "mhz": 1e6, "ghz": 1e9}
_LINE_END = re.compile(r"[\r\n]+")
_NUMBER = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$")
_BAD_SHOWN = 5
LARGEST = 64 * 1024 * 1024
_MOST_ROWS, _MOST_COLUMNS, _LONGEST_LINE = 1_000_000, 100, 10_000


@dataclass(frozen=True, eq=False, kw_only=True)
class SweepFile:
    """What a file holds: frequencies [Hz] (n,), levels [dBm] by column, and what was odd about it."""

    freq_hz: NDArray[np.int64]
    columns: Mapping[str, NDArray[np.float64]]
    metadata: Mapping[str, str] = field(default_factory=dict)
    unit: str = "Hz"
    unit_inferred: bool = False
    remarks: tuple[str, ...] = ()

    def level_dbm(self, column: str | None = None) -> NDArray[np.float64]:
        """Levels of one column, or the highest of all columns in each bin when None."""
        if column is not None:
            return self.columns[column]
        return np.asarray(np.max(np.stack(list(self.columns.values())), axis=0))


def number(text: str | None) -> float | None:
    """A number of the metadata; None where there is none, or none that can be read."""
    try:
        return float(text) if text else None
    except ValueError:
        return None


def text(freq_hz: NDArray[np.int64], level_dbm: NDArray[np.float64], metadata: Mapping[str, str]) -> str:
    """A sweep as text: `#` lines of metadata, a header, one row a bin."""
    out = io.StringIO()
    for key, value in metadata.items():
        out.write(f"# {key}: {' '.join(str(value).split())}\n")
    out.write("frequency_hz,level_dbm\n")
    for f, v in zip(freq_hz.tolist(), level_dbm.tolist(), strict=True):
        out.write(f"{f},{v:.2f}\n")
    return out.getvalue()


def write(path: Path, freq_hz: NDArray[np.int64], level_dbm: NDArray[np.float64], metadata: Mapping[str, str]) -> None:
    """Write a sweep to a file, whole or not at all."""
    write_whole(path, text(freq_hz, level_dbm, metadata).encode("utf-8"))


def read(path: Path) -> SweepFile:
    """Read a sweep file; FormatError in one line when fewer than two good rows are in it."""
    content = read_bytes(path, LARGEST).decode("utf-8-sig", errors="replace")
    try:
        return parse(content)
    except FormatError as error:
        raise FormatError(f"{path.name}: {error}") from error


def parse(content: str) -> SweepFile:
    """Read a sweep from text; see the formats page for what is accepted."""
    _look_at_size(content)
    metadata, lines = _split_metadata(content.replace("\0", ""))
    separator = _separator([line for _, line in lines[:200]])
    table, header, bad = _plain(lines, separator) or _with_care(lines, separator)
    if table.shape[1] > _MOST_COLUMNS:
        raise FormatError(f"{table.shape[1]} columns; at most {_MOST_COLUMNS} are read")
    if len(table) < 2:
        raise FormatError(f"fewer than two good rows ({len(bad)} bad); nothing was read")
    unit, inferred = _unit(header, table[:, 0])
    hertz = np.round(table[:, 0] * _UNITS[unit.lower()])
    if hertz.max() > 2**62 or hertz.min() < 0:
        raise FormatError(f"frequencies from {hertz.min():g} to {hertz.max():g} Hz make no sense; nothing was read")
    freq, levels, remarks = _in_order(hertz.astype(np.int64), table[:, 1:])
    if len(freq) < 2:
        raise FormatError("all rows name the same frequency; nothing was read")
    if bad:
        shown = ", ".join(str(n) for n in bad[:_BAD_SHOWN]) + (", …" if len(bad) > _BAD_SHOWN else "")
        remarks.append(f"{len(bad)} rows were not numbers and were left out (lines {shown})")
    names = _column_names(header, levels.shape[1])
    columns = {name: levels[:, i] for i, name in enumerate(names)}
    return SweepFile(
        freq_hz=freq, columns=columns, metadata=metadata, unit=unit, unit_inferred=inferred, remarks=tuple(remarks)
    )


def _look_at_size(content: str) -> None:
    """FormatError where lines are too many, too long or too wide to be a sweep."""
    if content.count("\n") > _MOST_ROWS:
        raise FormatError(f"more than {_MOST_ROWS} lines; nothing was read")
    start = 0
    for mark in _LINE_END.finditer(content):
        if mark.start() - start > _LONGEST_LINE:
            break
        start = mark.end()
    else:
        if len(content) - start <= _LONGEST_LINE:
            return
    raise FormatError(f"a line of more than {_LONGEST_LINE} characters; nothing was read")


_Table = tuple[NDArray[np.float64], list[str], list[int]]
"""Good rows (n, columns), the header's cells, line numbers of bad rows."""


def _plain(lines: list[tuple[int, str]], separator: str | None) -> _Table | None:
    """A file of nothing but numbers under one header line, read at once; None when it is not as plain as that."""
    if separator is None or len(lines) < 3:
        return None
    first = _cells(lines[0][1], separator)
    header = first if all(_number(c, False) is None for c in first) else []
    rows = [line for _, line in (lines[1:] if header else lines)]
    try:
        table = np.loadtxt(rows, delimiter=separator, comments=None, ndmin=2)
    except ValueError:
        return None
    return (table, header, []) if table.shape[1] >= 2 and np.isfinite(table).all() else None


def _with_care(lines: list[tuple[int, str]], separator: str | None) -> _Table:
    rows, header, bad = _rows(lines, separator)
    if len(rows) < 2:
        raise FormatError(f"fewer than two rows of numbers ({len(rows)} good, {len(bad)} bad); nothing was read")
    table, bad_values = _finite(rows)
    return table, header, sorted(bad + bad_values)


def _split_metadata(content: str) -> tuple[dict[str, str], list[tuple[int, str]]]:
    """Comments as metadata, and the other lines with their numbers; behind the last comment nothing is looked at."""
    lines = content.splitlines()
    head = len(content[: content.rfind("#") + 1].splitlines())
    metadata: dict[str, str] = {}
    rest = []
    for number, line in enumerate(lines[:head], start=1):
        if line.lstrip().startswith("#"):
            key, colon, value = line.lstrip().lstrip("#").partition(":")
            if colon:
                metadata[key.strip().lower()] = value.strip()
        elif line.strip():
            rest.append((number, line))
    rest += [(number, line) for number, line in enumerate(lines[head:], head + 1) if line and not line.isspace()]
    return metadata, rest


def _separator(sample: list[str]) -> str | None:
    """The character between columns; None for blanks. Semicolon and tab win, since they allow decimal commas."""
    for mark in (";", "\t", ","):
        if sum(mark in line for line in sample) * 2 > len(sample):
            return mark
    return None


def _cells(line: str, separator: str | None) -> list[str]:
    if separator is None:
        return line.split()
    if '"' in line:
        return [c.strip() for c in next(csv.reader([line], delimiter=separator))]
    return [c.strip() for c in line.split(separator)]


def _number(cell: str, decimal_comma: bool) -> float | None:
    text = cell.strip().strip('"').replace("−", "-")
    if decimal_comma and "," in text and "." not in text:
        text = text.replace(",", ".")
    if _NUMBER.match(text):
        return float(text)
    return math.nan if text.lower() in ("nan", "inf", "-inf", "+inf", "infinity", "-infinity") else None


def _rows(
    lines: list[tuple[int, str]], separator: str | None
) -> tuple[list[tuple[int, list[float]]], list[str], list[int]]:
    """Good rows with their line numbers, the header's cells, and the line numbers of rows that are not numbers."""
    rows: list[tuple[int, list[float]]] = []
    header: list[str] = []
    bad: list[int] = []
    for number, line in lines:
        cells = _cells(line, separator)
        while len(cells) > 2 and not cells[-1]:
            cells.pop()
        values = [_number(c, separator in (";", "\t")) for c in cells]
        good = [v for v in values if v is not None]
        if len(cells) >= 2 and len(good) == len(cells):
            rows.append((number, good))
        elif not rows and not header and not good:
            header = cells
        else:
            bad.append(number)
    return rows, header, bad


def _finite(rows: list[tuple[int, list[float]]]) -> tuple[NDArray[np.float64], list[int]]:
    """The rows of the usual width whose values are finite, and the line numbers of the others."""
    widths = [len(values) for _, values in rows]
    width = max(set(widths), key=widths.count)
    good = [(n, v) for n, v in rows if len(v) == width and all(math.isfinite(x) for x in v)]
    kept = {n for n, _ in good}
    table = np.array([v for _, v in good], float).reshape(-1, width)
    return table, [n for n, _ in rows if n not in kept]


def _unit(header: list[str], first: NDArray[np.float64]) -> tuple[str, bool]:
    """Unit of the frequency column: from the header, else from its magnitude (inferred)."""
    if header:
        found = re.search(r"(?<![a-z])(ghz|mhz|khz|hz)(?![a-z])", header[0].lower().replace("_", " "))
        if found:
            return {"ghz": "GHz", "mhz": "MHz", "khz": "kHz", "hz": "Hz"}[found.group(1)], False
    top = float(np.median(np.abs(first)))
    if top < 10:
        return "GHz", True
    if top < 20_000:
        return "MHz", True
    return ("kHz", True) if top < 2e7 else ("Hz", True)


def _in_order(
    freq: NDArray[np.int64], levels: NDArray[np.float64]
) -> tuple[NDArray[np.int64], NDArray[np.float64], list[str]]:
    """Ascending frequencies, each once with its highest levels, and remarks on what was changed."""
    remarks = []
    if np.any(np.diff(freq) < 0):
        remarks.append("rows were not in ascending order and were sorted")
        order = np.argsort(freq, kind="stable")
        freq, levels = freq[order], levels[order]
    starts = np.flatnonzero(np.r_[True, np.diff(freq) > 0])
    if len(starts) < len(freq):
        remarks.append(f"{len(freq) - len(starts)} rows repeated a frequency; the highest level was kept")
        levels = np.maximum.reduceat(levels, starts, axis=0)
        freq = freq[starts]
    return freq, levels, remarks


def _column_names(header: list[str], n: int) -> list[str]:
    names = header[1 : n + 1] if len(header) > n else []
    names += [f"column {i + 2}" for i in range(len(names), n)]
    return [name if names.index(name) == i else f"{name} ({i + 2})" for i, name in enumerate(names)]
