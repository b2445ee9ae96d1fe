"""Bench asks: a fit, an Allan deviation, a check, what is due; and the book. Work imports what is heavy itself."""

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImageReader

from fusus.app.answers.store import Inputs, Question


def _fit(i: Inputs, kind: str, recording: str, other: str | None = None) -> Any:
    from fusus.logs.info import load_info
    from fusus.study.bench.calibrating import calibrate, stored

    result = calibrate(i.folder, i.project, kind, recording, other, progress=i.progress)
    return stored(result, load_info(i.folder, recording), i.project), result


def _allan(i: Inputs, recording: str) -> Any:
    from fusus.study.bench.allan import allan_of_recording

    return recording, allan_of_recording(i.folder, recording, "imu", i.progress)


def _check(i: Inputs, recording: str) -> Any:
    from fusus.study.bench.calibration_status import run_check

    return run_check(i.folder, i.project, recording)


def _due(i: Inputs) -> Any:
    from fusus.study.bench.calibration_status import due_all

    return due_all(i.folder, i.project)


def _logbook(i: Inputs) -> Any:
    from fusus.study.keeping.logbook import logbook_report

    return logbook_report(i.folder, i.project)


def _picture(i: Inputs, place: str, width: int, height: int) -> Any:
    """Read a picture of the book, made small enough for a place of so many pixels."""
    reader = QImageReader(str(i.folder / place))
    reader.setAutoTransform(True)
    size = reader.size()
    if size.isValid():
        reader.setScaledSize(size.scaled(width, height, Qt.AspectRatioMode.KeepAspectRatio))
    return place, reader.read()


QUESTIONS = (
    Question("bench.fit", lambda kind, *_: f"Fitting {kind}", _fit),
    Question("bench.allan", lambda recording: f"Allan deviation of {recording}", _allan),
    Question("bench.check", lambda _: "Checking", _check),
    Question("bench.due", lambda: "Looking what is due", _due),
    Question("bench.logbook", lambda: "Reading the book", _logbook),
    Question("bench.picture", lambda place, *_: f"Reading {place}", _picture),
)
