"""The clock that a terminal writes before each line."""

import re

STAMP = re.compile(
    r"\[?(?P<stamp>(?:\d{4}-\d\d-\d\d[ T])?\d{1,2}:\d\d:\d\d(?:[.,]\d{1,9})?)"
    r"(?:\]\s*(?:->|=>|>|:|\|)?|\s*(?:->|=>|>|\||:(?!\d))|(?=\s+[A-Za-z{]))\s*"
)
LEAST_SHARE = 0.9


def has_stamps(lines: list[str]) -> bool:
    """Return whether nearly every line begins with a terminal's clock."""
    return bool(lines) and sum(bool(STAMP.match(s)) for s in lines) >= LEAST_SHARE * len(lines)


def split_stamp(line: str) -> tuple[str, str]:
    """Return the clock, as hours, minutes and seconds with a point, and the rest of a line; no clock leaves it empty."""
    found = STAMP.match(line)
    if found is None:
        return "", line
    return found["stamp"].replace(",", "."), line[found.end() :]
