"""What hands do with the board: laid on faces, turned about an axis, held, with smooth motions in between.

Arrays, where a function does not say otherwise (shape, unit, frame):

    mounting : (3, 3) 1, s to b
    face_attitude() : (4,) 1, b to n
"""

from dataclasses import dataclass, field

import numpy as np

from fusus.core.arrays import Array
from fusus.core.calibration.poses import FACES
from fusus.core.frames import quaternion

# Attitude of the laid-down frame as yaw, pitch, roll in rad, in the order of FACES.
_HALF = np.pi / 2
FACE_EULER = (
    (0.0, _HALF, 0.0),
    (0.0, -_HALF, 0.0),
    (0.0, 0.0, -_HALF),
    (0.0, 0.0, _HALF),
    (0.0, 0.0, np.pi),
    (0.0, 0.0, 0.0),
)
SQUARE_RAD = np.radians(0.4)
HAND_RAD = np.radians(4.0)
TABLE_RAD = np.radians(0.4)
TURN_S = 1.2


@dataclass(frozen=True, slots=True)
class Turn:
    """A smooth turn about one axis of the craft: by ``angle_rad`` within ``length_s``; a zero angle is a rest."""

    axis_b: Array
    angle_rad: float
    length_s: float


@dataclass(slots=True)
class Hands:
    """The attitude of the craft over time. Motions queue up; when none is left the craft rests where it is."""

    q_nb: Array = field(default_factory=lambda: np.array([1.0, 0.0, 0.0, 0.0]))
    queue: list[Turn] = field(default_factory=list)
    _done_s: float = 0.0

    @property
    def is_resting(self) -> bool:
        """Whether nothing is left to do."""
        return not self.queue

    def last_attitude(self) -> Array:
        """Return the attitude after all that is queued."""
        q = self.q_nb
        for turn in self.queue:
            q = quaternion.multiply(q, quaternion.from_rotation_vector(turn.axis_b * turn.angle_rad))
        return quaternion.normalise(q)

    def go_to(self, q_nb: Array, length_s: float = TURN_S) -> None:
        """Turn to an attitude the short way."""
        relative = quaternion.to_rotation_vector(quaternion.multiply(quaternion.conjugate(self.last_attitude()), q_nb))
        angle = float(np.linalg.norm(relative))
        axis = relative / angle if angle > 1e-9 else np.array([1.0, 0.0, 0.0])
        self.queue.append(Turn(axis, angle, length_s))

    def turn(self, axis_b: Array, angle_rad: float, length_s: float) -> None:
        """Turn about an axis of the craft."""
        self.queue.append(Turn(np.asarray(axis_b, dtype=float), angle_rad, length_s))

    def rest(self, length_s: float) -> None:
        """Leave it where it is for a while."""
        self.turn(np.array([1.0, 0.0, 0.0]), 0.0, length_s)

    def move(self, dt_s: float, count: int) -> tuple[Array, Array, Array]:
        """Return attitude (N, 4), body rate (N, 3) and whether a hand is on it (N,), for the next samples."""
        q, rate, moving = np.empty((count, 4)), np.zeros((count, 3)), np.zeros(count, dtype=bool)
        row = 0
        while row < count:
            if not self.queue:
                q[row:] = self.q_nb
                break
            turn = self.queue[0]
            n = min(count - row, max(1, int(np.ceil((turn.length_s - self._done_s) / dt_s - 1e-9))))
            x = np.clip((self._done_s + dt_s * np.arange(n)) / turn.length_s, 0.0, 1.0)
            angle, speed = turn.angle_rad * _ease(x), turn.angle_rad * _ease_rate(x) / turn.length_s
            rows = slice(row, row + n)
            q[rows] = quaternion.multiply(self.q_nb, quaternion.from_rotation_vector(angle[:, None] * turn.axis_b))
            rate[rows] = speed[:, None] * turn.axis_b
            moving[rows] = turn.angle_rad != 0.0
            self._done_s += n * dt_s
            row += n
            if self._done_s >= turn.length_s - 1e-9:
                end = quaternion.from_rotation_vector(turn.axis_b * turn.angle_rad)
                self.q_nb = quaternion.normalise(quaternion.multiply(self.q_nb, end))
                self.queue.pop(0)
                self._done_s = 0.0
        return q, rate, moving


def _ease(x: Array) -> Array:
    return x * x * x * (10 - 15 * x + 6 * x * x)


def _ease_rate(x: Array) -> Array:
    return 30 * x * x * (1 - x) ** 2


def face_attitude(face: str, mounting: Array, rng: np.random.Generator, square_rad: float = SQUARE_RAD) -> Array:
    """Return the craft's attitude when its board is laid on a face, as square as a hand does it."""
    index = FACES.index(face)
    lean = quaternion.from_rotation_vector(rng.normal(0.0, square_rad, 3) * [1.0, 1.0, 0.0])
    board = quaternion.multiply(lean, quaternion.from_euler(*FACE_EULER[index]))
    # body = mounting · board, so the craft's attitude is the board's, undone by the mounting.
    return quaternion.normalise(quaternion.multiply(board, quaternion.conjugate(quaternion.from_matrix(mounting))))


def stand_level(hands: Hands, rng: np.random.Generator) -> None:
    """Stand the craft level, as level as the table is."""
    hands.go_to(quaternion.from_rotation_vector(rng.normal(0.0, TABLE_RAD, 3) * [1.0, 1.0, 0.0]))


def tumble(hands: Hands, rng: np.random.Generator, length_s: float, quick: float = 1.0) -> None:
    """Turn through all headings level, on both sides, nose down, nose up and upside down, as for a magnetometer."""
    y, x = np.array([0.0, 1.0, 0.0]), np.array([1.0, 0.0, 0.0])
    # Level, nose down, nose up, on both sides, upside down, and aslant between them.
    tilts = ((x, 0.0), (y, -_HALF), (y, np.pi), (y, 0.7), (x, 0.8), (x, 1.5), (y, -0.8), (x, 2.2))
    each = length_s / len(tilts) / quick
    for axis, angle in tilts:
        if angle:
            hands.turn(axis, angle, 0.2 * each)
        # Turn about the vertical as it lies in the craft now.
        down = quaternion.rotate(quaternion.conjugate(hands.last_attitude()), np.array([0.0, 0.0, 1.0]))
        hands.turn(down, 2 * np.pi * (1.0 + 0.1 * float(rng.standard_normal())), 0.8 * each)


def motions(hands: Hands, rng: np.random.Generator, rest_s: float = 1.5) -> None:
    """Do the three motions that show the mounting: right side down and back, nose up and back, nose to the right."""
    stand_level(hands, rng)
    hands.rest(2.5)
    for i, there_and_back in enumerate((True, True, False)):
        axis = np.eye(3)[i] + rng.normal(0.0, HAND_RAD, 3) * (1 - np.eye(3)[i])
        axis = axis / np.linalg.norm(axis)
        angle = np.radians(40 + 8 * float(rng.standard_normal()))
        hands.turn(axis, angle, 1.0)
        hands.rest(rest_s)
        if there_and_back:
            hands.turn(axis, -angle, 1.0)
            hands.rest(rest_s)
