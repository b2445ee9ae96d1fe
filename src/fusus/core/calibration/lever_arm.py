"""Where the GNSS antenna sits, from turning on the spot: its speed is the turn rate times the lever arm."""

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.analysis.long_run import long_run
from fusus.core.arrays import Array, as_samples, as_series
from fusus.core.calibration.result import Calibration, CaptureProblem, judged, plain, refused
from fusus.core.calibration.screening import Found
from fusus.core.frames import quaternion

LEAST_FIXES, LEAST_RATE_RAD_S = 30, 0.4
DELAYS_S = np.arange(0.0, 0.61, 0.02)
# Rounds of the fit after the grid, and the step of the derivative by the delay.
ROUNDS, STEP_S = 12, 2e-3


def lever_arm(
    gnss_t_s: ArrayLike, velocity_n: ArrayLike, t_s: ArrayLike, q_nb: ArrayLike, rate_b: ArrayLike,
    entered_b: ArrayLike | None = None,
) -> Calibration:  # fmt: skip
    """Return the lever arm from the centre of turning to the antenna.

    Parameters
    ----------
    gnss_t_s : array_like, (N,), s, any
        Times of the fixes.
    velocity_n : array_like, (N, 3), m/s, n
        Velocities, north, east, down.
    t_s : array_like, (K,), s, any
        Times of attitude and rate.
    q_nb : array_like, (K, 4), 1, b to n
        Attitude.
    rate_b : array_like, (K, 3), rad/s, b
        Angular rate.
    entered_b : array_like, (3,), m, b
        The lever arm that the project holds; a wrong sign is named.

    Returns
    -------
    Calibration
        ``lever_arm_m`` (3,), NaN turned to null where the turning says nothing, and ``latency_s``.

    Notes
    -----
    v = R (ω × l) + c, linear in l and in the steady c; the receiver's delay is fitted with them, from the best of a grid. Errors are of
    all seven together: what a wrong delay makes of the lever arm is in them, and that a receiver's errors last for a while.
    """
    gt, v = as_series(gnss_t_s, "gnss_t_s"), as_samples(velocity_n, "velocity_n", 3)
    t, q, w = as_series(t_s, "t_s"), as_samples(q_nb, "q_nb", 4), as_samples(rate_b, "rate_b", 3)
    known = np.isfinite(v).all(axis=1) & (gt > t[0] + DELAYS_S[-1]) & (gt < t[-1])
    gt, v = gt[known], v[known]
    problems: Found = []
    rate = float(np.quantile(np.linalg.norm(w, axis=1), 0.7)) if len(w) else 0.0
    if len(gt) < LEAST_FIXES:
        problems.append(
            ("fail", CaptureProblem("too few samples", f"There are {len(gt)} fixes with speed.", "Turn for a minute."))
        )
    elif rate < LEAST_RATE_RAD_S:
        problems.append(
            ("fail", CaptureProblem("no rotation", f"The craft turned by {np.degrees(rate):.0f} °/s only.",
                                    "Turn it on the spot as fast as you can hold it, nose round, for a minute."))
        )  # fmt: skip
    if problems:
        return refused("lever-arm", problems)
    x, sigma, rest = _fitted(gt, v, t, q, w)
    delay, delay_sigma = float(x[6]), float(sigma[6])
    sigma = sigma[:3]
    arm = np.where(sigma < 0.5, x[:3], np.nan)
    before, after = float(np.sqrt(np.mean(v**2))), float(np.sqrt(np.mean(rest**2)))
    problems += _of_arm(arm, sigma, entered_b)
    told = ", ".join(f"{'xyz'[i]} {arm[i]:+.3f} ± {sigma[i]:.3f} m" for i in range(3) if np.isfinite(arm[i]))
    word, reason, found = judged(
        problems,
        f"The antenna sits at {told} from the centre of turning; it speaks {delay * 1e3:.0f} ± "
        f"{delay_sigma * 1e3:.0f} ms late.",
    )
    return Calibration(
        "lever-arm", {"lever_arm_m": plain(arm), "latency_s": delay},
        {"lever_arm_m": plain(np.where(sigma < 0.5, sigma, np.nan)), "latency_s": delay_sigma},
        {"lever_arm_m": "m, forward, right, down", "latency_s": "s"}, {"speed_rms_m_s": before}, {"speed_rms_m_s": after}, None,
        word, reason, found,
    )  # fmt: skip


