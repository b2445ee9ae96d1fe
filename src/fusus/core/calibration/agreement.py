"""Whether two IMUs on one craft agree: the rotation between them, and what differs beyond their noise."""

import numpy as np
from numpy.typing import ArrayLike
from scipy.spatial.transform import Rotation

from fusus.core.arrays import Array, as_samples, as_series
from fusus.core.calibration.result import Calibration, CaptureProblem, judged, plain, refused
from fusus.core.calibration.screening import Found, screen

LEAST_RATE_RAD_S = 0.3
MOST_SCALE, MOST_ANGLE_RAD, MOST_FORCE_M_S2 = 0.03, np.radians(3.0), 0.6


def agreement(
    t_s: ArrayLike, gyro: ArrayLike, acc: ArrayLike, other_t_s: ArrayLike, other_gyro: ArrayLike, other_acc: ArrayLike
) -> Calibration:
    """Return how a second IMU differs from the first.

    Parameters
    ----------
    t_s : array_like, (N,), s, any
        Times of the first.
    gyro : array_like, (N, 3), rad/s, b
        Angular rate.
    acc : array_like, (N, 3), m/s^2, b
        Its readings while the craft is turned by hand.
    other_t_s : array_like, (K,), s, any
        Times of the second.
    other_gyro : array_like, (K, 3), rad/s, b
        Angular rate.
    other_acc : array_like, (K, 3), m/s^2, b
        Its readings.

    Returns
    -------
    Calibration
        ``rotation_rad`` (3,) from the second's axes to the first's, ``gyro_difference_rad_s`` (3,) the difference of the biases,
        ``scale_ratio``, ``gyro_rms_rad_s`` and ``acc_rms_m_s2`` what is left.
    """
    t, w, f = as_series(t_s, "t_s"), as_samples(gyro, "gyro", 3), as_samples(acc, "acc", 3)
    problems = screen(w, "first gyro") + screen(np.asarray(other_gyro), "second gyro")
    if problems:
        return refused("two-imu", problems)
    u, g = (_at(t, as_series(other_t_s, "other_t_s"), as_samples(v, "other", 3)) for v in (other_gyro, other_acc))
    known = np.isfinite(u).all(axis=1)
    w, f, u, g = w[known], f[known], u[known], g[known]
    turning = np.linalg.norm(w - np.median(w, axis=0), axis=1) > LEAST_RATE_RAD_S
    if turning.sum() < 50:
        problems.append(
            ("fail", CaptureProblem("no rotation", "The craft was hardly turned.", "Turn it about all axes by hand."))
        )
        return refused("two-imu", problems)
    a, b = w - w.mean(axis=0), u - u.mean(axis=0)
    rotation, _ = Rotation.align_vectors(a[turning], b[turning])
    turned = rotation.apply(b)
    scale = float((a[turning] * turned[turning]).sum() / (turned[turning] ** 2).sum())
    rest = a - turned
    # At rest the rates differ by the biases alone; while turning, scale errors come on top.
    rest_rows = ~turning if (~turning).sum() >= 50 else np.ones(len(w), dtype=bool)
    bias = w[rest_rows].mean(axis=0) - rotation.apply(u[rest_rows].mean(axis=0))
    force = f - rotation.apply(g)
    sigma = rest.std(axis=0) / np.sqrt(max(2.0, len(rest) / 10.0))  # hand motion is correlated over some ten samples
    angle = rotation.as_rotvec()
    spread = (
        float(rest[turning].std()) / float(np.linalg.norm(a[turning], axis=1).mean()) / np.sqrt(turning.sum() / 10.0)
    )
    rms = float(np.sqrt((rest**2).mean())), float(np.sqrt((force**2).mean()))
    problems += _of_difference(scale, rms[1], float(np.linalg.norm(angle)))
    between = float(np.degrees(np.linalg.norm(angle)))
    words = (
        f"Rates agree within {np.degrees(rms[0]):.2f} °/s, force within {rms[1]:.2f} m/s²; {between:.1f}° between them."
    )
    word, reason, found = judged(problems, words)
    before = float(np.sqrt(((w - u) ** 2).mean()))
    return Calibration(
        "two-imu",
        {"rotation_rad": plain(angle), "gyro_difference_rad_s": plain(bias), "scale_ratio": scale,
         "gyro_rms_rad_s": rms[0], "acc_rms_m_s2": rms[1]},
        {"rotation_rad": [spread] * 3, "gyro_difference_rad_s": plain(sigma), "scale_ratio": spread, "gyro_rms_rad_s": None,
         "acc_rms_m_s2": None},
        {"rotation_rad": "rad", "gyro_difference_rad_s": "rad/s", "scale_ratio": "1", "gyro_rms_rad_s": "rad/s", "acc_rms_m_s2": "m/s²"},
        {"gyro_rms_rad_s": before}, {"gyro_rms_rad_s": rms[0]}, None, word, reason, found,
    )  # fmt: skip


def _at(t: Array, other_t: Array, values: Array) -> Array:
    out = np.stack([np.interp(t, other_t, values[:, i]) for i in range(3)], axis=1)
    out[(t < other_t[0]) | (t > other_t[-1])] = np.nan
    return out


def _of_difference(scale: float, force_m_s2: float, angle: float) -> Found:
    out: Found = []
    if abs(scale - 1) > MOST_SCALE:
        out.append(
            (
                "fail",
                CaptureProblem(
                    "scale", f"One turns {scale:.2f} times as fast as the other.", "Check range and unit of both."
                ),
            )
        )
    if force_m_s2 > MOST_FORCE_M_S2:
        out.append(
            (
                "fail",
                CaptureProblem(
                    "force",
                    f"Specific forces differ by {force_m_s2:.1f} m/s².",
                    "Calibrate both; a vote needs agreement.",
                ),
            )
        )
    if angle > MOST_ANGLE_RAD:
        words = f"The second sits turned by {np.degrees(angle):.0f}° to the first."
        out.append(("close", CaptureProblem("turned", words, "Give each its own mounting.")))
    return out
