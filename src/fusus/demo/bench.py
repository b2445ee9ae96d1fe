"""The demo's bench captures, played by the stand-in board from a fixed seed, and the calibrations that follow from them."""

import shutil
from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import numpy as np

from fusus.core.arrays import Array
from fusus.core.calibration.poses import FACES
from fusus.core.simulation.board.board import Board, collect
from fusus.core.simulation.board.handling import face_attitude, motions, tumble
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo, load_info, recordings_folder
from fusus.project import store
from fusus.project.commands import TakeCalibration
from fusus.project.records import Place, Project
from fusus.study.bench.calibrating import calibrate, stored
from fusus.study.bench.standin import standin_board
from fusus.study.bench.storing import note_taken

SEED, RATE_HZ = 3, 100.0
Streams = dict[str, dict[str, Array]]


def _still(board: Board) -> Streams:
    return collect(board, 120.0)[0]


def _faces(board: Board) -> Streams:
    for face in FACES[::-1]:
        board.hands.go_to(face_attitude(face, board.specimen.mounting, board.rng))
        board.hands.rest(4.0)
    return collect(board, 32.0)[0]


def _turns(board: Board) -> Streams:
    board.put(outdoors=True)
    tumble(board.hands, board.rng, 70.0)
    return collect(board, 70.0)[0]


def _mounting(board: Board) -> Streams:
    motions(board.hands, board.rng)
    return collect(board, 18.5)[0]


def _airflow(board: Board) -> Streams:
    board.put(throttle=0.5)
    off = collect(board, 20.0)[0]
    board.put(foam=True)
    on = collect(board, 20.0)[0]
    return {n: {k: np.concatenate([off[n][k], on[n][k]]) for k in off[n]} for n in off}


# Name, kind of the recording, what hands did, the calibration that follows.
CAPTURES: tuple[tuple[str, str, Callable[[Board], Streams], str], ...] = (
    ("bench-still", "still", _still, "gyro-bias"),
    ("bench-faces", "six-face", _faces, "six-face"),
    ("bench-turns", "rotate", _turns, "magnetometer"),
    ("bench-mounting", "mounting", _mounting, "mounting"),
    ("bench-airflow", "airflow", _airflow, "airflow"),
)


def add_bench(folder: Path, day: date, place: Place) -> None:
    """Add captures that are not there yet, and fit those whose calibration the project has never had."""
    project = store.load(folder)
    for i, (name, kind, play, calibration) in enumerate(CAPTURES):
        target = recordings_folder(folder) / name
        if not (target / "recording.json").exists():
            shutil.rmtree(target, ignore_errors=True)
            board = standin_board(project, SEED, RATE_HZ)
            board.settle()
            when = (
                datetime(day.year, day.month, day.day, 8, 0, tzinfo=UTC) - timedelta(days=1) + timedelta(minutes=12 * i)
            )
            info = RecordingInfo(
                name=name, kind=kind, when=when, place=place, temperature_degc=20.0, conditions="stand-in board, invented", seed=SEED,
                is_practice=True,
                frames="the board's own axes, times in ns",
            )  # fmt: skip
            create_recording(folder, info, play(board))
        if not any(c.kind == calibration for c in project.bench.calibrations):
            project = _take(folder, project, calibration, name)
    store.save(folder, project)


def _take(folder: Path, project: Project, kind: str, name: str) -> Project:
    entry = stored(calibrate(folder, project, kind, name), load_info(folder, name), project)
    note_taken(folder, entry)
    return TakeCalibration(entry).apply(project)
