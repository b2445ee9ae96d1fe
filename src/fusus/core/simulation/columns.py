"""Columns of canonical streams from arrays.

Arrays, where a function does not say otherwise (shape, unit, frame):

    values : (N, 3) any, any
    t_s : (N,) s, any
    q_nb : (N, 4) 1, b to n
    pos_n : (N, 3) m, n
    vel_n : (N, 3) m/s, n
    ns() : (N,) ns, any
"""

import numpy as np

from fusus.core.arrays import Array

Streams = dict[str, dict[str, Array]]


def xyz(name: str, unit: str, values: Array) -> dict[str, Array]:
    """Return three columns in body axes of (N, 3)."""
    return {f"{name}_{axis}_{unit}": values[:, i] for i, axis in enumerate("xyz")}


def ned(name: str, unit: str, values: Array) -> dict[str, Array]:
    """Return three columns north, east, down of (N, 3)."""
    return {f"{name}_{axis}_{unit}": values[:, i] for i, axis in enumerate("ned")}


def ns(t_s: Array) -> Array:
    """Return seconds as whole nanoseconds."""
    return np.rint(t_s * 1e9).astype(np.int64)


def track(t_s: Array, q_nb: Array, pos_n: Array, vel_n: Array) -> dict[str, Array]:
    """Return a track's columns: times, attitude, position, velocity."""
    return (
        {"t_ns": ns(t_s)}
        | {f"q_{axis}": q_nb[:, i] for i, axis in enumerate("wxyz")}
        | ned("pos", "m", pos_n)
        | ned("vel", "m_s", vel_n)
    )
