"""What was wrong with a source, where, how often, and what was done about it."""

from collections.abc import Sequence
from typing import Literal

from fusus.project.evidence import Record

ProblemKind = Literal[
    "text", "nan", "inf", "no_time", "duplicate_time", "backward_time", "clock_restart", "clock_wrap", "gap", "outlier",
    "stuck", "saturated", "truncated_line", "long_line", "short_line", "held_values", "unit_assumed", "range_found",
    "time_assumed", "axes_changed", "heading_unknown", "preamble", "ignored_column", "ignored_file", "encoding",
    "bad_checksum", "garbled", "wrong_length", "no_number", "before_header", "clock_jump", "no_fix", "impossible",
    "units_change", "axes_disagree", "dead", "filled", "other_sender",
]  # fmt: skip


PLACES = 3


class Problem(Record):
    """One kind of defect in one column of one file; ``line`` is that of the first case, ``lines`` those of the first three."""

    file: str
    line: int | None = None
    lines: tuple[int, ...] = ()
    column: str | None = None
    kind: ProblemKind
    count: int = 1
    action: str
    message: str

    def sentence(self) -> str:
        """Return it for people: where first, what, how often and where else, and what was done."""
        place = (
            self.file
            + (f", line {self.line}" if self.line else "")
            + (f", column “{self.column}”" if self.column else "")
        )
        also = [str(n) for n in self.lines[1:]]
        times = (
            f" ({self.count} times{', also in line ' + ' and '.join(also) if also else ''})" if self.count > 1 else ""
        )
        return f"{place}: {self.message}{times}; {self.action}."


class Problems:
    """Collects defects; cases of one kind in one column are counted together."""

    def __init__(self) -> None:
        self._found: dict[tuple[str, str | None, str], Problem] = {}

    def add(
        self, file: str, kind: ProblemKind, message: str, action: str, *, line: int | None = None,
        column: str | None = None, count: int = 1, lines: Sequence[int] = (),
    ) -> None:  # fmt: skip
        """Add cases; the first one's message stays. ``lines`` are places of these cases in order, where known."""
        places = tuple(int(n) for n in lines[:PLACES]) if len(lines) else (line,) if line is not None else ()
        key = (file, column, kind)
        known = self._found.get(key)
        if known is None:
            self._found[key] = Problem(
                file=file, line=places[0] if places else None, lines=places, column=column, kind=kind, count=count,
                action=action, message=message,
            )  # fmt: skip
        else:
            more = (*known.lines, *places)[:PLACES]
            self._found[key] = known.model_copy(update={"count": known.count + count, "lines": more})

    def extend(self, problems: "tuple[Problem, ...] | list[Problem]") -> None:
        """Add problems found elsewhere."""
        for p in problems:
            self.add(p.file, p.kind, p.message, p.action, line=p.line, column=p.column, count=p.count, lines=p.lines)

    def all(self) -> tuple[Problem, ...]:
        """Return what was found, in the order of finding."""
        return tuple(self._found.values())
