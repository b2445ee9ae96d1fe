"""The covariance recursion against its plain twin, the Riccati equation, sampling, and simulated flights."""

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy.linalg import solve_discrete_are
from tests.core.prediction.montecarlo import fly_many

from fusus.core.mission.mission import Mission
from fusus.core.mission.trajectory import lay_out
from fusus.core.prediction import kernel as k
from fusus.core.prediction.design import design
from fusus.core.prediction.predict import Recursion, predict
from fusus.core.prediction.statistics import figure_of, rows_of
from fusus.core.requirements import Requirement
from fusus.errors import ParameterError

REQUIREMENTS = (
    Requirement("tilt", 0.035), Requirement("heading", 0.14), Requirement("height", 0.3, "p95"),
    Requirement("position", 1.5, "p95"), Requirement("velocity", 0.3), Requirement("outage", 3.0, "max", 8.0),
)  # fmt: skip


@pytest.mark.parametrize("names", [{}, {"ranger": "Reed 2", "imu": "Dogwood 1"}, {"mag": None}])
def test_pieces_of_the_budget_add_up_to_the_total(suite, trajectory, names):
    prediction = predict(suite(**names), trajectory, REQUIREMENTS, course_heading="mag" in names)
    assert len(prediction.budgets) == len(REQUIREMENTS)
    for b in prediction.budgets:
        assert sum(b.pieces.values()) == pytest.approx(b.variance, rel=1e-9)
        assert sum(b.shares.values()) == pytest.approx(1.0, abs=1e-9) and min(b.pieces.values()) >= 0
        assert list(b.shares.values()) == sorted(b.shares.values(), reverse=True)


def test_groups_add_up_at_every_moment(suite, trajectory):
    r = Recursion(suite(ranger="Reed 1"), trajectory)
    total = sum(r.by_group().values())
    assert np.allclose(total[:, :9], r.true[:, :9], rtol=1e-9, atol=1e-20)


def test_vertical_channel_settles_where_the_riccati_equation_says(suite, site):
    """Level hover at one place: height, climb, accelerometer and barometer bias stand apart from the rest."""
    trajectory = lay_out(Mission(hover_s=3000.0, outage_s=0.0, steel_ut=0.0, wind_m_s=0.0, weather_pa=30.0), site)
    r = Recursion(suite(), trajectory)
    d, dt = r.design, trajectory.step_s
    hover = next(p for p in trajectory.phases if p.name == "hover")
    t = int(np.searchsorted(trajectory.t_s, hover.end_s - 5.0))
    f = np.array([[1, dt, dt**2 / 2, 0], [0, 1, dt, 0], [0, 0, 1, 0], [0, 0, 0, 1.0]])
    q = np.zeros((4, 4))
    q[:2, :2] = d.q_filter[1] * np.array([[dt**3 / 3, dt**2 / 2], [dt**2 / 2, dt]])
    q[2, 2], q[3, 3] = d.q_filter[3] * dt, d.q_filter[4] * dt
    h = np.array([[1, 0, 0, 0], [0, 1, 0, 0], [-1, 0, 0, -1.0]])
    noise = np.diag(d.r_filter[t, [k.POSITION + 2, k.VELOCITY + 2, k.BARO]])
    before = solve_discrete_are(f.T, h.T, q, noise)
    after = before - before @ h.T @ np.linalg.solve(h @ before @ h.T + noise, h @ before)
    assert r.claimed[t, [2, 5]] == pytest.approx(np.diag(after)[:2], rel=2e-3)


@pytest.mark.parametrize(
    "names", [{}, {"imu": "Cedar 1", "baro": "Mere 2", "mag": "Needle 2", "receiver": "Plover R", "ranger": "Reed 2"}]
)
def test_simulated_flights_agree_within_ten_percent(suite, trajectory, names):
    """400 flights of the full nonlinear simulation: sensors with all their errors, strapdown, the designed gains."""
    r = Recursion(suite(**names), trajectory)
    seen, air = fly_many(r, 400, seed=1).variances(), trajectory.airborne
    for rows in ([0, 1], [2], [3, 4, 5], [6, 7], [8]):
        a, b = seen[air][:, rows].sum(axis=1), r.true[air][:, rows].sum(axis=1)
        assert math.sqrt(a.mean() / b.mean()) == pytest.approx(1.0, abs=0.1)
        # A single moment has the sampling error of 400 runs on top.
        assert np.all(np.sqrt(a / b) > 0.8) and np.median(np.sqrt(a / b)) == pytest.approx(1.0, abs=0.1)


