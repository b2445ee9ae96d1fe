"""Which way the axes point and how an attitude is meant: found from what gravity, gyro and field show."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from fusus.core.analysis.attitude_error import circular_mean, compass_heading
from fusus.core.arrays import Array
from fusus.core.frames.axes import BodyAxes, attitude_to_ned, body_matrix
from fusus.core.frames.quaternion import (
    conjugate,
    interpolate,
    multiply,
    normalise,
    rotate,
    to_euler,
    to_rotation_vector,
)
from fusus.logs.mapping import ReferenceConvention

LEAST_AGREEMENT = 0.4


@dataclass(frozen=True, slots=True)
class LoggedMotion:
    """Samples for looking at, in the source's own axes and canonical units; times in s or counts, (N, 3) or (N, 4)."""

    imu_t: Array
    gyro: Array | None
    acc: Array | None
    mag_t: Array | None = None
    mag: Array | None = None
    ref_t: Array | None = None
    ref_q: Array | None = None


def find_body_axes(logged: LoggedMotion, latitude_deg: float | None) -> tuple[BodyAxes | None, Literal[1, -1], str]:
    """Return the body axes, the sign of the accelerometer, and the reason; None where gravity lies on no z axis.

    At rest a specific force points up. A level board that reads +g on z therefore has z up (forward-left-up), or
    writes gravity instead of specific force; the field tells the two apart where the hemisphere is known.
    """
    if logged.acc is None:
        return None, 1, "there is no accelerometer"
    f = np.nanmedian(_calm(logged), axis=0)
    size = float(np.linalg.norm(f))
    if not size > 0 or abs(f[2]) < 0.7 * size:
        return None, 1, "gravity does not lie along the z axis"
    up = f[2] > 0
    sign: Literal[1, -1] = 1
    if latitude_deg is not None and abs(latitude_deg) > 20 and logged.mag is not None and len(logged.mag):
        m = np.nanmedian(logged.mag, axis=0)
        cosine = float(m @ f / (np.linalg.norm(m) * size))
        if abs(cosine) > 0.3 and (cosine > 0) == (latitude_deg > 0):
            sign = -1
    z_up = up if sign == 1 else not up
    what = "+g" if up else "-g"
    reason = f"the accelerometer reads {what} on z at rest"
    if sign == -1:
        reason += ", against the dip of the field: it writes gravity, not specific force"
    return ("flu" if z_up else "frd"), sign, reason


