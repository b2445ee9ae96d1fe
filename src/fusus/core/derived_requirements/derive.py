"""What a brief asks of the parts, in figures, each with its reasoning."""

import math
from dataclasses import dataclass
from typing import Literal

from fusus.core.derived_requirements.modes import Mode
from fusus.core.frames.units import from_si
from fusus.core.mission.mission import Mission
from fusus.core.requirements import Requirement
from fusus.core.vehicle.airframe import Airframe, hover
from fusus.core.world.atmosphere import G0_M_S2
from fusus.core.world.site import Site

# Sources share a requirement: one alone may use half of it (their squares add up, four such fill it).
SHARE = 0.5
PEAK = 3.0  # peaks of vibration over its RMS
MARGIN = 1.3
GYRO_RATES_RAD_S = {"rate": math.radians(800), "mixed": math.radians(600)}
USUAL_RATE_RAD_S = math.radians(250)
GRAVITY_TAU_S = 5.0  # how long a tilt estimate leans on the gyro alone
# What a craft's own accelerations make of gravity: RMS and how long they last. Common practice.
MOTION_M_S2, MOTION_S = 1.0, 2.0
LEAST_RANGE_G = 8.0  # touch-downs and harder shaking than a mission's go beyond full thrust: common practice


@dataclass(frozen=True, slots=True)
class DerivedRequirement:
    """A figure that a part must reach: at least or at most ``value`` (SI of ``quantity``), shown in ``unit``."""

    key: str
    title: str
    sense: Literal["at least", "at most"]
    value: float
    quantity: str
    unit: str
    reason: str

    @property
    def shown(self) -> str:
        """The figure for people."""
        value = from_si(self.value, self.unit, self.quantity)
        digits = 3 if value < 100 else max(3, len(f"{value:.0f}"))
        return f"{value:.{digits}g} {self.unit}"


def _limit(requirements: tuple[Requirement, ...], quantity: str) -> float | None:
    found = [r.limit for r in requirements if r.quantity == quantity]
    return min(found) if found else None


def derive(
    frame: Airframe, mission: Mission, requirements: tuple[Requirement, ...], modes: tuple[Mode, ...], site: Site,
    density_kg_m3: float, horizontal_ut: float,
) -> tuple[DerivedRequirement, ...]:  # fmt: skip
    """Return the needs of a brief.

    Parameters
    ----------
    frame : Airframe
        The craft.
    mission : Mission
        What it does and through what.
    requirements : tuple of Requirement
        How good the estimate has to be.
    modes : tuple of Mode
        Flight modes that are wanted.
    site : Site
        Gravity.
    density_kg_m3 : float
        Of the air.
    horizontal_ut : float
        Horizontal part of the field.

    Returns
    -------
    tuple of DerivedRequirement
        Ranges and rates first, then accuracies; only for sensors that the brief gives a reason for.
    """
    g = site.gravity_m_s2
    found = hover(frame, g, density_kg_m3)
    out = _ranges(mission, modes, g, found.thrust_to_weight)
    out += _rates(frame, modes, found.rotor_hz * math.sqrt(max(found.thrust_to_weight, 1.0)))
    out += _inertial(requirements, mission, g)
    out += _aiding(requirements, mission, horizontal_ut, density_kg_m3 * g)
    return tuple(out)


def _ranges(mission: Mission, modes: tuple[Mode, ...], g: float, thrust_to_weight: float) -> list[DerivedRequirement]:
    rate = max([GYRO_RATES_RAD_S.get(m, USUAL_RATE_RAD_S) for m in modes], default=USUAL_RATE_RAD_S)
    shake = PEAK * mission.vibration_gyro_rad_s
    force = thrust_to_weight * g
    shake_f = PEAK * mission.vibration_acc_m_s2
    return [
        DerivedRequirement(
            "gyro_range", "Gyro range", "at least", MARGIN * (rate + shake), "rate", "deg/s",
            f"manoeuvres to {math.degrees(rate):.0f} °/s, vibration peaks of {math.degrees(shake):.1f} °/s, {MARGIN:g} times both",
        ),
        DerivedRequirement(
            "acc_range", "Accelerometer range", "at least", max(MARGIN * (force + shake_f), LEAST_RANGE_G * G0_M_S2),
            "acceleration", "g", f"full thrust gives {thrust_to_weight:.1f} g, vibration peaks {shake_f / g:.2f} g, {MARGIN:g} times "
            f"both; never below ±{LEAST_RANGE_G:g} g, for touch-downs",
        ),
    ]  # fmt: skip


