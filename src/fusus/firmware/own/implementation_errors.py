"""Common implementation errors of estimators, each as what would undo it: another input, or the output read otherwise."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from itertools import permutations, product

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.initial import Start
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.frames import quaternion
from fusus.core.world.site import Site
from fusus.firmware.own.changed_input import (
    Changed,
    as_if,
    bias_off,
    interval_times,
    normalised,
    rarer,
    swapped,
    times,
    turned,
)

# Intervals that are written into code instead of measured, s.
FIXED_S = (1e-3, 2e-3, 2.5e-3, 4e-3, 5e-3, 8e-3, 0.01, 0.02)
LATE = (1, 2, 3, 5, 10)
# How much more rarely samples may have come where a filter's constant was found.
RARER = (2, 4, 8)
G = 9.80665


@dataclass(frozen=True, slots=True)
class ImplementationError:
    """An implementation error by a short name: when that is undone the code agrees; what is then wrong in the code, and what to do.

    ``given``: ways to change what goes in, of which the best counts (whether the start's bias has the error too depends on the code);
    ``read`` changes what came out, (N, 4) to (N, 4). ``every``: what goes in is a sample for each so many; what comes out is held
    against the truth at those. ``sensor``: gyro, acc or mag, where it concerns one alone.
    """

    name: str
    agrees: str
    mend: str
    given: tuple[Callable[[EstimatorInput, Start], Changed], ...] = ()
    read: Callable[[Array], Array] | None = None
    every: int = 1
    sensor: str = ""


def _earlier(samples: int) -> Callable[[Array], Array]:
    def read(q: Array) -> Array:
        return np.concatenate([q[samples:], np.repeat(q[-1:], samples, axis=0)])

    return read


def _about_down(angle_rad: float) -> Callable[[Array], Array]:
    turn = np.array([math.cos(0.5 * angle_rad), 0.0, 0.0, math.sin(0.5 * angle_rad)])
    return lambda q: quaternion.multiply(np.broadcast_to(turn, q.shape), q)


# East-north-up to north-east-down on the left, forward-left-up to forward-right-down on the right.
_LEFT, _RIGHT = np.array([0.0, math.sqrt(0.5), math.sqrt(0.5), 0.0]), np.array([0.0, 1.0, 0.0, 0.0])


def _other_axes(left: bool, right: bool) -> Callable[[Array], Array]:
    def read(q: Array) -> Array:
        out = quaternion.multiply(np.broadcast_to(_LEFT, q.shape), q) if left else q
        return quaternion.multiply(out, np.broadcast_to(_RIGHT, out.shape)) if right else out

    return read


def errors_for(given: EstimatorInput, site: Site) -> tuple[ImplementationError, ...]:
    """Return the implementation errors that a recording can show."""
    return (*_signs(), *_sizes(), *_intervals(given), *_turns(), *_readings(site))


def _turns() -> list[ImplementationError]:
    """Return all 23 ways to turn a board by right angles."""
    out = []
    for order in permutations(range(3)):
        for signs in product((1.0, -1.0), repeat=3):
            matrix = np.zeros((3, 3))
            matrix[range(3), order] = signs
            if np.linalg.det(matrix) < 0.0 or np.allclose(matrix, np.eye(3)):
                continue
            axes = ", ".join(f"{'-' if sign < 0 else '+'}{'xyz'[k]}" for k, sign in zip(order, signs, strict=True))
            out.append(
                ImplementationError(
                    f"axes {axes}",
                    f"all sensors' axes x, y, z are given as {axes}: the code turns them, or leaves out a turn of the board",
                    "Compare the axes of the board as mounted with forward, right, down; turn gyro, accelerometer and magnetometer alike.",
                    turned(matrix),
                )
            )
    return out


def _signs() -> list[ImplementationError]:
    out = []
    words = {"gyro": "gyro", "acc": "accelerometer", "mag": "magnetometer"}
    for sensor, title in words.items():
        for i, axis in enumerate("xyz"):
            factors = np.ones(3)
            factors[i] = -1.0
            out.append(
                ImplementationError(
                    f"{sensor} {axis} sign",
                    f"the sign of {title} {axis} is flipped",
                    f"Look for a minus too many or too few at {title} {axis}, or for an axis of the board that points the other way.",
                    times(sensor, factors),
                    sensor=sensor,
                )
            )
        out.append(
            ImplementationError(
                f"{sensor} signs",
                f"all signs of the {title} are flipped",
                _ALL[sensor],
                times(sensor, -np.ones(3)),
                sensor=sensor,
            )
        )
    for a, b, order in (("x", "y", (1, 0, 2)), ("y", "z", (0, 2, 1)), ("x", "z", (2, 1, 0))):
        for sensor in ("gyro", "acc"):
            out.append(
                ImplementationError(
                    f"{sensor} {a}{b} swapped",
                    f"{words[sensor]} {a} and {b} are exchanged",
                    "Compare the order of the registers with the order of the axes.",
                    swapped(sensor, order),
                    sensor=sensor,
                )
            )
    return out


_ALL = {
    "gyro": "It turns the wrong way about all axes: look at the sense of rates, and at the order of the quaternion's product.",
    "acc": "It takes the accelerometer for gravity: at rest a specific force points up, z is -9.81 m/s² with z down.",
    "mag": "The field is taken with all signs turned: look at the transformation from the sensor's axes.",
}


def _sizes() -> list[ImplementationError]:
    one = np.ones(3)
    return [
        ImplementationError(
            "degrees as radians",
            "rates are divided by 57.3: degrees are taken as radians",
            "Convert rates to rad/s before they are integrated, and only once.",
            times("gyro", one * math.pi / 180),
            sensor="gyro",
        ),
        ImplementationError(
            "converted twice",
            "rates are multiplied by 57.3: they are converted from degrees although they are in rad/s",
            "Leave the conversion out: rates come in rad/s.",
            times("gyro", one * 180 / math.pi),
            sensor="gyro",
        ),
        ImplementationError(
            "half angle",
            "rates are halved: the half of the angle is missing",
            "A quaternion turns by half the angle: q += 0.5 q ω dt.",
            times("gyro", one * 0.5),
            sensor="gyro",
        ),
        ImplementationError(
            "half angle twice",
            "rates are doubled: the half of the angle is taken twice",
            "Take the half of the angle once.",
            times("gyro", one * 2.0),
            sensor="gyro",
        ),
        ImplementationError(
            "accelerometer in g",
            "the accelerometer is given in g",
            "Specific forces come in m/s²: mend the gate, or what divides by g.",
            times("acc", one / G),
            sensor="acc",
        ),
        ImplementationError(
            "accelerometer not normalised",
            "the accelerometer's vector is made one long beforehand: it is not normalised",
            "Divide the specific force by its length before it is compared with the direction of gravity.",
            (normalised,),
            sensor="acc",
        ),
        ImplementationError(
            "bias not subtracted",
            "the gyro's bias of the rest is taken off beforehand: it is not subtracted",
            "Subtract gyro_bias_rad_s of own_init() from the rates, or learn the bias.",
            bias_off(1.0),
            sensor="gyro",
        ),
        ImplementationError(
            "bias added",
            "twice the gyro's bias is taken off beforehand: it is added instead of subtracted",
            "Subtract the bias.",
            bias_off(2.0),
            sensor="gyro",
        ),
    ]


def _intervals(given: EstimatorInput) -> list[ImplementationError]:
    out = [
        ImplementationError(
            "milliseconds as seconds",
            "intervals are divided by 1000: milliseconds are taken as seconds",
            "Times come in seconds (interval_s, time_s): leave the conversion out, or make it once.",
            interval_times(1e-3),
        ),
        ImplementationError(
            "seconds as milliseconds",
            "intervals are multiplied by 1000: seconds are taken as milliseconds",
            "Times come in seconds (interval_s, time_s): do not divide by 1000.",
            interval_times(1e3),
        ),
    ]
    usual = float(np.median(given.samples.dt_s))
    for fixed in FIXED_S:
        # Where the interval really is what is written, nothing is wrong; a jitter of percents is no implementation error either.
        if abs(usual / fixed - 1.0) > 0.05:
            ms = f"{fixed * 1e3:g} ms"
            out.append(
                ImplementationError(
                    f"dt fixed at {ms}",
                    f"the interval is {ms}: dt is fixed at {ms}, and here it is {usual * 1e3:.3g} ms",
                    "Use interval_s of each sample.",
                    as_if(fixed),
                    sensor="gyro",
                )
            )
    out += [
        ImplementationError(
            f"made for {1.0 / (usual * every):.0f} Hz",
            f"samples come {every} times as rarely: a constant of the filter is made for about {1.0 / (usual * every):.0f} Hz, "
            f"and here samples come at {1.0 / usual:.0f} Hz",
            "Compute the filter's constants from interval_s and a time constant in seconds, such as gain = dt / (time_constant + dt).",
            rarer(every),
            every=every,
        )
        for every in RARER
    ]
    return out


def _readings(site: Site) -> list[ImplementationError]:
    out = [
        ImplementationError(
            f"{n} late",
            f"it is read {n} sample{'s' if n > 1 else ''} later: it comes {'one sample' if n == 1 else f'{n} samples'} late",
            "Give the estimate after the sample is used, and use the newest reading.",
            read=_earlier(n),
        )
        for n in LATE
    ]
    out += [
        ImplementationError(
            "inverse",
            "the quaternion is inverted: it gives the turn from north-east-down to the body",
            "Give the conjugate: body to north-east-down.",
            read=quaternion.conjugate,
        ),
        ImplementationError(
            "order",
            "the quaternion's real part is taken from behind: it gives x, y, z, w",
            "Give w, x, y, z.",
            read=lambda q: q[:, [3, 0, 1, 2]],
        ),
        ImplementationError(
            "east-north-up",
            "its axes are taken for east, north, up",
            "Give attitudes against north, east, down.",
            read=_other_axes(True, False),
        ),
        ImplementationError(
            "body z up",
            "its body axes are taken for forward, left, up",
            "Give attitudes of forward, right, down.",
            read=_other_axes(False, True),
        ),
        ImplementationError(
            "east-north-up and z up",
            "its axes are taken for east, north, up and forward, left, up",
            "Give attitudes of forward, right, down against north, east, down.",
            read=_other_axes(True, True),
        ),
    ]
    d = site.declination_rad
    if abs(d) > math.radians(1.0):
        out += [
            ImplementationError(
                "magnetic north",
                f"its heading is turned by {math.degrees(d):+.1f}°: it gives magnetic north",
                "Add the declination.",
                read=_about_down(d),
            ),
            ImplementationError(
                "declination sign",
                f"its heading is turned by {math.degrees(2 * d):+.1f}°: the declination is subtracted instead of added",
                "East declination is positive: true heading is magnetic plus declination.",
                read=_about_down(2 * d),
            ),
        ]
    return out