def _calm(logged: LoggedMotion) -> Array:
    """Return the accelerations of the first calm stretches: a recording begins level rather than ends so."""
    acc = logged.acc if logged.acc is not None else np.empty((0, 3))
    good = (np.abs(acc) < 1e6).all(axis=1)  # and what no sensor gives is not looked at
    acc = acc[good]
    width = max(5, len(acc) // 60)
    n = len(acc) // width
    if n < 4:
        return acc
    parts = acc[: n * width].reshape(n, width, 3)
    spread = parts.std(axis=1).sum(axis=1)
    calm = np.flatnonzero(spread <= max(np.quantile(spread, 0.25), 1.5 * spread[:3].min()))
    return np.asarray(parts[calm[:3]].reshape(-1, 3))


def turns_between(t: Array, gyro: Array, at: Array) -> Array:
    """Return the integral of the rate between neighbouring times ``at``, shape (len(at) - 1, 3)."""
    steps = 0.5 * (gyro[1:] + gyro[:-1]) * np.diff(t)[:, None]
    total = np.vstack([np.zeros(3), np.cumsum(steps, axis=0)])
    return np.diff(np.stack([np.interp(at, t, total[:, i]) for i in range(3)], axis=1), axis=0)


def seconds_per_count(logged: LoggedMotion) -> float | None:
    """Return how long one count of a counter lasts, by how far gyro and attitude say that the board turned."""
    if logged.gyro is None or logged.ref_q is None or logged.ref_t is None or len(logged.ref_q) < 50:
        return None
    best, best_cosine = None, 0.0
    for q in (logged.ref_q, conjugate(logged.ref_q)):
        by_q, by_gyro = _both_turns(logged, normalise(q))
        cosine = _agreement(by_q, by_gyro)
        if cosine > best_cosine:
            large = np.linalg.norm(by_q, axis=1) > np.median(np.linalg.norm(by_q, axis=1))
            best = float(np.sum(by_q[large] * by_gyro[large]) / np.sum(by_gyro[large] ** 2))
            best_cosine = cosine
    return best if best_cosine > LEAST_AGREEMENT and best is not None and best > 0 else None


def _both_turns(logged: LoggedMotion, q: Array, gyro: Array | None = None) -> tuple[Array, Array]:
    """Return the rotation vectors between attitudes some 50 ms apart, by the attitudes and by the gyro."""
    ref_t = logged.ref_t if logged.ref_t is not None else np.empty(0)
    gyro = logged.gyro if gyro is None else gyro
    if gyro is None:
        return np.zeros((0, 3)), np.zeros((0, 3))
    stride = max(1, len(q) // 1500)
    rows = np.arange(0, len(q), stride)
    rows = rows[(ref_t[rows] >= logged.imu_t[0]) & (ref_t[rows] <= logged.imu_t[-1]) & np.isfinite(q[rows, 0])]
    if len(rows) < 10:
        return np.zeros((0, 3)), np.zeros((0, 3))
    at, chosen = ref_t[rows], q[rows]
    good = np.isfinite(gyro).all(axis=1)
    by_gyro = turns_between(logged.imu_t[good], gyro[good] - np.median(gyro[good], axis=0), at)
    return to_rotation_vector(multiply(conjugate(chosen[:-1]), chosen[1:])), by_gyro


def _agreement(a: Array, b: Array) -> float:
    size = float(np.sqrt(np.sum(a**2) * np.sum(b**2)))
    return float(np.sum(a * b)) / size if size > 0 else 0.0


def find_reference(
    logged: LoggedMotion, body_axes: BodyAxes, acc_sign: int, declination_rad: float
) -> tuple[ReferenceConvention, str | None]:
    """Return how the reference's attitudes are meant, and what remains unknown of its heading (or None).

    Every reading is tried: as written or inverted, in the sensors' axes or forward-right-down. The gyro must turn the
    attitude, and the attitude must turn the specific force upright.
    """
    best = _best_reading(logged, body_axes, acc_sign)
    if best is None:
        return ReferenceConvention(), None
    score, inverted, axes, upright = best
    found_by = f"gyro and gravity (agreement {score:.2f} of 2)"
    if upright < 0:
        return ReferenceConvention(earth="ned", body=axes, conjugate=inverted, found_by=found_by), None
    return _settle_north(logged, body_axes, axes, inverted, declination_rad, found_by)


def score_of_reference(logged: LoggedMotion, body_axes: BodyAxes, acc_sign: int) -> float:
    """Return how well the reference's attitudes agree with gyro and gravity in their best reading, up to 2; 0 without either."""
    best = _best_reading(logged, body_axes, acc_sign)
    return 0.0 if best is None else best[0]


def _best_reading(
    logged: LoggedMotion, body_axes: BodyAxes, acc_sign: int
) -> tuple[float, bool, BodyAxes, float] | None:
    """Return agreement, whether it is inverted, the body axes and how upright it turns the specific force."""
    if logged.ref_q is None or logged.ref_t is None or logged.acc is None or logged.gyro is None:
        return None
    to_frd = body_matrix(body_axes)
    choices: tuple[BodyAxes, ...] = (body_axes, "frd")
    best: tuple[float, bool, BodyAxes, float] = (-9.0, False, body_axes, -1.0)
    for inverted in (False, True):
        q = normalise(conjugate(logged.ref_q) if inverted else logged.ref_q)
        for axes in dict.fromkeys(choices):
            turn = body_matrix(axes).T @ to_frd
            by_q, by_gyro = _both_turns(logged, q, logged.gyro @ turn.T)
            upright = _upright(logged, q, acc_sign * logged.acc @ turn.T)
            # As written and in the sensors' axes is the plain reading: something must speak for another.
            score = _agreement(by_q, by_gyro) + abs(upright) - 0.02 * inverted - 0.02 * (axes != body_axes)
            if score > best[0]:
                best = (score, inverted, axes, upright)
    return best


def _upright(logged: LoggedMotion, q: Array, acc: Array) -> float:
    """Return the mean vertical part of the specific force's direction, turned by q into the earth's axes."""
    ref_t = logged.ref_t if logged.ref_t is not None else np.empty(0)
    inside = (logged.imu_t >= ref_t[0]) & (logged.imu_t <= ref_t[-1]) & np.isfinite(acc).all(axis=1)
    rows = np.flatnonzero(inside)[:: max(1, int(inside.sum()) // 2000)]
    if len(rows) < 3:
        return -1.0
    f = rotate(interpolate(ref_t, q, logged.imu_t[rows]), acc[rows])
    return float(np.mean(f[:, 2] / np.linalg.norm(f, axis=1)))


def _settle_north(
    logged: LoggedMotion, body_axes: BodyAxes, axes: BodyAxes, inverted: bool, declination_rad: float, found_by: str
) -> tuple[ReferenceConvention, str | None]:
    """Return whether an attitude with z up counts heading from north or from east, by the field."""
    q = logged.ref_q if logged.ref_q is not None else np.empty((0, 4))
    as_nwu = attitude_to_ned(normalise(conjugate(q) if inverted else q), "nwu", axes)
    if logged.mag is None or logged.mag_t is None or logged.ref_t is None or len(logged.mag) < 3:
        convention = ReferenceConvention(earth="enu", body=axes, conjugate=inverted, found_by=found_by)
        return convention, "no magnetometer shows whether its heading counts from east or north; east is taken"
    inside = (
        (logged.mag_t >= logged.ref_t[0]) & (logged.mag_t <= logged.ref_t[-1]) & np.isfinite(logged.mag).all(axis=1)
    )
    attitude = interpolate(logged.ref_t, as_nwu, logged.mag_t[inside])
    field = logged.mag[inside] @ body_matrix(body_axes).T
    off = circular_mean(compass_heading(attitude, field, declination_rad) - to_euler(attitude)[:, 0])
    earth: Literal["nwu", "enu"] = "enu" if abs(off - np.pi / 2) < np.pi / 4 else "nwu"
    left = off - (np.pi / 2 if earth == "enu" else 0.0)
    note = None
    if abs(left) > np.pi / 4:
        note = (
            f"its heading differs from the field's by {np.degrees(left):.0f}° on average; compare with headings aligned"
        )
    return ReferenceConvention(earth=earth, body=axes, conjugate=inverted, found_by=found_by + " and field"), note
