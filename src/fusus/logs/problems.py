"""What was wrong with a source, where, how often, and what was done about it."""

from typing import Literal

from fusus.project.evidence import Record

ProblemKind = Literal[
    "text", "nan", "inf", "no_time", "duplicate_time", "backward_time", "clock_restart", "clock_wrap", "gap", "outlier",
    "stuck", "saturated", "truncated_line", "long_line", "short_line", "held_values", "unit_assumed", "range_found",
    "time_assumed", "axes_changed", "heading_unknown", "preamble", "ignored_column", "ignored_file", "encoding",
    "bad_checksum", "garbled", "wrong_length", "no_number", "before_header", "clock_jump", "no_fix",
]  # fmt: skip


class Problem(Record):
    """One kind of defect in one column of one file; ``line`` and ``column`` are those of the first case."""

    file: str
    line: int | None = None
    column: str | None = None
    kind: ProblemKind
    count: int = 1
    action: str
    message: str


class Problems:
    """Collects defects; cases of one kind in one column are counted together."""

    def __init__(self) -> None:
        self._found: dict[tuple[str, str | None, str], Problem] = {}

    def add(
        self, file: str, kind: ProblemKind, message: str, action: str, *, line: int | None = None,
        column: str | None = None, count: int = 1,
    ) -> None:  # fmt: skip
        """Add cases; the first one's place and message stay."""
        key = (file, column, kind)
        known = self._found.get(key)
        if known is None:
            self._found[key] = Problem(
                file=file, line=line, column=column, kind=kind, count=count, action=action, message=message
            )
        else:
            self._found[key] = known.model_copy(update={"count": known.count + count})

    def extend(self, problems: "tuple[Problem, ...] | list[Problem]") -> None:
        """Add problems found elsewhere."""
        for p in problems:
            self.add(p.file, p.kind, p.message, p.action, line=p.line, column=p.column, count=p.count)

    def all(self) -> tuple[Problem, ...]:
        """Return what was found, in the order of finding."""
        return tuple(self._found.values())
