"""Rows of text split into cells, whatever line ends and quotes a table copied from elsewhere carries."""

import csv
import io
from collections.abc import Iterable, Sequence

from azven.book.formats.errors import FormatError

LARGEST = 4 * 1024 * 1024
_MOST_ROWS = 20_000
_RISKY = ("=", "+", "-", "@", "＝", "＋", "－", "＠")
_BLANKS = " \t\r\n\f\v\u00a0\u3000\ufeff\u200b"


def rows_of(text: str, separator: str) -> list[list[str]]:
    """The cells of every line of `text`. FormatError where quotes or sizes make it no table (RFC 4180)."""
    if len(text) > LARGEST or text.count("\n") > _MOST_ROWS:
        raise FormatError(f"More than {_MOST_ROWS} rows or {LARGEST // 1024 // 1024} MB of text; nothing was read.")
    try:
        return list(csv.reader(io.StringIO(text, newline=None), delimiter=separator))
    except csv.Error as error:
        raise FormatError(f"This is no table ({error}); nothing was read.") from error


def harmless(cell: str) -> str:
    """The cell with an apostrophe before it when a spreadsheet would take it for a formula, blanks before the sign and
    signs of full width included."""
    try:
        float(cell)
    except ValueError:
        bare = cell.lstrip(_BLANKS)
        return f"'{cell}" if cell.startswith(("\t", "\r")) or bare.startswith(_RISKY) else cell
    return cell


def as_csv(heading: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """Rows under a heading as CSV (RFC 4180); a cell that a spreadsheet would run is written as text."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow([harmless(c) for c in heading])
    writer.writerows([harmless(str(c)) for c in row] for row in rows)
    return out.getvalue()
