"""The navigation filter's covariance as dense matrices: what its factors are held against."""

import numpy as np

from fusus.core.estimation.navigation_ekf import covariance


def dense(p, n):
    """Return the matrix (n, n) that factors stand for."""
    out = np.empty((n, n))
    covariance.covariance_from_ud(p, n, out)
    return out


def transition(n, t, f, r):
    """Return F of the strapdown errors: δp' = δp + t δv, δv' = δv - t [f×] φ - t R δb_a, φ' = φ - t R δb_g."""
    out = np.eye(n)
    out[0:3, 3:6] = t * np.eye(3)
    fx = np.array([[0, -f[2], f[1]], [f[2], 0, -f[0]], [-f[1], f[0], 0]])
    out[3:6, 6:9] = -t * fx
    out[3:6, 12:15] = -t * r
    out[6:9, 9:12] = -t * r
    return out


def put_row(m, entries):
    """Put a measurement's row, (column, value) each, where the filter's steps look for it."""
    for q, (column, value) in enumerate(entries):
        m.columns[q], m.values[q] = column, value
    m.entries = len(entries)
