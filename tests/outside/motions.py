"""Motions of many carriers with what sensors read on them, made from splines and scipy's rotations: nothing of it is the program's own.

North-east-down, body axes forward-right-down. Times in s, all else SI.
"""

from dataclasses import dataclass, replace

import numpy as np
from scipy.interpolate import CubicSpline
from scipy.signal import butter, lfilter, sosfiltfilt
from scipy.spatial.transform import Rotation

G = 9.81
DOWN = np.array([0.0, 0.0, G])


@dataclass(frozen=True)
class Motion:
    """Truth at ``t`` (N,): position and velocity (N, 3), attitude body to north-east-down; and what ideal sensors read there."""

    t: np.ndarray
    pos: np.ndarray
    vel: np.ndarray
    rotation: Rotation
    rate: np.ndarray
    force: np.ndarray


@dataclass(frozen=True)
class Sensors:
    """Errors of inertial sensors and receiver, one sigma each: noise per root hertz, biases (drawn, uniform to ±), scale, shaking of a sample."""

    gyro_noise: float = 2e-4
    acc_noise: float = 2e-3
    gyro_bias: float = 0.01
    acc_bias: float = 0.1
    scale: float = 0.003
    shakes_rad_s: float = 0.0
    shakes_m_s2: float = 0.0
    jitter: float = 0.0
    fix_hz: float = 5.0
    fix_m: float = 0.5
    slow_m: float = 0.0
    slow_s: float = 100.0
    speed_m_s: float = 0.1
    has_speed: bool = True
    delay_s: float = 0.0
    lever_m: tuple[float, float, float] = (0.0, 0.0, 0.0)
    said_m: float | None = None


@dataclass(frozen=True)
class Log:
    """What was recorded: inertial samples, fixes with their times, and the motion."""

    motion: Motion
    gyro: np.ndarray
    acc: np.ndarray
    fix_t: np.ndarray
    fix_pos: np.ndarray
    fix_vel: np.ndarray | None
    said_m: np.ndarray | None
    gyro_bias: np.ndarray
    acc_bias: np.ndarray


def car(rng, seconds):
    """Return position and yaw-pitch-roll splines of a car: straight stretches, bends of seconds, braking."""
    knots = np.arange(0.0, seconds + 8.0, 4.0)
    speed = np.clip(9.0 + np.cumsum(rng.normal(0, 2.0, len(knots))), 2.0, 16.0)
    turn = np.where(rng.random(len(knots)) < 0.4, rng.normal(0, 0.35, len(knots)), 0.0)
    t = np.arange(0.0, seconds + 4.0, 0.05)
    v, w = np.maximum(CubicSpline(knots, speed)(t), 1.0), CubicSpline(knots, turn)(t)
    yaw = rng.uniform(-np.pi, np.pi) + np.cumsum(w) * 0.05
    pos = np.cumsum(np.stack([v * np.cos(yaw), v * np.sin(yaw), 0.02 * np.sin(0.3 * t)], axis=1), axis=0) * 0.05
    push, side = np.gradient(v, t), v * w
    tilt = np.stack([yaw, 0.01 * push + noise(rng, t, 0.005), 0.02 * side + noise(rng, t, 0.005)], axis=1)
    return CubicSpline(t, pos), CubicSpline(t, tilt)


def noise(rng, t, size, hz=0.7):
    """Return slow random motion, (N,)."""
    out = sosfiltfilt(butter(3, hz, fs=1.0 / (t[1] - t[0]), output="sos"), rng.normal(size=len(t)))
    return size * out / out.std()


def walking(rng, seconds):
    """Return a device in a walker's hand: steps of 1.9 Hz up and down and to the sides, turned this way and that."""
    t = np.arange(0.0, seconds + 2.0, 0.02)
    yaw = rng.uniform(-np.pi, np.pi) + np.cumsum(noise(rng, t, 0.25, 0.1)) * 0.02
    v = 1.35 + noise(rng, t, 0.15, 0.2)
    pos = np.cumsum(np.stack([v * np.cos(yaw), v * np.sin(yaw), 0 * t], axis=1), axis=0) * 0.02
    steps = 2 * np.pi * 1.9 * t + noise(rng, t, 0.4, 0.1)
    pos[:, 2] += 0.025 * np.sin(steps) + noise(rng, t, 0.1, 0.05)
    pos[:, 0] += 0.02 * np.sin(0.5 * steps)
    tilt = np.stack([yaw + noise(rng, t, 0.3, 0.3), 0.3 + noise(rng, t, 0.15, 0.5), noise(rng, t, 0.2, 0.5)], axis=1)
    return CubicSpline(t, pos), CubicSpline(t, tilt)


def multirotor(rng, seconds):
    """Return a multirotor in wind: it leans where it accelerates, and its nose turns slowly."""
    t = np.arange(0.0, seconds + 2.0, 0.02)
    pos = np.stack([noise(rng, t, 9.0, 0.06), noise(rng, t, 9.0, 0.06), -10 + noise(rng, t, 2.0, 0.05)], axis=1)
    pos += np.stack([noise(rng, t, 0.15, 0.5) for _ in range(3)], axis=1)
    spline = CubicSpline(t, pos)
    thrust = spline(t, 2) - DOWN
    yaw = rng.uniform(-np.pi, np.pi) + noise(rng, t, 0.8, 0.05)
    up = -thrust / np.linalg.norm(thrust, axis=1, keepdims=True)  # body down
    ahead = np.stack([np.cos(yaw), np.sin(yaw), 0 * yaw], axis=1)
    right = np.cross(up, ahead)
    right /= np.linalg.norm(right, axis=1, keepdims=True)
    matrices = np.stack([np.cross(right, up), right, up], axis=2)
    angles = np.unwrap(Rotation.from_matrix(matrices).as_euler("ZYX"), axis=0)
    return spline, CubicSpline(t, angles)


