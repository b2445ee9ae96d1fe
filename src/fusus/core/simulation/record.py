"""From a true motion to what the sensors write down: streams of a canonical recording, with the truth beside them."""

import numpy as np

from fusus.core.arrays import Array
from fusus.core.frames import quaternion
from fusus.core.frames.geodesy import ned_to_geodetic
from fusus.core.mission.motion import Motion
from fusus.core.sensors.barometer import read_barometer
from fusus.core.sensors.gnss import GnssModel, read_gnss, visible
from fusus.core.sensors.inertial import InertialErrors, draw_errors, read_inertial
from fusus.core.sensors.magnetometer import read_magnetometer
from fusus.core.sensors.rangefinder import RangefinderModel, read_rangefinder
from fusus.core.simulation.columns import Streams, ned, ns, track, xyz
from fusus.core.simulation.scenario import Conditions, Suite
from fusus.core.world.site import Site

GRAVITY = 9.80665
MAG_EVERY, BARO_EVERY, REFERENCE_EVERY = 10, 20, 10


def record(
    motion: Motion,
    rate_hz: float,
    suite: Suite,
    around: Conditions,
    site: Site,
    home: tuple[float, float, float],
    seed: int,
) -> Streams:
    """Return the streams that a board would log, columns as in a canonical recording, times ``t_ns`` as int64.

    Parameters
    ----------
    motion : Motion
        The truth, sampled at ``rate_hz``.
    rate_hz : float
        IMU rate; magnetometer, barometer and reference run at a tenth, a twentieth and a tenth of it.
    suite : Suite
        Error models.
    around : Conditions
        Outages, steel, vibration.
    site : Site
        Gravity and field; the field must be known.
    home : tuple of float
        Latitude and longitude in degrees, height in m.
    seed : int
        Of all noise.

    Returns
    -------
    dict
        Streams ``imu``, ``mag``, ``baro``, ``gnss``, ``motor``, ``battery`` and ``reference`` (the truth); none of a sensor
        that is not on board. Without a magnetometer the whole motion is turned to a start heading that the seed draws.
    """
    if suite.mag is None:
        motion = motion.turned(suite.start_heading(seed))
    rng = np.random.default_rng(seed)
    t = motion.t_s - motion.t_s[0]
    flying = np.clip(-motion.pos_n[:, 2] / 0.3, 0.0, 1.0)
    warming = around.warming_k * (1 - np.exp(-t / around.warming_tau_s))
    current = around.hover_current_a * flying + 0.4

    gyro_errors, acc_errors = draw_errors(suite.gyro, rng), draw_errors(suite.acc, rng)
    shake = _vibration(t, flying, around, rng)
    gyro = read_inertial(
        suite.gyro, gyro_errors, motion.rate_b, motion.force_b, warming,
        shake * around.vibration_gyro_rad_s, rate_hz, rng,
    )  # fmt: skip
    acc = read_inertial(
        suite.acc, acc_errors, motion.force_b, motion.force_b, warming,
        shake * around.vibration_acc_m_s2, rate_hz, rng,
    )  # fmt: skip

    streams: Streams = {
        "imu": {"t_ns": ns(t)}
        | xyz("gyro", "rad_s", gyro)
        | xyz("acc", "m_s2", acc)
        | {"temperature_degc": np.round(18.0 + warming, 2)}
    }
    if suite.mag is not None:
        every = slice(None, None, MAG_EVERY)
        field_b = _field_b(motion, around, site)[every]
        streams["mag"] = {"t_ns": ns(t[every])} | xyz(
            "mag", "ut", read_magnetometer(suite.mag, field_b, current[every], rng)
        )
    if suite.baro is not None:
        every = slice(None, None, BARO_EVERY)
        heights, air = home[2] - motion.pos_n[every, 2], motion.airspeed_m_s[every]
        pressure = read_barometer(suite.baro, heights, air, warming[every], rate_hz / BARO_EVERY, rng)
        streams["baro"] = {
            "t_ns": ns(t[every]),
            "pressure_pa": np.round(pressure, 2),
            "temperature_degc": np.round(17.0 + warming[every], 2),
        }
    if np.ptp(motion.pos_n) > 0:
        if suite.gnss is not None:
            streams["gnss"] = _gnss(motion, t, suite.gnss, around, home, rng)
        streams["motor"], streams["battery"] = _power(motion, t, flying, current, site, rng)
        if suite.rangefinder is not None:
            streams["range"] = _range(motion, t, suite.rangefinder, rng)
    every = slice(None, None, REFERENCE_EVERY)
    streams["reference"] = _truth(motion, t, gyro_errors, warming, every)
    return streams


