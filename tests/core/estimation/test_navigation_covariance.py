"""The navigation filter's compiled steps against dense matrices, filterpy and steady states."""

import numpy as np
import pytest
from filterpy.kalman import KalmanFilter
from scipy.linalg import solve_discrete_are
from tests.core.estimation.dense import dense, put_row, transition
from tests.runs import LONG

from fusus.core.estimation.navigation_ekf import covariance
from fusus.core.estimation.navigation_ekf.states import FACTORS, WAITING, D, Memory, W
from fusus.core.frames.quaternion import from_rotation_vector, to_matrix
from fusus.core.records import zeros


def factored(p):
    """U-D factors by numpy's Cholesky factor, of the matrix turned round: its own are lower triangular."""
    n = len(p)
    upper = np.linalg.cholesky(p[::-1, ::-1])[::-1, ::-1]
    out = np.zeros(FACTORS)
    out[: W * W].reshape(W, W)[:n, :n] = (upper / np.diag(upper)).T
    out[D : D + n] = np.diag(upper) ** 2
    return out


def unharmed(p, n):
    """Whether ones, zeros and what lies beyond the last error are as they should be."""
    u = p[: W * W].reshape(W, W).T
    rest = np.triu(u, 1)
    rest[:n, :n] = 0.0
    return np.array_equal(np.tril(u)[:n, :n], np.eye(n)) and not rest.any() and not p[D + n : WAITING].any()


def spread(rng, n):
    a = rng.standard_normal((n, n))
    return a @ a.T + n * np.eye(n)


@pytest.mark.parametrize("n", [16, 20, 23, 29])
def test_propagation_equals_a_dense_product(n):
    rng = np.random.default_rng(n)
    p0, f, t = spread(rng, n), rng.standard_normal(3) * 10, 0.013
    r = to_matrix(from_rotation_vector(rng.standard_normal(3)))
    p = factored(p0)
    assert np.allclose(dense(p, n), p0, rtol=1e-12)
    covariance.propagate(p, t, *f, *r.ravel())
    big = transition(n, t, f, r)
    expected = big @ p0 @ big.T
    assert np.allclose(dense(p, n), expected, rtol=1e-12, atol=1e-10)
    assert unharmed(p, n)


@pytest.mark.parametrize("n", [16, 29])
def test_single_errors_are_widened_and_scaled(n):
    rng = np.random.default_rng(7 + n)
    p0 = spread(rng, n)
    p, m = factored(p0), zeros(Memory)
    for error in (0, 3, 8, n - 1):
        more, factor = float(rng.uniform(0.1, 5.0)), float(rng.uniform(0.2, 1.0))
        covariance.add_variance(p, m, error, more)
        covariance.scale(p, n, error, factor)
        p0[error, error] += more
        p0[error] *= factor
        p0[:, error] *= factor
        assert np.allclose(dense(p, n), p0, rtol=1e-12, atol=1e-12) and unharmed(p, n)
        assert covariance.variance_of(p, n, error) == pytest.approx(p0[error, error], rel=1e-12)


def test_what_is_known_exactly_can_be_widened():
    p, m = np.zeros(FACTORS), zeros(Memory)
    p[: (W + 1) * 16 : W + 1] = 1.0
    covariance.add_variance(p, m, 4, 0.25)
    assert np.array_equal(dense(p, 16), np.diag([0.0] * 4 + [0.25] + [0.0] * 11)) and unharmed(p, 16)


@pytest.mark.parametrize("n", [16, 23, 29])
def test_scalar_updates_equal_filterpy(n):
    rng = np.random.default_rng(100 + n)
    p0 = spread(rng, n)
    reference = KalmanFilter(dim_x=n, dim_z=1)
    reference.P, reference.x = p0.copy(), np.zeros((n, 1))
    p, m = factored(p0), zeros(Memory)
    for _ in range(6):
        columns = rng.choice(n, 4, replace=False)
        values, y, noise = rng.standard_normal(4), float(rng.standard_normal()), float(rng.uniform(0.1, 2.0))
        h = np.zeros((1, n))
        h[0, columns] = values
        reference.H, reference.R = h, np.array([[noise]])
        reference.update(np.array([[y]]))
        put_row(m, list(zip(columns, values, strict=True)))
        assert covariance.project(p, m) == pytest.approx(float((reference.S - noise)[0, 0]), rel=1e-9)
        left = y - float(h[0] @ m.error[:n])
        covariance.ud_update(p, m, n, noise, left)
        assert np.allclose(dense(p, n), reference.P, rtol=0, atol=1e-9)
        assert np.allclose(m.error[:n], reference.x[:, 0], rtol=0, atol=1e-9)
        assert unharmed(p, n)


def see(p, m, n, noise):
    covariance.project(p, m)
    covariance.ud_update(p, m, n, noise, 0.0)


@pytest.mark.slow
def test_the_vertical_channel_settles_at_the_riccati_equations_state():
    # Position and velocity under acceleration noise, position measured: the discrete algebraic Riccati equation's solution.
    n, t, q, noise = 16, 0.1, 0.04, 0.5
    p, m = factored(np.eye(n) * 1e-9 + np.diag([0, 0, 1, 0, 0, 1] + [0] * 10)), zeros(Memory)
    for _ in range(4000):
        covariance.propagate(p, t, 0.0, 0.0, 0.0, *np.eye(3).ravel())
        covariance.add_variance(p, m, 5, q * t)
        put_row(m, [(2, 1.0)])
        prior = dense(p, n)[np.ix_([2, 5], [2, 5])].copy()
        see(p, m, n, noise)
    f, h = np.array([[1, t], [0, 1]]), np.array([[1.0, 0.0]])
    expected = solve_discrete_are(f.T, h.T, np.diag([0.0, q * t]), np.array([[noise]]))
    assert np.allclose(prior, expected, rtol=1e-6)


@pytest.mark.slow
def test_the_covariance_stays_positive_for_hours():
    # One measurement of each kind a second for an hour, ten in the long run, on a craft that turns: eigenvalues must not cross zero.
    n = 23
    rng = np.random.default_rng(5)
    p, m = factored(np.diag(rng.uniform(0.1, 10.0, n) ** 2)), zeros(Memory)
    least = np.inf
    for k in range(36_000 if LONG else 3_600):
        a = 0.01 * k
        r = np.array([[np.cos(a), -np.sin(a), 0], [np.sin(a), np.cos(a), 0], [0, 0, 1.0]])
        covariance.propagate(p, 1.0, np.sin(0.3 * a), np.cos(0.2 * a), -9.8, *r.ravel())
        for i in range(3, 15):
            covariance.add_variance(p, m, i, 1e-8)
        for i in range(3):
            put_row(m, [(i, 1.0), (16 + i, 1.0)])
            see(p, m, n, 0.09)
            put_row(m, [(3 + i, 1.0)])
            see(p, m, n, 0.01)
        put_row(m, [(8, 1.0), (20, -0.05)])
        see(p, m, n, 1e-3)
        if k % 600 == 0:
            least = min(least, float(np.linalg.eigvalsh(dense(p, n))[0]))
    assert least > 0.0
