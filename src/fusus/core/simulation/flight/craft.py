"""The craft that flies: as drawn, or one of many that differ from the drawing as parts do."""

from dataclasses import dataclass, field, replace

import numpy as np

from fusus.core.arrays import Array
from fusus.core.vehicle.airframe import Airframe, hover, inertia
from fusus.core.vehicle.battery import RATED_V, Battery
from fusus.core.vehicle.body import Body, body_of
from fusus.core.vehicle.drive import Power
from fusus.core.vehicle.mixer import Mixer

# One sigma of what crafts and motors differ by from the drawing: common practice.
MASS_SIGMA, INERTIA_SIGMA, MOTOR_SIGMA, LAG_SIGMA, CENTRE_M = 0.02, 0.08, 0.03, 0.1, 0.003
FOOT_SHARE = 0.6  # of the arm


@dataclass(frozen=True, slots=True)
class Craft:
    """Airframe and mixer as drawn; motor lag s; battery and the charge share it starts with; what the electronics take, W; idle share
    of full speed. Then how it truly is: factors of mass, inertia (3), of each motor's thrust (M,) and of the lag; where the centre of
    gravity lies from its place, forward and right, m; from ``weak_s`` on thrusts are multiplied by ``weak`` (M,)."""

    frame: Airframe
    mixer: Mixer
    motor_tau_s: float
    battery: Battery
    charge: float = 1.0
    other_w: float = 6.0
    idle: float = 0.12
    drag_per_s: float = 0.25
    slope_rad: float = 0.0
    mass: float = 1.0
    moments: tuple[float, float, float] = (1.0, 1.0, 1.0)
    motors: tuple[float, ...] = ()
    lag: float = 1.0
    centre_m: tuple[float, float] = (0.0, 0.0)
    weak_s: float = 1e9
    weak: tuple[float, ...] = field(default=())


def drawn(craft: Craft, rng: np.random.Generator) -> Craft:
    """Return a craft that differs from the drawing as parts do."""
    count = len(craft.mixer.motors)
    return replace(
        craft, mass=1.0 + MASS_SIGMA * rng.standard_normal(), moments=tuple(1.0 + INERTIA_SIGMA * rng.standard_normal(3)),
        motors=tuple(1.0 + MOTOR_SIGMA * rng.standard_normal(count)), lag=float(np.exp(LAG_SIGMA * rng.standard_normal())),
        centre_m=tuple(CENTRE_M * rng.standard_normal(2)), charge=craft.charge * float(rng.uniform(0.85, 1.0)),
    )  # fmt: skip


def hover_share(craft: Craft, gravity_m_s2: float) -> float:
    """Return the motors' share of full speed in the hover, as drawn."""
    full = craft.frame.motor_thrust_n * len(craft.mixer.motors)
    return float(np.sqrt(min(craft.frame.mass_kg * gravity_m_s2 / full, 1.0)))


@dataclass(frozen=True, slots=True)
class TrueCraft:
    """The craft as it truly is: body, what takes current, thrust and torques of full motors (4, M) before and after one weakens, lag s."""

    body: Body
    power: Power
    effect: Array
    weak_effect: Array
    tau_s: float


def true_craft(craft: Craft, gravity_m_s2: float, density_kg_m3: float) -> TrueCraft:
    """Return body and drive as they truly are."""
    frame = craft.frame
    moments = inertia(frame)
    true = (moments[0] * craft.moments[0], moments[1] * craft.moments[1], moments[2] * craft.moments[2])
    body = body_of(
        frame.mass_kg * craft.mass, true, craft.drag_per_s, gravity_m_s2, FOOT_SHARE * frame.arm_m, craft.slope_rad
    )
    count = len(craft.mixer.motors)
    effect: Array = craft.mixer.effect.copy()
    forward, right = craft.centre_m
    # Thrust that no longer pulls at the centre of gravity turns the craft.
    effect[1] += right * effect[0]
    effect[2] -= forward * effect[0]
    effect *= np.array(craft.motors or (1.0,) * count)
    share = frame.mass_kg * gravity_m_s2 / float(craft.mixer.effect[0].sum())
    full_w = hover(frame, gravity_m_s2, density_kg_m3).power_w / min(share, 1.0) ** 1.5
    b = craft.battery
    return TrueCraft(
        body, Power(full_w, craft.other_w, b.cells * b.cell_ohm, b.capacity_as, b.cells, RATED_V), np.ascontiguousarray(effect),
        np.ascontiguousarray(effect * np.array(craft.weak or (1.0,) * count)), max(craft.motor_tau_s * craft.lag, 1e-3),
    )  # fmt: skip
