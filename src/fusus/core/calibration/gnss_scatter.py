"""Scatter of a receiver that stands still: circles, ellipse, correlation in time.

Arrays, where a function does not say otherwise (shape, unit, frame):

    radius : (K,) m, any
    sigmas : (3,) m, any
    circle_probability() : (K,) 1, any
"""

import numpy as np
from numpy.typing import ArrayLike
from scipy.optimize import brentq
from scipy.special import ive
from scipy.stats import chi2

from fusus.core.analysis.long_run import correlation_length
from fusus.core.arrays import Array, as_samples, as_series
from fusus.core.calibration.durations import LEAST_FIXES, LEAST_SKY_S
from fusus.core.calibration.result import Calibration, CaptureProblem, judged, plain, refused
from fusus.core.calibration.screening import Found

GOOD_CORRELATION_TIMES = 20.0
NODES, WEIGHTS = np.polynomial.legendre.leggauss(200)


def circle_probability(radius: ArrayLike, sigma_a: float, sigma_b: float) -> Array:
    """Return the probability that a centred normal error with two main sigmas lies within circles of these radii.

    Exact: the density of the distance is r/(ab) exp(-r²(1/a²+1/b²)/4) I0(r²|1/a²-1/b²|/4) (R. S. Hoyt 1947), integrated.
    """
    a, b = max(sigma_a, sigma_b), max(min(sigma_a, sigma_b), 1e-12)
    radii = np.asarray(radius, dtype=float)
    if b < 1e-6 * a:
        return np.asarray(chi2.cdf((radii / a) ** 2, 1))
    p, q = 0.25 * (1 / b**2 + 1 / a**2), 0.25 * (1 / b**2 - 1 / a**2)
    r = 0.5 * radii[..., None] * (NODES + 1.0)
    density = r / (a * b) * np.exp(-(r**2) * (p - q)) * ive(0, q * r**2)
    return np.asarray(0.5 * radii * (density @ WEIGHTS))


def circle_radius(probability: float, sigma_a: float, sigma_b: float) -> float:
    """Return the radius of the circle that holds a share of all errors."""
    top = 8.0 * max(sigma_a, sigma_b, 1e-9)
    return float(brentq(lambda r: float(circle_probability(r, sigma_a, sigma_b)) - probability, 1e-9, top, xtol=1e-12))


def sphere_radius(probability: float, sigmas: ArrayLike) -> float:
    """Return the radius of the sphere that holds a share of all errors with three main sigmas.

    Exact: circles of the two larger axes, weighed along the third.
    """
    s = np.sort(np.maximum(np.asarray(sigmas, dtype=float), 1e-9))[::-1]

    def inside(radius: float) -> float:
        z = radius * NODES
        density = np.exp(-0.5 * (z / s[2]) ** 2) / (s[2] * np.sqrt(2 * np.pi))
        circles = circle_probability(np.sqrt(np.maximum(radius**2 - z**2, 0.0)), float(s[0]), float(s[1]))
        return float(radius * WEIGHTS @ (density * circles))

    return float(brentq(lambda r: inside(r) - probability, 1e-6 * s[0], 8.0 * s[0], xtol=1e-10))