def _rates(frame: Airframe, modes: tuple[Mode, ...], fastest_hz: float) -> list[DerivedRequirement]:
    bandwidth = 10.0 * math.sqrt(0.25 / frame.arm_m)
    loop = max(100.0, 20.0 * bandwidth)
    harmonics = 2.2 * 2 * fastest_hz
    out = [
        DerivedRequirement(
            "loop_rate", "Rate loop", "at least", loop, "frequency", "Hz",
            f"a craft of this size turns with some {bandwidth:.0f} Hz of bandwidth; twenty samples a period keep the phase",
        ),
        DerivedRequirement(
            "gyro_rate", "IMU rate", "at least", max(loop, harmonics), "frequency", "Hz",
            f"the loop, and 2.2 times the rotors' second harmonic ({2 * fastest_hz:.0f} Hz at full thrust), else vibration "
            "folds down into the band",
        ),
    ]  # fmt: skip
    if {"altitude-hold", "position-hold", "return", "follow-path"} & set(modes):
        out.append(
            DerivedRequirement(
                "baro_rate", "Barometer rate", "at least", 20.0, "frequency", "Hz",
                "a height loop of 1 Hz wants twenty samples a period; beyond 200 Hz nothing is gained",
            )
        )  # fmt: skip
    return out


def _inertial(requirements: tuple[Requirement, ...], mission: Mission, g: float) -> list[DerivedRequirement]:
    out = []
    tilt, outage = _limit(requirements, "tilt"), _limit(requirements, "outage")
    if tilt is not None:
        out += [
            DerivedRequirement(
                "gyro_noise", "Gyro noise", "at most", (SHARE * tilt) ** 2 * g / (MOTION_M_S2 * math.sqrt(2 * MOTION_S)),
                "rate noise", "mdeg/s/√Hz", f"half the tilt limit where gravity is seen through accelerations of {MOTION_M_S2:g} m/s² "
                f"that last {MOTION_S:g} s: a steady filter's tilt error is √(N R), R = a √(2τ)/g",
            ),
            DerivedRequirement(
                "gyro_bias", "Gyro bias left", "at most", SHARE * tilt / GRAVITY_TAU_S, "rate", "deg/s",
                f"half the tilt limit in {GRAVITY_TAU_S:g} s, as b t",
            ),
            DerivedRequirement(
                "acc_bias", "Accelerometer bias left", "at most", SHARE * tilt * g, "acceleration", "mg",
                "a level bias reads as tilt b/g: half the tilt limit",
            ),
        ]  # fmt: skip
    if outage is not None and mission.outage_s > 0:
        t = mission.outage_s
        out += [
            DerivedRequirement(
                "acc_bias_outage", "Accelerometer bias or tilt in the outage", "at most", SHARE * outage * 2 / t**2,
                "acceleration", "mg", f"half the outage limit, as ½ b t²; {math.degrees(outage / t**2 / g):.2f}° of tilt do it too",
            ),
            DerivedRequirement(
                "gyro_bias_outage", "Gyro bias left in the outage", "at most", SHARE * outage * 6 / (g * t**3), "rate",
                "deg/h", f"half the outage limit in {t:g} s, as g b t³/6",
            ),
        ]  # fmt: skip
    return out


def _aiding(
    requirements: tuple[Requirement, ...], mission: Mission, horizontal_ut: float,
    pascals_per_metre: float,
) -> list[DerivedRequirement]:  # fmt: skip
    out = []
    heading, height = _limit(requirements, "heading"), _limit(requirements, "height")
    position, velocity = _limit(requirements, "position"), _limit(requirements, "velocity")
    if heading is not None:
        out.append(
            DerivedRequirement(
                "mag_error", "Field error left", "at most", horizontal_ut * math.sin(min(1.5, SHARE * heading)), "field", "µT",
                f"half the heading limit in a horizontal field of {horizontal_ut:.1f} µT, asin(d/H)",
            )
        )  # fmt: skip
    if height is not None:
        out.append(
            DerivedRequirement(
                "baro_noise", "Pressure noise", "at most", SHARE * height * pascals_per_metre, "pressure", "Pa",
                f"half the height limit at {pascals_per_metre:.1f} Pa a metre",
            )
        )  # fmt: skip
    if position is not None:
        out.append(
            DerivedRequirement(
                "fix_rate", "Fix rate", "at least", max(5.0, mission.speed_m_s / position), "frequency", "Hz",
                f"at {mission.speed_m_s:g} m/s the craft moves less than the position limit between fixes, and never fewer than 5 a second "
                "for holding a position",
            )
        )  # fmt: skip
    if velocity is not None:
        out.append(
            DerivedRequirement(
                "fix_speed", "GNSS speed error", "at most", velocity, "speed", "m/s", "the velocity limit; filters average it",
            )
        )  # fmt: skip
    return out
