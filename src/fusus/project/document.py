"""The one object that views look at: the project, its folder, its history."""

from dataclasses import dataclass
from pathlib import Path
from typing import Protocol, runtime_checkable

from fusus.errors import FususError, LockedError, ProjectError
from fusus.project import store
from fusus.project.commands import Command
from fusus.project.lock import ProjectLock
from fusus.project.records import Project
from fusus.project.signal import Signal
from fusus.project.working_folder import clear_leftovers


@runtime_checkable
class ChangesFiles(Protocol):
    """A command that changes files of the project beside ``project.json``, and can take that back."""

    def forward(self, folder: Path) -> None:
        """Change them."""

    def backward(self, folder: Path) -> None:
        """Take it back."""


@dataclass(frozen=True, slots=True)
class Step:
    """One entry of the history: the project before it, and what it did to files."""

    label: str
    project: Project
    files: ChangesFiles | None = None


class Document:
    """A project that commands change, history undoes, and every change saves at once."""

    def __init__(self, folder: Path, project: Project, lock: ProjectLock | None, notice: str = "") -> None:
        self.folder = folder
        self.notice = notice
        self._project = project
        self._lock = lock
        self._undo: list[Step] = []
        self._redo: list[Step] = []
        self._merge_key: str | None = None
        self.changed: Signal[Project] = Signal()
        self.recordings_changed: Signal[None] = Signal()

    @classmethod
    def open(cls, folder: Path) -> "Document":
        """Open a project folder; one that another holds, or that cannot be written, opens read-only with a notice."""
        project = store.load(folder)
        lock = ProjectLock(folder)
        try:
            lock.acquire()
        except LockedError as error:
            return cls(folder, project, None, error.reason)
        try:
            clear_leftovers(folder)
            # Read anew: another may have changed it before the lock was ours.
            return cls(folder, store.load(folder), lock)
        except FususError:
            lock.release()
            raise

    @property
    def project(self) -> Project:
        """The project as it stands."""
        return self._project

    @property
    def read_only(self) -> bool:
        """Whether changes are refused."""
        return self._lock is None

    @property
    def undo_label(self) -> str | None:
        """What undo would take back."""
        return self._undo[-1].label if self._undo else None

    @property
    def redo_label(self) -> str | None:
        """What redo would do again."""
        return self._redo[-1].label if self._redo else None

    def require_writable(self) -> None:
        """Raise LockedError, with what keeps it from being written, where changes are refused."""
        if self.read_only:
            raise LockedError(self.folder, self.notice or "it is open read-only.")

    def do(self, command: Command) -> None:
        """Apply a command, save, and tell the listeners; if anything raises, nothing has happened."""
        self.require_writable()
        new = command.apply(self._project)
        files = command if isinstance(command, ChangesFiles) else None
        if new == self._project and files is None:
            return
        before = self._project
        if files is not None:
            files.forward(self.folder)
        try:
            self._save(new)
        except ProjectError:
            if files is not None:
                files.backward(self.folder)
            raise
        merges = command.merge_key is not None and command.merge_key == self._merge_key and bool(self._undo)
        if not merges:
            self._undo.append(Step(command.label, before, files))
        self._merge_key = command.merge_key
        self._redo.clear()
        self._set(new)
        if files is not None:
            self.recordings_changed.emit(None)

    def end_merge(self) -> None:
        """Let the next command be a step of its own (a slider was released)."""
        self._merge_key = None

    def undo(self) -> None:
        """Take the last command back."""
        self._step(self._undo, self._redo, back=True)

    def redo(self) -> None:
        """Do the last undone command again."""
        self._step(self._redo, self._undo, back=False)

    def close(self) -> None:
        """Give the folder up to others."""
        if self._lock is not None:
            self._lock.release()
            self._lock = None

    def _step(self, source: list[Step], target: list[Step], back: bool) -> None:
        if not source:
            return
        step = source[-1]
        if step.files is not None:
            (step.files.backward if back else step.files.forward)(self.folder)
        self._save(step.project)
        source.pop()
        target.append(Step(step.label, self._project, step.files))
        self._merge_key = None
        self._set(step.project)
        if step.files is not None:
            self.recordings_changed.emit(None)

    def _save(self, project: Project) -> None:
        try:
            store.save(self.folder, project)
        except ProjectError as error:
            raise ProjectError(error.path, f"{error.reason} The change was not made.") from error

    def _set(self, project: Project) -> None:
        self._project = project
        self.changed.emit(project)
