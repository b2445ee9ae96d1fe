"""The line under the stage bar for what happened, and for what is running."""

import time

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QToolButton, QWidget

from fusus.app import theme
from fusus.app.jobs import Job
from fusus.app.text import seconds

SHOW_AFTER_S = 0.4


class Notice(QWidget):
    """A sentence with a severity; stays until it is put away or replaced."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("notice")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setObjectName("notice-words")
        close = QToolButton()
        close.setText("✕")
        close.setAccessibleName("Put the notice away")
        close.clicked.connect(self.hide)
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 6, 12, 6)
        row.addWidget(self.words, 1)
        row.addWidget(close)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)
        self.hide()

    def tell(self, severity: str, sentence: str) -> None:
        """Show a sentence; good news leaves by itself."""
        self.words.setText(f"{theme.SHAPES[severity]} {sentence}")
        self.words.setStyleSheet(f"color: {theme.tokens().severity(severity)};")
        self.show()
        self._timer.stop()
        if severity == "fine":
            self._timer.start(8000)


class Busy(QWidget):
    """What is running, how far it is, and a way to stop it."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("busy")
        self.words = QLabel()
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(180)
        self.stop = QPushButton("Stop")
        self.stop.setObjectName("stop-job")
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 2, 20, 2)
        row.addStretch()
        row.addWidget(self.words)
        row.addWidget(self.bar)
        row.addWidget(self.stop)
        self._job: Job | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._appear)
        self.stop.clicked.connect(self._cancel)
        self.hide()

    def watch(self, job: Job | None) -> None:
        """Follow a job; short ones are never shown."""
        if job is None:
            self._job = None
            self._timer.stop()
            self.hide()
            return
        if job is self._job:
            return
        self._job = job
        self.words.setText(job.title)
        self.bar.setRange(0, 0)
        job.progressed.connect(lambda done, total, what, j=job: self._show(j, done, total, what))
        self._timer.start(int(SHOW_AFTER_S * 1000))

    def _appear(self) -> None:
        if self._job is not None:
            self.show()

    def _show(self, job: Job, done: int, total: int, what: str) -> None:
        if job is not self._job:
            return
        self.bar.setRange(0, 1000)
        self.bar.setValue(round(1000 * done / total))
        spent = time.monotonic() - job.started_at
        left = f", {seconds(spent * (total - done) / done)} left" if done and spent > 1 else ""
        self.words.setText(f"{job.title}: {what.lower()}{left}")

    def _cancel(self) -> None:
        if self._job is not None:
            self._job.cancel()
            self.words.setText("Stopping …")
