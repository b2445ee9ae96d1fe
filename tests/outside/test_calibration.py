"""Calibration and Allan deviation against published values and reference libraries. The source stands in each check."""

import json
from pathlib import Path

import allantools
import numpy as np
import pytest

from fusus.core.analysis.allan.deviation import allan_curve, degrees_of_freedom
from fusus.core.analysis.allan.reading import read_curve
from fusus.core.calibration import six_face
from fusus.core.calibration.airflow import f_test
from fusus.core.calibration.coverage import coverage
from fusus.core.calibration.ellipsoid import fit_ellipsoid, fit_sphere
from fusus.core.calibration.gnss_scatter import circle_probability, circle_radius, gnss_scatter, sphere_radius
from fusus.core.calibration.magnetometer import magnetometer
from fusus.core.calibration.poses import FACES, Pose
from fusus.core.calibration.stillness import Span
from fusus.core.calibration.thermal import evaluate
from fusus.core.calibration.vibration import alias_hz
from fusus.core.noise import gauss_markov, markov_sigma_of_instability, random_walk, white

FOLDER = Path(__file__).parents[1] / "checks"
CHECKS = {c["id"]: c for c in json.loads((FOLDER / "checks.json").read_text(encoding="utf-8"))["checks"]}


def expected(name):
    return CHECKS[name]["inputs"], CHECKS[name]["expected"]


def table(name):
    return np.genfromtxt(FOLDER / name, delimiter=",", names=True, skip_header=1)


def columns(name):
    return np.array(table(name).tolist())


def sp1065() -> np.ndarray:
    """The 1000-point generator of NIST SP 1065, page 107."""
    n, out = 1234567890, []
    for _ in range(1000):
        out.append(n / 2147483647)
        n = 16807 * n % 2147483647
    return np.array(out)


def test_nist_sp_1065_sets():
    small = np.array([892, 809, 823, 798, 671, 644, 883, 903, 677], dtype=float)
    assert allan_curve(small, 1.0, [1, 2]).adev == pytest.approx(CHECKS["AVN-03"]["expected"]["oadev"], rel=1e-6)
    _, want = expected("AVN-01")
    y = sp1065()
    assert y.mean() == pytest.approx(want["mean"], rel=1e-6)
    assert allan_curve(y, 1.0, [1, 10, 100]).adev == pytest.approx(CHECKS["AVN-07"]["expected"]["oadev"], rel=1e-6)


def test_allan_deviation_equals_allantools():
    y = (
        np.cumsum(np.random.default_rng(1).standard_normal(20000)) * 0.01
        + np.random.default_rng(2).standard_normal(20000)
        + 7.0
    )
    m = np.array([1, 2, 3, 5, 10, 33, 100, 1000, 3000, 6600])
    tau, adev, *_ = allantools.oadev(y, rate=50.0, data_type="freq", taus=m / 50.0)
    c = allan_curve(y, 50.0, m)
    assert c.tau_s == pytest.approx(tau)
    assert c.adev == pytest.approx(adev, rel=1e-9)


@pytest.mark.parametrize(("alpha", "slope"), [(2, -2), (0, -1), (-1, 0), (-2, 1)])
def test_degrees_of_freedom_equal_allantools(alpha, slope):
    for m in (2, 10, 100, 330):  # allantools' flicker value at m = 1 lacks a factor
        assert degrees_of_freedom(1001, [m], [slope])[0] == pytest.approx(
            allantools.edf_simple(1001, m, alpha), rel=1e-12
        )


def test_bounds_hold_as_often_as_they_claim():
    rng = np.random.default_rng(3)
    inside = []
    for _ in range(300):
        c = allan_curve(rng.standard_normal(2000), 1.0, [1, 10, 100, 400])
        truth = 1 / np.sqrt([1, 10, 100, 400])
        inside.append((c.lower < truth) & (truth < c.upper))
    assert np.mean(inside, axis=0) == pytest.approx([0.683] * 4, abs=0.12)


