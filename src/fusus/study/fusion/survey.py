"""What a flight shows of the receiver's delay and lever arm and of the magnetometer's mounting, with standard errors."""

from dataclasses import dataclass, replace

import numpy as np

from fusus.core.arrays import Array
from fusus.core.calibration.alignment import align_to_gyro
from fusus.core.estimation.navigation_ekf.parameters import Parameters
from fusus.core.estimation.replay import EstimatorInput, run_estimator
from fusus.core.judgement.finding import Finding
from fusus.core.world.site import Site

# How far both may be off what the tuning says, one sigma, before the flight is looked at.
ARM_SIGMA_M, DELAY_SIGMA_S = 0.3, 0.15
MAST = "A mast is up: a negative figure in axes whose third points down."
SURE, AXES = 3.0, ("ahead", "right", "below")


@dataclass(frozen=True, slots=True)
class Survey:
    """Lever arm (3,) m and delay s with standard errors; rotation (3,) rad of the magnetometer against the gyro, or None."""

    arm_m: tuple[float, float, float]
    arm_sigma_m: tuple[float, float, float]
    delay_s: float
    delay_sigma_s: float
    turned_rad: tuple[float, float, float] | None
    turned_sigma_rad: tuple[float, float, float] | None


def survey(given: EstimatorInput, parameters: Parameters, site: Site) -> Survey | None:
    """Return what a flight shows; None without fixes.

    The navigation EKF runs with both as states, twice: the second run begins where the first ended.
    """
    if len(given.aiding.gnss) < 20:
        return None
    p = replace(parameters, lever_arm_sigma_m=ARM_SIGMA_M, gnss_delay_sigma_s=DELAY_SIGMA_S)
    motion = None
    for _ in range(2):
        motion = run_estimator("navigation-ekf", p, given, site).motion
        if motion is None or "lever arm" not in motion.key_values:
            return None
        arm, delay = motion.key_values["lever arm"][-1], float(motion.key_values["gnss delay"][-1])
        x, y, z = (float(v) for v in np.clip(arm, -20, 20))
        p = replace(p, lever_arm_x_m=x, lever_arm_y_m=y, lever_arm_z_m=z, gnss_delay_s=float(np.clip(delay, 0.0, 1.0)))
    if motion is None:
        return None
    sigma = motion.key_sigmas["lever arm"][-1]
    m = given.aiding.mag
    found = align_to_gyro(m[:, 0], m[:, 1:4], given.t_s, given.samples.gyro_b) if len(m) > 200 else None
    turned = found if found is not None and found.is_clear else None
    return Survey(
        (x, y, z), (float(sigma[0]), float(sigma[1]), float(sigma[2])), delay, float(motion.key_sigmas["gnss delay"][-1]),
        _three(turned.vector) if turned else None, _three(turned.sigma) if turned else None,
    )  # fmt: skip


def _three(v: Array) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])


def findings(s: Survey, parameters: Parameters) -> list[Finding]:
    """Return where the flight speaks against what the tuning says."""
    out = []
    told = (parameters.lever_arm_x_m, parameters.lever_arm_y_m, parameters.lever_arm_z_m)
    for i, axis in enumerate(AXES):
        value, sigma, has = s.arm_m[i], s.arm_sigma_m[i], told[i]
        if abs(value - has) < max(SURE * sigma, 0.03):
            continue
        reversed_sign = abs(value + has) < max(SURE * sigma, 0.03) and abs(has) > 0.02
        subject = "Lever arm sign likely wrong" if reversed_sign else "Lever arm is another"
        out.append(
            Finding(
                subject, "mind", f"The fit gives {value:+.2f} ± {sigma:.2f} m {axis}; you have {has:+.2f} m.",
                MAST if i == 2 else "Turns show in the fixes what the antenna adds.",
                f"Measure it with a ruler; if the fit is right, set {value:+.2f} m.", f"fusion.navigation_ekf.lever_arm_{'xyz'[i]}_m",
            )
        )  # fmt: skip
    if abs(s.delay_s - parameters.gnss_delay_s) > max(SURE * s.delay_sigma_s, 0.015):
        out.append(
            Finding(
                "Delay likely another", "mind",
                f"Likely {s.delay_s * 1e3:.0f} ± {s.delay_sigma_s * 1e3:.0f} ms; you have {parameters.gnss_delay_s * 1e3:.0f} ms.",
                "Accelerations show that much later in the fixes than in the accelerometer.",
                f"Set the delay to {s.delay_s * 1e3:.0f} ms.", "fusion.navigation_ekf.gnss_delay_s",
            )
        )  # fmt: skip
    return out
