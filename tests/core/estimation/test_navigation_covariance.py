"""The navigation filter's compiled steps against dense matrices, filterpy and steady states."""

import numpy as np
import pytest
from filterpy.kalman import KalmanFilter
from scipy.linalg import solve_discrete_are

from fusus.core.estimation.navigation_ekf import covariance
from fusus.core.estimation.navigation_ekf.states import (
    COLS,
    ENTRIES,
    ERR,
    MEMORY,
    VALS,
    W,
)
from fusus.core.frames.quaternion import from_rotation_vector, to_matrix


def flat(p):
    out = np.zeros((W, W))
    out[: len(p), : len(p)] = p
    return out.ravel().copy()


def dense(p, n):
    return p.reshape(W, W)[:n, :n]


def spread(rng, n):
    a = rng.standard_normal((n, n))
    return a @ a.T + n * np.eye(n)


def transition(n, t, f, r):
    """Return F of the strapdown errors: δp' = δp + t δv, δv' = δv - t [f×] φ - t R δb_a, φ' = φ - t R δb_g."""
    out = np.eye(n)
    out[0:3, 3:6] = t * np.eye(3)
    fx = np.array([[0, -f[2], f[1]], [f[2], 0, -f[0]], [-f[1], f[0], 0]])
    out[3:6, 6:9] = -t * fx
    out[3:6, 12:15] = -t * r
    out[6:9, 9:12] = -t * r
    return out


@pytest.mark.parametrize("n", [16, 20, 23, 29])
def test_propagation_equals_a_dense_product(n):
    rng = np.random.default_rng(n)
    p0, f, t = spread(rng, n), rng.standard_normal(3) * 10, 0.013
    r = to_matrix(from_rotation_vector(rng.standard_normal(3)))
    p = flat(p0)
    covariance.propagate(p, n, t, *f, *r.ravel())
    big = transition(n, t, f, r)
    expected = big @ p0 @ big.T
    assert np.allclose(dense(p, n), expected, rtol=1e-12, atol=1e-10)
    assert np.array_equal(dense(p, n), dense(p, n).T)
    assert not p.reshape(W, W)[n:].any() and not p.reshape(W, W)[:, n:].any()


def row(m, entries):
    for q, (column, value) in enumerate(entries):
        m[COLS + q], m[VALS + q] = column, value
    m[ENTRIES] = len(entries)


@pytest.mark.parametrize("n", [16, 23, 29])
def test_scalar_updates_equal_filterpy(n):
    rng = np.random.default_rng(100 + n)
    p0 = spread(rng, n)
    reference = KalmanFilter(dim_x=n, dim_z=1)
    reference.P, reference.x = p0.copy(), np.zeros((n, 1))
    p, m = flat(p0), np.zeros(MEMORY)
    for _ in range(6):
        columns = rng.choice(n, 4, replace=False)
        values, y, noise = rng.standard_normal(4), float(rng.standard_normal()), float(rng.uniform(0.1, 2.0))
        h = np.zeros((1, n))
        h[0, columns] = values
        reference.H, reference.R = h, np.array([[noise]])
        reference.update(np.array([[y]]))
        row(m, list(zip(columns, values, strict=True)))
        s = covariance.project(p, m) + noise
        left = y - float(h[0] @ m[ERR : ERR + n])
        covariance.fold(p, m, n, s, left)
        assert np.allclose(dense(p, n), reference.P, rtol=0, atol=1e-9)
        assert np.allclose(m[ERR : ERR + n], reference.x[:, 0], rtol=0, atol=1e-9)
        assert np.array_equal(dense(p, n), dense(p, n).T)


@pytest.mark.slow
def test_the_vertical_channel_settles_at_the_riccati_equations_state():
    # Position and velocity under acceleration noise, position measured: the discrete algebraic Riccati equation's solution.
    n, t, q, noise = 16, 0.1, 0.04, 0.5
    p, m = flat(np.eye(n) * 1e-9 + np.diag([0, 0, 1, 0, 0, 1] + [0] * 10)), np.zeros(MEMORY)
    for _ in range(4000):
        covariance.propagate(p, n, t, 0.0, 0.0, 0.0, *np.eye(3).ravel())
        p[(W + 1) * 5] += q * t
        row(m, [(2, 1.0)])
        prior = dense(p, n)[np.ix_([2, 5], [2, 5])].copy()
        covariance.fold(p, m, n, covariance.project(p, m) + noise, 0.0)
    f, h = np.array([[1, t], [0, 1]]), np.array([[1.0, 0.0]])
    expected = solve_discrete_are(f.T, h.T, np.diag([0.0, q * t]), np.array([[noise]]))
    assert np.allclose(prior, expected, rtol=1e-6)


@pytest.mark.slow
def test_the_covariance_stays_positive_for_ten_hours():
    # One measurement of each kind a second for 36,000 s, on a craft that turns: eigenvalues must not cross zero.
    n = 23
    rng = np.random.default_rng(5)
    p, m = flat(np.diag(rng.uniform(0.1, 10.0, n) ** 2)), np.zeros(MEMORY)
    least = np.inf
    for k in range(36_000):
        a = 0.01 * k
        r = np.array([[np.cos(a), -np.sin(a), 0], [np.sin(a), np.cos(a), 0], [0, 0, 1.0]])
        covariance.propagate(p, n, 1.0, np.sin(0.3 * a), np.cos(0.2 * a), -9.8, *r.ravel())
        for i in range(3, 15):
            p[(W + 1) * i] += 1e-8
        for i in range(3):
            row(m, [(i, 1.0), (16 + i, 1.0)])
            covariance.fold(p, m, n, covariance.project(p, m) + 0.09, 0.0)
            row(m, [(3 + i, 1.0)])
            covariance.fold(p, m, n, covariance.project(p, m) + 0.01, 0.0)
        row(m, [(8, 1.0), (20, -0.05)])
        covariance.fold(p, m, n, covariance.project(p, m) + 1e-3, 0.0)
        if k % 600 == 0:
            least = min(least, float(np.linalg.eigvalsh(dense(p, n))[0]))
    assert least > 0.0
