"""Closed-loop flight: it flies on its estimate and not on the truth, the same for the same seed, and ends as it should."""

import math
import sys
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from fusus.core.control.arming import ArmingRules
from fusus.core.control.cascade import LEVEL, MIXED
from fusus.core.control.elements import LowPass
from fusus.core.control.sections import sections_of, through
from fusus.core.estimation.aiding import Aiding
from fusus.core.estimation.navigation_ekf import run as navigation
from fusus.core.estimation.samples import Samples, sealed
from fusus.core.simulation.flight import groups
from fusus.core.simulation.flight.campaign import fly_all, fly_figures, fly_task, summarise_flights
from fusus.core.simulation.flight.figures import figures
from fusus.core.simulation.flight.scenarios import planned_flight
from fusus.core.simulation.flight.streams import streams_of
from fusus.core.simulation.kinds import FAILSAFES, FLIGHTS
from fusus.core.simulation.scenario import Suite
from fusus.core.vehicle.battery import RATED_V
from fusus.errors import ParameterError

sys.path.insert(0, str(Path(__file__).parent))
from flying import MISSION, RATE, SITE, frame_of, task_of, with_seeds


@pytest.fixture(scope="module")
def hover():
    return fly_task(task_of("hover-wind"))


def in_hover(flown):
    return (flown.t_s > 12.0) & (flown.t_s < 38.0)


def test_every_scenario_ends_as_it_should():
    for name in (n for n in FLIGHTS if n not in FAILSAFES):
        found = fly_figures(task_of(name))
        assert found.end == ("motors refused" if name == "arming-tilted" else "landed"), name
        if name == "arming-tilted":
            assert found.refused == ("the craft is tilted beyond the limit",) and found.air_s == 0.0
        else:
            assert found.air_s > 10.0 and math.degrees(found.rmse["tilt"]) < 1.5
    with pytest.raises(KeyError, match="take-off"):
        planned_flight("loop-the-loop", MISSION, 9.8, RATE)


def test_a_seed_decides_all_and_workers_nothing():
    tasks = with_seeds(task_of("take-off", as_drawn=False), (1, 2, 3))
    alone = fly_all(tasks)
    with ThreadPoolExecutor(2) as pool:
        together = fly_all(tasks, pool)
    assert alone == together and len({f.held_max_m for f in alone}) == 3
    again = fly_task(tasks[1])
    np.testing.assert_array_equal(again.log.truth, fly_task(tasks[1]).log.truth)


def test_the_hover_is_an_equilibrium(hover):
    """Mean thrust over the hover is the weight (statics), and the battery pays for it: volts, amperes and charge agree."""
    use = in_hover(hover)
    mass = hover.craft.frame.mass_kg
    speed2 = hover.log.motors[use] * (hover.log.power[use, 0] / (4 * RATED_V))[:, None] ** 2
    thrust = (speed2 @ hover.craft.mixer.effect[0]).mean()
    tilt = np.arccos(1 - 2 * (hover.log.truth[use, 7] ** 2 + hover.log.truth[use, 8] ** 2))
    assert thrust * np.cos(tilt).mean() == pytest.approx(mass * SITE.gravity_m_s2, rel=0.01)
    charge = np.trapezoid(hover.log.power[:, 1], hover.t_s)
    assert hover.log.power[-1, 2] - hover.log.power[0, 2] == pytest.approx(charge, rel=1e-3)
    assert hover.log.power[use, 0].max() < hover.log.power[0, 0], "it sags under load"


def test_it_leans_into_the_wind(hover):
    """Linear drag at 4 m/s takes atan(c w / g) of tilt (statics)."""
    use = in_hover(hover)
    tilt = np.arccos(1 - 2 * (hover.log.truth[use, 7] ** 2 + hover.log.truth[use, 8] ** 2))
    assert np.median(tilt) == pytest.approx(math.atan(0.25 * 4.0 / SITE.gravity_m_s2), rel=0.25)


