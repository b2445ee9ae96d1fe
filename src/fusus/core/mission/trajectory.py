"""A mission laid out in steps: rest, hover, transit, turns, outage under steel, hover, landing."""

import math
from dataclasses import dataclass

import numpy as np

from fusus.core.arrays import Array, BoolArray
from fusus.core.frames import quaternion
from fusus.core.mission.mission import Mission
from fusus.core.mission.motion import Air, Motion, Waypoint, fly
from fusus.core.world.atmosphere import density_kg_m3, geopotential_m, metres_per_pascal
from fusus.core.world.site import USUAL_DIP_RAD, USUAL_HORIZONTAL_UT, Site

STEP_S = 0.5  # of predictions
COARSE_STEP_S = 1.0  # of rankings: some 5 % of difference, half the work
MOTION_HZ = 20.0
BRAKE_S = 2.0  # more time to get under way into a turn, and to stop out of it


@dataclass(frozen=True, slots=True)
class Phase:
    """A stretch of the mission, s."""

    name: str
    start_s: float
    end_s: float


@dataclass(frozen=True, slots=True)
class Trajectory:
    """A mission laid out in steps of ``step_s``: what the recursion needs, and the motion it came from.

    ``t_s`` (N,) ends of steps; ``rot_mid``, ``rot_end`` (N, 3, 3) body to north-east-down; ``force_n`` (N, 3) mean specific
    force; ``rate_b`` (N, 3), ``rate_end`` (N, 3); ``vel_n``, ``acc_n`` (N, 3) at the ends; ``profiles`` (N, P) what sources
    scale with, columns as in ``PROFILES``; ``visible`` (no outage) and ``rests`` (N,) bool; ``place`` (5,) as in the kernel.
    """

    mission: Mission
    site: Site
    step_s: float
    phases: tuple[Phase, ...]
    motion: Motion
    t_s: Array
    rot_mid: Array
    rot_end: Array
    force_n: Array
    rate_end: Array
    vel_n: Array
    acc_n: Array
    height_m: Array
    profiles: Array
    visible: BoolArray
    rests: BoolArray
    place: Array
    metres_per_pascal: float

    @property
    def sub_steps(self) -> int:
        """Samples of the motion in a step."""
        return round(self.step_s * MOTION_HZ)

    @property
    def airborne(self) -> BoolArray:
        """Which steps lie in the air: those that requirements are held against."""
        return np.asarray((self.t_s > self.phases[1].end_s) & (self.t_s <= self.phases[-2].start_s))

    @property
    def outage(self) -> Phase | None:
        """The outage, if there is one."""
        return next((p for p in self.phases if p.name == "outage"), None)


PROFILES = (
    "one", "rate x", "rate y", "rate z", "force x", "force y", "force z", "warming", "current", "airflow", "field x", "field y",
    "field z", "steel n", "steel e", "shake",
)  # fmt: skip


def waypoints(m: Mission) -> tuple[list[Waypoint], tuple[Phase, ...]]:
    """Return the mission's points and phases; it begins and ends at rest on the ground."""
    h, v = m.height_m, m.speed_m_s
    climb = max(4.0, h / 1.0)
    p = [Waypoint(0, 0, 0, 0, 0.3), Waypoint(10, 0, 0, 0, 0.3), Waypoint(10 + climb, 0, 0, h, 0.3)]
    t = 10 + climb
    phases = [Phase("rest", 0.0, 10.0), Phase("take-off", 10.0, t), Phase("hover", t, t + m.hover_s)]
    t += m.hover_s
    p.append(Waypoint(t, 0, 0, h, 0.3))
    leg = 14.0  # s, of which some 9 at the mission's speed
    reach = v * (leg - 5.0)
    north, east = reach * math.cos(0.3), reach * math.sin(0.3)
    p.append(Waypoint(t + leg, north, east, h, 0.3))
    phases.append(Phase("transit", t, t + leg))
    t += leg
    radius = max(2.0, 0.8 * v)
    turn = max(10.0, 2 * math.pi * radius / v * 1.4)
    for k in range(1, 9):
        a = 2 * math.pi * k / 8
        x, y = radius * math.sin(a), radius * (1 - math.cos(a))
        p.append(
            Waypoint(
                t + turn * k / 8 + (2 * BRAKE_S if k == 8 else BRAKE_S), north + x * math.cos(0.3) - y * math.sin(0.3),
                east + x * math.sin(0.3) + y * math.cos(0.3), h, 0.3 + a, holds=k == 8,
            )
        )  # fmt: skip
    turn += 2 * BRAKE_S
    phases.append(Phase("turns", t, t + turn))
    t += turn
    p.append(Waypoint(t + 4.0, north, east, h, 0.3 + 3 * math.pi))
    t += 4.0
    back = max(leg, m.outage_s + 4.0)
    p.append(Waypoint(t + back, 0.0, 0.0, h, 0.3 + 3 * math.pi))
    phases.append(Phase("transit", t, t + back))
    if m.outage_s > 0:
        phases.append(Phase("outage", t + 2.0, t + 2.0 + m.outage_s))
    if m.steel_ut > 0:
        phases.append(Phase("steel", t + back / 2 - 2.5, t + back / 2 + 2.5))
    t += back
    p.append(Waypoint(t + 20.0, 0, 0, h, 0.3 + 3 * math.pi))
    phases.append(Phase("hover", t, t + 20.0))
    t += 20.0
    p.append(Waypoint(t + climb + 2, 0, 0, 0, 0.3 + 3 * math.pi))
    phases.append(Phase("landing", t, t + climb + 2))
    t += climb + 2
    end = math.ceil(t + 3)  # whole steps to the end
    p.append(Waypoint(end, 0, 0, 0, 0.3 + 3 * math.pi))
    phases.append(Phase("rest", t, end))
    return p, tuple(phases)