def test_coefficients_come_back():
    """N, K and B of simulated noise (IEEE Std 952-1997 annex C): the mean of twenty hours' records."""
    n, k, b, rate = 1e-3, 3e-5, 3e-4, 50.0
    found = []
    for seed in range(20):
        rng = np.random.default_rng(seed)
        y = white(rng, 180000, 1, n, rate) + random_walk(rng, 180000, 1, k, rate)
        y += gauss_markov(rng, 180000, 1, markov_sigma_of_instability(b), 100.0, rate)
        r = read_curve(allan_curve(y[:, 0], rate))
        found.append(
            (
                r.noise.value,
                r.walk.value if r.walk else np.nan,
                r.instability.value,
                (r.noise.value - n) / r.noise.sigma,
            )
        )
    noise, walk, instability, z = np.array(found).T
    assert noise.mean() == pytest.approx(n, rel=0.005)
    assert np.std(z) < 1.6
    assert np.nanmean(walk) == pytest.approx(k, rel=0.35)
    assert instability.mean() == pytest.approx(b, rel=0.35)  # one Gauss-Markov process is not a flat floor


def test_quantisation_and_ramp_are_read_where_they_rule():
    t = np.arange(40000) / 100.0
    rounding = np.diff(np.random.default_rng(4).uniform(-0.5, 0.5, 40001)) * 100.0  # angle rounded to a unit, as a rate
    r = read_curve(allan_curve(rounding, 100.0))
    assert r.quantisation.value == pytest.approx(1 / np.sqrt(12), rel=0.02)  # AVA-07: LSB/√12
    ramp = read_curve(allan_curve(1e-4 * t + 1e-4 * np.random.default_rng(5).standard_normal(40000), 100.0))
    assert ramp.ramp.value == pytest.approx(1e-4, rel=0.02)


@pytest.mark.parametrize("name", ["ACC-01", "ACC-02"])
def test_six_positions_closed_form(name):
    """Ferraris et al. 1995: matrix and bias of the readings +x, -x, +y, -y, +z, -z."""
    given, want = expected(name)
    span = Span(0, 1, 0.0, 1.0)
    readings = np.array(given["readings_rows_+x_-x_+y_-y_+z_-z"])
    size = np.abs(readings).max()
    poses = tuple(Pose(span, r / size, np.full(3, 1e-9), np.zeros(3), i, 0.0) for i, r in enumerate(readings))
    fit = six_face._fit_faces(poses, given["g_in_unit"] / size, 1e-9)
    assert fit.offset * size == pytest.approx(want["bias"], rel=1e-6)
    assert fit.matrix == pytest.approx(np.array(want["M"]), abs=1e-6 * np.abs(want["M"]).max())
    corrected = np.linalg.solve(fit.matrix, np.array(given["test_raw"]) - fit.offset * size)
    assert corrected == pytest.approx(want["corrected_test_reading"], abs=1e-5)
    assert len(FACES) == len(poses)


def test_bias_against_temperature_two_points():
    given, want = expected("ACC-07")
    slope = (given["bias2"] - given["bias1"]) / (given["temp2_C"] - given["temp1_C"])
    assert slope == pytest.approx(want["slope_per_C"], rel=1e-9)
    assert evaluate([[given["bias1"], slope]] * 3, given["temp1_C"], [given["at_C"]])[0, 0] == pytest.approx(
        want["bias_at"]
    )


@pytest.mark.parametrize(
    ("name", "file", "field"), [("MAG-01", "mag_made_1.csv", 50.0), ("MAG-02", "mag_made_2.csv", 48.0)]
)
def test_made_ellipsoids(name, file, field):
    _, want = expected(name)
    c = magnetometer(columns(file), field)
    a = np.array(c.parameters["soft_iron"])
    tight = name == "MAG-01"
    assert c.parameters["hard_iron_ut"] == pytest.approx(want["hard_iron_uT"], abs=1e-4 if tight else 0.424)
    assert a @ a.T == pytest.approx(np.array(want["A_At"]), abs=1e-6 if tight else 0.0102)
    assert c.verdict == "pass"


def test_recorded_field():
    """scikit-kinematics 0.10.4, recorded data (BSD 3-clause, T. Haslwanter)."""
    m = columns("mag_rec_1.csv")
    _, want = expected("MAG-03")
    sphere = fit_sphere(m, None)
    assert sphere.centre == pytest.approx(want["hard_iron"], abs=0.0025)
    assert sphere.radius == pytest.approx(want["radius"], abs=0.0025)
    assert np.std(sphere.residuals) / sphere.radius == pytest.approx(want["relative_residual"], rel=0.03)
    assert coverage(m - sphere.centre).eigenvalues == pytest.approx(want["coverage_eigenvalues"], abs=0.005)
    _, want = expected("MAG-04")
    full = fit_ellipsoid(m, None)
    assert full.centre == pytest.approx(want["hard_iron"], abs=0.0446)
    axes = np.sort(np.linalg.eigvalsh(full.matrix))[::-1] * full.radius
    assert axes == pytest.approx(want["semi_axes_descending"], rel=0.03)


