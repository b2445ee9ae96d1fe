"""What the samples themselves say of each sensor, whichever estimator runs: stuck, jittering, jumping, silent.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
    values : (N,) any, any
"""

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.judgement.finding import Finding, Severity

STUCK_S, STUCK_SAMPLES = 0.3, 10
JITTER = 0.2  # of the step, one sigma


def of_samples(given: EstimatorInput) -> list[Finding]:
    """Return the findings on a recording's samples."""
    return [
        *stuck(given), *jitter(given), *receiver_jumps(given), *silences(given),
    ]  # fmt: skip


def longest_hold(t_s: Array, values: Array) -> tuple[float, float, int]:
    """Return how long a series (N,) stays at one value, s, from when, and over how many samples."""
    same = np.diff(values) == 0
    if not same.any():
        return 0.0, float(t_s[0]), 1
    edges = np.flatnonzero(np.diff(np.concatenate([[0], same.astype(np.int8), [0]])))
    starts, ends = edges[::2], edges[1::2]
    held = t_s[ends] - t_s[starts]
    k = int(np.argmax(held))
    return float(held[k]), float(t_s[starts[k]]), int(ends[k] - starts[k] + 1)


def stuck(given: EstimatorInput) -> list[Finding]:
    """Judge whether a sensor repeats one reading."""
    a = given.aiding
    series = [(f"gyro {x}", given.t_s, given.samples.gyro_b[:, i]) for i, x in enumerate("xyz")]
    series += [(f"accelerometer {x}", given.t_s, given.samples.acc_b[:, i]) for i, x in enumerate("xyz")]
    series += [(f"magnetometer {x}", a.mag[:, 0], a.mag[:, 1 + i]) for i, x in enumerate("xyz")]
    series += [("barometer", a.baro[:, 0], a.baro[:, 1])]
    series += [("receiver", a.gnss[:, 0], a.gnss[:, 1])]
    out = []
    for name, t, v in series:
        good = np.isfinite(v)
        if good.sum() < 3 * STUCK_SAMPLES or (np.ptp(v[good]) == 0 and name == "receiver"):
            continue
        held, since, count = longest_hold(t[good], v[good])
        if count >= STUCK_SAMPLES and held >= STUCK_S:
            out.append(
                Finding(
                    f"{name.capitalize()} stands still", "stop",
                    f"It repeats one reading for {held:.1f} s ({count} samples) from t = {since:.1f} s.",
                    "A bus that hangs, a driver that hands out old values, or a sensor that has lost its supply.",
                    "Check wiring and error returns of the driver; log the sensor's own status.", "fusion.recording", size=held,
                )
            )  # fmt: skip
    return out


def jitter(given: EstimatorInput) -> list[Finding]:
    """Judge whether the samples' times are even."""
    steps = np.diff(given.t_s)
    if len(steps) < 100:
        return []
    middle = float(np.median(steps))
    even = steps[steps < 5 * middle]
    spread = float(even.std())
    # What is missing between samples, long gaps apart: jitter moves samples, it does not lose any.
    lost = max(0.0, 1.0 - len(even) * float(np.median(even)) / float(even.sum()))
    out = []
    if spread > JITTER * middle and lost < 0.05:
        out.append(
            Finding(
                "Times of samples jitter", "mind",
                f"Steps of {middle * 1e3:.2f} ms vary by {spread * 1e3:.2f} ms, one sigma.",
                "A rate times a wrong step is a wrong angle: the error grows with how fast the craft turns.",
                "Stamp samples by the sensor's own interrupt, not when they are written.", "fusion.recording", size=spread,
            )
        )  # fmt: skip
    if lost >= 0.05:
        out.append(
            Finding(
                "Samples are dropped", "mind", f"{lost:.0%} of the inertial samples are missing between others.",
                "Each missing sample is a turn that was not seen.", "Log fewer streams, or to faster storage.", "fusion.recording",
                size=lost,
            )
        )  # fmt: skip
    return out


def receiver_jumps(given: EstimatorInput) -> list[Finding]:
    """Judge whether the fixes jump."""
    g = given.aiding.gnss
    g = g[np.isfinite(g[:, 1:3]).all(axis=1)]
    if len(g) < 20:
        return []
    t = g[:, 0]
    speed = np.where(np.isfinite(g[:, 4:6]), g[:, 4:6], 0.0)
    step = np.diff(g[:, 1:3], axis=0) - 0.5 * (speed[1:] + speed[:-1]) * np.diff(t)[:, None]
    size = np.linalg.norm(step, axis=1)
    size[np.diff(t) > 2.0] = 0.0
    usual = float(np.median(size))
    at = np.flatnonzero(size > max(3.0, 8.0 * usual))
    if not len(at):
        return []
    worst = int(at[np.argmax(size[at])])
    return [
        Finding(
            "GNSS position jumps", "stop", f"At t = {t[worst + 1]:.1f} s the position jumps by {size[worst]:.1f} m (usually "
            f"{usual:.2f} m); {len(at)} jumps.",
            "A change of satellites, or signals reflected by walls.",
            "Gate fixes by their distance from the estimate, and let the filter give way only after a while.", "fusion.gnss",
            size=float(size[at].sum()),
        )
    ]  # fmt: skip


def silences(given: EstimatorInput) -> list[Finding]:
    """Tell of sensors that fall silent."""
    a = given.aiding
    out = []
    end = float(given.t_s[-1])
    for name, t, usual in (
        ("Receiver", a.gnss[:, 0], 3.0),
        ("Barometer", a.baro[:, 0], 2.0),
        ("Magnetometer", a.mag[:, 0], 2.0),
    ):
        if len(t) < 5:
            continue
        gaps = np.diff(np.concatenate([t, [end]]))
        worst = int(np.argmax(gaps))
        if gaps[worst] < usual:
            continue
        severity: Severity = "mind"
        out.append(
            Finding(
                f"{name} falls silent", severity, f"For {gaps[worst]:.1f} s from t = {t[worst]:.1f} s nothing comes of it.",
                "An outage, a loose wire, or a buffer that ran over.", "See how far the estimate drifts meanwhile: the "
                "claimed sigma grows with it.",
                "fusion.recording", size=float(gaps[worst]),
            )
        )  # fmt: skip
    return out
