"""What a project has chosen, as a kit is made of it."""

from importlib.metadata import version

import numpy as np

from fusus.core.arrays import Array
from fusus.core.calibration.apply import Corrections
from fusus.core.control.failsafe_rules import table
from fusus.core.estimation.aiding import Aiding
from fusus.core.estimation.catalogue import EstimatorParameters, info_for
from fusus.core.estimation.initial import Start
from fusus.core.parts.part import Completed
from fusus.core.world.site import Site
from fusus.firmware.translation.types import Precision
from fusus.firmware.writing.plan import Controls, Plan, Scales, calibrated
from fusus.project.records import Project, StoredCalibration
from fusus.study.flying.open_loop import place_of
from fusus.study.flying.setup import chosen_failsafe, controller_of
from fusus.study.kit.state import estimator_of, state_of
from fusus.study.loops.axes import study_loops
from fusus.study.parts.suite import choice_of
from fusus.study.recording.corrections import APPLIED

# Where no part is chosen: usual rates and ranges.
USUAL_BARO_HZ, USUAL_MAG_HZ = 25.0, 100.0
USUAL = {"gyro_range": np.radians(2000.0), "acc_range": 16 * 9.80665, "mag_range": 800.0}


def plan_of(project: Project, precision: Precision | None = None, estimator: str | None = None) -> Plan:
    """Return the kit that a project means; ``precision`` and ``estimator`` stand in for the project's own choice."""
    name = estimator or estimator_of(project)
    info = info_for(name)
    parameters = project.fusion.parameters_of(name)
    _, site = place_of(project)
    aiding = _aiding(project)
    coefficients, errors, variances = following(name, parameters, site, aiding)
    force = project.bench.in_force() if project.bench.use else {}
    corrections = Corrections({k: force[k].parameters for k in APPLIED if k in force})
    return Plan(
        project=project.name,
        state=state_of(project),
        version=version("fusus"),
        precision=precision or project.kit.precision,
        info=info,
        parameters=parameters,
        site=site,
        calibrations=calibrated(corrections),
        scales=_scales(project),
        controls=_controls(project),
        mag_interval_s=float(aiding.mag[0, 4]) if len(aiding.mag) else 1.0 / USUAL_MAG_HZ,
        coefficients=coefficients,
        errors=errors,
        first_variances=variances,
        said=_said(project, force),
        is_practice=project.is_practice,
    )


def following(
    name: str, parameters: EstimatorParameters, site: Site, aiding: Aiding
) -> tuple[object | None, int, tuple[float, ...]]:
    """Return coefficients that depend on which sensors there are, the number of errors, and first variances, where there are any."""
    from fusus.core.estimation.altitude import run as altitude
    from fusus.core.estimation.navigation_ekf import start as navigation
    from fusus.core.estimation.navigation_ekf.parameters import Parameters as NavigationParameters

    if isinstance(parameters, NavigationParameters):
        field = site.field
        start = Start(
            np.array([1.0, 0.0, 0.0, 0.0]), np.zeros(3), True, 1.0, field.strength_ut if field else 50.0,
            field.inclination_rad if field else 1.0, len(aiding.mag) > 0,
        )  # fmt: skip
        c = navigation.coefficients(parameters, site, start, aiding)
        return c, navigation.size_of(c), ()
    if info_for(name).module == "altitude":
        p: altitude.AnyParameters = parameters  # type: ignore[assignment]
        return altitude.coefficients(p, aiding), 0, tuple(float(v) for v in np.diag(altitude.first_covariance(p)))
    return None, 0, ()


def _aiding(project: Project) -> Aiding:
    """Return made-up measurements of the kinds and at the rates that the chosen parts give."""
    choice = choice_of(project)
    if choice is None:
        baro_hz, mag_hz, has_fixes, has_field = USUAL_BARO_HZ, USUAL_MAG_HZ, True, True
    else:
        baro_hz = choice.barometer.value("rate") if choice.barometer else 0.0
        mag_hz = choice.magnetometer.value("mag_rate") if choice.magnetometer else 0.0
        has_fixes, has_field = choice.receiver is not None, choice.magnetometer is not None
    t = np.arange(10)[:, None]
    baro: Array = np.hstack([t / baro_hz, np.zeros((10, 1))]) if baro_hz else np.empty((0, 2))
    mag: Array = (
        np.hstack([t / mag_hz, np.zeros((10, 3)), np.full((10, 1), 1.0 / mag_hz)]) if has_field else np.empty((0, 5))
    )
    gnss: Array = np.hstack([t * 0.1, np.zeros((10, 6)), np.ones((10, 2))]) if has_fixes else np.empty((0, 9))
    return Aiding(gnss, baro, mag, starts_at_home=True)


