"""The airframe: rotors, inertia, thrust, power and current in the hover, from a few figures that a maker knows."""

import math
from dataclasses import dataclass

from fusus.core.arrays import check_range

RotorPlace = tuple[float, float, float]  # forward, right, down, m
AXES = ("roll", "pitch", "yaw")

# Share of the mass that sits at the rotors (motors, props, half the arms): common practice for open frames.
ROTOR_SHARE = 0.35
FIGURE_OF_MERIT = 0.55
DRIVE_EFFICIENCY = 0.75  # motor and controller together: common practice
CELL_V = 3.7


@dataclass(frozen=True, slots=True)
class Airframe:
    """What is known of the craft. ``inertia_kg_m2`` about forward, right and down, each, full speed of a motor and a propeller's
    torque over its thrust, or None to estimate them. ``own``: motors of the layout “other”, forward, right, whether clockwise from
    above."""

    layout: str
    mass_kg: float
    arm_m: float
    prop_diameter_m: float = 0.25
    motor_thrust_n: float = 8.0
    cells: float = 4.0
    capacity_as: float = 3.6 * 4000
    inertia_kg_m2: tuple[float | None, float | None, float | None] = (None, None, None)
    full_rpm: float | None = None
    torque_per_thrust_m: float | None = None
    own: tuple[tuple[float, float, bool], ...] = ()

    def __post_init__(self) -> None:
        check_range("Mass", self.mass_kg, 0.02, 150, "kg")
        check_range("Arm", self.arm_m, 0.02, 5, "m")
        check_range("Propeller diameter", self.prop_diameter_m, 0.02, 3, "m")
        check_range("Thrust of a motor", self.motor_thrust_n, 0.05, 2000, "N")


_ANGLES: dict[str, tuple[float, ...]] = {
    "X-quad": (45, 135, 225, 315),
    "plus-quad": (0, 90, 180, 270),
    "H-quad": (45, 135, 225, 315),
    "hexa": (30, 90, 150, 210, 270, 330),
    "octo": (22.5, 67.5, 112.5, 157.5, 202.5, 247.5, 292.5, 337.5),
    "coaxial X8": (45, 135, 225, 315) * 2,
    "other": (45, 135, 225, 315),
}


def placed_from(text: str) -> tuple[tuple[float, float, bool], ...]:
    """Return motors as written, “0.15 0.15 cw; …”: metres forward and right, and the turn seen from above, cw or ccw.

    ValueError says what is wrong.
    """
    out = []
    for number, words in enumerate((w.split() for w in text.split(";") if w.strip()), 1):
        if len(words) != 3 or words[2].lower() not in ("cw", "ccw"):
            raise ValueError(f"motor {number}: give metres forward, metres right, and cw or ccw, such as 0.15 0.15 ccw")
        try:
            out.append((float(words[0]), float(words[1]), words[2].lower() == "cw"))
        except ValueError as error:
            raise ValueError(f"motor {number}: “{words[0]} {words[1]}” are not two numbers of metres") from error
    return tuple(out)


def rotor_places(frame: Airframe) -> tuple[RotorPlace, ...]:
    """Return the rotors' places; of a coaxial craft two at each arm, the second one below the first.

    A craft of its own geometry whose motors are not placed yet counts as an X.
    """
    layout, arm_m = frame.layout, frame.arm_m
    if layout == "other" and frame.own:
        return tuple((forward, right, 0.0) for forward, right, _ in frame.own)
    angles = _ANGLES[layout]
    out = []
    for i, angle in enumerate(angles):
        down = 0.05 if layout == "coaxial X8" and i >= 4 else 0.0
        a = math.radians(angle)
        stretch = 1.15 if layout == "H-quad" else 1.0  # longer than wide
        out.append((arm_m * math.cos(a) * stretch, arm_m * math.sin(a), down))
    return tuple(out)


def inertia(frame: Airframe) -> tuple[float, float, float]:
    """Return the moments of inertia about forward, right and down, kg m².

    Each as entered, else rotors as points and the rest as a flat cylinder of a third of the arm; good to some 25 %.
    """
    places = rotor_places(frame)
    each = ROTOR_SHARE * frame.mass_kg / len(places)
    body = (1 - ROTOR_SHARE) * frame.mass_kg
    radius, height = frame.arm_m / 3, frame.arm_m / 4
    flat = body * (3 * radius**2 + height**2) / 12
    xx = flat + sum(each * (y * y + z * z) for _, y, z in places)
    yy = flat + sum(each * (x * x + z * z) for x, _, z in places)
    zz = body * radius**2 / 2 + sum(each * (x * x + y * y) for x, y, _ in places)
    x, y, z = frame.inertia_kg_m2
    return xx if x is None else x, yy if y is None else y, zz if z is None else z


@dataclass(frozen=True, slots=True)
class Hover:
    """What hovering takes: thrust of a motor, thrust-to-weight, rotor frequency, power, current, minutes to 20 % left."""

    motor_thrust_n: float
    thrust_to_weight: float
    rotor_hz: float
    power_w: float
    current_a: float
    endurance_s: float


def hover(frame: Airframe, gravity_m_s2: float, density_kg_m3: float) -> Hover:
    """Return hover figures by momentum theory (Leishman, ch. 2, from memory), good to some 20 %.

    P = T v / FM with v = √(T / 2ρA). Two rotors on one arm share its disc.
    """
    rotors = len(rotor_places(frame))
    weight = frame.mass_kg * gravity_m_s2
    thrust = weight / rotors
    discs = 4 if frame.layout == "coaxial X8" else rotors
    area = discs * math.pi * (frame.prop_diameter_m / 2) ** 2
    ideal = weight * math.sqrt(weight / (2 * density_kg_m3 * area))
    power = ideal / FIGURE_OF_MERIT / DRIVE_EFFICIENCY
    current = power / (frame.cells * CELL_V)
    return Hover(
        thrust,
        frame.motor_thrust_n * rotors / weight,
        rotor_hz(frame, thrust, density_kg_m3),
        power,
        current,
        0.8 * frame.capacity_as / current,
    )


def rotor_hz(frame: Airframe, thrust_n: float, density_kg_m3: float) -> float:
    """Return the rotor's frequency at a thrust: from its measured full speed, T ∝ n², else by a thrust coefficient of 0.1
    (T = C_T ρ n² D⁴), usual for small propellers."""
    if frame.full_rpm is not None:
        return frame.full_rpm / 60.0 * math.sqrt(thrust_n / frame.motor_thrust_n)
    return math.sqrt(thrust_n / (0.1 * density_kg_m3 * frame.prop_diameter_m**4))