def test_it_flies_on_the_estimate_not_on_the_truth():
    """A receiver that drifts by metres takes the craft along: the estimate stays on the path, the truth does not."""
    suite = Suite()
    gnss = replace(
        suite.gnss,
        correlated_horizontal_m=4.0,
        correlation_time_s=20.0,
        velocity_horizontal_m_s=2.0,
        white_horizontal_m=0.1,
    )
    flown = fly_task(task_of("hover-wind", suite=replace(suite, gnss=gnss)))
    use = in_hover(flown)
    true, estimate = (np.hypot(a[use, 0], a[use, 1]) for a in (flown.log.truth, flown.log.estimate))
    assert np.sqrt(np.mean(true**2)) > 1.0 and np.sqrt(np.mean(estimate**2)) < 0.5 * np.sqrt(np.mean(true**2))


def test_the_filter_on_board_is_the_filter_of_replay(hover):
    """The same readings from the same start through the replay's own blocks give the same motion to rounding."""
    r, first, run = hover.sensors.readings, hover.first, hover.run
    n = len(hover.t_s) - first
    samples = sealed(Samples(hover.log.dt[first:], r.gyro[first:], r.acc[first:], np.full((n, 3), np.nan)))
    aiding = Aiding(r.gnss, r.baro, r.mag, r.ranges, known=r.known[first:], starts_at_home=True)
    parameters = replace(hover.controller.parameters, home_sigma_m=0.05)
    t = np.ascontiguousarray(hover.t_s[first:])
    again = navigation.begin_at(parameters, SITE, hover.start, aiding, t)
    navigation.advance(again, t, samples, aiding, 0, n)
    np.testing.assert_allclose(again.motion, hover.log.estimate[first:], atol=1e-9)
    assert run is not None and run.state.n == again.state.n


def test_behind_the_accelerometers_filter_it_is_the_filter_of_replay_too():
    task = task_of("take-off")
    sections = sections_of((LowPass("accelerometer", 40.0, 2),), RATE)
    flown = fly_task(replace(task, controller=replace(task.controller, acc_sections=sections)))
    r, first = flown.sensors.readings, flown.first
    n = len(flown.t_s) - first
    felt = np.empty_like(r.acc)
    through(sections, r.acc, felt)
    assert np.abs(felt - r.acc).max() > 0.1, "what is kept is what the sensor read"
    samples = sealed(Samples(flown.log.dt[first:], r.gyro[first:], felt[first:], np.full((n, 3), np.nan)))
    aiding = Aiding(r.gnss, r.baro, r.mag, r.ranges, known=r.known[first:], starts_at_home=True)
    t = np.ascontiguousarray(flown.t_s[first:])
    parameters = replace(flown.controller.parameters, home_sigma_m=0.05)
    again = navigation.begin_at(parameters, SITE, flown.start, aiding, t)
    navigation.advance(again, t, samples, aiding, 0, n)
    np.testing.assert_allclose(again.motion, flown.log.estimate[first:], atol=1e-9)


@pytest.mark.parametrize("estimator", ["complementary", "mahony", "madgwick", "attitude-ekf"])
def test_attitude_filters_fly_level_and_drift_with_the_wind(estimator):
    flown = fly_task(task_of("hover-wind", estimator=estimator))
    found = figures(flown, 1)
    assert found.end == "landed" and found.held_max_m > 20.0 and found.height_rms_m < 0.6
    assert math.isnan(found.rmse["horizontal"]) and math.degrees(found.rmse["tilt"]) < 5.0
    assert "pos_n_m" not in streams_of(flown)["board"]


def test_only_what_gives_an_attitude_can_fly():
    with pytest.raises(KeyError, match="cannot fly"):
        fly_task(task_of(estimator="altitude"))


def test_rules_of_arming_refuse():
    # What becomes of a craft that starts on such a slope is chance: some seeds slide to a halt, some lift off. None is refused.
    steep = [
        fly_figures(task_of("arming-tilted", seed=seed, rules=ArmingRules(math.radians(40.0)))) for seed in range(1, 14)
    ]
    assert all(f.refused == () and f.end != "motors refused" for f in steep)
    assert "stayed on the ground" in {f.end for f in steep}
    for rules, says in (
        (ArmingRules(calibration_due=True), "a calibration is due"),
        (ArmingRules(sensors_healthy=False), "a sensor is not healthy"),
    ):
        found = fly_figures(task_of(rules=rules))
        assert found.end == "motors refused" and found.refused == (says,) and found.charge_as < 20.0