def _fitted(gt: Array, v: Array, t: Array, q: Array, w: Array) -> tuple[Array, Array, Array]:
    """Return lever arm, steady velocity and delay (7,), their standard errors (7,), and residuals (N, 3)."""

    def residuals(x: Array) -> Array:
        return v.ravel() - _design(gt - x[6], t, q, w) @ x[:6]

    best: tuple[float, Array] | None = None
    for delay in DELAYS_S:
        design = _design(gt - delay, t, q, w)
        linear, *_ = np.linalg.lstsq(design, v.ravel(), rcond=1e-3)
        cost = float(((v.ravel() - design @ linear) ** 2).sum())
        if best is None or cost < best[0]:
            best = cost, np.append(linear, delay)
    if best is None:
        raise ValueError("there is nothing to fit")
    cost, x = best
    jacobian = _jacobian(gt, t, q, w, x)
    for _ in range(ROUNDS):
        step, *_ = np.linalg.lstsq(jacobian, residuals(x), rcond=1e-3)
        tried = x + step
        tried[6] = np.clip(tried[6], x[6] - DELAYS_S[1], x[6] + DELAYS_S[1])
        tried_cost = float((residuals(tried) ** 2).sum())
        if tried_cost >= cost:
            break
        x, cost, jacobian = tried, tried_cost, _jacobian(gt, t, q, w, tried)
    rest = residuals(x)
    values, axes = np.linalg.eigh(jacobian.T @ jacobian)
    inverse = (axes / np.maximum(values, 1e-12)) @ axes.T
    freedom = len(rest) / max(1, len(rest) - 7)
    white = np.diag(inverse) * float(rest @ rest) / len(rest) * freedom
    # What each fix moves each figure by: the variance of its sum is that of the figure, however long errors last.
    moves = (jacobian @ inverse * rest[:, None]).reshape(len(gt), 3, 7).sum(axis=1)
    lasting = np.array([long_run(m).variance for m in moves.T]) * len(gt) ** 2 * freedom
    return x, np.sqrt(np.maximum(white, lasting)), rest.reshape(-1, 3)


def _jacobian(gt: Array, t: Array, q: Array, w: Array, x: Array) -> Array:
    """Return how the velocities (3N,) move with lever arm, steady velocity and delay, (3N, 7)."""
    late, early = (_design(gt - x[6] - h, t, q, w) @ x[:6] for h in (STEP_S, -STEP_S))
    return np.column_stack([_design(gt - x[6], t, q, w), (late - early) / (2.0 * STEP_S)])


def _design(at: Array, t: Array, q: Array, w: Array) -> Array:
    """Return the matrix (3N, 6) from lever arm and a constant velocity to velocities."""
    attitude = quaternion.interpolate(t, q, at)
    rate = np.stack([np.interp(at, t, w[:, i]) for i in range(3)], axis=1)
    columns = [quaternion.rotate(attitude, np.cross(rate, np.broadcast_to(e, rate.shape))) for e in np.eye(3)]
    steady = np.broadcast_to(np.eye(3), (len(at), 3, 3))
    return np.concatenate([np.stack(columns, axis=2), steady], axis=2).reshape(3 * len(at), 6)


def _of_arm(arm: Array, sigma: Array, entered: ArrayLike | None) -> Found:
    out: Found = []
    unseen = [axis for axis, s in zip("xyz", sigma, strict=True) if not s < 0.5]
    if unseen:
        out.append(
            ("close", CaptureProblem("unseen", f"The turning says nothing about {', '.join(unseen)}.",
                                     "A level turn shows forward and right only; measure the height with a ruler (up is negative)."))
        )  # fmt: skip
    if entered is not None:
        have = np.asarray(entered, dtype=float)
        for i in range(3):
            if (
                np.isfinite(arm[i])
                and abs(arm[i]) > 3 * sigma[i]
                and abs(have[i] + arm[i]) < 3 * sigma[i] + 0.02
                and abs(have[i]) > 0.02
            ):
                out.append(
                    ("close", CaptureProblem("sign", f"The lever arm's {'xyz'[i]} sign is likely wrong: the fit gives {arm[i]:+.2f} m, "
                                             f"you have {have[i]:+.2f} m.", "Forward, right and down are positive."))
                )  # fmt: skip
    return out
