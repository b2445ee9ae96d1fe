"""Every error that Fusus raises on purpose. Each says what happened, where, and what to do."""

from __future__ import annotations

from pathlib import Path


class FususError(Exception):
    """The base of all errors that are shown to the user in one sentence."""


class ParameterError(FususError, ValueError):
    """A number lies outside what the computation allows."""

    def __init__(self, name: str, value: object, low: float, high: float, unit: str) -> None:
        self.name, self.value, self.low, self.high, self.unit = name, value, low, high, unit
        suffix = f" {unit}" if unit and unit != "1" else ""
        super().__init__(f"{name} is {value}; give a number from {low:g} to {high:g}{suffix}.")


class UnitError(FususError, ValueError):
    """A text is not a number with a unit of the wanted kind."""

    def __init__(self, text: str, reason: str) -> None:
        self.text, self.reason = text, reason
        super().__init__(f"“{text}” cannot be read: {reason}")


class PartError(FususError, ValueError):
    """A part, or a file of parts, cannot be read."""

    def __init__(self, part: str, field: str | None, reason: str) -> None:
        self.part, self.field, self.reason = part, field, reason
        place = f"{part}, {field}" if field else part
        super().__init__(f"{place}: {reason}.")


class LogError(FususError, ValueError):
    """A recording's source cannot be read at all."""

    def __init__(self, path: Path | str, line: int | None, column: str | None, reason: str) -> None:
        self.path, self.line, self.column, self.reason = str(path), line, column, reason
        place = Path(path).name
        if line is not None:
            place += f", line {line}"
        if column is not None:
            place += f", column “{column}”"
        super().__init__(f"{place}: {reason}")


class OpenQuestionsError(LogError):
    """The data do not decide what a column means; ``details`` holds questions, conclusions and problems as plain values."""

    def __init__(self, path: Path | str, column: str | None, reason: str, details: dict[str, object]) -> None:
        super().__init__(path, None, column, reason)
        self.details = details


class MappingError(FususError, ValueError):
    """A mapping file does not fit its recording or its schema."""


class RecordingError(FususError, ValueError):
    """A recording in the project lacks what is asked of it."""

    def __init__(self, recording: str, reason: str) -> None:
        self.recording, self.reason = recording, reason
        super().__init__(f"Recording “{recording}”: {reason}")


class DeclaredReferenceError(FususError, ValueError):
    """A reference that was declared cannot be used."""

    def __init__(self, where: str, reason: str) -> None:
        self.where, self.reason = where, reason
        super().__init__(f"{where}: {reason}")


class ProjectError(FususError):
    """A project folder cannot be opened or written."""

    def __init__(self, path: Path | str, reason: str) -> None:
        self.path, self.reason = str(path), reason
        super().__init__(f"{path}: {reason}")


class NewerVersionError(ProjectError):
    """The project was written by a newer Fusus."""

    def __init__(self, path: Path | str, found: int, known: int) -> None:
        self.found, self.known = found, known
        super().__init__(
            path,
            f"the project was written by a newer Fusus (format {found}, this one knows up to {known}). "
            "Open it with that version; nothing was changed.",
        )


class LockedError(ProjectError):
    """Another window or command holds the project."""


class LinkError(FususError):
    """A link to a board cannot be opened, or is named wrongly."""

    def __init__(self, link: str, reason: str) -> None:
        self.link, self.reason = link, reason
        super().__init__(f"{link}: {reason}")


class ClusterError(FususError):
    """A cluster that should work a campaign off cannot be used."""

    def __init__(self, scheduler: str, reason: str) -> None:
        self.scheduler, self.reason = scheduler, reason
        super().__init__(f"{scheduler}: {reason}")


class ReportError(FususError):
    """A report cannot be written where it is asked for."""

    def __init__(self, path: Path | str, reason: str) -> None:
        self.path, self.reason = str(path), reason
        super().__init__(f"{path}: {reason}.")


class AlignmentError(FususError, ValueError):
    """Two records cannot be brought onto one clock."""


class CompilerError(FususError, RuntimeError):
    """C that cannot be compiled here: the file, line and column of the first error where there are any."""

    def __init__(
        self, message: str, file: str | None = None, line: int | None = None, column: int | None = None
    ) -> None:
        self.file, self.line, self.column = file, line, column
        super().__init__(message)


class SandboxError(FususError, RuntimeError):
    """Foreign code cannot be run, or did not do what was asked of it."""


class CancelledError(Exception):
    """The user stopped a computation. Not an error to show."""
