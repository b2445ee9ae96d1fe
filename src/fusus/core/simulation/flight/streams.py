"""A closed-loop flight as streams of a recording like any other."""

import math

import numpy as np

from fusus.core.frames.geodesy import ned_to_geodetic
from fusus.core.simulation.columns import Streams, ned, ns, track, xyz
from fusus.core.simulation.flight.fly import Flown
from fusus.core.simulation.flight.plan import MODE, PITCH, PLAN_HZ, ROLL, THROTTLE, YAW

TRACK_HZ, MOTOR_HZ, BATTERY_HZ = 100.0, 200.0, 10.0
TEMPERATURE_DEGC = 18.0


def streams_of(flown: Flown) -> Streams:
    """Return the streams that the board would log, columns as in a canonical recording, with the truth beside them.

    ``board`` is the estimate that was flown on; ``setpoint`` the wanted rates at every loop.
    """
    t, log, r, slow = flown.t_s, flown.log, flown.sensors.readings, flown.sensors.slow
    rate = flown.controller.rate_hz
    warming = flown.drawn.warming_k
    out: Streams = {
        "imu": {"t_ns": ns(t)}
        | xyz("gyro", "rad_s", r.gyro)
        | xyz("acc", "m_s2", r.acc)
        | {"temperature_degc": np.round(TEMPERATURE_DEGC + warming, 2)}
    }
    if len(r.mag):
        out["mag"] = {"t_ns": ns(r.mag[:, 0])} | xyz("mag", "ut", r.mag[:, 1:4])
    if len(r.baro):
        out["baro"] = {
            "t_ns": ns(r.baro[:, 0]), "pressure_pa": np.round(r.pressure, 2),
            "temperature_degc": np.round(TEMPERATURE_DEGC - 1.0 + warming[:: slow.baro_every], 2),
        }  # fmt: skip
    estimate = np.isfinite(r.gnss[:, 1])
    model = flown.setting.suite.gnss
    if estimate.any() and model is not None:
        place = ned_to_geodetic(r.gnss[estimate, 1:4], flown.setting.home)
        n = int(estimate.sum())
        out["gnss"] = (
            {"t_ns": ns(r.gnss[estimate, 0])}
            | dict(zip(("lat_deg", "lon_deg", "height_m"), place.T, strict=True))
            | ned("vel", "m_s", r.gnss[estimate, 4:7])
            | {
                "h_acc_m": np.full(n, math.hypot(model.white_horizontal_m, model.correlated_horizontal_m)),
                "v_acc_m": np.full(n, math.hypot(model.white_vertical_m, model.correlated_vertical_m)),
            }
        )
    ranged = np.isfinite(r.ranges[:, 1])
    if ranged.any():
        out["range"] = {"t_ns": ns(r.ranges[ranged, 0]), "range_m": np.round(r.ranges[ranged, 1], 3)}
    every = slice(None, None, max(1, round(rate / MOTOR_HZ)))
    out["motor"] = {"t_ns": ns(t[every])} | {
        f"motor_{m.round_number}": np.round(log.motors[every, i], 4) for i, m in enumerate(flown.craft.mixer.motors)
    }
    every = slice(None, None, max(1, round(rate / BATTERY_HZ)))
    out["battery"] = {
        "t_ns": ns(t[every]), "voltage_v": np.round(log.power[every, 0], 3), "current_a": np.round(log.power[every, 1], 2)
    }  # fmt: skip
    rows = flown.plan.rows
    out["stick"] = {"t_ns": ns(np.arange(len(rows)) / PLAN_HZ)} | {
        name: rows[:, column] for name, column in (("roll", ROLL), ("pitch", PITCH), ("yaw", YAW), ("throttle", THROTTLE), ("mode", MODE))
    }  # fmt: skip
    out["setpoint"] = {"t_ns": ns(t)} | xyz("rate", "rad_s", log.wanted[:, :3])
    every = slice(None, None, max(1, round(rate / TRACK_HZ)))
    errors = flown.drawn.gyro_errors
    level = errors.g_matrix @ np.array([0.0, 0.0, -flown.setting.site.gravity_m_s2])
    bias = errors.bias + level + warming[every, None] * errors.slope
    truth = log.truth[every]
    out["reference"] = track(t[every], truth[:, 6:10], truth[:, 0:3], truth[:, 3:6]) | xyz("gyro_bias", "rad_s", bias)
    from_start = slice(flown.first, None, every.step)
    e = log.estimate[from_start]
    out["board"] = track(t[from_start], e[:, 6:10], e[:, 0:3], e[:, 3:6])
    if not np.isfinite(e[:, 0]).any():
        # An attitude filter with a height beside it knows no more.
        for name in ("pos_n_m", "pos_e_m", "vel_n_m_s", "vel_e_m_s"):
            del out["board"][name]
    return out