def _scales(project: Project) -> Scales:
    """Return what a count of each sensor is, by its datasheet."""
    choice = choice_of(project)

    def step(part: Completed | None, sensor: str) -> float:
        full = part.value(f"{sensor}_range") if part else float(USUAL[f"{sensor}_range"])
        bits = round(part.value(f"{sensor}_bits")) if part else 16
        return float(full / 2 ** (bits - 1))

    imu = choice.imu if choice else None
    field = choice.magnetometer if choice else None
    said = f"widest range and bits of {imu.part.name}" if imu else "usual ranges at 16 bits, for no IMU is chosen"
    return Scales(
        step(imu, "gyro"), step(imu, "acc"), step(field, "mag"), f"{said}; set your sensor to it, or mend this"
    )


def _controls(project: Project) -> Controls:
    study = study_loops(project)
    flown = controller_of(study, "attitude-ekf")
    loops = project.loops
    return Controls(
        flown.cascade,
        flown.sections,
        study.mixer.mix,
        project.brief.craft.idle_share**2,
        loops.arm_tilt_rad,
        loops.arm_when_due,
        flown.acc_sections,
        flown.failsafe,
        table(flown.failsafe, chosen_failsafe(project)),
    )


def _said(project: Project, force: dict[str, StoredCalibration]) -> dict[str, str]:
    """Return what each figure rests on, by its path."""
    told = {path: e.told() for path, e in project.provenance.items()}
    loops, craft = project.loops, project.brief.craft
    for kind in ("gyro-bias", "thermal", "six-face", "magnetometer", "mounting", "motor-current"):
        c = force.get(kind)
        told[kind] = (
            f"bench, recording “{c.recording}”, {c.when.date().isoformat()}, {c.verdict}" if c else "none active"
        )
    for axis in ("roll", "pitch", "yaw"):
        hz = loops.yaw_crossover_hz if axis == "yaw" else loops.crossover_hz
        by_hand = getattr(loops, axis) is not None
        words = f"designed to cross over at {hz:g} Hz with {np.degrees(loops.phase_margin_rad):.0f}° to spare"
        told[f"cascade.{axis}"] = "by hand" if by_hand else words
        told[f"cascade.{axis}_nm"] = f"torque of a full command, of a {craft.layout}"
        told[f"cascade.{axis}_ahead"] = f"feed-forward {loops.feed_forward:g} of it"
    for field in ("tilt_p", "heading_p", "climb_p", "place_p", "speed_p"):
        told[f"cascade.{field}"] = "by hand" if getattr(loops, field) is not None else "slower than the loop inside it"
    told |= {
        "cascade.height_p": "a third of the climb loop",
        "cascade.climb_i": "of the climb loop",
        "cascade.speed_i": "of the speed loop",
    }
    told |= {
        "cascade.accel_limit_m_s2": "by the tilt limit",
        "cascade.gravity_m_s2": "of the site",
        "cascade.full_n": "all motors",
    }
    names = {
        "rate_rad_s": "rate_rad_s", "yaw_rate_rad_s": "yaw_rate_rad_s", "tilt_rad": "tilt_rad", "speed_m_s": "speed_m_s",
        "up_m_s": "up_m_s", "down_m_s": "down_m_s", "shaping_s": "shaping_s", "curve": "stick_curve", "dead": "dead_band",
        "home_m": "home_height_m",
    }  # fmt: skip
    for field, path in names.items():
        told[f"cascade.{field}"] = told.get(f"loops.{path}", "assumed")
    told["cascade.mass_kg"] = told.get("brief.craft.mass_kg", "assumed")
    notch = f", notch at {loops.notch_hz:g} Hz" if loops.notch_hz else ""
    told["filters"] = f"second-order low-pass at {loops.gyro_lowpass_hz:g} Hz{notch}"
    told["acc_filter"] = f"second-order low-pass at {loops.acc_lowpass_hz:g} Hz" if loops.acc_lowpass_hz else "none"
    told["mixer"] = f"pseudo-inverse of a {craft.layout}'s motors"
    told["idle"] = f"square of the idle speed, {craft.idle_share:g}: {told.get('brief.craft.idle_share', 'assumed')}"
    return told
