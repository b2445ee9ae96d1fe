"""Compiled covariance steps: the block structure of strapdown errors, and scalar updates in Joseph's form.

P lies flat, error i with error j at ``W i + j``; places beyond the last error stay zero.
"""

from fusus.core._jit import contracting_kernel, kernel
from fusus.core.arrays import Array
from fusus.core.estimation.navigation_ekf.states import COLS, ENTRIES, ERR, GAIN, HALF, VALS, W

# Rows of P.
V, A, G, B = 3 * W, 6 * W, 9 * W, 12 * W
MASK = W - 1

# Places that the compiler cannot see to be positive cost as much as the arithmetic: hence literal places, loops that end early, and
# masks on what was a float.


@contracting_kernel
def _position_columns(p: Array, q: int, t: float) -> None:
    """Take the step of the position's errors to a row's columns."""
    p[q] += t * p[q + 3]
    p[q + 1] += t * p[q + 4]
    p[q + 2] += t * p[q + 5]


@contracting_kernel
def _velocity_columns(
    p: Array, q: int, tn: float, te: float, td: float,
    r00: float, r01: float, r02: float, r10: float, r11: float, r12: float, r20: float, r21: float, r22: float,
) -> None:  # fmt: skip
    """Take the step of the velocity's errors to a row's columns."""
    a0, a1, a2 = p[q + 6], p[q + 7], p[q + 8]
    b0, b1, b2 = p[q + 12], p[q + 13], p[q + 14]
    p[q + 3] += td * a1 - te * a2 - r00 * b0 - r01 * b1 - r02 * b2
    p[q + 4] += tn * a2 - td * a0 - r10 * b0 - r11 * b1 - r12 * b2
    p[q + 5] += te * a0 - tn * a1 - r20 * b0 - r21 * b1 - r22 * b2


@contracting_kernel
def _attitude_columns(
    p: Array, q: int,
    r00: float, r01: float, r02: float, r10: float, r11: float, r12: float, r20: float, r21: float, r22: float,
) -> None:  # fmt: skip
    """Take the step of the attitude's errors to a row's columns."""
    g0, g1, g2 = p[q + 9], p[q + 10], p[q + 11]
    p[q + 6] -= r00 * g0 + r01 * g1 + r02 * g2
    p[q + 7] -= r10 * g0 + r11 * g1 + r12 * g2
    p[q + 8] -= r20 * g0 + r21 * g1 + r22 * g2


