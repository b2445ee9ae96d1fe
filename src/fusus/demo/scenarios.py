"""The demo's recordings: Dunlin over the Saltmere estuary. All of it is invented."""

import math
from dataclasses import dataclass, replace

import numpy as np

from fusus.core.mission.mission import Mission
from fusus.core.mission.motion import Air, Motion, Waypoint, fly, pose
from fusus.core.parts.models import SuiteModel
from fusus.core.simulation.scenario import Conditions, Disturbance, Suite

RAD = math.pi / 180

BRIDGE = Disturbance(north_m=58.0, east_m=24.0, height_m=6.0, radius_m=5.0, field_ut=(10.0, 18.0, 16.0))


@dataclass(frozen=True, slots=True)
class DemoRecording:
    """One recording to make: what it is, how the craft moves, and around what."""

    name: str
    kind: str
    conditions_text: str
    motion: Motion
    rate_hz: float
    around: Conditions
    seed: int


def jig(gravity_m_s2: float) -> DemoRecording:
    """Return the tilt jig: known angles, each held for six seconds, motors off."""
    stops = [
        (0, 0, 0), (0, 0, 15), (0, 0, -15), (0, 15, 0), (0, -15, 0), (45, 0, 0), (90, 10, 10),
        (135, -10, 20), (180, 0, 30), (240, 20, -20), (300, -25, 0), (360, 0, 0),
    ]  # fmt: skip
    angles, t = [], 0.0
    for yaw, pitch, roll in stops:
        angles += [(t, yaw * RAD, pitch * RAD, roll * RAD), (t + 6.0, yaw * RAD, pitch * RAD, roll * RAD)]
        t += 9.0
    motion = pose(angles, 500.0, gravity_m_s2)
    around = Conditions(vibration_acc_m_s2=0.0, vibration_gyro_rad_s=0.0, warming_k=2.0)
    return DemoRecording("shed-jig", "jig", "tilt jig in the shed, motors off, 18 °C", motion, 500.0, around, 11)


def hover(gravity_m_s2: float) -> DemoRecording:
    """Return a hover of three minutes in a light wind, holding its place by hand."""
    rng = np.random.default_rng(3)
    points = [Waypoint(0, 0, 0, 0, 0.4), Waypoint(8, 0, 0, 0, 0.4), Waypoint(12, 0, 0, 3.0, 0.4)]
    t = 12.0
    while t < 160.0:
        t += rng.uniform(1.5, 3.5)
        n, e, h = rng.normal(0, [0.35, 0.35, 0.12])
        points.append(Waypoint(t, n, e, 3.0 + h, 0.4 + rng.normal(0, 0.06), holds=False))
    points += [Waypoint(t + 4, 0, 0, 3.0, 0.4), Waypoint(t + 9, 0, 0, 0, 0.4), Waypoint(t + 16, 0, 0, 0, 0.4)]
    motion = fly(points, 1000.0, gravity_m_s2, Air(wind_n_m_s=-2.0, wind_e_m_s=1.5))
    text = "hover over the slipway, wind 2.5 m/s, 18 °C"
    return DemoRecording("slipway-hover", "flight", text, motion, 1000.0, Conditions(), 12)


def survey(gravity_m_s2: float) -> DemoRecording:
    """Return the survey: lanes over the tide pools, twice under the footbridge, one of them without GNSS."""
    p = [Waypoint(0, 0, 0, 0, 0.2), Waypoint(10, 0, 0, 0, 0.2), Waypoint(15, 0, 0, 3.0, 0.2)]
    t, yaw = 18.0, 0.2
    p.append(Waypoint(t, 0, 0, 3.0, yaw))
    for lane in range(4):
        ahead = lane % 2 == 0
        north, east = (44.0 if ahead else 2.0), lane * 6.0
        turned = 0.0 if ahead else math.pi
        p.append(Waypoint(t + 2.5, p[-1].north_m, east, 3.0, turned))
        p.append(Waypoint(t + 8.5, (p[-1].north_m + north) / 2, east, 3.2, turned, holds=False))
        p.append(Waypoint(t + 14.5, north, east, 3.0, turned))
        p.append(Waypoint(t + 20.0, north, east, 2.6, turned))  # the probe goes down
        t += 20.0
    pass_start = t
    p.append(Waypoint(t + 6, 30.0, 24.0, 3.0, 0.0))
    p.append(Waypoint(t + 12, 44.0, 24.0, 2.8, 0.0, holds=False))
    p.append(Waypoint(t + 18, 58.0, 24.0, 2.6, 0.0, holds=False))
    p.append(Waypoint(t + 24, 74.0, 24.0, 3.0, 0.0))
    t += 24
    for k in range(12):  # round the outer pool, looking inwards
        a = 2 * math.pi * (k + 1) / 12
        t += 4.0
        p.append(Waypoint(t, 74 + 9 * math.sin(a), 33 - 9 * math.cos(a), 3.4, a * 1.0, holds=False))
    t += 4.0
    p.append(Waypoint(t, 74, 24, 3.2, 2 * math.pi))
    p.append(Waypoint(t + 5, 74, 24, 3.0, 3 * math.pi))
    t += 5
    p.append(Waypoint(t + 6, 60, 24, 2.6, 3 * math.pi, holds=False))
    p.append(Waypoint(t + 14, 36, 22, 3.0, 3 * math.pi, holds=False))
    p.append(Waypoint(t + 22, 12, 12, 4.0, 3 * math.pi, holds=False))
    p.append(Waypoint(t + 30, 0, 0, 4.0, 3 * math.pi))
    t += 30
    p.append(Waypoint(t + 6, 0, 0, 4.0, 2 * math.pi + 0.2))
    p.append(Waypoint(290.0, 0, 0, 0, 2 * math.pi + 0.2))
    p.append(Waypoint(300.0, 0, 0, 0, 2 * math.pi + 0.2))
    motion = fly(p, 1000.0, gravity_m_s2, Air(wind_n_m_s=-3.0, wind_e_m_s=2.5))
    around = Conditions(outages=((pass_start + 14.0, 8.0),), steel=(BRIDGE,))
    text = "survey over the pools, wind 4 m/s, under the footbridge, 18 °C"
    return DemoRecording("pool-survey", "flight", text, motion, 1000.0, around, 13)


def all_recordings(gravity_m_s2: float) -> list[DemoRecording]:
    """Return the three recordings of the demo project."""
    return [jig(gravity_m_s2), hover(gravity_m_s2), survey(gravity_m_s2)]


def suite(model: SuiteModel, mission: Mission) -> Suite:
    """Return the sensors on board: the invented parts that the project chose, in the mission's weather."""
    if model.baro is None or model.mag is None or model.gnss is None:
        raise ValueError("the demo's craft carries barometer, magnetometer and receiver")
    return Suite(
        model.gyro,
        model.acc,
        replace(model.baro, weather_pa=mission.weather_pa),
        model.mag,
        model.gnss,
        model.rangefinder,
    )
