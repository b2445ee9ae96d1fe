"""Sensors that are whole: three axes, a place of two numbers, an attitude of four. Half a sensor is refused, with what is missing."""

from collections import Counter

from fusus.errors import LogError
from fusus.logs.detect import Table

# By stream: columns that only make sense together.
TOGETHER: tuple[tuple[tuple[str, ...], tuple[str, ...], str], ...] = (
    (("imu", "imu2", "imu3"), tuple(f"gyro_{a}_rad_s" for a in "xyz"), "a gyro has three axes"),
    (("imu", "imu2", "imu3"), tuple(f"acc_{a}_m_s2" for a in "xyz"), "an accelerometer has three axes"),
    (("mag",), tuple(f"mag_{a}_ut" for a in "xyz"), "a magnetometer has three axes"),
    (("gnss",), ("lat_deg", "lon_deg"), "a place has latitude and longitude"),
    (("reference", "board"), tuple(f"q_{a}" for a in "wxyz"), "an attitude has four numbers"),
)


def refuse_half_sensors(tables: list[Table]) -> None:
    """Raise LogError where a sensor lacks a column, or two columns of one name could be it."""
    for table in tables:
        names = Counter(c.source.strip().lower() for c in table.mapping.columns if c.target)
        for column in table.mapping.columns:
            if column.target and column.source.strip() and names[column.source.strip().lower()] > 1:
                raise LogError(
                    table.path, max(1, table.mapping.first_data_line - 1), column.source,
                    "two columns have this name, and nothing tells which is which. Rename one of them in the header.",
                )  # fmt: skip
    found = {c.target: (t, c.source) for t in tables for c in t.mapping.columns if c.target}
    for streams, columns, rule in TOGETHER:
        for stream in streams:
            there = [c for c in columns if f"{stream}.{c}" in found]
            if not there or len(there) == len(columns):
                continue
            table, source = found[f"{stream}.{there[0]}"]
            missing = [c for c in columns if c not in there]
            raise LogError(
                table.path, None, source,
                f"{rule}, and {stream} has no {_listed(missing)}. Name the missing column in a mapping, or leave these out: "
                f'{{"files": [{{"columns": [{{"source": "{source}", "target": null}}]}}]}}.',
            )  # fmt: skip


def _listed(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
