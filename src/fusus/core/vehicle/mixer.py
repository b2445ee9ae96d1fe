"""From wanted thrust and torques to motors: any geometry, both customs of numbering."""

import math
from dataclasses import dataclass

import numpy as np

from fusus.core.arrays import Array, check_range
from fusus.core.vehicle.airframe import Airframe, RotorPlace, rotor_places
from fusus.core.vehicle.motor_limits import mix_into
from fusus.errors import ParameterError

# A propeller's torque over its thrust, as a share of its diameter: common practice for two blades.
TORQUE_PER_THRUST = 0.06
# So many outputs a board has, and a log columns.
MOST_MOTORS = 12


@dataclass(frozen=True, slots=True)
class Motor:
    """One motor: place (forward, right, down) m, whether it turns clockwise seen from above, and its numbers by both customs."""

    place: RotorPlace
    is_clockwise: bool
    round_number: int
    diagonal_number: int


@dataclass(frozen=True, slots=True)
class Mixer:
    """``effect`` (4, M): thrust N and torques N m of roll, pitch, yaw, by a full motor each. ``mix`` (M, 4): the share of its full
    thrust that each motor gives per N of thrust and N m of torque."""

    motors: tuple[Motor, ...]
    effect: Array
    mix: Array

    @property
    def authority_nm(self) -> tuple[float, float, float]:
        """The torque of each axis when motors that help give all more and the others all less, from half thrust: N m."""
        e = np.abs(self.effect[1:]).sum(axis=1) / 2.0
        return float(e[0]), float(e[1]), float(e[2])


def motors_of(frame: Airframe) -> tuple[Motor, ...]:
    """Return the motors of an airframe: neighbours turn against each other, a coaxial pair too.

    Numbers: *round*, from the front right one clockwise; *by diagonals*, from the back right one, front right, back left, front left.
    """
    places = rotor_places(frame)
    coaxial = frame.layout == "coaxial X8"
    turns_known = frame.layout == "other" and len(frame.own) > 0
    arms = len(places) // 2 if coaxial else len(places)
    order = sorted(range(arms), key=lambda i: math.atan2(places[i][1], places[i][0]) % (2.0 * math.pi))
    by_round = {i: n for n, i in enumerate(order)}
    # Right before left, and of these the back one first.
    diagonal = sorted(range(arms), key=lambda i: (places[i][1] < -1e-9, places[i][0] > 1e-9, places[i][0]))
    by_diagonal = {i: n for n, i in enumerate(diagonal)}
    out = []
    for i, place in enumerate(places):
        arm, below = i % arms, i >= arms
        clockwise = frame.own[i][2] if turns_known else (by_round[arm] % 2 == 1) != below
        shift = arms if below else 0
        out.append(Motor(place, clockwise, by_round[arm] + 1 + shift, by_diagonal[arm] + 1 + shift))
    return tuple(out)


def mixer_of(frame: Airframe, motors: tuple[Motor, ...] | None = None) -> Mixer:
    """Return the mixer of an airframe by the pseudo-inverse of what its motors do; ParameterError where an axis cannot be turned."""
    motors = motors_of(frame) if motors is None else motors
    arm = frame.torque_per_thrust_m or TORQUE_PER_THRUST * frame.prop_diameter_m
    effect = np.zeros((4, len(motors)))
    for i, m in enumerate(motors):
        x, y, _ = m.place
        # Thrust points up: on the right it rolls left, in front it pitches up. A propeller drags the body against its own turn.
        effect[:, i] = np.array([1.0, -y, x, -arm if m.is_clockwise else arm]) * frame.motor_thrust_n
    check_range("Number of motors", len(motors), 1, MOST_MOTORS, "")
    for axis, row in zip(("Thrust", "Roll", "Pitch", "Yaw"), effect, strict=True):
        if np.abs(row).max(initial=0.0) < 1e-9:
            raise ParameterError(f"{axis} authority of {len(motors)} motors", 0.0, 1e-9, math.inf, "N m")
    if np.linalg.matrix_rank(effect, tol=1e-9) < 4:
        raise ParameterError(
            "Independent axes of the motors",
            int(np.linalg.matrix_rank(effect, tol=1e-9)),
            4,
            4,
            "of thrust, roll, pitch, yaw",
        )
    return Mixer(motors, effect, np.asarray(np.linalg.pinv(effect), dtype=np.float64))


def mix(mixer: Mixer, thrust_n: float, torque_nm: tuple[float, float, float], least: float = 0.0) -> Array:
    """Return the motors' shares of full thrust, ``least`` to 1, (M,) for a wanted thrust and torques."""
    out = np.empty((1, len(mixer.motors)))
    roll, pitch, yaw = torque_nm
    mix_into(mixer.mix, float(thrust_n), float(roll), float(pitch), float(yaw), float(least), out, 0)
    return np.asarray(out[0])