def test_simulated_flights_on_the_course_alone_and_without_gnss(suite, trajectory):
    r = Recursion(suite(mag=None), trajectory, course_heading=True)
    seen = fly_many(r, 300, seed=2).variances()[trajectory.airborne]
    true = r.true[trajectory.airborne]
    assert math.sqrt(seen[:, 8].mean() / true[:, 8].mean()) == pytest.approx(1.0, abs=0.1)
    r = Recursion(suite(receiver=None), trajectory)
    seen, true = fly_many(r, 300, seed=3).variances()[trajectory.airborne], r.true[trajectory.airborne]
    assert math.sqrt(seen[:, 6:8].sum() / true[:, 6:8].sum()) == pytest.approx(1.0, abs=0.1)


def test_flights_are_seeded(suite, site):
    trajectory = lay_out(Mission(hover_s=5.0), site)
    r = Recursion(suite(), trajectory)
    a, b, c = (fly_many(r, 3, seed).position_n for seed in (7, 7, 8))
    assert np.array_equal(a, b) and not np.array_equal(a, c)


def test_statistics_are_what_sampling_shows(suite, trajectory):
    r, rng = Recursion(suite(), trajectory), np.random.default_rng(4)
    rows = trajectory.airborne
    draws = rng.standard_normal((4000, int(rows.sum())))
    height = np.abs(draws) * np.sqrt(r.true[rows, 2])
    assert figure_of(REQUIREMENTS[2], r.true, trajectory) == pytest.approx(np.percentile(height, 95), rel=0.01)
    tilt = np.sqrt(sum((rng.standard_normal(draws.shape) ** 2) * r.true[rows, i] for i in (6, 7)))
    wanted = Requirement("tilt", 1.0, "p95")
    assert figure_of(wanted, r.true, trajectory) == pytest.approx(np.percentile(tilt, 95), rel=0.02)
    assert figure_of(Requirement("tilt", 1.0), r.true, trajectory) == pytest.approx(
        math.sqrt((tilt**2).mean()), rel=0.01
    )


def test_outage_is_judged_at_its_end_and_grows_with_its_length(suite, site):
    values = []
    for outage in (4.0, 8.0, 16.0):
        trajectory = lay_out(Mission(outage_s=outage), site)
        wanted = Requirement("outage", 3.0, "max", outage)
        rows = rows_of(wanted, trajectory)
        assert rows.sum() == 1 and abs(trajectory.t_s[rows][0] - trajectory.outage.end_s) <= trajectory.step_s
        values.append(predict(suite(), trajectory, (wanted,), with_budget=False).figures[0].value)
    assert values[0] < values[1] < values[2]


def test_what_nothing_measures_has_no_value_but_a_reason(suite, trajectory, site):
    reasons = {
        f.requirement.quantity: f.reason
        for f in predict(suite(receiver=None, baro=None, mag=None), trajectory, REQUIREMENTS).figures
    }
    assert "GNSS" in reasons["position"] and "height" in reasons["height"] and "heading" in reasons["heading"]
    assert reasons["tilt"] == ""
    quiet = lay_out(Mission(outage_s=0.0), site)
    assert "no outage" in predict(suite(), quiet, REQUIREMENTS).figures[-1].reason


def test_better_parts_predict_less_error(suite, trajectory):
    poor = predict(
        suite(imu="Elm 14", baro="Fen 1", mag="Lode 1", receiver="Tern 1"), trajectory, REQUIREMENTS, with_budget=False
    )
    good = predict(
        suite(imu="Dogwood 1", baro="Tarn 1", mag="Needle 2", receiver="Plover R"),
        trajectory,
        REQUIREMENTS,
        with_budget=False,
    )
    assert all(g.value < 0.6 * p.value for g, p in zip(good.figures, poor.figures, strict=True))


def test_coarse_steps_of_rankings_stay_near(suite, site):
    fine, coarse = (lay_out(Mission(weather_pa=30.0), site, step_s=s) for s in (0.5, 1.0))
    for a, b in zip(predict(suite(), fine, REQUIREMENTS, with_budget=False).figures,
                    predict(suite(), coarse, REQUIREMENTS, with_budget=False).figures, strict=True):  # fmt: skip
        assert b.value == pytest.approx(a.value, rel=0.07)


def test_the_filter_is_told_of_steel_only_while_it_passes_the_gate(suite, site):
    gentle, strong = (lay_out(Mission(steel_ut=u), site) for u in (8.0, 40.0))
    used = [design(suite(), c).due[:, k.HEADING].mean() for c in (gentle, strong)]
    assert used[0] == 1.0 and 0.9 < used[1] < 1.0


def test_a_mission_out_of_bounds_is_refused():
    with pytest.raises(ParameterError, match="Speed"):
        Mission(speed_m_s=-1.0)
    with pytest.raises(ParameterError, match="Wind"):
        replace(Mission(), wind_m_s=float("nan"))
