"""Motions to test the import against, made with SciPy's rotation splines alone: nothing of the code under test is in them."""

import numpy as np
from scipy.interpolate import CubicSpline
from scipy.spatial.transform import Rotation, RotationSpline

G = 9.80665
KINDS = ("still", "tiny", "hand", "shake", "multirotor", "acro", "car", "walk", "spin", "vibration")
_KNOTS_S = {
    "tiny": 2.0, "hand": 0.5, "shake": 0.2, "multirotor": 0.7, "acro": 0.5, "car": 3.0, "walk": 0.4, "spin": 1.0, "still": 5.0,
    "vibration": 1.0,
}  # fmt: skip


def made(seed):
    """Return kind, times, rates rad/s, specific force m/s² (z up) and field µT (or None) of a random motion and sensor.

    The kind follows from the seed's last digit; rate, length, noise, bias, rounding and jitter are drawn.
    """
    r = np.random.default_rng(seed)
    kind = KINDS[seed % len(KINDS)]
    rate = float(r.choice([20.0, 50.0, 100.0, 200.0, 400.0]))
    seconds = r.uniform(5, 60)
    t = np.arange(0, seconds, 1 / rate)
    n = len(t)
    knots = np.arange(0, seconds + 2, _KNOTS_S[kind])
    m = len(knots)
    q = _turns(kind, r, knots)
    w, turned = q(t, 1), q(t)
    up = np.array([0.0, 0.0, G])
    if kind in ("hand", "shake", "walk"):
        place = CubicSpline(knots, r.normal(0, 0.15 if kind == "hand" else 0.05, (m, 3)))
        arm = r.normal(0, 0.2, 3)
        swung = np.cross(w, np.cross(w, arm)) + np.cross(np.gradient(w, 1 / rate, axis=0), arm)
        f = turned.inv().apply(place(t, 2) + up) + swung
    elif kind in ("multirotor", "acro"):
        f = _thrust(turned, G * (1 + 0.2 * CubicSpline(knots, r.normal(0, 1, m))(t)), r.uniform(0.15, 0.5), 1 / rate)
    elif kind == "car":
        ahead = CubicSpline(knots, r.normal(0, 1, m))(t)
        own = np.stack([ahead, r.uniform(3, 20) * w[:, 2], r.normal(0, 0.5, n)], axis=1)
        f = turned.inv().apply(np.tile(up, (n, 1))) + own
    else:
        f = turned.inv().apply(np.tile(up, (n, 1)))
    if kind == "vibration":
        phase = 2 * np.pi * np.cumsum(r.uniform(5, 40) * (1 + 0.02 * r.normal(size=n))) / rate
        rocking = r.uniform(0.05, 1) * np.cos(phase)
        w = w + np.stack([rocking, 0 * t, 0 * t], axis=1)
        f = f + np.stack(
            [0 * t, r.uniform(-0.3, 0.3) * np.gradient(rocking, 1 / rate), r.uniform(0, 3) * np.cos(phase)], axis=1
        )
    w = (
        w
        + r.normal(0, 10 ** r.uniform(-5, -2.3) * np.sqrt(rate / 100), w.shape)
        + r.normal(0, 10 ** r.uniform(-4, -1.3), 3)
    )
    f = f + r.normal(0, 10 ** r.uniform(-3, -0.7), f.shape) + r.normal(0, 0.2, 3)
    if r.random() < 0.3:
        f, w = np.round(f / 0.0048) * 0.0048, np.round(w / 0.00107) * 0.00107
    field = None
    if r.random() < 0.3:
        field = turned.inv().apply(np.tile([20.0, 0.0, -40.0], (n, 1))) + r.normal(0, 0.5, (n, 3)) + r.normal(0, 5, 3)
    if r.random() < 0.3:
        t = np.sort(t + r.normal(0, 0.1 / rate, n))
    return kind, t, w, f, field


def _turns(kind, r, knots):
    m = len(knots)
    size = {
        "still": 0.0, "tiny": 10 ** r.uniform(-4, -1.5), "hand": r.uniform(0.1, 1.2), "shake": r.uniform(0.02, 0.3),
        "multirotor": r.uniform(0.03, 0.4), "acro": r.uniform(0.5, 1.5), "car": 0.03, "walk": 0.1, "spin": 0.02, "vibration": 0.01,
    }[kind]  # fmt: skip
    angles = r.normal(0, size, (m, 3))
    if kind == "car":
        angles[:, 0] = np.cumsum(r.normal(0, 0.4, m))
    if kind == "acro":
        angles[:, 2] = np.cumsum(np.abs(r.normal(0, 2, m)))
    if kind == "spin":
        angles[:, 0] = np.cumsum(np.full(m, r.uniform(0.2, 2)))
    base = Rotation.random(rng=r) if kind in ("hand", "shake", "still", "tiny") else Rotation.identity()
    return RotationSpline(knots, base * Rotation.from_euler("ZYX", angles))


def _thrust(turned, thrust, drag, step):
    """Return the specific force of a craft that is held by its thrust, with drag in proportion to its speed."""
    matrices, velocity, out = turned.as_matrix(), np.zeros(3), np.zeros((len(thrust), 3))
    for i, matrix in enumerate(matrices):
        out[i] = np.array([0.0, 0.0, thrust[i]]) - drag * (matrix.T @ velocity)
        velocity = velocity + (matrix @ out[i] - [0.0, 0.0, G]) * step
    return out


def table(t, w, f, field=None, names=("t_s", "gx", "gy", "gz", "ax", "ay", "az")):
    """Return the lines of a table of a motion."""
    columns = np.column_stack([t, w, f] if field is None else [t, w, f, field])
    names = (*names, "mx_ut", "my_ut", "mz_ut") if field is not None else names
    return [",".join(names), *(",".join("%.6f" % v for v in row) for row in columns)]
