"""Other axis conventions, and how they become north-east-down and forward-right-down.

Arrays, where a function does not say otherwise (shape, unit, frame):

    q : (N, 4) 1, body to earth as declared
"""

from typing import Literal

import numpy as np

from fusus.core.arrays import Array
from fusus.core.frames.quaternion import from_matrix, multiply

BodyAxes = Literal["frd", "flu", "rfu"]
EarthAxes = Literal["ned", "nwu", "enu"]

# Rows of each matrix are the north, east, down (or forward, right, down) axes in the other convention.
_TO_FRD: dict[str, list[list[float]]] = {
    "frd": [[1, 0, 0], [0, 1, 0], [0, 0, 1]],
    "flu": [[1, 0, 0], [0, -1, 0], [0, 0, -1]],
    "rfu": [[0, 1, 0], [1, 0, 0], [0, 0, -1]],
}
_TO_NED = {"ned": _TO_FRD["frd"], "nwu": _TO_FRD["flu"], "enu": _TO_FRD["rfu"]}


def body_matrix(axes: BodyAxes) -> Array:
    """Return the matrix, shape (3, 3), that takes vectors in ``axes`` to forward-right-down."""
    return np.array(_TO_FRD[axes], dtype=float)


def earth_matrix(axes: EarthAxes) -> Array:
    """Return the matrix, shape (3, 3), that takes vectors in ``axes`` to north-east-down."""
    return np.array(_TO_NED[axes], dtype=float)


def attitude_to_ned(q: Array, earth: EarthAxes, body: BodyAxes) -> Array:
    """Return ``q_nb`` for attitudes, shape (N, 4), that take vectors in ``body`` axes to ``earth`` axes.

    Notes
    -----
    ENU with forward-left-up gives yaw 90° - yaw, the negative pitch and the same roll.
    """
    left, right = from_matrix(earth_matrix(earth)), from_matrix(body_matrix(body).T)
    return multiply(multiply(left, q), right)
