"""Times written as text: dates, times of day, both; the form of a column is found once and holds for all of its rows.

Forms that look the same for some rows (day before month or after it; minutes and seconds, or hours and minutes) are told
apart by rows that only one of them fits; where no row does, nothing is found and it is asked.
"""

import itertools
import re
from collections.abc import Iterable

import polars as pl

from fusus.core.arrays import IntArray
from fusus.logs.mapping import TextForm

NO_TIME = -(2**63)
DAY_NS, SECOND_NS = 86_400_000_000_000, 1_000_000_000
FORM_WORDS: dict[TextForm, str] = {
    "ymd": "dates (year, month, day) and times", "dmy": "dates (day, month, year) and times",
    "mdy": "dates (month, day, year) and times", "named": "dates with the month's name, and times",
    "compact": "dates and times without signs between (year, month, day, hours, minutes, seconds)",
    "clock": "clock times (hours:minutes:seconds)", "minutes": "minutes and seconds", "hours": "hours and minutes",
    "seconds": "seconds",
}  # fmt: skip

_SECONDS = r"(?::(?P<s>\d{1,2})(?:[.,](?P<f>\d{1,9})|[: ](?P<milli>\d{1,3}))?)?"
_CLOCK = r"(?P<h>\d{1,2}):(?P<mi>\d{1,2})" + _SECONDS + r"(?:\s*(?P<half>[AaPp])\.?[Mm]\.?)?"
_ZONE = r"(?:\s*(?P<zone>Z|UTC|GMT|[+-]\d\d:?\d\d))?"
_AFTER = r"(?:[T ,_]\s*" + _CLOCK + _ZONE + r")?"
_NUMBERED = r"(?P<a>\d{1,2})(?P<sign>[-/.])(?P<b>\d{1,2})[-/.](?P<y>\d{4})"
_NAMED = r"(?P<d>\d{1,2})[- ](?P<name>[A-Za-z]{3})[A-Za-z]*\.?[- ](?P<y>\d{4})"
_SHAPES: dict[str, re.Pattern[str]] = {
    "ymd": re.compile(r"(?P<y>\d{4})[-/.](?P<mo>\d{1,2})[-/.](?P<d>\d{1,2})" + _AFTER),
    "numbered": re.compile(_NUMBERED + _AFTER),
    "named": re.compile(_NAMED + _AFTER),
    "compact": re.compile(
        r"(?P<y>(?:19|20)\d\d)(?P<mo>0[1-9]|1[0-2])(?P<d>[0-3]\d)[T _]?(?P<h>[0-2]\d)(?P<mi>[0-5]\d)(?P<s>[0-6]\d)"
        r"(?:[.,](?P<f>\d{1,9}))?" + _ZONE
    ),
    "clock": re.compile(_CLOCK.replace(_SECONDS, _SECONDS[:-1]) + _ZONE),
    "two": re.compile(r"(?P<a>\d{1,3}):(?P<b>\d{1,2})(?:[.,](?P<f>\d{1,9}))?"),
}
_SECONDS_ALONE = re.compile(r"(?P<s>\d{1,9})(?:[.,](?P<f>\d{1,9}))?")
_OF_FORM = {"dmy": "numbered", "mdy": "numbered", "minutes": "two", "hours": "two"}
_MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")


def is_stamp(field: str) -> bool:
    """Return whether a field is a date, a time of day, or both."""
    return any(shape.fullmatch(field) for shape in _SHAPES.values())


def has_clock(field: str) -> bool:
    """Return whether a field tells a time of day, alone or after a date."""
    return is_stamp(field) and (":" in field or _SHAPES["compact"].fullmatch(field) is not None)


def has_date(field: str) -> bool:
    """Return whether a field tells a date, alone or before a time."""
    return is_stamp(field) and not any(_SHAPES[s].fullmatch(field) for s in ("clock", "two"))


def forms_of(fields: Iterable[str]) -> tuple[TextForm, ...]:
    """Return the forms in which most of the fields can be meant, none where they are of no known form."""
    filled = [f.strip() for f in fields if f.strip()]
    for name, shape in _SHAPES.items():
        matches = [m for m in map(shape.fullmatch, filled) if m is not None]
        if not filled or len(matches) < 0.5 * len(filled):
            continue
        if name == "numbered":
            return _order(matches)
        if name == "two":
            # Beyond the hours of a day, or with a fraction, it cannot be hours and minutes.
            is_short = any(m["f"] or int(m["a"]) > 23 for m in matches)
            return ("minutes",) if is_short else ("hours", "minutes")
        return (name,)  # type: ignore[return-value]
    return ()


def _order(matches: list[re.Match[str]]) -> tuple[TextForm, ...]:
    first, second = (max(int(m[g]) for m in matches) for g in "ab")
    if all(m["sign"] == "." for m in matches):
        return ("dmy",)  # points between are written only so
    if first > 12 or second > 12:
        return ("dmy",) if first > 12 else ("mdy",)
    return ("dmy", "mdy")


