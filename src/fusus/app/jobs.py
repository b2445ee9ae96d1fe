"""Long work off the interface thread: exactly one of succeeded, failed, cancelled; then ended."""

import logging
import time
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal

from fusus.app.garbage import Collector
from fusus.errors import CancelledError, FususError

PER_SECOND = 20


class _Reporter:
    """Progress of a job: throttled, and the place where it stops when it is cancelled."""

    def __init__(self, job: "Job") -> None:
        self._job = job
        self._last = 0.0

    def step(self, done: int, total: int, what: str) -> None:
        if self._job.is_cancelled:
            raise CancelledError
        now = time.monotonic()
        if now - self._last >= 1 / PER_SECOND or done >= total:
            self._last = now
            self._job.progressed.emit(done, max(total, 1), what)


class Job(QObject):
    """Work that takes a Progress and returns a plain result. It touches no widget and no document."""

    progressed = pyqtSignal(object, object, str)
    succeeded = pyqtSignal(object)
    failed = pyqtSignal(str)
    cancelled = pyqtSignal()
    ended = pyqtSignal()

    def __init__(self, title: str, work: Callable[[Any], object]) -> None:
        super().__init__()
        self.title = title
        self._work = work
        self.is_cancelled = False
        self.started_at = time.monotonic()

    def cancel(self) -> None:
        """Ask the work to stop at its next step."""
        self.is_cancelled = True

    def run(self) -> None:
        """Do the work and say how it ended (in a worker thread)."""
        try:
            if self.is_cancelled:  # while it waited
                raise CancelledError
            result = self._work(_Reporter(self))
        except CancelledError:
            self.cancelled.emit()
        except FususError as error:
            self.failed.emit(str(error))
        except MemoryError:
            self.failed.emit("There is not enough memory for this. Close other programs, or take a shorter recording.")
        except BaseException:  # libraries that are not written in Python have errors of a kind of their own
            logging.getLogger("fusus").exception("a job failed")
            self.failed.emit(f"A defect of Fusus stopped “{self.title}”; the details are in its log file.")
        else:
            if self.is_cancelled:
                self.cancelled.emit()
            else:
                self.succeeded.emit(result)
        self.ended.emit()


class _Runnable(QRunnable):
    def __init__(self, job: Job) -> None:
        super().__init__()
        self._job = job

    def run(self) -> None:
        self._job.run()


class JobRunner(QObject):
    """Keeps jobs alive while they run. A newer job of the same slot cancels the older."""

    changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(2)
        self._jobs: dict[int, tuple[str, Job]] = {}
        self._first: Job | None = None
        self._waiting: list[Job] = []
        self._collector = Collector(self)

    def start(self, job: Job, slot: str) -> None:
        """Start a job; connect to its signals before."""
        for key, (name, other) in self._jobs.items():
            if name == slot and key != id(job):
                other.cancel()
        self._jobs[id(job)] = (slot, job)
        job.ended.connect(lambda: self._forget(id(job)))
        if self._first is None:
            self._pool.start(_Runnable(job))
        else:
            self._waiting.append(job)
        self.changed.emit()

    def start_first(self, job: Job, slot: str) -> None:
        """Start a job that all others wait for, however it ends."""
        self.start(job, slot)
        self._first = job
        job.ended.connect(self._go_on)

    def _go_on(self) -> None:
        self._first = None
        waiting, self._waiting = self._waiting, []
        for job in waiting:
            self._pool.start(_Runnable(job))

    def _forget(self, key: int) -> None:
        self._jobs.pop(key, None)
        self.changed.emit()

    @property
    def running(self) -> list[Job]:
        """The jobs that have not ended, the one that others wait for last."""
        found = [job for _, job in self._jobs.values() if not job.is_cancelled]
        return sorted(found, key=lambda job: job is self._first)

    def cancel(self, slot: str | None = None) -> None:
        """Cancel the jobs of a slot, or all."""
        for name, job in self._jobs.values():
            if slot is None or name == slot:
                job.cancel()

    def shut_down(self, milliseconds: int = 3000) -> bool:
        """Cancel all jobs and wait for them."""
        self.cancel()
        self._waiting = []
        is_done = bool(self._pool.waitForDone(milliseconds))
        if is_done:
            self._collector.stop()
        return is_done
