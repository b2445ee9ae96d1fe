"""Magnetometer from turns in all directions: hard iron, soft iron, the strength pinned to the place, and the alignment."""

import math

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.analysis.long_run import correlation_length
from fusus.core.arrays import Array, as_samples
from fusus.core.calibration.alignment import GYRO_CROSS_RAD, Alignment, align_to_gyro
from fusus.core.calibration.coverage import LEAST_EIGENVALUE, USABLE_SHARE, Coverage, coverage
from fusus.core.calibration.ellipsoid import EllipsoidFit, fit_ellipsoid, fit_sphere
from fusus.core.calibration.result import Calibration, CaptureProblem, Value, judged, plain, refused
from fusus.core.calibration.screening import Found, new_readings, screen

LEAST_SAMPLES = 60
GOOD_SHARE, USABLE_RESIDUAL = 0.02, 0.06  # residual over field strength
FOLDS = 5
MOST_STRENGTH_OFF = 0.2
LEAST_SHOWN = 0.6  # of the soft iron's least known direction, 1 where the readings alone decide
LEAST_SPREAD = 0.2  # of the field's strength; half a turn in one plane makes more


def magnetometer(
    mag_ut: ArrayLike,
    field_ut: float | None,
    mag_t_s: ArrayLike | None = None,
    t_s: ArrayLike | None = None,
    gyro: ArrayLike | None = None,
    cross_rad: float = GYRO_CROSS_RAD,
) -> Calibration:
    """Return hard and soft iron of a magnetometer that was turned in all directions.

    Parameters
    ----------
    mag_ut : array_like, (N, 3), uT, s
        Readings.
    field_ut : float or None
        Strength of the field at the place; None where it is not known.
    mag_t_s : array_like, (N,), s, any
        Their times.
    t_s : array_like, (K,), s, any
        Times of the gyro.
    gyro : array_like, (K, 3), rad/s, s
        Angular rate; with it the rotation from the magnetometer's to the IMU's axes is fitted too.
    cross_rad : float
        How square the gyro's own axes are, one sigma.

    Returns
    -------
    Calibration
        ``hard_iron_ut`` (3,), ``soft_iron`` (3, 3) with reading = soft iron · field + hard iron, ``correction``, ``field_ut``.
    """
    raw = as_samples(mag_ut, "mag_ut", 3)
    whole = raw[np.isfinite(raw).all(axis=1)]
    m = new_readings(whole)
    problems = screen(whole, "magnetometer", LEAST_SAMPLES) or screen(m, "magnetometer", LEAST_SAMPLES)
    if any(
        p.kind in ("too few samples", "saturated") or (p.kind == "stuck" and "All" in p.message) for _, p in problems
    ):
        return refused("magnetometer", problems)
    spread = float(np.sqrt(m.var(axis=0).sum()))
    if field_ut is not None and spread < LEAST_SPREAD * field_ut:
        words = f"The field moved by {spread:.1f} µT only, of {field_ut:.0f} µT."
        problems.append(("fail", CaptureProblem("no rotation", words, "Turn the craft slowly in all directions.")))
        return refused("magnetometer", problems)
    sphere = fit_sphere(m, field_ut)
    seen = coverage(m - sphere.centre)
    if seen.eigenvalues[0] < LEAST_EIGENVALUE / 3:
        return _one_plane(m, seen, problems, field_ut)
    full = fit_ellipsoid(m, field_ut)
    errors = {
        "hard iron only": _cross_validated(m, field_ut, False),
        "hard and soft iron": _cross_validated(m, field_ut, True),
    }
    best = full if full is not None and full.converged else sphere
    seen = coverage(best.corrected(m))
    aligned = None
    if mag_t_s is not None and t_s is not None and gyro is not None:
        at = np.asarray(mag_t_s, dtype=float)[np.isfinite(raw).all(axis=1)]
        aligned = align_to_gyro(
            at, best.corrected(whole), np.asarray(t_s, dtype=float), as_samples(gyro, "gyro", 3), cross_rad
        )
    return _result(m, best, sphere, seen, problems, errors, field_ut, aligned)