def fraction_digits(fields: Iterable[str]) -> int | None:
    """Return how many digits a whole number behind the point would have, where it is written without leading zeros; else None.

    ``12:30:01.5, 12:30:01.15, ... 12:30:01.995``, as hand-written printing leaves it: read as decimals, the times would go back
    within their second.
    """
    found = [
        m
        for m in (re.fullmatch(r"(.*\D|)(\d+)[.,](\d{1,9})(\s*[AaPp][Mm])?", f.strip()) for f in fields)
        if m is not None
    ]
    longest = max((len(m[3]) for m in found), default=0)
    if longest not in (3, 6, 9) or len({len(m[3]) for m in found}) < 2:
        return None
    pairs = [(a[3], b[3]) for a, b in itertools.pairwise(found) if a[1] + a[2] == b[1] + b[2]]
    as_decimals = sum(float(f"0.{b}") < float(f"0.{a}") for a, b in pairs)
    as_counts = sum(int(b) < int(a) for a, b in pairs)
    return longest if as_decimals > max(1, 0.005 * len(pairs)) and as_counts < 0.1 * as_decimals else None


def as_ns(text: pl.Series, form: TextForm, digits: int | None = None) -> IntArray:
    """Return times of a form as ns, shape (N,): since 1970 with a date, since midnight without; NO_TIME where a field has another
    form or tells no date or time that there is. A zone that is written is taken off. ``digits``: see ``fraction_digits``."""
    shape = _SECONDS_ALONE if form == "seconds" else _SHAPES[_OF_FORM.get(form, form)]
    parts = text.str.strip_chars().str.extract_groups(f"^(?:{shape.pattern})$").struct.unnest()

    def number(name: str) -> pl.Expr:
        return pl.col(name).cast(pl.Int64) if name in parts.columns else pl.lit(0, dtype=pl.Int64)

    hours, minutes, seconds, fraction = number("h"), number("mi"), number("s"), pl.lit(0, dtype=pl.Int64)
    if "f" in parts.columns:
        written = pl.col("f").str.pad_start(digits, "0") if digits else pl.col("f")
        fraction = written.str.pad_end(9, "0").cast(pl.Int64).fill_null(0)
    if "milli" in parts.columns:
        fraction = fraction + number("milli").fill_null(0) * 1_000_000
    if form == "minutes":
        hours, minutes, seconds = pl.lit(0, dtype=pl.Int64), number("a"), number("b")
    elif form == "hours":
        hours, minutes = number("a"), number("b")
    most_minutes = 1000 if form == "minutes" else 59
    if "half" in parts.columns:
        is_half = pl.col("half").is_not_null()
        afternoon = pl.col("half").str.to_lowercase() == "p"
        hours = pl.when(is_half).then(hours % 12 + pl.when(afternoon).then(12).otherwise(0)).otherwise(hours)
    is_time = (
        (hours.fill_null(0) <= 23)
        & (minutes.fill_null(0) <= most_minutes)
        & (seconds.fill_null(0) <= (60 if form != "seconds" else 10**9))
    )
    of_day = ((hours.fill_null(0) * 60 + minutes.fill_null(0)) * 60 + seconds.fill_null(0)) * SECOND_NS + fraction
    total = pl.when(is_time).then(of_day) + _date_ns(parts.columns, form) - _zone_ns(parts.columns)
    first = pl.col(parts.columns[0])
    ns = parts.select(pl.when(first.is_not_null()).then(total).alias("ns"))["ns"]
    return ns.fill_null(NO_TIME).to_numpy()


def _date_ns(columns: list[str], form: TextForm) -> pl.Expr:
    """Return the day in ns since 1970, null where there is no such day, 0 for forms without a date."""
    if "y" not in columns:
        return pl.lit(0, dtype=pl.Int64)
    month = (
        {"dmy": pl.col("b"), "mdy": pl.col("a")}[form] if "a" in columns else pl.col("mo") if "mo" in columns else None
    )
    day = {"dmy": pl.col("a"), "mdy": pl.col("b")}[form] if "a" in columns else pl.col("d")
    if month is None:
        names = {name: str(k + 1) for k, name in enumerate(_MONTHS)}
        month = pl.col("name").str.to_lowercase().replace_strict(names, default=None, return_dtype=pl.String)
    written = pl.concat_str([pl.col("y"), month.str.zfill(2), day.str.zfill(2)], separator="-")
    return written.str.to_date("%Y-%m-%d", strict=False).cast(pl.Int64) * DAY_NS


def _zone_ns(columns: list[str]) -> pl.Expr:
    if "zone" not in columns:
        return pl.lit(0, dtype=pl.Int64)
    digits = pl.col("zone").str.replace(":", "", literal=True)
    minutes = digits.str.slice(1, 2).cast(pl.Int64, strict=False) * 60 + digits.str.slice(3, 2).cast(
        pl.Int64, strict=False
    )
    signed = pl.when(digits.str.starts_with("-")).then(-minutes).otherwise(minutes)
    return pl.when(digits.str.contains(r"^[+-]")).then(signed).otherwise(0).fill_null(0) * (60 * SECOND_NS)