def lay_out(mission: Mission, site: Site, height_m: float = 0.0, step_s: float = STEP_S) -> Trajectory:
    """Return a mission in steps, flown ``height_m`` above the sea.

    Wind blows against the first leg; steel lies in the middle of the way back.
    """
    points, phases = waypoints(mission)
    air = Air(wind_n_m_s=-mission.wind_m_s * math.cos(0.3), wind_e_m_s=-mission.wind_m_s * math.sin(0.3))
    sub = round(step_s * MOTION_HZ)
    motion = fly(points, MOTION_HZ, site.gravity_m_s2, air)
    n = (len(motion.t_s) - 1) // sub
    ends = sub * np.arange(1, n + 1)
    rot = quaternion.to_matrix(motion.q_nb)
    force_n = np.einsum("nij,nj->ni", rot, motion.force_b)

    def mean(values: Array) -> Array:
        edges = 0.5 * (values[ends - sub] + values[ends])
        inner = values[: n * sub].reshape(n, sub, *values.shape[1:])[:, 1:].sum(axis=1)
        return np.ascontiguousarray((edges + inner) / sub)

    t = motion.t_s[ends]
    height = -motion.pos_n[ends, 2]
    flying = np.clip(-motion.pos_n[:, 2] / 0.3, 0.0, 1.0)
    field_n = _field(site)
    ground = float(geopotential_m(height_m))
    mpp = metres_per_pascal(ground)
    airflow = 0.5 * float(density_kg_m3(ground)) * motion.airspeed_m_s**2 * flying * mpp
    steel = _steel(t, phases, mission.steel_ut)
    profiles = np.column_stack(
        [
            np.ones(n), mean(motion.rate_b), mean(motion.force_b), mission.warming_k * (1 - np.exp(-t / 180.0)),
            mission.hover_current_a * flying[ends], airflow[ends], np.einsum("nji,j->ni", rot[ends], field_n), steel,
            mission.vibration_acc_m_s2**2 * mean(flying),
        ]
    )  # fmt: skip
    outage = next(((p.start_s, p.end_s) for p in phases if p.name == "outage"), (math.inf, math.inf))
    horizontal = float(np.hypot(field_n[0], field_n[1]))
    place = np.array(
        [field_n[0] / horizontal, field_n[1] / horizontal, field_n[2] / horizontal, site.gravity_m_s2, horizontal]
    )
    return Trajectory(
        mission, site, step_s, phases, motion, t, mean(rot), np.ascontiguousarray(rot[ends]), mean(force_n),
        np.ascontiguousarray(motion.rate_b[ends]), motion.vel_n[ends], motion.acc_n[ends], height,
        np.ascontiguousarray(profiles), (t < outage[0]) | (t >= outage[1]),
        np.linalg.norm(motion.vel_n[ends], axis=1) + height < 1e-6,
        place, mpp,
    )  # fmt: skip


def _field(site: Site) -> Array:
    if site.field is not None:
        return np.asarray(site.field.vector_ut)
    return np.array([USUAL_HORIZONTAL_UT, 0.0, USUAL_HORIZONTAL_UT * math.tan(USUAL_DIP_RAD)])


def _steel(t: Array, phases: tuple[Phase, ...], size_ut: float) -> Array:
    """Return the north and east disturbance, (N, 2): it swells and fades while the craft goes by."""
    out = np.zeros((len(t), 2))
    for phase in phases:
        if phase.name == "steel":
            x = (t - phase.start_s) / (phase.end_s - phase.start_s)
            swell = np.where((x > 0) & (x < 1), np.sin(np.pi * np.clip(x, 0, 1)) ** 2, 0.0)
            out += size_ut * swell[:, None] / math.sqrt(2)
    return out