def _result(
    m: Array, best: EllipsoidFit, sphere: EllipsoidFit, seen: Coverage, problems: Found, errors: dict[str, float],
    field_ut: float | None, aligned: Alignment | None,
) -> Calibration:  # fmt: skip
    size, is_full = best.radius, best is not sphere
    middle = np.linalg.norm(m, axis=1)
    before, after = float(np.std(middle)), float(np.sqrt(np.mean(best.residuals**2)))
    problems = problems + _of_cover(seen) + _of_fit(best, after, field_ut) + _of_shape(best, is_full)
    if aligned is not None and not aligned.is_clear:
        problems.append(
            ("close", CaptureProblem("alignment", "The gyro does not follow the field's turns.",
                                     "Turn the craft as a whole, IMU and magnetometer together, and check both clocks."))
        )  # fmt: skip
    good = (
        f"The field's strength holds within {after:.2f} µT ({after / size:.1%}), before {before:.1f} µT; {seen.share:.0%} of all "
        "directions were seen."
    )
    word, reason, found = judged(problems, good)
    correction = np.linalg.inv(best.matrix)
    # Samples whose residuals last, as while a room's iron is passed, are not so many independent ones.
    lasting = math.sqrt(max(correlation_length(best.residuals), 1.0))
    parameters: dict[str, Value] = {
        "hard_iron_ut": plain(best.centre), "soft_iron": plain(best.matrix), "correction": plain(correction),
        "field_ut": size, "coverage": plain(seen.eigenvalues), "coverage_share": seen.share,
    }  # fmt: skip
    sigmas: dict[str, Value] = {
        "hard_iron_ut": plain(best.centre_sigma * lasting), "soft_iron": plain(best.matrix_sigma * lasting),
        "correction": plain(best.inverse_sigma * lasting),
        "field_ut": after / np.sqrt(len(m)) * lasting if field_ut is None else 0.0, "coverage": None, "coverage_share": None,
    }  # fmt: skip
    units = {
        "hard_iron_ut": "µT",
        "soft_iron": "1",
        "correction": "1",
        "field_ut": "µT",
        "coverage": "1",
        "coverage_share": "1",
    }
    if aligned is not None and aligned.is_clear:
        parameters["alignment_rad"], sigmas["alignment_rad"] = plain(aligned.vector), plain(aligned.sigma)
        units["alignment_rad"] = "rad, rotation vector from the magnetometer's to the IMU's axes"
    return Calibration(
        "magnetometer", parameters, sigmas, units, {"strength_rms_ut": before}, {"strength_rms_ut": after}, best.condition,
        word, reason, found,
        {"coverage": seen, "model": "hard and soft iron" if is_full else "hard iron only", "cross_validation_ut": errors,
         "directions": best.corrected(m), "residuals_ut": best.residuals},
    )  # fmt: skip


def _of_cover(seen: Coverage) -> Found:
    if seen.eigenvalues[0] < LEAST_EIGENVALUE or seen.share < USABLE_SHARE:
        hold = "; ".join(seen.gaps) or "turn it over"
        return [("fail" if seen.eigenvalues[0] < LEAST_EIGENVALUE / 2 else "close",
                 CaptureProblem("uncovered", f"Only {seen.share:.0%} of all directions were seen.", f"Missing: {hold}."))]  # fmt: skip
    return []


def _of_shape(fit: EllipsoidFit, is_full: bool) -> Found:
    """Return what is wrong with the shape: not shown by the directions, or no fit that ends."""
    if not is_full:
        return [("close", CaptureProblem("shape", "No soft iron could be fitted: hard iron only, as for a sphere.",
                                         "Turn it through more directions, away from steel."))]  # fmt: skip
    if fit.shown < LEAST_SHOWN:
        return [("close", CaptureProblem("shape", "The directions seen do not show the soft iron; it was kept near none.",
                                         "Turn it through the missing directions too."))]  # fmt: skip
    return []