def _vibration(t: Array, flying: Array, around: Conditions, rng: np.random.Generator) -> Array:
    """Return unit-size shaking on three axes, shape (N, 3): rotor speed drifts a little, with its second harmonic."""
    drift = np.cumsum(rng.standard_normal(len(t))) * 0.02
    phase = 2 * np.pi * around.rotor_hz * t + drift
    axes = [
        np.sin(k * phase[:, None] + rng.uniform(0, 2 * np.pi, 3)) * size * [0.8, 0.8, 1.2]
        for k, size in ((1, 1.0), (2, 0.4))
    ]
    return np.asarray(flying[:, None] * (axes[0] + axes[1]))


def _field_b(motion: Motion, around: Conditions, site: Site) -> Array:
    if site.field is None:
        raise ValueError("the simulator needs a site with a known magnetic field")
    field = np.tile(site.field.vector_ut, (len(motion.t_s), 1))
    for steel in around.steel:
        centre = np.array([steel.north_m, steel.east_m, -steel.height_m])
        distance2 = np.sum((motion.pos_n - centre) ** 2, axis=1)
        field += np.array(steel.field_ut) / (1 + distance2 / steel.radius_m**2)[:, None] ** 1.5
    return quaternion.rotate(quaternion.conjugate(motion.q_nb), field)


def _gnss(
    motion: Motion,
    t: Array,
    model: GnssModel,
    around: Conditions,
    home: tuple[float, float, float],
    rng: np.random.Generator,
) -> dict[str, Array]:
    rows = np.searchsorted(t, np.arange(0.0, t[-1] - model.latency_s, 1 / model.rate_hz))
    arm = np.array(model.lever_arm_b_m)
    pos = motion.pos_n[rows] + quaternion.rotate(motion.q_nb[rows], arm)
    vel = motion.vel_n[rows] + quaternion.rotate(motion.q_nb[rows], np.cross(motion.rate_b[rows], arm))
    fixes = read_gnss(model, t[rows], pos, vel, rng)
    seen = visible(t[rows], around.outages)
    place = ned_to_geodetic(fixes.pos_n[seen], home)
    n = int(seen.sum())
    return (
        {"t_ns": ns(fixes.t_s[seen])}
        | dict(zip(("lat_deg", "lon_deg", "height_m"), place.T, strict=True))
        | ned("vel", "m_s", fixes.vel_n[seen])
        | {
            "h_acc_m": np.full(n, np.hypot(model.white_horizontal_m, model.correlated_horizontal_m)),
            "v_acc_m": np.full(n, np.hypot(model.white_vertical_m, model.correlated_vertical_m)),
            "satellites": rng.integers(13, 18, n).astype(float),
        }
    )


def _range(motion: Motion, t: Array, model: RangefinderModel, rng: np.random.Generator) -> dict[str, Array]:
    rows = np.searchsorted(t, np.arange(0.0, t[-1], 1 / model.rate_hz))
    down = 1.0 - 2.0 * (motion.q_nb[rows, 1] ** 2 + motion.q_nb[rows, 2] ** 2)
    distance, given = read_rangefinder(model, -motion.pos_n[rows, 2], down, rng)
    return {"t_ns": ns(t[rows][given]), "range_m": np.round(distance[given], 3)}


def _power(
    motion: Motion, t: Array, flying: Array, current: Array, site: Site, rng: np.random.Generator
) -> tuple[dict[str, Array], dict[str, Array]]:
    every = slice(None, None, 20)
    thrust = np.linalg.norm(motion.force_b[every], axis=1) / site.gravity_m_s2
    throttle = np.clip(flying[every] * 0.42 * np.sqrt(thrust), 0, 1)
    motors = {
        f"motor_{i + 1}": np.round(np.clip(throttle + flying[every] * rng.normal(0, 0.01, len(throttle)), 0, 1), 4)
        for i in range(4)
    }
    every = slice(None, None, 100)
    used_ah = np.cumsum(current) / 3600.0 * (t[1] - t[0])
    voltage = 16.4 - 0.4 * used_ah[every] - 0.03 * current[every]
    battery = {"t_ns": ns(t[every]), "voltage_v": np.round(voltage, 3), "current_a": np.round(current[every], 2)}
    return {"t_ns": ns(t[::20])} | motors, battery


def _truth(motion: Motion, t: Array, gyro_errors: InertialErrors, warming: Array, every: slice) -> dict[str, Array]:
    # What the gyro reads of a level craft that does not turn: with what gravity does to it.
    level = gyro_errors.g_matrix @ np.array([0.0, 0.0, -GRAVITY])
    bias = gyro_errors.bias + level + warming[every, None] * gyro_errors.slope
    attitude = quaternion.normalise(motion.q_nb[every])
    return track(t[every], attitude, motion.pos_n[every], motion.vel_n[every]) | xyz("gyro_bias", "rad_s", bias)
