"""Smooth motions with exact rates: position and yaw splines, attitude from the thrust direction."""

import math
from dataclasses import dataclass, replace

import numpy as np
from scipy.interpolate import BPoly, PPoly

from fusus.core.arrays import Array
from fusus.core.frames import quaternion


@dataclass(frozen=True, slots=True)
class Waypoint:
    """A place to be at a time: north, east, height above home in m, unwrapped yaw in rad; at rest there if it holds."""

    t_s: float
    north_m: float
    east_m: float
    height_m: float
    yaw_rad: float
    holds: bool = True


@dataclass(frozen=True, slots=True)
class Motion:
    """A true motion sampled at ``t_s`` (N,): position, velocity, acceleration (N, 3) in north-east-down, attitude
    ``q_nb`` (N, 4), body rate (N, 3) rad/s and specific force (N, 3) m/s^2 in body axes, airspeed (N,) m/s."""

    t_s: Array
    pos_n: Array
    vel_n: Array
    acc_n: Array
    q_nb: Array
    rate_b: Array
    force_b: Array
    airspeed_m_s: Array

    def turned(self, angle_rad: float) -> "Motion":
        """Return the same motion turned about the vertical through its origin, clockwise from above."""
        turn = np.array([math.cos(angle_rad / 2), 0.0, 0.0, math.sin(angle_rad / 2)])
        pos, vel, acc = (quaternion.rotate(turn, v) for v in (self.pos_n, self.vel_n, self.acc_n))
        return replace(self, pos_n=pos, vel_n=vel, acc_n=acc, q_nb=quaternion.multiply(turn, self.q_nb))


@dataclass(frozen=True, slots=True)
class Air:
    """Mean wind (north, east) in m/s, felt above ``full_height_m`` in full, and the linear drag in 1/s."""

    wind_n_m_s: float = 0.0
    wind_e_m_s: float = 0.0
    full_height_m: float = 2.0
    drag_per_s: float = 0.25


def _splines(points: list[Waypoint]) -> PPoly:
    """Return the spline of degree 7 through the points: continuous up to jerk, at rest where a point holds."""
    t = np.array([p.t_s for p in points])
    values = np.array([[p.north_m, p.east_m, -p.height_m, p.yaw_rad] for p in points])
    speed = np.gradient(values, t, axis=0) if len(t) > 1 else np.zeros_like(values)
    speed[[i for i, p in enumerate(points) if p.holds]] = 0.0
    speed[0] = speed[-1] = 0.0
    zero = np.zeros(4)
    bernstein = BPoly.from_derivatives(t, [[v, s, zero, zero] for v, s in zip(values, speed, strict=True)])
    return PPoly.from_bernstein_basis(bernstein)  # same curve, ten times as quick to evaluate


def fly(points: list[Waypoint], rate_hz: float, gravity_m_s2: float, air: Air | None = None) -> Motion:
    """Return the motion of a craft that follows the points, its thrust along the body's z axis.

    Parameters
    ----------
    points : list of Waypoint
        In the order of time, at least two.
    rate_hz : float
        Samples a second.
    gravity_m_s2 : float
        Gravity at the place.
    air : Air
        Wind and drag.

    Returns
    -------
    Motion
        Rates and specific force are derivatives of the splines, not differences.

    Notes
    -----
    Mellinger & Kumar 2011: attitude follows from thrust a - g + c (v - w) and yaw; the rate from its derivative.
    """
    air = air or Air()
    spline = _splines(points)
    t = np.arange(round((points[-1].t_s - points[0].t_s) * rate_hz) + 1) / rate_hz + points[0].t_s
    t = np.minimum(t, points[-1].t_s)
    (pos, vel, acc, jerk), (yaw, yaw_rate) = _derivatives(spline, t)

    g_n = np.array([0.0, 0.0, gravity_m_s2])
    wind = np.array([air.wind_n_m_s, air.wind_e_m_s, 0.0])
    share, share_rate = _smooth_step(-pos[:, 2], -vel[:, 2], air.full_height_m)
    relative = vel - share[:, None] * wind
    thrust = acc - g_n + air.drag_per_s * share[:, None] * relative
    thrust_rate = jerk + air.drag_per_s * (
        share_rate[:, None] * relative + share[:, None] * (acc - share_rate[:, None] * wind)
    )
    rotation, rate = _attitude(thrust, thrust_rate, yaw, yaw_rate)
    force_b = np.einsum("nij,ni->nj", rotation, acc - g_n)
    speed = np.linalg.norm(relative, axis=1)
    return Motion(t, pos, vel, acc, quaternion.from_matrix(rotation), rate, force_b, speed)


