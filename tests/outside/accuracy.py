"""Errors of the navigation EKF beside incremental smoothing (gtsam), and of attitudes beside VQF and imufusion, over motions of many carriers.

The reference is told the noises and the first heading to a tenth of a radian; the filter is told no more than that nothing is late.
``./run bench --only accuracy`` prints the tables.
"""

from dataclasses import replace

import imufusion
import numpy as np
from scipy.spatial.transform import Rotation
from tests.outside import smoothing
from tests.outside.motions import Sensors, made
from vqf import VQF

from fusus.core.estimation.aiding import Aiding, gnss_rows, usual_accuracy
from fusus.core.estimation.catalogue import info_for
from fusus.core.estimation.known import known_of
from fusus.core.estimation.navigation_ekf.parameters import Parameters
from fusus.core.estimation.replay import estimator_input, run_estimator
from fusus.core.world.site import Site

SITE = Site(gravity_m_s2=9.81)
SETTLED_S, SECONDS = 20.0, 60.0
CARRIERS = ("car", "walking", "multirotor", "hand")
CASES = {
    "usual fixes, speed": {"said_m": 0.5},
    "usual fixes, nothing said, biases, scale": {"gyro_bias": 0.08, "acc_bias": 0.4, "scale": 0.02},
    "shaking, no speed": {"has_speed": False, "shakes_m_s2": 0.5, "shakes_rad_s": 0.02, "said_m": 0.5, "fix_hz": 2.0},
    "fixes of centimetres, 1 Hz, no speed, nothing said": {"has_speed": False, "fix_hz": 1.0, "fix_m": 0.05},
}


PROMPT = Parameters(gnss_delay_s=0.0, gnss_delay_sigma_s=0.0)
# Told what the reference is told: that nothing of the fixes' error is slow.
WHITE = replace(PROMPT, gnss_wander_horizontal_m=0.0, gnss_wander_vertical_m=0.0)


def ours(log, aiding=None, tuning=PROMPT):
    """Return the filter's replay with its usual tuning but for the delay."""
    t = log.motion.t
    a = aiding or Aiding(
        gnss=gnss_rows(log.fix_t, log.fix_pos, log.fix_vel, log.said_m), known=known_of(log.gyro, log.acc, 0),
        accuracy=(usual_accuracy(log.said_m), np.nan, np.nan),
    )  # fmt: skip
    return run_estimator("navigation-ekf", tuning, estimator_input(t, log.gyro, log.acc, aiding=a), SITE)


def horizontal(off):
    return float(np.sqrt(np.mean(np.sum(off[:, :2] ** 2, axis=1))))


def both(carrier, seed, tuning=PROMPT, **sensors):
    """Return horizontal errors of filter and reference, m, and the share of the filter's errors within one and two claimed sigmas."""
    log = made(carrier, seed, seconds=SECONDS, **sensors)
    s, t = Sensors(**sensors), log.motion.t
    late = (t > SETTLED_S) & (t < t[-1] - 1.0)
    replay = ours(log, tuning=tuning)
    first = log.motion.rotation[int(np.searchsorted(t, log.fix_t[0]))].as_matrix()
    noises = max(s.gyro_noise, 0.1 * s.shakes_rad_s, 1e-3), max(s.acc_noise, 0.1 * s.shakes_m_s2, 0.02)
    there = smoothing.causal(log, *noises, s.fix_m, s.speed_m_s, first)
    off = replay.motion.pos_n - log.motion.pos
    z = np.abs(off / replay.motion.sigma_at("position", t))[late]
    return (
        horizontal(off[late]),
        horizontal((there - log.motion.pos)[late]),
        float((z < 1).mean()),
        float((z < 2).mean()),
    )


def tilt_error(down, log):
    """Return the RMSE of a down direction in the body from ten seconds on, degrees."""
    true = log.motion.rotation.inv().apply([0.0, 0.0, 1.0])
    off = np.arccos(np.clip(np.sum(down * true, axis=1), -1.0, 1.0))[log.motion.t > 10.0]
    return float(np.degrees(np.sqrt(np.mean(off**2))))


def tilts(carrier, seed):
    """Return the tilt errors, degrees, of the program's filters and of VQF and imufusion, without a magnetometer."""
    log = made(carrier, seed, seconds=SECONDS, gyro_bias=0.005, acc_bias=0.05)
    t = log.motion.t
    given = estimator_input(t, log.gyro, log.acc)
    out = {}
    for name in ("attitude-ekf", "madgwick", "mahony", "complementary"):
        q = run_estimator(name, info_for(name).parameters(), given, SITE).outputs.q_nb
        out[name] = tilt_error(Rotation.from_quat(q[:, [1, 2, 3, 0]]).inv().apply([0.0, 0.0, 1.0]), log)
    step = float(np.median(np.diff(t)))
    q = VQF(step).updateBatch(log.gyro.copy(), log.acc.copy())["quat6D"]
    out["vqf"] = tilt_error(-Rotation.from_quat(q[:, [1, 2, 3, 0]]).inv().apply([0.0, 0.0, 1.0]), log)
    ahrs, up = imufusion.Ahrs(), np.empty((len(t), 3))
    ahrs.set_sample_period(step)
    for i, (gyro, acc) in enumerate(zip(np.degrees(log.gyro), log.acc / 9.81, strict=True)):
        ahrs.update_no_magnetometer(gyro, acc)
        up[i] = ahrs.get_gravity()
    out["imufusion"] = tilt_error(-up, log)
    return out


def print_tables():
    """Print both tables."""
    print("horizontal error, m: filter / smoothing, ratio, share within one and two claimed sigmas")
    for case, sensors in CASES.items():
        for carrier in CARRIERS:
            ours_m, theirs_m, one, two = np.mean([both(carrier, seed, **sensors) for seed in (1, 2)], axis=0)
            print(
                f"  {case:52s} {carrier:11s} {ours_m:5.2f} / {theirs_m:5.2f}  {ours_m / theirs_m:5.2f}  {one:4.0%} {two:4.0%}"
            )
    print("tilt without a magnetometer, degrees, median of three")
    for carrier in CARRIERS:
        found = [tilts(carrier, seed) for seed in (1, 2, 3)]
        print(f"  {carrier:11s} " + "  ".join(f"{k} {np.median([f[k] for f in found]):5.2f}" for k in found[0]))
