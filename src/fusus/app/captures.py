"""Captures at the bench: the stand-in's process, and the capture in a worker thread."""

import sys
import time
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QProcess, pyqtSignal

from fusus.app.jobs import Job, JobRunner
from fusus.project.document import Document

STAND_IN = "stand-in"
TELL_S = 0.15  # between two messages to the window: a flood of them would never end
START_MS = 20_000


class _Control(QObject):
    """What the interface thread tells a running capture, and what it gets from it."""

    told = pyqtSignal(object, object)  # Status, Health

    def __init__(self) -> None:
        super().__init__()
        self.finish = False
        self.discard = False
        self.marks: list[str] = []


class Captures(QObject):
    """The board's link and the running capture."""

    status_changed = pyqtSignal(object, object)  # Status, Health
    captured = pyqtSignal(object, object)  # guide, RecordingInfo
    recovered = pyqtSignal()
    noticed = pyqtSignal(str, str)  # severity, sentence
    ended = pyqtSignal()
    board_changed = pyqtSignal(str)  # what is known of the board

    def __init__(self, jobs: JobRunner, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._jobs = jobs
        self._process: QProcess | None = None
        self._control: _Control | None = None
        self._path = ""
        self._waiting: tuple[Document, Any, str] | None = None
        self.speed = 1.0

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

    def _start_board(self, document: Document) -> None:
        process = QProcess(self)
        process.readyReadStandardOutput.connect(self._board_speaks)
        process.errorOccurred.connect(lambda _: self.noticed.emit("stop", "The stand-in could not be started."))
        self._process = process
        seed = document.project.bench.standin_seed
        process.start(
            sys.executable,
            ["-m", "fusus.cli.main", "stand-in", "--link", "pty", "--project", str(document.folder), "--seed", str(seed),
             "--speed", str(self.speed)],
        )  # fmt: skip
        self.board_changed.emit("The stand-in is starting …")

    def _board_speaks(self) -> None:
        if self._process is None:
            return
        text = self._process.readAllStandardOutput().data().decode("utf-8", "replace")
        for line in text.splitlines():
            if line.startswith("/dev/") and not self._path:
                self._path = line.strip()
                self.board_changed.emit(f"Stand-in on {self._path}")
                if self._waiting is not None:
                    (document, guide, name), self._waiting = self._waiting, None
                    self._run(document, guide, name, f"serial:{self._path}")

    # Captures

    def start(self, document: Document, guide: Any, name: str) -> None:
        """Begin a guided capture; the stand-in is started first where it is the link."""
        if self.is_running:
            return
        if document.read_only:
            self.noticed.emit("mind", "The project is open read-only: nothing can be captured into it.")
            return
        link = document.project.bench.link.strip()
        if not link:
            self.noticed.emit(
                "mind",
                "No link yet: enter serial:PATH or udp:PORT under Board at the left; “stand-in” plays a board to practise on.",
            )
            return
        if link != STAND_IN:
            self._run(document, guide, name, link)
        elif self._path:
            self._run(document, guide, name, f"serial:{self._path}")
        else:
            self._waiting = (document, guide, name)
            self._start_board(document)

    def _run(self, document: Document, guide: Any, name: str, link: str) -> None:
        folder, place = document.folder, document.project.brief.place
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
                guided.capture.keep_lines()
                raise
            if control.discard:
                guided.capture.discard()
                return None
            return guided.capture.finish(place=place)

        job = Job(f"Capturing {name}", work)
        job.succeeded.connect(lambda info: self.captured.emit(guide, info) if info is not None else None)
        job.failed.connect(lambda text: self.noticed.emit("stop", text))
        job.ended.connect(self._end)
        self._jobs.start(job, "capture")

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

    def recover(self, document: Document) -> None:
        """Make recordings of captures that were interrupted."""
        folder = document.folder
        if document.read_only or not any((folder / "recordings").glob(".capturing-*")):
            return

        def work(_progress: Any) -> Any:
            from fusus.devices.kept import recover

            return recover(folder)

        def take(found: Any) -> None:
            if found:
                self.recovered.emit()
                names = ", ".join(f"“{info.name}”" for info in found)
                self.noticed.emit("mind", f"An interrupted capture was made a recording: {names}.")

        job = Job("Recovering captures", work)
        job.succeeded.connect(take)
        job.failed.connect(lambda text: self.noticed.emit("stop", text))
        self._jobs.start(job, "recover")

    def forget(self) -> None:
        """Put all of it away."""
        self.discard()
        self.stop_board()


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