def gnss_scatter(t_s: ArrayLike, position_n: ArrayLike, claimed_m: float | None = None) -> Calibration:
    """Return the scatter of positions of a receiver at rest round their mean.

    Parameters
    ----------
    t_s : array_like, (N,), s, any
        Times.
    position_n : array_like, (N, 3), m, n
        Positions, north, east, down.
    claimed_m : float, optional
        One sigma an axis that the receiver or its datasheet claims.

    Returns
    -------
    Calibration
        ``cep50_m``, ``cep95_m``, ``drms_m``, ``2drms_m``, ``sep_m``, axis sigmas, ``correlation_s`` and the ellipse.

    Notes
    -----
    The circles are those of the normal distribution with the measured covariance, exactly integrated; counted ones stand beside.
    """
    t, p = as_series(t_s, "t_s"), as_samples(position_n, "position_n", 3)
    known = np.isfinite(p).all(axis=1)
    t, p = t[known], p[known]
    problems: Found = []
    if len(p) < LEAST_FIXES:
        problems.append(
            (
                "fail",
                CaptureProblem(
                    "too few samples",
                    f"There are {len(p)} fixes.",
                    f"Let the receiver stand for {LEAST_SKY_S / 60:.0f} minutes and more.",
                ),
            )
        )
    elif (np.ptp(p[:, :2], axis=0) == 0).all():
        problems.append(
            ("fail", CaptureProblem("stuck", "All fixes are equal.", "Switch the receiver's static hold off."))
        )
    if problems:
        return refused("gnss-scatter", problems)
    d = p - p.mean(axis=0)
    covariance = np.cov(d.T)
    values, axes = np.linalg.eigh(covariance[:2, :2])
    small, large = np.sqrt(np.maximum(values, 1e-12))
    step = float(np.median(np.diff(t)))
    correlation = max(correlation_length(d[:, i]) for i in range(2)) * step
    span = float(t[-1] - t[0])
    worth = max(2.0, span / max(2.0 * correlation, step))
    share = 1.0 / np.sqrt(2.0 * worth)
    radius = np.hypot(d[:, 0], d[:, 1])
    figures = {
        "cep50_m": circle_radius(0.5, large, small), "cep95_m": circle_radius(0.95, large, small),
        "drms_m": float(np.hypot(large, small)), "2drms_m": 2 * float(np.hypot(large, small)),
        "sep_m": sphere_radius(0.5, np.sqrt(np.maximum(np.linalg.eigvalsh(covariance), 1e-12))),
        "vertical_sigma_m": float(np.sqrt(covariance[2, 2])),
    }  # fmt: skip
    azimuth = float(np.degrees(np.arctan2(axes[1, 1], axes[0, 1])) % 180.0)
    extra = {
        "correlation_s": correlation, "semi_major_m": float(large), "semi_minor_m": float(small), "major_azimuth_deg": azimuth,
        "counted_cep50_m": float(np.quantile(radius, 0.5)), "counted_cep95_m": float(np.quantile(radius, 0.95)),
        "wander_m": float(np.hypot(*(p[-len(p) // 4 :, :2].mean(axis=0) - p[: len(p) // 4, :2].mean(axis=0)))),
    }  # fmt: skip
    if worth < GOOD_CORRELATION_TIMES / 2:
        problems.append(
            ("close", CaptureProblem("short", f"Errors last {correlation:.0f} s: {span:.0f} s are worth {worth:.0f} independent fixes.",
                                     f"Record {GOOD_CORRELATION_TIMES * correlation / 60:.0f} min."))
        )  # fmt: skip
    axis_m = float(np.hypot(large, small)) / np.sqrt(2)
    if claimed_m is not None and axis_m > 2.0 * claimed_m:
        problems.append(
            ("close", CaptureProblem("optimistic", f"The scatter is {axis_m / claimed_m:.1f} times what is claimed.",
                                     "Give the receiver a freer view of the sky, a ground plane, and distance from other radios."))
        )  # fmt: skip
    good = (
        f"Half of all fixes lie within {figures['cep50_m']:.2f} m, 95 % within {figures['cep95_m']:.2f} m; errors last "
        f"{correlation:.0f} s."
    )
    word, reason, found = judged(problems, good)
    sigmas: dict[str, float | None] = {k: v * share for k, v in figures.items()}
    parameters = {
        **figures,
        **extra,
        "sigma_north_m": float(np.sqrt(covariance[0, 0])),
        "sigma_east_m": float(np.sqrt(covariance[1, 1])),
    }
    errors = {**sigmas, **dict.fromkeys(extra), "sigma_north_m": parameters["sigma_north_m"] * share,
              "sigma_east_m": parameters["sigma_east_m"] * share}  # fmt: skip
    units = {k: "°" if k.endswith("deg") else "s" if k.endswith("_s") else "m" for k in parameters}
    return Calibration(
        "gnss-scatter", dict(parameters), dict(errors), units, {"drms_m": figures["drms_m"]}, {"drms_m": figures["drms_m"]}, None, word,
        reason, found, {"offsets_n": d, "t_s": t, "mean_n": plain(p.mean(axis=0))},
    )  # fmt: skip
