"""Made-up crafts and flights for the kit's tests."""

import numpy as np

from fusus.core.calibration.apply import Corrections
from fusus.core.control.cascade import Cascade
from fusus.core.control.elements import LowPass, Notch
from fusus.core.control.failsafe_rules import Chosen, rules_of
from fusus.core.control.outer import Handling, RateLoop, cascade_of
from fusus.core.control.pid import Gains
from fusus.core.control.sections import sections_of
from fusus.core.estimation.aiding import Aiding
from fusus.core.estimation.catalogue import info_for
from fusus.core.mission.mission import Mission
from fusus.core.simulation.flights import scenario_named
from fusus.core.simulation.given import given_by
from fusus.core.simulation.record import record
from fusus.core.simulation.scenario import Suite
from fusus.core.vehicle.airframe import Airframe
from fusus.core.vehicle.mixer import mixer_of
from fusus.firmware.writing.plan import Controls, Plan, Scales, calibrated
from fusus.study.kit.planning import following

# Where the declination is large enough to be seen.
HOME = (61.0, 40.0, 20.0)


def made_up_corrections(thermal: bool = True) -> Corrections:
    """Return calibrations of all kinds; invented."""
    rng = np.random.default_rng(3)
    turn = np.linalg.qr(np.eye(3) + 0.1 * rng.normal(size=(3, 3)))[0]
    kinds = {
        "mounting": {"rotation": (turn * np.sign(np.diag(turn))).tolist()},
        "level": {"trim_rad": [0.01, -0.02]},
        "gyro-bias": {"gyro_bias_rad_s": [0.01, -0.02, 0.005], "temperature_degc": 31.0},
        "six-face": {
            "offset_m_s2": [0.1, -0.2, 0.3],
            "correction": (np.eye(3) + 0.01 * rng.normal(size=(3, 3))).tolist(),
        },
        "magnetometer": {
            "hard_iron_ut": [5.0, -12.0, 3.0],
            "correction": (np.eye(3) + 0.03 * rng.normal(size=(3, 3))).tolist(),
            "alignment_rad": [0.01, 0.02, -0.03],
        },
        "motor-current": {"slope_ut_a": [0.1, -0.05, 0.2]},
    }
    if thermal:
        kinds["thermal"] = {
            "gyro_polynomial": (1e-4 * rng.normal(size=(3, 3))).tolist(),
            "acc_polynomial": (1e-3 * rng.normal(size=(3, 2))).tolist(),
            "reference_degc": 30.0,
        }
    return Corrections(kinds)


def made_up_controls(layout: str = "X-quad", notch: bool = True) -> Controls:
    """Return loops of a made-up craft."""
    frame = Airframe(layout, 1.2, 0.2)
    mixer = mixer_of(frame)
    gains = Gains(0.08, 0.3, 0.002, 380.0, -1.0, 1.0, 0.0)
    loops = tuple(RateLoop(gains, 30.0, t, 60.0) for t in mixer.authority_nm)
    cascade: Cascade = cascade_of(loops, Handling(ahead=0.3), 0.05, 1.2, 9.81, float(mixer.effect[0].sum()))
    filters = (LowPass("low", 90.0, 2), *((Notch("notch", 120.0, 3.0),) if notch else ()))
    felt = sections_of((LowPass("accelerometer", 45.0, 2),), 500.0) if notch else np.empty((0, 6))
    guard = rules_of(Chosen(radio="return"), cascade.down_m_s, cascade.curve, cascade.dead, cascade.rate_rad_s)
    return Controls(cascade, sections_of(filters, 500.0), mixer.mix, 0.0144, 0.4, False, felt, guard)


def plan_for(name, precision, site, parameters=None, corrections=None, controls=None) -> Plan:
    """Return the plan of a kit with an estimator."""
    info = info_for(name)
    p = parameters or info.parameters()
    rows = np.arange(10.0)[:, None]
    aiding = Aiding(
        gnss=np.hstack([rows * 0.1, np.zeros((10, 6)), np.ones((10, 2))]),
        baro=np.hstack([rows * 0.04, np.zeros((10, 1))]),
        mag=np.hstack([rows * 0.02, np.zeros((10, 3)), np.full((10, 1), 0.02)]),
        starts_at_home=True,
    )
    coefficients, errors, variances = following(name, p, site, aiding)
    return Plan(
        "Heron", "0123456789ab", "0.1", precision, info, p, site, calibrated(corrections or Corrections({})),
        Scales(1e-3, 2e-3, 0.1, "made up"), controls or made_up_controls(), 0.02, coefficients, errors, variances,
    )  # fmt: skip


def flown(site, seed=1, rate_hz=200.0, scenario="turns", mission=None):
    """Return a simulated flight with all sensors, and its truth."""
    flight = scenario_named(scenario).flight(mission or Mission(), site.gravity_m_s2, rate_hz)
    return given_by(record(flight.motion, rate_hz, Suite(), flight.around, site, HOME, seed), HOME)
