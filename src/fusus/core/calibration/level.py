"""Level trim: what roll and pitch the board shows while the craft stands level, once or turned round to cancel the table."""

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array, as_samples, as_series
from fusus.core.calibration.poses import find_poses
from fusus.core.calibration.result import Calibration, CaptureProblem, judged, plain, refused
from fusus.core.calibration.screening import screen
from fusus.core.frames.tilt import tilt_from_acc

TABLE_RAD = np.radians(0.3)  # of a floor or table that nobody checked; common practice
MOST_TRIM_RAD = np.radians(10.0)
HALF_TURN_RAD = np.radians(25.0)  # off 180° that still counts as such a turn


def level_trim(t_s: ArrayLike, gyro: ArrayLike, acc: ArrayLike, table_rad: float = float(TABLE_RAD)) -> Calibration:
    """Return the roll and pitch that stand for level.

    Parameters
    ----------
    t_s : array_like, (N,), s, any
        Times.
    gyro : array_like, (N, 3), rad/s, b
        Angular rate.
    acc : array_like, (N, 3), m/s^2, b
        Readings, calibrated and in body axes: one rest, or two with the craft turned by 180° between them.
    table_rad : float
        How level the table is, one sigma; with two rests it cancels.

    Returns
    -------
    Calibration
        ``trim_rad`` (2,): roll and pitch.
    """
    t, w, f = as_series(t_s, "t_s"), as_samples(gyro, "gyro", 3), as_samples(acc, "acc", 3)
    problems = screen(f, "accelerometer")
    poses = find_poses(t, w, f, least_s=2.0) if not problems else ()
    if not problems and not poses:
        problems.append(("fail", CaptureProblem("moved", "The craft never stood still.", "Set it down level for 5 s.")))
    if problems:
        return refused("level", problems)
    angles = tilt_from_acc(np.array([p.mean for p in poses]))
    noise = np.array([np.linalg.norm(p.sigma[:2]) / 9.8 for p in poses])
    pair = _half_turn(t, w, poses)
    if pair is not None:
        trim = 0.5 * (angles[pair[0]] + angles[pair[1]])
        table = 0.5 * (angles[pair[0]] - angles[pair[1]])
        sigma = np.full(2, float(np.hypot(noise[pair[0]], noise[pair[1]]) / 2 + np.radians(0.03)))
        good = (
            f"Roll {np.degrees(trim[0]):+.2f}°, pitch {np.degrees(trim[1]):+.2f}°; the table leans "
            f"{np.degrees(np.linalg.norm(table)):.2f}°, which cancels."
        )
    else:
        trim, sigma = angles[0], np.full(2, float(np.hypot(table_rad, noise[0])))
        good = (
            f"Roll {np.degrees(trim[0]):+.2f}°, pitch {np.degrees(trim[1]):+.2f}°, as level as the table is; turn the craft half round "
            "and record again to cancel it."
        )
    if np.abs(trim).max() > MOST_TRIM_RAD:
        problems.append(
            ("fail", CaptureProblem("not level", f"The craft stands {np.degrees(np.abs(trim).max()):.0f}° off level.",
                                    "Find the mounting first, or set the craft down level."))
        )  # fmt: skip
    word, reason, found = judged(problems, good)
    return Calibration(
        "level", {"trim_rad": plain(trim)}, {"trim_rad": plain(sigma)}, {"trim_rad": "rad, roll and pitch"},
        {"tilt_rad": float(np.linalg.norm(angles[0]))}, {"tilt_rad": float(np.linalg.norm(sigma))}, None, word, reason, found,
    )  # fmt: skip


def _half_turn(t: Array, gyro: Array, poses: tuple) -> tuple[int, int] | None:  # type: ignore[type-arg]
    """Return two poses between which the craft was turned by 180° about the vertical, or None."""
    bias = np.mean([p.gyro_mean for p in poses], axis=0)
    for i in range(len(poses) - 1):
        rows = slice(poses[i].span.last, poses[i + 1].span.first)
        turned = float(np.sum((gyro[rows, 2][1:] - bias[2]) * np.diff(t[rows]))) if rows.stop > rows.start + 1 else 0.0
        if abs(abs(turned) - np.pi) < HALF_TURN_RAD:
            return i, i + 1
    return None
