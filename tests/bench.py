"""A stand-in board for the tests of calibrations: as the demo craft's parts, uncalibrated."""

from dataclasses import replace
from datetime import date
from functools import cache

import numpy as np

from fusus.core.simulation.board.board import Board
from fusus.core.simulation.board.slow_sensors import Rates
from fusus.core.simulation.board.specimen import draw_specimen
from fusus.core.world.site import site_at
from fusus.demo.build import demo_project
from fusus.study.parts.suite import choice_of, model_of

SITE = site_at(53.02, 0.61, 3.0, date(2026, 9, 12))


@cache
def suite():
    project = demo_project()
    fitting = replace(project.parts.fitting, calibrated=False)
    project = project.model_copy(update={"parts": project.parts.model_copy(update={"fitting": fitting})})
    return model_of(project, choice_of(project))


def board(seed: int, rate_hz: float = 200.0, mag_hz: float = 50.0, **around) -> Board:
    """Return a settled board outdoors, its errors drawn with the seed."""
    specimen = draw_specimen(suite(), (-0.05, 0.02, -0.115), seed)
    made = Board(specimen, suite(), SITE, Rates(imu_hz=rate_hz, mag_hz=mag_hz, slow_hz=min(20.0, rate_hz)), seed)
    made.put(outdoors=True)
    made.put(**around)
    made.settle()
    return made


def xyz(stream, name: str, unit: str) -> np.ndarray:
    return np.stack([stream[f"{name}_{a}_{unit}"] for a in "xyz"], axis=1)


def imu(streams, name: str = "imu"):
    s = streams[name]
    return s["t_ns"] * 1e-9, xyz(s, "gyro", "rad_s"), xyz(s, "acc", "m_s2")


def true_acc(made: Board, acc: np.ndarray, degc: float) -> np.ndarray:
    """Return readings freed of the specimen's own errors, as a perfect six-face calibration would."""
    e = made.specimen.acc
    return (acc - e.bias - (degc - 25.0) * e.slope) @ np.linalg.inv(e.matrix).T
