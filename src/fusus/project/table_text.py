"""Tables as CSV text that other programs may open: no cell of words is taken for a formula there."""

import csv
import io
from collections.abc import Iterable

# What a spreadsheet takes for the beginning of a formula, also behind white space that it drops.
FORMULA = ("=", "+", "-", "@", "\t", "\r", "\n")
MARK = "'"


def guarded(cell: object) -> object:
    """Return a cell with an apostrophe before words that begin like a formula; numbers stay as they are."""
    if isinstance(cell, str) and _looks_like_one(cell) and not _is_number(cell):
        return MARK + cell
    return cell


def unguarded(cell: str) -> str:
    """Return what was a cell before ``guarded``."""
    return cell[1:] if cell.startswith(MARK) and _looks_like_one(cell[1:]) else cell


def table_text(rows: Iterable[Iterable[object]]) -> str:
    """Return rows as CSV text, their words guarded; a carriage return alone, which readers trip over, becomes a new line."""
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows([_lines(guarded(c)) for c in row] for row in rows)
    return out.getvalue()


def _lines(cell: object) -> object:
    return cell.replace("\r\n", "\n").replace("\r", "\n") if isinstance(cell, str) else cell


def _looks_like_one(cell: str) -> bool:
    bare = cell.lstrip(MARK)
    return bare.startswith(FORMULA) or bare.lstrip().startswith(FORMULA)


def _is_number(cell: str) -> bool:
    try:
        float(cell)
    except ValueError:
        return False
    return True