@contracting_kernel
def propagate(
    p: Array, n: int, t: float, fn: float, fe: float, fd: float,
    r00: float, r01: float, r02: float, r10: float, r11: float, r12: float, r20: float, r21: float, r22: float,
) -> None:  # fmt: skip
    """Carry P over ``t`` seconds: P = F P Fᵀ, noise apart.

    δp' = δp + t δv; δv' = δv + t (φ × f - R δb_a); φ' = φ - t R δb_g (Groves 2013, ch. 14.2, in a local frame that
    does not turn); all other errors stay. Only rows and columns of the nine first change.
    """
    tn, te, td = t * fn, t * fe, t * fd
    r00, r01, r02 = t * r00, t * r01, t * r02
    r10, r11, r12 = t * r10, t * r11, t * r12
    r20, r21, r22 = t * r20, t * r21, t * r22
    for j in range(W):
        v0, v1, v2 = p[V + j], p[V + W + j], p[V + 2 * W + j]
        a0, a1, a2 = p[A + j], p[A + W + j], p[A + 2 * W + j]
        g0, g1, g2 = p[G + j], p[G + W + j], p[G + 2 * W + j]
        b0, b1, b2 = p[B + j], p[B + W + j], p[B + 2 * W + j]
        p[j] += t * v0
        p[W + j] += t * v1
        p[2 * W + j] += t * v2
        p[V + j] = v0 + td * a1 - te * a2 - r00 * b0 - r01 * b1 - r02 * b2
        p[V + W + j] = v1 + tn * a2 - td * a0 - r10 * b0 - r11 * b1 - r12 * b2
        p[V + 2 * W + j] = v2 + te * a0 - tn * a1 - r20 * b0 - r21 * b1 - r22 * b2
        p[A + j] = a0 - r00 * g0 - r01 * g1 - r02 * g2
        p[A + W + j] = a1 - r10 * g0 - r11 * g1 - r12 * g2
        p[A + 2 * W + j] = a2 - r20 * g0 - r21 * g1 - r22 * g2
    # The columns, as far as they lie in the nine rows: beyond them the other side of the diagonal is copied.
    for place in (0, W, 2 * W):
        _position_columns(p, place, t)
    _velocity_columns(p, 0, tn, te, td, r00, r01, r02, r10, r11, r12, r20, r21, r22)
    _velocity_columns(p, W, tn, te, td, r00, r01, r02, r10, r11, r12, r20, r21, r22)
    _velocity_columns(p, 2 * W, tn, te, td, r00, r01, r02, r10, r11, r12, r20, r21, r22)
    _velocity_columns(p, V, tn, te, td, r00, r01, r02, r10, r11, r12, r20, r21, r22)
    _velocity_columns(p, V + W, tn, te, td, r00, r01, r02, r10, r11, r12, r20, r21, r22)
    _velocity_columns(p, V + 2 * W, tn, te, td, r00, r01, r02, r10, r11, r12, r20, r21, r22)
    for place in (0, W, 2 * W, V, V + W, V + 2 * W, A, A + W, A + 2 * W):
        _attitude_columns(p, place, r00, r01, r02, r10, r11, r12, r20, r21, r22)
    for i in range(8):
        for j in range(i + 1, 9):
            p[W * j + i] = p[W * i + j]
    for j in range(9, W):
        if j >= n:
            break
        for i in range(9):
            p[W * j + i] = p[W * i + j]


@kernel
def project(p: Array, m: Array) -> float:
    """Write P hᵀ of the row in ``m`` to its gain's place, and return h P hᵀ."""
    count = int(m[ENTRIES])
    c, v = W * (int(m[COLS]) & MASK), m[VALS]
    for j in range(W):
        m[GAIN + j] = v * p[c + j]
    for q in range(1, count):
        c, v = W * (int(m[COLS + q]) & MASK), m[VALS + q]
        for j in range(W):
            m[GAIN + j] += v * p[c + j]
    s = 0.0
    for q in range(count):
        s += m[VALS + q] * m[GAIN + (int(m[COLS + q]) & MASK)]
    return s


@kernel
def fold(p: Array, m: Array, n: int, s: float, left: float) -> None:
    """Take a scalar measurement in: P hᵀ lies in the gain's place, ``s`` is its variance with noise, ``left`` what is left of it.

    Joseph's form (I - K h) P (I - K h)ᵀ + K r Kᵀ, written with K and d = P hᵀ - s K / 2 as P - K dᵀ - d Kᵀ: symmetric to
    the last bit, and positive whatever rounding does to K (Bierman 1977).
    """
    inverse = 1.0 / s
    for i in range(W):
        gain = m[GAIN + i] * inverse
        m[HALF + i] = m[GAIN + i] - 0.5 * s * gain
        m[GAIN + i] = gain
        m[ERR + i] += gain * left
    # Four rows at a time share what they read; rows beyond the last error have no gain.
    for block in range(W // 4):
        i = 4 * block
        if i >= n:
            break
        q = W * i
        k0, k1, k2, k3 = m[GAIN + i], m[GAIN + i + 1], m[GAIN + i + 2], m[GAIN + i + 3]
        d0, d1, d2, d3 = m[HALF + i], m[HALF + i + 1], m[HALF + i + 2], m[HALF + i + 3]
        for j in range(W):
            k, d = m[GAIN + j], m[HALF + j]
            p[q + j] -= k0 * d + d0 * k
            p[q + W + j] -= k1 * d + d1 * k
            p[q + 2 * W + j] -= k2 * d + d2 * k
            p[q + 3 * W + j] -= k3 * d + d3 * k