def turning(rng, seconds):
    """Return a long constant turn: a circle of 12 m at 6 m/s, banked a little."""
    t = np.arange(0.0, seconds + 2.0, 0.02)
    w = 0.5
    angle = rng.uniform(-np.pi, np.pi) + w * t
    pos = np.stack([12 * np.sin(angle), -12 * np.cos(angle), noise(rng, t, 0.05)], axis=1)
    return CubicSpline(t, pos), CubicSpline(
        t, np.stack([angle, noise(rng, t, 0.01), 0.05 + noise(rng, t, 0.01)], axis=1)
    )


def hand(rng, seconds):
    """Return quick motions in a hand: turns of radians a second, pushes of some metres per second squared."""
    t = np.arange(0.0, seconds + 2.0, 0.01)
    pos = np.stack([noise(rng, t, 0.25, 0.7) for _ in range(3)], axis=1)
    tilt = np.stack([noise(rng, t, 1.2, 0.4), noise(rng, t, 0.4, 0.5), noise(rng, t, 0.5, 0.5)], axis=1)
    return CubicSpline(t, pos), CubicSpline(t, tilt)


CARRIERS = {"car": car, "walking": walking, "multirotor": multirotor, "turning": turning, "hand": hand}


def motion_of(name, seed, seconds=90.0, rate=100.0, jitter=0.0):
    """Return a carrier's motion at some ``rate`` Hz, intervals wavering by the share ``jitter``."""
    rng = np.random.default_rng([seed, len(name)])
    pos, tilt = CARRIERS[name](rng, seconds)
    t = np.arange(0.5, seconds, 1.0 / rate)
    t = t + rng.uniform(-jitter, jitter, len(t)) / rate / 2
    before = np.r_[t[0] - (t[1] - t[0]), t[:-1]]
    now, then = Rotation.from_euler("ZYX", tilt(t)), Rotation.from_euler("ZYX", tilt(before))
    rate_b = (then.inv() * now).as_rotvec() / (t - before)[:, None]
    # What an accelerometer's filter hands on: the mean over the interval, in the axes of its middle.
    middle = Rotation.from_euler("ZYX", tilt(0.5 * (t + before)))
    mean = (pos(t, 1) - pos(before, 1)) / (t - before)[:, None]
    return Motion(t, pos(t), pos(t, 1), now, rate_b, middle.inv().apply(mean - DOWN))


def log_of(motion, sensors, seed, where=None):
    """Return what sensors record of a motion; ``where`` takes splines to read fixes from, else the motion's own samples."""
    rng = np.random.default_rng([seed, 77])
    n, t, s = len(motion.t), motion.t, sensors
    root = 1.0 / np.sqrt(np.median(np.diff(t)))
    gyro_bias, acc_bias = rng.uniform(-s.gyro_bias, s.gyro_bias, 3), rng.uniform(-s.acc_bias, s.acc_bias, 3)
    gyro = motion.rate * (1 + rng.normal(0, s.scale, 3)) + gyro_bias + rng.normal(0, s.gyro_noise * root, (n, 3))
    acc = motion.force * (1 + rng.normal(0, s.scale, 3)) + acc_bias + rng.normal(0, s.acc_noise * root, (n, 3))
    gyro, acc = gyro + rng.normal(0, s.shakes_rad_s, (n, 3)), acc + rng.normal(0, s.shakes_m_s2, (n, 3))
    fix_t = np.arange(t[0], t[-1] - s.delay_s, 1.0 / s.fix_hz)
    lever = motion.rotation.apply(s.lever_m)
    turning = np.cross(motion.rotation.apply(motion.rate), lever)

    def at(values):
        return np.stack([np.interp(fix_t, t, values[:, k]) for k in range(3)], axis=1)

    a = np.exp(-1.0 / s.fix_hz / s.slow_s)
    slow = lfilter([np.sqrt(1 - a * a)], [1, -a], rng.normal(size=(len(fix_t), 3)), axis=0) + a ** np.arange(
        len(fix_t)
    )[:, None] * rng.normal(size=3)
    pos = at(motion.pos + lever) + rng.normal(0, s.fix_m, (len(fix_t), 3)) + s.slow_m * slow
    vel = at(motion.vel + turning) + rng.normal(0, s.speed_m_s, (len(fix_t), 3)) if s.has_speed else None
    said = np.full(len(fix_t), s.said_m * np.sqrt(2)) if s.said_m else None
    return Log(motion, gyro, acc, fix_t + s.delay_s, pos, vel, said, gyro_bias, acc_bias)


def made(name, seed, seconds=90.0, rate=100.0, **sensors):
    """Return a carrier's log."""
    s = replace(Sensors(), **sensors)
    return log_of(motion_of(name, seed, seconds, rate, s.jitter), s, seed)