def _derivatives(spline: PPoly, t: Array) -> tuple[list[Array], list[Array]]:
    values = [np.asarray(spline.derivative(k)(t) if k else spline(t)) for k in range(4)]
    return [v[:, :3] for v in values], [values[0][:, 3], values[1][:, 3]]


def _smooth_step(height: Array, climb: Array, full: float) -> tuple[Array, Array]:
    """Return 0 on the ground to 1 from ``full`` on, and its rate of change."""
    x = np.clip(height / full, 0.0, 1.0)
    return x * x * x * (10 - 15 * x + 6 * x * x), 30 * x * x * (1 - x) ** 2 * climb / full


def _attitude(thrust: Array, thrust_rate: Array, yaw: Array, yaw_rate: Array) -> tuple[Array, Array]:
    """Return rotation matrices (N, 3, 3) and body rates (N, 3) of a body whose -z axis is the thrust."""
    size = np.linalg.norm(thrust, axis=1, keepdims=True)
    z = -thrust / size
    z_dot = -(thrust_rate - z * np.sum(thrust_rate * z, axis=1, keepdims=True)) / size
    c, s, zero = np.cos(yaw), np.sin(yaw), np.zeros_like(yaw)
    ahead = np.stack([c, s, zero], axis=1)
    ahead_dot = yaw_rate[:, None] * np.stack([-s, c, zero], axis=1)
    side, side_dot = np.cross(z, ahead), np.cross(z_dot, ahead) + np.cross(z, ahead_dot)
    length = np.linalg.norm(side, axis=1, keepdims=True)
    y = side / length
    y_dot = (side_dot - y * np.sum(side_dot * y, axis=1, keepdims=True)) / length
    x = np.cross(y, z)
    x_dot = np.cross(y_dot, z) + np.cross(y, z_dot)
    rate = np.stack([np.sum(y_dot * z, axis=1), np.sum(z_dot * x, axis=1), np.sum(x_dot * y, axis=1)], axis=1)
    return np.stack([x, y, z], axis=2), rate


def pose(angles: list[tuple[float, float, float, float]], rate_hz: float, gravity_m_s2: float) -> Motion:
    """Return a motion that stays in place and goes through (time s, yaw, pitch, roll in rad), at rest at each.

    The body rate follows from the angle rates by the kinematics of yaw, pitch, roll.
    """
    t_k = np.array([a[0] for a in angles])
    spline = BPoly.from_derivatives(t_k, [[np.array(a[1:]), np.zeros(3), np.zeros(3)] for a in angles])
    n = round((t_k[-1] - t_k[0]) * rate_hz) + 1
    t = np.minimum(np.arange(n) / rate_hz + t_k[0], t_k[-1])
    yaw, pitch, roll = np.asarray(spline(t)).T
    yaw_dot, pitch_dot, roll_dot = np.asarray(spline.derivative()(t)).T
    rate = np.stack(
        [
            roll_dot - yaw_dot * np.sin(pitch),
            pitch_dot * np.cos(roll) + yaw_dot * np.cos(pitch) * np.sin(roll),
            -pitch_dot * np.sin(roll) + yaw_dot * np.cos(pitch) * np.cos(roll),
        ],
        axis=1,
    )
    q = quaternion.from_euler(yaw, pitch, roll)
    zero = np.zeros((n, 3))
    force = quaternion.rotate(quaternion.conjugate(q), np.array([0.0, 0.0, -gravity_m_s2]))
    return Motion(t, zero, zero, zero, quaternion.normalise(q), rate, force, np.zeros(n))
