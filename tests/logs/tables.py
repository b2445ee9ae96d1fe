"""Made-up tables in every shape that people's loggers write."""

from pathlib import Path

import numpy as np

N, RATE = 1200, 200.0
HEADER = ("time_s", "gyro_x_rad_s", "gyro_y_rad_s", "gyro_z_rad_s", "acc_x_m_s2", "acc_y_m_s2", "acc_z_m_s2")


def truth(rocking: bool = True, seed: int = 0):
    """Return times, rates and specific force of a board that lies level for 2 s and is then rocked in roll."""
    rng = np.random.default_rng(seed)
    t = np.arange(N) / RATE
    angle = np.where(t > 2, 0.5 * (1 - np.cos(2 * np.pi * 0.5 * (t - 2))), 0.0) if rocking else 0 * t
    rate = np.gradient(angle, t)
    gyro = rng.normal(0, 2e-3, (N, 3))
    gyro[:, 0] += rate
    acc = np.stack([0 * t, -9.81 * np.sin(angle), -9.81 * np.cos(angle)], axis=1) + rng.normal(0, 0.02, (N, 3))
    return t, gyro, acc


def lines(t=None, gyro=None, acc=None, *, times="%.6f", sep=",", decimal=".", header=HEADER) -> list[str]:
    """Return a table's lines; ``times`` is the format of the time column, or a list of texts."""
    t0, g0, a0 = truth()
    t, gyro, acc = (t0 if t is None else t), (g0 if gyro is None else gyro), (a0 if acc is None else acc)
    out = [sep.join(header)] if header else []
    for i in range(len(t)):
        first = times[i] if isinstance(times, list) else times % t[i]
        values = [
            first,
            *("%.6f" % v if isinstance(v, float) else str(v) for v in (*gyro[i].tolist(), *acc[i].tolist())),
        ]
        out.append(sep.join(values).replace(".", decimal) if decimal != "." else sep.join(values))
    return out


def write(path: Path, rows: list[str], encoding: str = "utf-8", newline: str = "\n", end: bool = True) -> Path:
    """Write lines to a file."""
    path.write_bytes((newline.join(rows) + (newline if end else "")).encode(encoding))
    return path
