"""Writes docs/accuracy.md: what is claimed against what is true, by generators that share nothing with the code: ``./run accuracy``."""

from pathlib import Path

import numpy as np
from tests.core.analysis.test_intervals import KINDS, held
from tests.core.calibration.test_gyro_bias import captured
from tests.core.calibration.test_magnetometer import FIELD_UT, board
from tests.noises import DEG_H, DEG_RT_H, rate_noise

from fusus.core.analysis.allan.deviation import allan_curve
from fusus.core.analysis.allan.reading import read_curve
from fusus.core.calibration.gyro_bias import gyro_bias
from fusus.core.calibration.magnetometer import magnetometer

OUT = Path(__file__).parents[1] / "docs" / "accuracy.md"
SEEDS = 60


def row(what: str, z: list) -> str:
    """Return a line of the table for errors over their claimed sigmas."""
    size = np.abs(np.concatenate([np.ravel(v) for v in z])) if z else np.array([])
    if len(size) == 0:
        return f"| {what} | none claimed | | |"
    return f"| {what} | {(size < 1).mean():.0%} | {(size < 2).mean():.0%} | {len(size)} |"


def biases() -> list[str]:
    """Return lines for gyro biases."""
    out = []
    for rest_s, noise, b, k in (
        (60, 0.3, 10, 0), (60, 0.15, 10, 0), (60, 0.3, 0, 0), (60, 0.15, 5, 5), (60, 0.3, 0, 5), (20, 0.3, 10, 0), (300, 0.3, 10, 0),
    ):  # fmt: skip
        now, later = [], []
        for seed in range(SEEDS):
            t, gyro, acc, meanwhile, after = captured(seed, rest_s, noise, b, k)
            c = gyro_bias(t, gyro, acc)
            found = np.array(c.parameters["gyro_bias_rad_s"])
            now.append((found - meanwhile) / c.parameters["mean_sigma_rad_s"])
            later.append((found - after) / c.standard_errors["gyro_bias_rad_s"])
        case = f"{rest_s} s, N {noise} °/√h, B {b} °/h, K {k} °/h/√s"
        out += [
            row(f"gyro bias: mean of the capture; {case}", now),
            row(f"gyro bias: the next equal time; {case}", later),
        ]
    return out


def coefficients() -> list[str]:
    """Return lines for N, B, K and for bounds of B."""
    out = []
    for n, b, k, span in (
        (0.15, 0, 0, 3600),
        (0.15, 10, 0, 3600),
        (0.3, 10, 0, 3600),
        (0.15, 3, 0.3, 14400),
        (0.15, 0, 1, 14400),
    ):
        found = [
            read_curve(allan_curve(rate_noise(s, span * 20, 20.0, n * DEG_RT_H, b * DEG_H, k * DEG_H)[0], 20.0))
            for s in range(SEEDS)
        ]
        case = f"{span // 3600} h, N {n} °/√h, B {b} °/h, K {k} °/h/√s"
        out.append(row(f"Allan N; {case}", [(r.noise.value - n * DEG_RT_H) / r.noise.sigma for r in found]))
        flat = [r.instability for r in found if r.instability is not None]
        values = [(i.value - b * DEG_H) / i.sigma for i in flat if not i.is_bound]
        out.append(row(f"Allan B as a value; {case}", values))
        walks = [(r.walk.value - k * DEG_H) / r.walk.sigma for r in found if r.walk is not None]
        out.append(row(f"Allan K; {case}", walks))
        bounds = [i.value >= b * DEG_H for i in flat if i.is_bound]
        if bounds:
            out.append(
                f"| Allan B as a bound, 95 % due; {case} | | {np.mean(bounds):.0%} above the truth | {len(bounds)} |"
            )
    return out


def irons() -> list[str]:
    """Return lines for hard and soft iron on parts of the sphere."""
    out = []
    for share, sigma in ((1.0, 0.4), (0.6, 0.4), (0.6, 1.0), (0.4, 0.4), (0.3, 0.8)):
        hard, soft = [], []
        for seed in range(SEEDS):
            m, b, a = board(seed, share, 1500, sigma)
            c = magnetometer(m, FIELD_UT)
            hard.append((np.array(c.parameters["hard_iron_ut"]) - b) / c.standard_errors["hard_iron_ut"])
            off = (np.array(c.parameters["soft_iron"]) - a) / np.array(c.standard_errors["soft_iron"])
            soft.append(off[np.triu_indices(3)])
        case = f"{share:.0%} of the sphere, noise {sigma} µT"
        out += [row(f"hard iron; {case}", hard), row(f"soft iron; {case}", soft)]
    return out


def intervals() -> list[str]:
    """Return lines for 95 % intervals."""
    return [f"| {kind} | {held(kind, 'rmse', 200):.1%} | {held(kind, 'p95', 200):.1%} |" for kind in KINDS]


def main() -> None:
    """Write the table."""
    text = f"""# What is claimed against what is true

Written by `./run accuracy`, with generators that share nothing with the code: noise by its spectrum, caps of a sphere, autoregressions. {SEEDS} seeds
each. Of errors over their claimed sigmas 68 % are due within one and 95 % within two. More is a claim wider than the truth, as where a capture cannot
show that there is no slow noise; less is a fault.

| Claim | within one | within two | cases |
|---|---|---|---|
{chr(10).join(biases() + coefficients() + irons())}

A walk that a record makes up by chance, where there is none, is counted as an error of its whole size.

## 95 % intervals of errors

Records of 60 s at 50 Hz, 200 each, against records of hours; how long or in what way errors last stands in the first column.

| Errors | RMSE | 95th percentile |
|---|---|---|
{chr(10).join(intervals())}

## Not in this table yet

Lever arm and delay, vibration and six faces (held by generators of their own in `tests/core/calibration/test_*_errors.py`), thermal slopes
and mounting (held over stand-in boards by `test_honesty.py` there), the estimators' own sigmas (`tests/outside`), predictions, probabilities
of causes.
"""
    OUT.write_text(text, encoding="utf-8")


if __name__ == "__main__":
    main()