def test_one_level_turn_is_not_enough():
    _, want = expected("MAG-05")
    c = magnetometer(columns("mag_made_3.csv"), 49.0)
    assert c.parameters["hard_iron_ut"][:2] == pytest.approx(want["hard_iron_xy_uT"], abs=1)
    assert c.parameters["hard_iron_ut"][2] is None
    assert c.parameters["horizontal_field_ut"] == pytest.approx(want["horizontal_field_uT"], abs=1)
    assert c.parameters["coverage"][0] < 0.01
    assert c.verdict == "fail"


@pytest.mark.parametrize("name", ["GNS-01", "GNS-02", "GNS-03", "GNS-04"])
def test_circles_of_normal_errors(name):
    given, want = expected(name)
    a, b = given.get("sigma_x_m", given.get("sigma_m")), given.get("sigma_y_m", given.get("sigma_m"))
    for key, share in (("CEP50", 0.5), ("R95", 0.95), ("R99", 0.99)):
        assert circle_radius(share, a, b) == pytest.approx(want[key], rel=1e-6)
    drms = np.hypot(a, b)
    assert circle_probability(drms, a, b) == pytest.approx(want["P_within_DRMS"], rel=1e-6)
    assert circle_probability(2 * drms, a, b) == pytest.approx(want["P_within_2DRMS"], rel=1e-6)


def test_table_of_ellipses():
    for row in table("gnss_ellipse.csv"):
        assert circle_radius(0.5, 1.0, row[0]) == pytest.approx(row[1], rel=1e-6)
        assert circle_radius(0.95, 1.0, row[0]) == pytest.approx(row[2], rel=1e-6)


@pytest.mark.parametrize("name", ["GNS-06", "GNS-07"])
def test_spheres(name):
    given, want = expected(name)
    assert sphere_radius(0.5, given["sigma_xyz_m"]) == pytest.approx(want["SEP50"], rel=1e-5)
    assert sphere_radius(0.95, given["sigma_xyz_m"]) == pytest.approx(want["R95_3D"], rel=1e-5)


def test_correlated_scatter_has_the_right_ellipse():
    given, want = expected("GNS-05")
    e, n, r = given["sigma_E_m"], given["sigma_N_m"], given["correlation"]
    # Points with exactly this covariance: the axes of a normal sample, whitened first.
    raw = np.random.default_rng(6).standard_normal((4000, 2))
    raw = (raw - raw.mean(axis=0)) @ np.linalg.inv(np.linalg.cholesky(np.cov(raw.T))).T
    p = raw @ np.linalg.cholesky([[n * n, r * e * n], [r * e * n, e * e]]).T
    c = gnss_scatter(np.arange(4000.0), np.column_stack([p, np.random.default_rng(7).normal(0, 2, 4000)]))
    assert c.parameters["semi_major_m"] == pytest.approx(want["semi_major_m"], rel=1e-6)
    assert c.parameters["major_azimuth_deg"] == pytest.approx(want["major_azimuth_deg"], abs=1e-5)
    assert c.parameters["cep50_m"] == pytest.approx(want["CEP50"], rel=1e-6)
    assert c.parameters["cep95_m"] == pytest.approx(want["R95"], rel=1e-6)


def test_f_test_against_the_handbook_table():
    """F(0.95; 5, 10) = 3.33 and F(0.99; 10, 20) = 3.37, as every table of the F distribution prints them (from memory)."""
    unit = np.array([-1.0, 1.0])
    for value, first, second, share in ((3.33, 5, 10, 0.05), (3.37, 10, 20, 0.01)):
        ratio, probability = f_test(unit * np.sqrt(value), unit, first, second)
        assert ratio == pytest.approx(value)
        assert probability / 2 == pytest.approx(share, rel=0.01)


def test_alias():
    given, want = expected("FLT-08")
    assert float(alias_hz(given["signal_Hz"], given["rate_Hz"])) == pytest.approx(want["alias_Hz"])
