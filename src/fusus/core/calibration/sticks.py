"""Stick centres and ends from a capture of the receiver: what is centre now, and how far each end reaches."""

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.calibration.result import Calibration, CaptureProblem, judged, plain, refused
from fusus.core.calibration.screening import Found

NAMES = ("roll", "pitch", "yaw")
GOOD_CENTRE, GOOD_END = 0.02, 0.95
REST = 0.25  # within this of the middle a stick may be at rest


def sticks(t_s: ArrayLike, roll_pitch_yaw: ArrayLike, throttle: ArrayLike | None = None) -> Calibration:
    """Return centres and ends of the sticks.

    Parameters
    ----------
    t_s : array_like, (N,), s, any
        Times.
    roll_pitch_yaw : array_like, (N, 3), 1, any
        Stick positions, -1 to 1: some seconds at rest, then each to both ends.
    throttle : array_like, (N,), 1, any
        Throttle, 0 to 1.

    Returns
    -------
    Calibration
        ``centre`` (3,), ``low`` and ``high`` (3,), ``throttle_ends`` (2,).
    """
    t, s = np.asarray(t_s, dtype=float), np.asarray(roll_pitch_yaw, dtype=float)
    problems: Found = []
    if s.ndim != 2 or s.shape[1] != 3 or len(s) < 50:
        problems.append(
            ("fail", CaptureProblem("too few samples", f"There are {len(s)} stick samples.", "Record 20 s."))
        )
    elif (np.ptp(s, axis=0) < 0.2).all():
        problems.append(
            (
                "fail",
                CaptureProblem(
                    "no motion", "The sticks never moved.", "Let them rest 5 s, then move each to both ends."
                ),
            )
        )
    if problems:
        return refused("sticks", problems)
    centre, sigma = np.zeros(3), np.zeros(3)
    step = max(float(np.median(np.diff(t))), 1e-3)
    each = max(5, round(0.5 / step))
    for i in range(3):
        cut = s[: len(s) // each * each, i].reshape(-1, each)
        quiet = cut[(np.ptp(cut, axis=1) < 0.02) & (np.abs(cut.mean(axis=1)) < REST)]
        if len(quiet) == 0:
            problems.append(
                (
                    "fail",
                    CaptureProblem(
                        "no rest", f"The {NAMES[i]} stick was never let go.", "Take your hands off for 5 s."
                    ),
                )
            )
            centre[i], sigma[i] = np.nan, np.nan
            continue
        means = quiet.mean(axis=1)
        centre[i] = float(np.median(means))
        sigma[i] = float(max(np.std(means) / np.sqrt(len(means)), quiet.std() / np.sqrt(quiet.size), 1e-4))
    low, high = s.min(axis=0), s.max(axis=0)
    for i, name in enumerate(NAMES):
        if abs(centre[i]) > GOOD_CENTRE:
            problems.append(
                ("close", CaptureProblem("off centre", f"The {name} stick rests at {centre[i]:+.3f} instead of 0.",
                                         "Set its trim or subtract it: off-centre sticks look like drift."))
            )  # fmt: skip
        if -low[i] < GOOD_END or high[i] < GOOD_END:
            problems.append(
                ("close", CaptureProblem("short end", f"The {name} stick reaches {low[i]:+.2f} to {high[i]:+.2f}.",
                                         "Set the end points of the transmitter."))
            )  # fmt: skip
    ends = (
        [float(np.min(throttle)), float(np.max(throttle))]
        if throttle is not None and len(np.asarray(throttle))
        else None
    )
    word, reason, found = judged(problems, "All sticks rest at their centre and reach their ends.")
    size = float(np.nanmax(np.abs(centre))) if np.isfinite(centre).any() else 0.0
    return Calibration(
        "sticks", {"centre": plain(centre), "low": plain(low), "high": plain(high), "throttle_ends": list(ends) if ends else None},
        {"centre": plain(sigma), "low": None, "high": None, "throttle_ends": None},
        {"centre": "1", "low": "1", "high": "1", "throttle_ends": "1"}, {"centre": size}, {"centre": float(np.nanmax(sigma))}, None,
        word, reason, found,
    )  # fmt: skip
