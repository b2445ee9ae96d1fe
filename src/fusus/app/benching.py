"""Captures at the bench: the stand-in's process, the capture in a worker thread, and the fit that follows."""

import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QProcess, pyqtSignal

from fusus.app.jobs import Job
from fusus.errors import FususError

if TYPE_CHECKING:
    from fusus.app.desk import Desk

STAND_IN = "stand-in"
TELL_S = 0.15  # between two messages to the window: a flood of them would never end
START_MS = 20_000


class _Control(QObject):
    """What the interface thread tells a running capture, and what it hears from it."""

    told = pyqtSignal(object, object)  # Status, Health

    def __init__(self) -> None:
        super().__init__()
        self.finish = False
        self.discard = False
        self.marks: list[str] = []


class Bench(QObject):
    """The board's link, the running capture, and fits of what was captured."""

    status_changed = pyqtSignal(object, object)  # Status, Health
    captured = pyqtSignal(str)  # recording
    fitted = pyqtSignal(object, object)  # StoredCalibration, Calibration
    allan_ready = pyqtSignal(str, object)  # recording, axes
    checked = pyqtSignal(object)  # CheckResult
    ended = pyqtSignal()
    board_changed = pyqtSignal(str)  # what is known of the board

    def __init__(self, desk: "Desk") -> None:
        super().__init__(desk)
        self._desk = desk
        self._process: QProcess | None = None
        self._control: _Control | None = None
        self._path = ""
        self._waiting: tuple[Any, str] | None = None
        self.speed = 1.0
        self.due: tuple[Any, ...] = ()

    # The stand-in

    @property
    def is_running(self) -> bool:
        """Whether a capture goes on."""
        return self._control is not None

    def command(self, text: str) -> None:
        """Tell the stand-in what is done to it, and mark it in the capture."""
        if self._process is not None and self._process.state() == QProcess.ProcessState.Running:
            self._process.write(f"{text}\n".encode())
        if self._control is not None:
            self._control.marks.append(text)

    def stop_board(self) -> None:
        """End the stand-in's process."""
        process, self._process, self._path = self._process, None, ""
        if process is not None:
            process.readyReadStandardOutput.disconnect()
            process.write(b"quit\n")
            if not process.waitForFinished(400):
                process.kill()
                process.waitForFinished(400)
            process.deleteLater()

    def _start_board(self) -> None:
        document = self._desk.document
        if document is None:
            return
        process = QProcess(self)
        process.readyReadStandardOutput.connect(self._board_speaks)
        process.errorOccurred.connect(lambda _: self._desk.noticed.emit("stop", "The stand-in could not be started."))
        self._process = process
        seed = self._desk.project.bench.standin_seed
        process.start(
            sys.executable,
            ["-m", "fusus.cli.main", "stand-in", "--link", "pty", "--project", str(document.folder), "--seed", str(seed),
             "--speed", str(self.speed)],
        )  # fmt: skip
        self.board_changed.emit("The stand-in is starting …")

    def _board_speaks(self) -> None:
        if self._process is None:
            return
        text = bytes(self._process.readAllStandardOutput()).decode("utf-8", "replace")
        for line in text.splitlines():
            if line.startswith("/dev/") and not self._path:
                self._path = line.strip()
                self.board_changed.emit(f"Stand-in on {self._path}")
                if self._waiting is not None:
                    (guide, name), self._waiting = self._waiting, None
                    self._run(guide, name, f"serial:{self._path}")

    # Captures

    def start(self, guide: Any, name: str) -> None:
        """Begin a guided capture; the stand-in is started first where it is the link."""
        if self._desk.document is None or self.is_running:
            return
        if self._desk.document.read_only:
            self._desk.noticed.emit("mind", "The project is open read-only: nothing can be captured into it.")
            return
        link = self._desk.project.bench.link.strip()
        if link != STAND_IN:
            self._run(guide, name, link)
        elif self._path:
            self._run(guide, name, f"serial:{self._path}")
        else:
            self._waiting = (guide, name)
            self._start_board()

    def _run(self, guide: Any, name: str, link: str) -> None:
        document = self._desk.document
        if document is None:
            return
        folder, place = document.folder, self._desk.project.brief.place
        control = _Control()
        control.told.connect(self.status_changed.emit)
        self._control = control

        def work(progress: Any) -> Any:
            from fusus.devices.capture import Capture
            from fusus.devices.guided import Guided
            from fusus.devices.links import open_link

            guided = Guided(Capture(folder, name, open_link(link), guide.kind), guide)
            try:
                _pump(guided, control, progress)
            except BaseException:
                guided.capture.discard()
                raise
            if control.discard:
                guided.capture.discard()
                return None
            return guided.capture.finish(place=place)

        job = Job(f"Capturing {name}", work)
        job.succeeded.connect(lambda info: self._take(guide, info))
        job.failed.connect(lambda text: self._desk.noticed.emit("stop", text))
        job.ended.connect(self._end)
        self._desk.jobs.start(job, "capture")

    def finish(self) -> None:
        """End the capture and keep it."""
        if self._control is not None:
            self._control.finish = True

    def discard(self) -> None:
        """End the capture and throw it away."""
        self._waiting = None
        if self._control is not None:
            self._control.discard = True

    def _end(self) -> None:
        self._control = None
        self.ended.emit()

    def _take(self, guide: Any, info: Any) -> None:
        document = self._desk.document
        if document is None or info is None:
            return
        from fusus.project import book

        book.note(document.folder, "capture", recording=info.name, kind=info.kind, guide=guide.name)
        document.recordings_changed.emit(None)
        self.captured.emit(info.name)
        if guide.calibration is not None:
            self.fit(guide.calibration, info.name)
        elif guide.name == "check":
            self.run_check(info.name)
        elif guide.name == "long-still":
            self.run_allan(info.name)
        self.run_due()

    # Fits

    def _start(self, job: Job, slot: str, take: Callable[[Any], object]) -> None:
        job.succeeded.connect(take)
        job.failed.connect(lambda text: self._desk.noticed.emit("stop", text))
        self._desk.jobs.start(job, slot)

    def fit(self, kind: str, recording: str, other: str | None = None) -> None:
        """Fit a calibration to a recording."""
        document = self._desk.document
        if document is None:
            return
        folder, project = document.folder, self._desk.project

        def work(progress: Any) -> Any:
            from fusus.logs.info import load_info
            from fusus.study.bench.calibrating import calibrate, stored

            result = calibrate(folder, project, kind, recording, other, progress=progress)
            return stored(result, load_info(folder, recording), project), result

        self._start(Job(f"Fitting {kind}", work), "fit", lambda pair: self.fitted.emit(*pair))

    def run_allan(self, recording: str) -> None:
        """Compute the Allan deviation of a recording."""
        document = self._desk.document
        if document is None:
            return
        folder = document.folder

        def work(progress: Any) -> Any:
            from fusus.study.bench.allan import allan_of_recording

            return allan_of_recording(folder, recording, "imu", progress)

        self._start(
            Job(f"Allan deviation of {recording}", work), "allan", lambda axes: self.allan_ready.emit(recording, axes)
        )

    def run_due(self) -> None:
        """Find out which calibrations are due."""
        document = self._desk.document
        if document is None:
            return
        folder, project = document.folder, self._desk.project

        def work(_progress: Any) -> Any:
            from fusus.study.bench.calibration_status import due_all

            return due_all(folder, project)

        def take(found: Any) -> None:
            if self._desk.document is not None and project.bench == self._desk.project.bench:
                self.due = found
                self._desk.bench_changed.emit()

        self._start(Job("Looking what is due", work), "due", take)

    def recover(self) -> None:
        """Make recordings of captures that were interrupted."""
        document = self._desk.document
        if document is None or document.read_only:
            return
        folder = document.folder
        if not any((folder / "recordings").glob(".capturing-*")):
            return

        def work(_progress: Any) -> Any:
            from fusus.devices.kept import recover

            return recover(folder)

        def take(found: Any) -> None:
            if found and self._desk.document is not None and self._desk.document.folder == folder:
                self._desk.document.recordings_changed.emit(None)
                names = ", ".join(f"“{info.name}”" for info in found)
                self._desk.noticed.emit("mind", f"An interrupted capture was made a recording: {names}.")

        self._start(Job("Recovering captures", work), "recover", take)

    def forget(self) -> None:
        """Put all of it away."""
        self.discard()
        self.stop_board()
        self.due = ()

    def use(self, entry: Any) -> str | None:
        """Put a fitted calibration in force, with the figures that it measures; return what is wrong, or None."""
        from fusus.study.bench.storing import use

        document = self._desk.document
        if document is None:
            return "No project is open."
        try:
            use(document, entry)
        except FususError as error:
            return str(error)
        self.run_due()
        return None

    def use_allan(self, recording: str, axes: Any) -> str | None:
        """Put measured noise beside the datasheet's; return what is wrong, or None."""
        from fusus.study.bench.storing import use_allan

        document = self._desk.document
        if document is None:
            return "No project is open."
        try:
            use_allan(document, recording, axes)
        except FususError as error:
            return str(error)
        return None

    def run_check(self, recording: str) -> None:
        """Hold a check capture against what is in force."""
        document = self._desk.document
        if document is None:
            return
        folder, project = document.folder, self._desk.project

        def work(_progress: Any) -> Any:
            from fusus.study.bench.calibration_status import run_check

            return run_check(folder, project, recording)

        self._start(Job("Checking", work), "fit", self.checked.emit)


def _pump(guided: Any, control: _Control, progress: Any) -> None:
    """Capture until the guide or the user has enough; in a worker thread."""
    enough_at: float | None = None
    told_at = 0.0
    while not (control.finish or control.discard):
        guided.capture.pump(0.05)
        while control.marks:
            guided.capture.mark(control.marks.pop(0))
        status = guided.look()
        if time.monotonic() - told_at >= TELL_S:
            told_at = time.monotonic()
            control.told.emit(status, guided.capture.health())
            progress.step(round(status.progress * 100), 101, status.now)
        if status.is_enough:
            # One more second, so that the last pose is whole.
            enough_at = enough_at if enough_at is not None else guided.capture.decoder.last_us
            if guided.capture.decoder.last_us - enough_at > 1e6:
                control.told.emit(status, guided.capture.health())
                return


def capture_name(folder: Path, guide: str) -> str:
    """Return a name that is still free, such as “six-face 2”."""
    taken = {p.name for p in (folder / "recordings").glob("*")}
    number = 1
    name = guide
    while name in taken:
        number += 1
        name = f"{guide} {number}"
    return name