def _of_fit(fit: EllipsoidFit, after: float, field_ut: float | None) -> Found:
    out: Found = []
    share = after / fit.radius
    if share > USABLE_RESIDUAL:
        out.append(
            ("fail", CaptureProblem("disturbed", f"The strength still varies by {after:.1f} µT ({share:.0%}).",
                                    "Something moved against the magnetometer, or steel was near: go outdoors, 1.5 m above the ground."))
        )  # fmt: skip
    elif share > GOOD_SHARE:
        out.append(
            ("close", CaptureProblem("noisy", f"The strength still varies by {after:.1f} µT ({share:.1%}).",
                                     "Turn more slowly, further from steel and speakers."))
        )  # fmt: skip
    if field_ut is not None:
        scale = float(np.cbrt(np.linalg.det(fit.matrix)))
        if abs(scale - 1.0) > MOST_STRENGTH_OFF:
            out.append(
                ("fail", CaptureProblem("wrong strength", f"The field looks {scale:.2f} times as strong as the "
                                        f"{field_ut:.1f} µT of the place.",
                                        "Check the unit of the log, the part's range, the place in the brief, and steel nearby."))
            )  # fmt: skip
    return out


def _one_plane(m: Array, seen: Coverage, problems: Found, field_ut: float | None) -> Calibration:
    """Return what one turn in a plane shows: the hard iron in that plane, and nothing along its axis."""
    axis = seen.thin_axis
    along = int(np.argmax(np.abs(axis)))
    flat = [i for i in range(3) if i != along]
    xy = m[:, flat]
    x, *_ = np.linalg.lstsq(np.column_stack([2 * xy, np.ones(len(xy))]), (xy**2).sum(axis=1), rcond=None)
    radius = float(np.sqrt(max(x[2] + x[:2] @ x[:2], 0.0)))
    gap = np.linalg.norm(xy - x[:2], axis=1) - radius
    sigma = float(np.std(gap)) * np.sqrt(2.0 / len(m))
    centre, spread = np.full(3, np.nan), np.full(3, np.nan)
    centre[flat], spread[flat] = x[:2], sigma
    problems = [
        *problems,
        ("fail", CaptureProblem("one plane", f"It was turned about one axis only: nothing shows the hard iron along {'xyz'[along]}.",
                                "Turn it nose-down and on its sides too, through all headings.")),
    ]  # fmt: skip
    word, reason, found = judged(problems, "")
    return Calibration(
        "magnetometer",
        {"hard_iron_ut": plain(centre), "horizontal_field_ut": radius, "coverage": plain(seen.eigenvalues),
         "coverage_share": seen.share, "field_ut": field_ut},
        {"hard_iron_ut": plain(spread), "horizontal_field_ut": sigma, "coverage": None, "coverage_share": None, "field_ut": None},
        {"hard_iron_ut": "µT", "horizontal_field_ut": "µT", "coverage": "1", "coverage_share": "1", "field_ut": "µT"},
        {"strength_rms_ut": float(np.std(np.linalg.norm(m, axis=1)))}, {"strength_rms_ut": float(np.std(gap))}, None, word, reason,
        found, {"coverage": seen, "directions": m - np.nan_to_num(centre)},
    )  # fmt: skip


def _cross_validated(m: Array, field_ut: float | None, full: bool) -> float:
    """Return the strength's RMS error of blocks that the fit has not seen, µT; inf where no fit comes out."""
    blocks = np.array_split(np.arange(len(m)), FOLDS * 4)
    total, count = 0.0, 0
    for fold in range(FOLDS):
        left = np.concatenate(blocks[fold::FOLDS])
        rest = np.setdiff1d(np.arange(len(m)), left)
        thin = m[rest][:: max(1, len(rest) // 200)]
        fit = fit_ellipsoid(thin, field_ut) if full else fit_sphere(thin, field_ut)
        if fit is None:
            return float("inf")
        h = fit.corrected(m[left])
        length = np.linalg.norm(h, axis=1)
        # In the readings' own unit: a shape that shrinks what it corrects must not look better for it.
        gap = (length - fit.radius) / np.linalg.norm(np.linalg.solve(fit.matrix, h.T).T / length[:, None], axis=1)
        total, count = total + float((gap**2).sum()), count + len(left)
    return float(np.sqrt(total / count))
