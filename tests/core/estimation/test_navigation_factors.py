"""The covariance's factors under long random lives: as dense matrices do, positive, and in single precision better than those."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.core.estimation.dense import dense, put_row, transition

from fusus.core.estimation.navigation_ekf import covariance
from fusus.core.estimation.navigation_ekf.states import FACTORS, D, Memory, W
from fusus.core.frames.quaternion import from_rotation_vector, to_matrix
from fusus.core.records import zeros

N = 20


def fresh(sigmas):
    p = np.zeros(FACTORS)
    p[: (W + 1) * N : W + 1] = 1.0
    p[D : D + N] = np.asarray(sigmas) ** 2
    return p


def see(p, m, columns, values, noise, left):
    put_row(m, list(zip(columns, values, strict=True)))
    covariance.project(p, m)
    covariance.ud_update(p, m, N, noise, left)


def seen(big, columns, values, noise):
    h = np.zeros(N)
    h[list(columns)] = values
    gain = big @ h / (h @ big @ h + noise)
    joseph = np.eye(N) - np.outer(gain, h)
    return joseph @ big @ joseph.T + noise * np.outer(gain, gain), gain


STEPS = st.lists(st.sampled_from(["step", "widen", "scale", "see"]), min_size=1, max_size=40)


@settings(max_examples=40, deadline=None)
@given(STEPS, st.integers(0, 2**32 - 1))
def test_any_life_is_that_of_a_dense_matrix(life, seed):
    rng = np.random.default_rng(seed)
    sigmas = rng.uniform(0.1, 3.0, N)
    p, m, big = fresh(sigmas), zeros(Memory), np.diag(sigmas**2)
    for what in life:
        if what == "step":
            t, f = float(rng.uniform(0.001, 0.05)), rng.normal(0, 10, 3)
            r = to_matrix(from_rotation_vector(rng.normal(size=3)))
            covariance.propagate(p, t, *f, *r.ravel())
            f_t = transition(N, t, f, r)
            big = f_t @ big @ f_t.T
        elif what == "widen":
            error, more = int(rng.integers(N)), float(rng.uniform(0.01, 2.0))
            covariance.add_variance(p, m, error, more)
            big[error, error] += more
        elif what == "scale":
            error, factor = int(rng.integers(N)), float(rng.uniform(0.3, 1.0))
            covariance.scale(p, N, error, factor)
            big[error] *= factor
            big[:, error] *= factor
        else:
            columns = tuple(int(c) for c in rng.choice(N, int(rng.integers(1, 6)), replace=False))
            values, noise = rng.normal(size=len(columns)), float(rng.uniform(0.01, 1.0))
            before = m.error[:N].copy()
            see(p, m, columns, values, noise, 0.7)
            big, gain = seen(big, columns, values, noise)
            assert np.allclose(m.error[:N] - before, 0.7 * gain, rtol=0.0, atol=1e-9)
        assert (p[D : D + N] > 0.0).all()
    # A noise that is small beside its D may still wait.
    size = np.sqrt(np.outer(np.diag(big), np.diag(big)))
    assert (np.abs(dense(p, N) - big) / size).max() < 2.0 * covariance.WORTH


def test_what_waits_is_added_in_the_end():
    p, m = fresh(np.ones(N)), zeros(Memory)
    small = 1e-7
    for _ in range(10_000):
        covariance.add_variance(p, m, 11, small)
    assert dense(p, N)[11, 11] == pytest.approx(1.0 + 1e-3, abs=covariance.WORTH)


def test_a_look_at_nothing_changes_nothing():
    p, m = fresh(np.ones(N)), zeros(Memory)
    before = p.copy()
    see(p, m, (3,), (0.0,), 0.1, 5.0)
    assert np.array_equal(p, before) and not m.error[:N].any()


def test_a_perfect_look_leaves_a_little():
    """What is measured a million times better than it was known keeps a positive variance."""
    p, m = fresh(np.full(N, 1e3)), zeros(Memory)
    see(p, m, (2, 15), (-1.0, 1.0), 1e-12, 0.0)
    big = dense(p, N)
    assert p[D : D + N].min() > 0.0
    assert big[2, 2] - 2 * big[2, 15] + big[15, 15] == pytest.approx(1e-12, abs=1e-9)


def test_single_precision_keeps_in_factors_what_it_loses_in_a_matrix():
    """Tilt and accelerometer bias seen together, again and again, by numpy in 32 bits: Bierman's factors against Joseph's matrix."""
    f4 = np.float32
    h, noise = np.array([-9.81, 1.0]), 1e-4
    exact = np.diag([0.04, 0.09])
    matrix = exact.astype(f4)
    u, d = f4(0.0), exact.diagonal().astype(f4)  # U = [[1, u], [0, 1]]
    row, r = h, noise
    for _ in range(400):
        gain = exact @ row / (row @ exact @ row + r)
        joseph = np.eye(2) - np.outer(gain, row)
        exact = joseph @ exact @ joseph.T + r * np.outer(gain, gain)
        small, s_r = row.astype(f4), f4(r)
        g = (matrix @ small / (small @ matrix @ small + s_r)).astype(f4)
        j = (np.eye(2, dtype=f4) - np.outer(g, small)).astype(f4)
        matrix = (j @ matrix @ j.T + s_r * np.outer(g, g)).astype(f4)
        # Bierman's two columns written out.
        f0, f1 = small[0], f4(u * small[0] + small[1])
        g0, g1 = f4(d[0] * f0), f4(d[1] * f1)
        a0 = f4(s_r + f0 * g0)
        a1 = f4(a0 + f1 * g1)
        d = np.array([d[0] * (s_r / a0), d[1] * (a0 / a1)], dtype=f4)
        u = f4(u - f1 / a0 * g0)
    factored = np.array([[d[0] + u * u * d[1], u * d[1]], [u * d[1], d[1]]], dtype=float)
    together = h @ exact @ h
    assert abs(h @ factored @ h / together - 1.0) < 0.05 < abs(h @ matrix.astype(float) @ h / together - 1.0)