def test_what_cannot_fly_does_not():
    heavy = fly_figures(task_of(frame=frame_of(mass_kg=4.6)))
    assert heavy.end == "stayed on the ground"
    wild = fly_figures(task_of("hover-wind", gains=(6.0, 2.0, 0.4)))
    assert wild.end == "crashed" or wild.saturated > 0.3
    with pytest.raises(ParameterError):
        frame_of(mass_kg=-1.0)


@pytest.mark.parametrize("layout", ["plus-quad", "H-quad", "hexa", "octo", "coaxial X8"])
def test_any_layout_flies(layout):
    found = fly_figures(task_of("take-off", frame=frame_of(layout)))
    assert found.end == "landed" and found.held_max_m < 1.5


def test_a_weak_motor_is_borne_and_a_lost_receiver_is_told():
    weak = fly_task(task_of("weak-motor"))
    after = weak.t_s > 25.0
    share = weak.log.motors[after & (weak.t_s < 30.0)].mean(axis=0)
    assert share[1] > 1.15 * share[[0, 2, 3]].mean(), "the weak one is asked for more"
    lost = fly_task(task_of("gnss-loss"))
    numbers = [n for n, _, _ in lost.events]
    assert groups.LOST_PLACE in numbers
    found = figures(lost, 1)
    assert found.lost_s > 3.0 and found.lost_m > 5.0 and found.end == "landed"


def test_self_level_and_mixed_are_flown_by_hand():
    flown = fly_task(task_of("stick-modes"))
    modes, tilt = (
        np.floor(flown.log.wanted[:, 4]),
        np.arccos(1 - 2 * (flown.log.truth[:, 7] ** 2 + flown.log.truth[:, 8] ** 2)),
    )
    level, mixed = modes == LEVEL, modes == MIXED
    assert 3.5 < level.sum() / RATE < 4.5 and 2.5 < mixed.sum() / RATE < 3.5
    limit = flown.controller.cascade.tilt_rad
    assert math.radians(8.0) < tilt[level].max() < 1.2 * limit, (
        "self-level never leans beyond its limit but for the overshoot"
    )
    assert tilt[mixed].max() > 1.5 * limit, "mixed goes over at the end of the stick"
    assert figures(flown, 1).end == "landed"


def test_a_full_turn_is_flown_in_rate_mode():
    flown = fly_task(task_of("flip"))
    turned = np.trapezoid(np.where(np.floor(flown.log.wanted[:, 4]) == 0, flown.log.truth[:, 10], 0.0), flown.t_s)
    assert math.degrees(turned) == pytest.approx(330.0, abs=60.0) and figures(flown, 1).tilt_rad > math.radians(150.0)


def test_streams_are_those_of_a_recording(hover):
    streams = streams_of(hover)
    assert {"imu", "mag", "baro", "gnss", "motor", "battery", "stick", "setpoint", "reference", "board"} <= set(streams)
    for name, columns in streams.items():
        assert len({len(c) for c in columns.values()}) == 1, name
        assert (np.diff(columns["t_ns"]) > 0).all() and columns["t_ns"].dtype == np.int64
        assert all(np.isfinite(c).all() for c in columns.values()), name
    still = streams["imu"]["t_ns"] < 2_000_000_000
    pull = np.linalg.norm([streams["imu"][f"acc_{a}_m_s2"][still].mean() for a in "xyz"])
    assert pull == pytest.approx(SITE.gravity_m_s2, abs=0.15)
    assert streams["gnss"]["lat_deg"][0] == pytest.approx(50.0, abs=1e-4)
    assert streams["motor"]["motor_1"].max() <= 1.0


def test_summary_counts_and_spreads():
    found = fly_all(with_seeds(task_of("take-off", as_drawn=False), range(4)))
    summary = summarise_flights(found)
    assert summary.flights == 4 and summary.ends == {"landed": 4}
    s = summary.spreads
    assert s["held_max_m"].median <= s["held_max_m"].p95 and s["low_v"].p95 <= s["low_v"].median and "lost_s" in s
    assert "horizontal_error" in s and summarise_flights(fly_all([task_of("arming-tilted")])).spreads.keys().isdisjoint(
        {"held_max_m"}
    )
