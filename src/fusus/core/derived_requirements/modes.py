"""Flight modes against sensors: what each needs, what helps it, and why. Common practice."""

from dataclasses import dataclass
from typing import Literal

Mode = Literal["rate", "self-level", "mixed", "altitude-hold", "position-hold", "return", "follow-path"]
Sensor = Literal["gyro", "accelerometer", "barometer", "magnetometer", "gnss", "rangefinder"]
Need = Literal["needed", "either", "helps", "not used"]

MODES: dict[Mode, str] = {
    "rate": "Rate",
    "self-level": "Self-level",
    "mixed": "Mixed",
    "altitude-hold": "Altitude hold",
    "position-hold": "Position hold",
    "return": "Return",
    "follow-path": "Follow a path",
}
SENSORS: dict[Sensor, str] = {
    "gyro": "Gyro",
    "accelerometer": "Accelerometer",
    "barometer": "Barometer",
    "magnetometer": "Magnetometer",
    "gnss": "GNSS",
    "rangefinder": "Rangefinder",
}


@dataclass(frozen=True, slots=True)
class Entry:
    """One cell of the matrix."""

    need: Need
    reason: str


_GYRO = Entry("needed", "the inner loop holds angular rates")
_LEVEL = Entry("needed", "gravity shows which way is down; without it tilt drifts with the gyro")
_UNUSED = Entry("not used", "the mode does without")
_HEIGHT = Entry("needed", "pressure shows height to some decimetres; the accelerometer alone is off by ½ b t²")
_NEAR = Entry("helps", "over ground within its range it is better than pressure, and knows the ground")
_FIX = Entry("needed", "only a fix shows where the craft is: without one it drifts with the wind")
_HEADING = Entry(
    "either", "position is steered along a heading: from the magnetometer (one school), or from the GNSS course (the other), "
    "which works only while moving and lags",
)  # fmt: skip
_HEADING_AT_REST = Entry(
    "needed", "a place is held along a heading, and a hover has no GNSS course: only a magnetometer shows the heading there",
)  # fmt: skip
_COURSE_HELPS = Entry("helps", "a heading that does not drift")

MATRIX: dict[Mode, dict[Sensor, Entry]] = {
    "rate": {
        "gyro": _GYRO,
        "accelerometer": Entry("not used", "the sticks ask for rates; switching it off frees loop time"),
        "barometer": _UNUSED, "magnetometer": _UNUSED, "gnss": _UNUSED, "rangefinder": _UNUSED,
    },
    "self-level": {
        "gyro": _GYRO, "accelerometer": _LEVEL, "barometer": _UNUSED, "magnetometer": _COURSE_HELPS, "gnss": _UNUSED,
        "rangefinder": _UNUSED,
    },
    "mixed": {
        "gyro": _GYRO, "accelerometer": Entry("needed", "near the centre of the stick it levels itself"),
        "barometer": _UNUSED, "magnetometer": _UNUSED, "gnss": _UNUSED, "rangefinder": _UNUSED,
    },
    "altitude-hold": {
        "gyro": _GYRO, "accelerometer": _LEVEL, "barometer": _HEIGHT, "magnetometer": _COURSE_HELPS,
        "gnss": Entry("helps", "it stops the pressure's drift with the weather over minutes"), "rangefinder": _NEAR,
    },
    "position-hold": {
        "gyro": _GYRO, "accelerometer": _LEVEL, "barometer": _HEIGHT, "magnetometer": _HEADING_AT_REST, "gnss": _FIX,
        "rangefinder": _NEAR,
    },
    "return": {
        "gyro": _GYRO, "accelerometer": _LEVEL, "barometer": _HEIGHT, "magnetometer": _HEADING, "gnss": _FIX,
        "rangefinder": _NEAR,
    },
    "follow-path": {
        "gyro": _GYRO, "accelerometer": _LEVEL, "barometer": _HEIGHT, "magnetometer": _HEADING, "gnss": _FIX,
        "rangefinder": _NEAR,
    },
}  # fmt: skip

RANK: dict[Need, int] = {"not used": 0, "helps": 1, "either": 2, "needed": 3}


def sensors_for(modes: tuple[Mode, ...]) -> dict[Sensor, tuple[Mode, Entry]]:
    """Return for each sensor the mode that asks most for it, with its entry."""
    out: dict[Sensor, tuple[Mode, Entry]] = {}
    for sensor in SENSORS:
        asked = [(m, MATRIX[m][sensor]) for m in modes]
        if asked:
            out[sensor] = max(asked, key=lambda a: RANK[a[1].need])
    return out
