"""Lines of a kit's check that hold arming and failsafes: what the core refuses, does and why, on a made-up ride through all of it."""

import math
from typing import Any

import numpy as np

from fusus.core.control import failsafe
from fusus.core.control.arming import refusals
from fusus.core.control.cascade import Setpoint, StateEstimate
from fusus.core.control.failsafe import FailsafeRules, Health
from fusus.core.control.soundness import cos_of_tilt
from fusus.firmware.writing.plan import Plan

# No multiple of it is a limit: sums of it round differently in single precision.
INTERVAL_S = 0.017
RIDES, ROWS, ARMINGS = 60, 140, 300
# Things that may be wrong, one in a ride; and the row from which on some have come down.
KINDS, LANDS_AT = 15, 90


def arming_vectors(plan: Plan, seed: int = 7) -> list[list[float]]:
    """Return rows: mode, throttle, attitude (4), whether the place is known, rates (3), whether a calibration is due, whether sensors are
    healthy; and the bits of what refuses."""
    c, rng = plan.controls, np.random.default_rng(seed)
    out = []
    for i in range(ARMINGS):
        tilt = rng.uniform(0.0, 3.0) if i % 3 else 0.1
        q = np.array([math.cos(tilt / 2), math.sin(tilt / 2), 0.0, 0.0])
        rate = rng.normal(0.0, 0.5 if i % 4 == 0 else 0.02, 3)
        throttle = float(rng.choice([0.0, 0.0, 0.5, 0.9, math.nan]))
        due, healthy, knows = bool(rng.integers(2)), bool(i % 7), bool(rng.integers(2))
        mode = int(rng.integers(-1, 9))
        if i % 11 == 10:
            q[int(rng.integers(4))] = math.nan
        size = math.sqrt(float(rate @ rate))
        bits = refusals(
            c.arm_tilt_rad, due and not c.arm_when_due, healthy, mode, throttle, cos_of_tilt(*(float(v) for v in q)), size, knows
        )  # fmt: skip
        out.append([mode, throttle, *q, knows, *rate, due, healthy, bits])
    return out


def failsafe_vectors(plan: Plan, seed: int = 8) -> list[list[float]]:
    """Return rows: whether it is disarmed first and is armed, the health, the setpoint's mode, sticks and throttle, the estimate and the
    interval; what is done, why, and the mode, sticks and throttle that are flown."""
    rules, rng = plan.controls.failsafe, np.random.default_rng(seed)
    k = np.zeros(failsafe.MEMORY)
    out: list[list[float]] = []
    for ride in range(RIDES):
        failsafe.forget_failures(k)
        armed, kind = True, ride % KINDS
        ends = ROWS // 3 if ride % 3 == 2 else ROWS  # some failures pass
        for i in range(ROWS):
            wrong = kind if 10 <= i < ends else -1
            health = _health(rules, rng, wrong, is_down=i > LANDS_AT and ride % 2 == 1)
            asked = Setpoint._make((*_asked(rng, ride), *(0.0,) * 7))
            estimate = _estimate(ride, wrong, sinks=0.0 if i > LANDS_AT and ride % 2 == 1 else 0.7)
            dt = math.nan if ride % 9 == 8 and i % 5 == 4 else INTERVAL_S * (1 + 30 * (i % 3 == 2))
            stage = failsafe.decide(rules, k, health, asked.mode, estimate, armed, dt)
            flown = failsafe.setpoint_for(rules, k, asked)
            row = [float(i == 0), float(armed), *health, *asked[:5], *estimate, dt, stage, k[failsafe.WHY], *flown[:5]]
            out.append([float(v) for v in row])
            armed = armed and stage != failsafe.STOP
    return out


def _asked(rng: np.random.Generator, ride: int) -> tuple[float, ...]:
    mode = int(rng.integers(1, 8)) if ride % 4 else 4
    # Whole parts of 64 take few figures, and are the same in single precision.
    sticks = np.round(64.0 * rng.uniform(-1, 1, 4)) / 64.0
    return (mode, *(float(v) for v in sticks[:3]), abs(float(sticks[3])))


def _health(r: FailsafeRules, rng: np.random.Generator, wrong: int, is_down: bool) -> Health:
    """Return the health of a craft that flies, or that has come down, with one thing wrong, by number."""
    fresh = [0.01] * 5
    changed: dict[str, Any] = {}
    if 0 <= wrong < 5:
        fresh[wrong] = float(rng.choice([9.0, math.nan, math.inf]))
    elif wrong == 5:
        changed = {"is_sound": False}
    elif wrong == 6:
        changed = {"cell_v": 0.5 * (r.low_v + r.empty_v)}
    elif wrong == 7:
        changed = {"cell_v": r.empty_v - 0.2}
    elif wrong == 8:
        changed = {"force_m_s2": 0.5 * r.fall_m_s2}
    elif wrong == 9:
        changed = {"force_m_s2": 2.0 * r.blow_m_s2, "rate_rad_s": 2.0 * r.spin_rad_s}
    elif wrong == 10:
        changed = {"error_rad_s": 2.0 * r.astray_rad_s}
    elif wrong == 11:
        changed = {"is_flying": False}
        fresh[0] = 9.0
    elif wrong == 12:
        changed = {"rate_rad_s": 2.0 * r.spin_rad_s}
    elif wrong == 13:
        changed = {"is_flying": bool(rng.integers(2))}
    radio, gyro, baro, gnss, mag = fresh
    thrust = 0.3 if is_down else 1.0
    return Health(radio, gyro, baro, gnss, mag, True, 3.9, 9.8, 0.1, 0.1, thrust, True)._replace(**changed)


def _estimate(ride: int, wrong: int, sinks: float) -> StateEstimate:
    tilt = 2.4 if wrong == 13 else 0.2
    w, x, y, z = math.cos(tilt / 2), 0.0, math.sin(tilt / 2), 0.0
    if wrong == 14:
        w = math.nan
    # Radio and battery are tried with and without height and place.
    height = math.nan if ride // KINDS % 3 == 2 else -5.0
    return StateEstimate(w, x, y, z, 1.0, 2.0, height, 0.0, 0.0, sinks, ride // KINDS % 4 != 3)
