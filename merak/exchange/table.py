"""Tables out, as CSV (RFC 4180, UTF-8 with its mark, so that spreadsheets read it)."""

import csv
from collections.abc import Iterable, Sequence
from io import StringIO

#: A cell that begins so would be read as a formula by a spreadsheet.
FORMULA = ("=", "+", "-", "@", "\t", "\r")


def csv_of(header: Sequence[str], rows: Iterable[Sequence[object]]) -> bytes:
    """A table; what is unknown is empty, words that a spreadsheet would calculate are quoted with an apostrophe."""
    out = StringIO()
    writer = csv.writer(out)
    writer.writerow(header)
    writer.writerows([_cell(value) for value in row] for row in rows)
    return ("\ufeff" + out.getvalue()).encode()


def _cell(value: object) -> object:
    if isinstance(value, str) and value.startswith(FORMULA):
        return f"'{value}"
    return "" if value is None else value
