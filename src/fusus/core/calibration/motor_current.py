"""The field of the motors' current in the magnetometer: a straight line of field against current, axis by axis."""

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array, as_samples, as_series
from fusus.core.calibration.regression import blocks, regress
from fusus.core.calibration.result import Calibration, CaptureProblem, judged, plain, refused
from fusus.core.calibration.screening import screen

LEAST_SPAN_A = 2.0
MOST_LEFT_UT = 2.0  # about 6° of heading where the horizontal field is 19 µT


def motor_current(
    mag_t_s: ArrayLike, mag_ut: ArrayLike, current_t_s: ArrayLike, current_a: ArrayLike, horizontal_ut: float,
    gyro_t_s: ArrayLike | None = None, gyro: ArrayLike | None = None,
) -> Calibration:  # fmt: skip
    """Return the field of one ampere.

    Parameters
    ----------
    mag_t_s : array_like, (N,), s, any
        Times of the field.
    mag_ut : array_like, (N, 3), uT, s
        Field of a craft that is held fast while its motors run.
    current_t_s : array_like, (K,), s, any
        Times of the current.
    current_a : array_like, (K,), A, any
        Battery current.
    horizontal_ut : float
        Horizontal field at the place, for the heading error.
    gyro_t_s : array_like, (M,), s, any
        Times of the gyro.
    gyro : array_like, (M, 3), rad/s, s
        Shows whether the craft turned.

    Returns
    -------
    Calibration
        ``slope_ut_a`` (3,) and ``heading_error_rad_a``, the worst heading error of one ampere.
    """
    t, m = as_series(mag_t_s, "mag_t_s"), as_samples(mag_ut, "mag_ut", 3)
    ct, c = as_series(current_t_s, "current_t_s"), as_series(current_a, "current_a")
    problems = screen(m, "magnetometer")
    if len(c) < 20 or np.ptp(c) == 0:
        problems.append(
            (
                "fail",
                CaptureProblem("no current", "The current is missing or never changes.", "Log the battery's current."),
            )
        )
    if problems:
        return refused("motor-current", problems)
    good = np.isfinite(m).all(axis=1) & (t >= ct[0]) & (t <= ct[-1])
    at, field = blocks(t[good], m[good])
    amps = blocks(t[good], np.interp(t[good], ct, c))[1]
    span = float(np.ptp(amps))
    if span < LEAST_SPAN_A:
        problems.append(
            ("fail", CaptureProblem("no current", f"The current moves by {span:.1f} A only.",
                                    "Run the motors, props off and the craft held fast, or props on and restrained, up to hover current."))
        )  # fmt: skip
        return refused("motor-current", problems)
    design = np.stack([np.ones(len(at)), amps], axis=1)
    fits = [regress(at, design, field[:, i]) for i in range(3)]
    slope = np.array([f.coefficients[1] for f in fits])
    sigma = np.array([f.standard_errors[1] for f in fits])
    before = float(np.sqrt(((field - field.mean(axis=0)) ** 2).sum(axis=1).mean()))
    after = float(np.sqrt(sum(float((f.residuals - f.residuals.mean()).var()) for f in fits)))
    if gyro is not None and gyro_t_s is not None:
        problems += _of_turning(as_series(gyro_t_s, "gyro_t_s"), as_samples(gyro, "gyro", 3))
    if after > MOST_LEFT_UT:
        problems.append(
            (
                "fail",
                CaptureProblem(
                    "moved", f"{after:.1f} µT are left after the fit.", "Hold the craft fast: it must not turn."
                ),
            )
        )
    per_amp = float(np.linalg.norm(slope)) / max(horizontal_ut, 1.0)
    words = (
        f"One ampere moves the field by {np.linalg.norm(slope):.3f} µT, up to {np.degrees(per_amp):.2f}° of heading; over {span:.0f} A "
        f"{np.degrees(per_amp * span):.1f}°."
    )
    word, reason, found = judged(problems, words)
    return Calibration(
        "motor-current", {"slope_ut_a": plain(slope), "heading_error_rad_a": per_amp, "span_a": span},
        {"slope_ut_a": plain(sigma), "heading_error_rad_a": float(np.linalg.norm(sigma)) / max(horizontal_ut, 1.0), "span_a": None},
        {"slope_ut_a": "µT/A", "heading_error_rad_a": "rad/A", "span_a": "A"}, {"field_rms_ut": before}, {"field_rms_ut": after},
        None, word, reason, found, {"current_a": amps, "field_ut": field, "fits": fits},
    )  # fmt: skip


def _of_turning(t: Array, gyro: Array) -> list:  # type: ignore[type-arg]
    rate = gyro - np.median(gyro, axis=0)
    turned = np.cumsum(rate[1:] * np.diff(t)[:, None], axis=0)
    angle = float(np.abs(turned - np.linspace(0, 1, len(turned))[:, None] * turned[-1]).max()) if len(turned) else 0.0
    if angle > np.radians(3):
        return [
            ("close" if angle < np.radians(10) else "fail",
             CaptureProblem("moved", f"The craft turned by {np.degrees(angle):.0f}° meanwhile.", "Hold it fast and record again."))
        ]  # fmt: skip
    return []
