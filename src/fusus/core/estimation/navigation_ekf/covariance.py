"""Compiled covariance steps: the block structure of strapdown errors, and scalar updates in Joseph's form."""

from fusus.core._jit import kernel
from fusus.core.arrays import Array, IntArray
from fusus.core.estimation.navigation_ekf.states import E_ACC, E_ATT, E_GYRO, E_VEL


@kernel
def propagate(p: Array, t: float, fn: float, fe: float, fd: float, rot: Array) -> None:
    """Carry P over ``t`` seconds: P = F P Fᵀ, noise apart.

    δp' = δp + t δv; δv' = δv + t (φ × f - R δb_a); φ' = φ - t R δb_g (Groves 2013, ch. 14.2, in a local frame that
    does not turn); all other errors stay. Only rows and columns of the nine first change.
    """
    n = p.shape[0]
    tn, te, td = t * fn, t * fe, t * fd
    r00, r01, r02 = t * rot[0, 0], t * rot[0, 1], t * rot[0, 2]
    r10, r11, r12 = t * rot[1, 0], t * rot[1, 1], t * rot[1, 2]
    r20, r21, r22 = t * rot[2, 0], t * rot[2, 1], t * rot[2, 2]
    for j in range(n):
        v0, v1, v2 = p[E_VEL, j], p[E_VEL + 1, j], p[E_VEL + 2, j]
        a0, a1, a2 = p[E_ATT, j], p[E_ATT + 1, j], p[E_ATT + 2, j]
        g0, g1, g2 = p[E_GYRO, j], p[E_GYRO + 1, j], p[E_GYRO + 2, j]
        b0, b1, b2 = p[E_ACC, j], p[E_ACC + 1, j], p[E_ACC + 2, j]
        p[0, j] += t * v0
        p[1, j] += t * v1
        p[2, j] += t * v2
        p[3, j] = v0 + a1 * td - a2 * te - (r00 * b0 + r01 * b1 + r02 * b2)
        p[4, j] = v1 + a2 * tn - a0 * td - (r10 * b0 + r11 * b1 + r12 * b2)
        p[5, j] = v2 + a0 * te - a1 * tn - (r20 * b0 + r21 * b1 + r22 * b2)
        p[6, j] = a0 - (r00 * g0 + r01 * g1 + r02 * g2)
        p[7, j] = a1 - (r10 * g0 + r11 * g1 + r12 * g2)
        p[8, j] = a2 - (r20 * g0 + r21 * g1 + r22 * g2)
    for i in range(9):
        v0, v1, v2 = p[i, E_VEL], p[i, E_VEL + 1], p[i, E_VEL + 2]
        a0, a1, a2 = p[i, E_ATT], p[i, E_ATT + 1], p[i, E_ATT + 2]
        g0, g1, g2 = p[i, E_GYRO], p[i, E_GYRO + 1], p[i, E_GYRO + 2]
        b0, b1, b2 = p[i, E_ACC], p[i, E_ACC + 1], p[i, E_ACC + 2]
        p[i, 0] += t * v0
        p[i, 1] += t * v1
        p[i, 2] += t * v2
        p[i, 3] = v0 + a1 * td - a2 * te - (r00 * b0 + r01 * b1 + r02 * b2)
        p[i, 4] = v1 + a2 * tn - a0 * td - (r10 * b0 + r11 * b1 + r12 * b2)
        p[i, 5] = v2 + a0 * te - a1 * tn - (r20 * b0 + r21 * b1 + r22 * b2)
        p[i, 6] = a0 - (r00 * g0 + r01 * g1 + r02 * g2)
        p[i, 7] = a1 - (r10 * g0 + r11 * g1 + r12 * g2)
        p[i, 8] = a2 - (r20 * g0 + r21 * g1 + r22 * g2)
    for i in range(9):
        for j in range(i):
            mean = 0.5 * (p[i, j] + p[j, i])
            p[i, j], p[j, i] = mean, mean
        for j in range(9, n):
            p[j, i] = p[i, j]


@kernel
def project(p: Array, k: Array, cols: IntArray, vals: Array, m: int) -> float:
    """Write P hᵀ to ``k`` for a row with ``m`` entries, and return h P hᵀ."""
    n = p.shape[0]
    c, v = cols[0], vals[0]
    for j in range(n):
        k[j] = v * p[c, j]
    for q in range(1, m):
        c, v = cols[q], vals[q]
        for j in range(n):
            k[j] += v * p[c, j]
    s = 0.0
    for q in range(m):
        s += vals[q] * k[cols[q]]
    return s


@kernel
def fold(p: Array, e: Array, k: Array, d: Array, s: float, left: float) -> None:
    """Take a scalar measurement in: ``k`` holds P hᵀ, s its variance with noise, ``left`` what the errors found so far leave.

    Joseph's form (I - K h) P (I - K h)ᵀ + K r Kᵀ, written with K and d = P hᵀ - s K / 2 as P - K dᵀ - d Kᵀ: symmetric to
    the last bit, and positive whatever rounding does to K (Bierman 1977).
    """
    n = p.shape[0]
    inverse = 1.0 / s
    for i in range(n):
        gain = k[i] * inverse
        d[i] = k[i] - 0.5 * s * gain
        k[i] = gain
        e[i] += gain * left
    for i in range(n):
        ki, di = k[i], d[i]
        for j in range(n):
            p[i, j] -= ki * d[j] + di * k[j]
