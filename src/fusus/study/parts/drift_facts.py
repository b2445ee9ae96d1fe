"""What is worth knowing of a suite at rest and around it, in figures with a word of explanation."""

import math
from dataclasses import dataclass

from fusus.core.analysis import still
from fusus.core.derived_requirements.bus import bus_times, busiest
from fusus.core.mission.trajectory import PROFILES
from fusus.core.sensors.magnetometer import heading_error_rad
from fusus.project.records import Project
from fusus.study.brief.brief import derived_requirements_of
from fusus.study.parts.suite import SuiteStudy

HOUR = 3600.0
RAIN_S = 600.0  # over which the weather's drift is told


@dataclass(frozen=True, slots=True)
class Fact:
    """A name, a value with its unit, and what it means."""

    name: str
    value: str
    meaning: str


def facts(project: Project, study: SuiteStudy) -> tuple[Fact, ...]:
    """Return the facts of a suite on the project's mission."""
    return (*_inertial(project, study), *_small(project, study), *_aiding(study), *_buses(project, study))


def _buses(project: Project, study: SuiteStudy) -> list[Fact]:
    loop = next(n.value for n in derived_requirements_of(project) if n.key == "loop_rate")
    times = bus_times(study.choice.separate(), loop)
    if not times:
        return []
    longest = max(times, key=lambda t: t.read_s)
    bus, share = busiest(times)
    each = f"{longest.part} takes {longest.read_s * 1e6:.0f} µs a read; the IMU is read {loop:.0f} times a second"
    return [Fact(f"{bus} bus busy", f"{share:.0%}", each)]


def _inertial(project: Project, study: SuiteStudy) -> list[Fact]:
    gyro, acc = study.model.gyro, study.model.acc
    g, a = still.gyro_grade(gyro.instability), still.acc_grade(acc.bias)
    tau, floor = still.best_averaging(gyro)
    best = f"the gyro bias is then known to {math.degrees(floor) * HOUR:.2g} °/h; longer makes it worse"
    out = [
        Fact("Gyro grade", g.name, f"bias instability {g.bound}"),
        Fact("Accelerometer grade", a.name, f"bias after calibration {a.bound}"),
        Fact("Best averaging", f"{tau:.0f} s", best),
    ]
    wanted, d = project.drift.bias_error_rad_s, project.drift
    long = still.averaging_time(gyro, wanted)
    words = "never" if long is None else "at once" if long < 0.1 else f"{long:.1f} s"
    told = f"{math.degrees(wanted) * HOUR:.3g} °/h; from the Allan curve, not σ/√n, which would say "
    told += f"{(gyro.noise / wanted) ** 2:.2g} s"
    out.append(Fact("Averaging for the wanted bias error", words, told))
    left = math.degrees(still.bias_error(gyro, d.averaging_s)) * HOUR
    out.append(Fact(f"Bias after {d.averaging_s:g} s", f"{left:.2g} °/h", "what averaging so long leaves, one sigma"))
    shake = project.brief.mission.vibration_acc_m_s2
    rectified = acc.vibration_rectification * shake**2 / 9.80665 * 1e3
    out.append(Fact("Vibration rectified", f"{rectified:.2g} mg", f"bias from {shake:g} m/s² RMS of vibration: k₂ σ²"))
    return out


def _small(project: Project, study: SuiteStudy) -> list[Fact]:
    place = project.brief.place
    latitude = math.radians(place.lat_deg) if place else 0.9
    out = []
    for term in still.small_terms(study.model.gyro, study.model.acc, project.brief.mission.speed_m_s, latitude):
        scale, unit = (math.degrees(1.0) * HOUR, "°/h") if term.unit == "rad/s" else (1.0, term.unit)
        shows = "hidden by a kelvin of warming: may be dropped"
        if term.shows_after_s is not None:
            shows = f"shows after averaging {term.shows_after_s:.0f} s"
        meaning = f"the sensor's floor is {term.floor * scale:.2g} {unit}; {shows}"
        out.append(Fact(term.name, f"{term.value * scale:.3g} {unit}", meaning))
    return out


def _aiding(study: SuiteStudy) -> list[Fact]:
    out = []
    m, trajectory = study.model, study.prediction.trajectory
    mission, mpp, horizontal = trajectory.mission, trajectory.metres_per_pascal, trajectory.place[4]
    if m.baro is not None:
        flow = float(trajectory.profiles[:, PROFILES.index("airflow")].max()) * m.baro.airflow_cp
        warm = m.baro.temperature_slope_pa_k * mission.warming_k * mpp
        weather = mission.weather_pa * mpp * math.sqrt(2 * RAIN_S / m.baro.weather_tau_s)
        out += [
            Fact("Airflow on the barometer", f"{flow:.2f} m", "at the mission's greatest airspeed, as it is covered"),
            Fact("Barometer warming", f"{warm:.2f} m", f"over {mission.warming_k:g} K"),
            Fact("Weather in ten minutes", f"{weather:.2f} m", f"{mission.weather_pa:g} Pa over some three hours"),
        ]
    if m.mag is not None:
        motor = m.mag.motor_ut_a * mission.hover_current_a
        turned = math.degrees(heading_error_rad(motor, horizontal))
        bent = math.degrees(heading_error_rad(mission.steel_ut, horizontal))
        around = f"in a horizontal field of {horizontal:.1f} µT"
        out += [
            Fact("Motor currents on heading", f"{turned:.1f}°", f"{motor:.2f} µT {around}"),
            Fact("Steel on heading", f"{bent:.0f}°", f"{mission.steel_ut:g} µT at the nearest point {around}"),
        ]
    if m.gnss is not None:
        sigma = math.hypot(m.gnss.white_horizontal_m, m.gnss.correlated_horizontal_m)
        cep50, cep95 = sigma * math.sqrt(2 * math.log(2)), sigma * math.sqrt(2 * math.log(20))
        drifts = (
            f"95 % within {cep95:.2f} m; it drifts over {m.gnss.correlation_time_s:.0f} s: a shorter mean gains little"
        )
        out.append(Fact("GNSS CEP50", f"{cep50:.2f} m", drifts))
    return out
