"""Where the scalar of a numbered quaternion stands: first or last is both common, and only gyro and gravity show it."""

from dataclasses import replace

from fusus.logs.conclusions import Findings
from fusus.logs.convention import find_body_axes, score_of_reference
from fusus.logs.detect import Table
from fusus.logs.looking import look
from fusus.logs.mapping import Mapping
from fusus.project.records import Place

LETTERS = "wxyz"
STREAMS = ("reference", "board")
# By so much of 2 one reading must agree better with gyro and gravity than the other.
BETTER = 0.3


def settle_scalar_order(
    tables: list[Table], given: Mapping | None, place: Place | None, findings: Findings
) -> list[Table]:
    """Return the tables with a numbered quaternion's scalar where gyro and gravity show it to be; asked where they do not, and
    counting begins with one. From nought it counts from the scalar: common practice, which the motion may contradict."""
    out = list(tables)
    for stream in STREAMS:
        for i, table in enumerate(out):
            if _numbers(table, stream) and not _is_said(table, given, stream):
                out[i] = _settled(out, table, stream, place, findings)
    return out


def _targets(stream: str) -> tuple[str, ...]:
    return tuple(f"{stream}.q_{letter}" for letter in LETTERS)


def _last(stream: str) -> dict[str, str]:
    """Return what the first, second, third and fourth number are where the scalar is last."""
    targets = _targets(stream)
    return dict(zip(targets, (*targets[1:], targets[0]), strict=True))


def _numbers(table: Table, stream: str) -> tuple[str, ...]:
    """Return the sources of a quaternion's four numbers, in the order of their numbers; empty where letters name them."""
    by_target = {c.target: c.source for c in table.mapping.columns if c.target}
    sources = tuple(by_target[t] for t in _targets(stream) if t in by_target)
    return sources if len(sources) == 4 and all(s.rstrip("])").endswith(tuple("01234")) for s in sources) else ()


def _is_said(table: Table, given: Mapping | None, stream: str) -> bool:
    entry = given.for_table(table.path.name, table.dialect.header) if given is not None else None
    return entry is not None and any(c.target in _targets(stream) for c in entry.columns)


def _renamed(table: Table, targets: dict[str, str | None]) -> Table:
    """Return a table with other targets for some of its columns."""
    columns = tuple(
        c.model_copy(update={"target": targets[c.target]}) if c.target in targets else c for c in table.mapping.columns
    )
    return replace(table, mapping=table.mapping.model_copy(update={"columns": columns}))


def _settled(tables: list[Table], table: Table, stream: str, place: Place | None, findings: Findings) -> Table:
    turned = _last(stream)
    last = _renamed(table, dict(turned))
    first_score, last_score = (
        _score([chosen if t is table else t for t in tables], stream, place) for chosen in (table, last)
    )
    sources = _numbers(table, stream)
    low, high = sorted((first_score, last_score))
    reason = f"gyro and gravity agree with it by {high:.2f} of 2, with the other order by {low:.2f}"
    if last_score > first_score + BETTER:
        findings.conclude(table.path.name, sources[3], "the quaternion's scalar, written last", reason, "shown")
        return last
    if first_score > last_score + BETTER:
        findings.conclude(table.path.name, sources[0], "the quaternion's scalar, written first", reason, "shown")
        return table
    if sources[0].rstrip("])").endswith("0"):
        findings.conclude(
            table.path.name, sources[0], "the quaternion's scalar, written first",
            "it is numbered from nought, which counts from the scalar; the motion does not show it", "likely",
        )  # fmt: skip
        return table
    told = ", ".join(f'{{"source": "{s}", "target": "{turned[t]}"}}' for s, t in zip(sources, turned, strict=True))
    findings.ask(
        table.path.name, sources[0], "is the quaternion's scalar its first or its last number? The motion does not show it",
        (("first", f"{sources[0]} is w"), ("last", f"{sources[3]} is w")), f'{{"files": [{{"columns": [{told}]}}]}}',
    )  # fmt: skip
    return table


def _score(tables: list[Table], stream: str, place: Place | None) -> float:
    """Return how well a reading agrees with gyro and gravity, up to 2; 0 where there is nothing to hold it against."""
    if stream != "reference":
        # What is looked at is called the reference; the other attitude stands aside meanwhile.
        names: dict[str, str | None] = dict.fromkeys(_targets("reference"))
        names |= dict(zip(_targets(stream), _targets("reference"), strict=True))
        tables = [_renamed(t, names) for t in tables]
    logged = look(tables)
    if logged is None or logged.ref_q is None:
        return 0.0
    axes, sign, _ = find_body_axes(logged, place.lat_deg if place else None)
    return score_of_reference(logged, axes or "frd", sign)
