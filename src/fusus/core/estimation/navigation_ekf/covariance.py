"""Compiled steps of the covariance on its factors: P = U D Uᵀ, U upper triangular with ones on the diagonal, D diagonal.

What is known of two errors together, such as tilt and accelerometer bias, is a small difference of large entries of P, but an entry
of D of its own: the factors keep with single precision what P itself keeps with double, and cannot lose their sign (Bierman 1977,
Factorization Methods for Discrete Sequential Estimation, ch. V and VII).

Column j of U lies at ``W j``, with its one and the zeros below it; D_j lies at ``D + j``, and at ``WAITING + j`` what is to be added to it
and is yet too small. All is zero beyond the last error.

Arrays, where a function does not say otherwise (shape, unit, frame):

    p : (1088,) factors as above, any
    out : (n, n) any, any
"""

from fusus.core._jit import contracting_kernel, kernel
from fusus.core.arrays import Array
from fusus.core.estimation.navigation_ekf.states import WAITING, D, Memory, W

# Places that the compiler cannot see to be positive cost as much as the arithmetic: hence masks. Loops over columns end where there is no
# one on the diagonal: it cannot count ahead then, and does not gather from four columns at a time, which is slow.
MASK = W - 1
# What is added waits till it is this share of what is there: 1 in 2^15, so that single precision rounds it to a half of a percent.
WORTH = 3e-5


@contracting_kernel
def propagate(
    p: Array, t: float, fn: float, fe: float, fd: float,
    r00: float, r01: float, r02: float, r10: float, r11: float, r12: float, r20: float, r21: float, r22: float,
) -> None:  # fmt: skip
    """Carry the covariance over ``t`` seconds: P = F P Fᵀ, noise apart.

    δp' = δp + t δv; δv' = δv + t (φ × f - R δb_a); φ' = φ - t R δb_g (Groves 2013, ch. 14.2, in a local frame that
    does not turn); all other errors stay. Each error follows from itself and from later ones: F is upper triangular with ones on the
    diagonal as U is, so that U' = F U, and D stays.
    """
    tn, te, td = t * fn, t * fe, t * fd
    r00, r01, r02 = t * r00, t * r01, t * r02
    r10, r11, r12 = t * r10, t * r11, t * r12
    r20, r21, r22 = t * r20, t * r21, t * r22
    for j in range(3, W):
        if p[(W + 1) * j] == 0.0:
            break
        q = W * (j & MASK)
        v0, v1, v2 = p[q + 3], p[q + 4], p[q + 5]
        a0, a1, a2 = p[q + 6], p[q + 7], p[q + 8]
        g0, g1, g2 = p[q + 9], p[q + 10], p[q + 11]
        b0, b1, b2 = p[q + 12], p[q + 13], p[q + 14]
        p[q] += t * v0
        p[q + 1] += t * v1
        p[q + 2] += t * v2
        # Small changes first, so that what is large is rounded once.
        p[q + 3] = v0 + ((td * a1 - te * a2) - (r00 * b0 + r01 * b1 + r02 * b2))
        p[q + 4] = v1 + ((tn * a2 - td * a0) - (r10 * b0 + r11 * b1 + r12 * b2))
        p[q + 5] = v2 + ((te * a0 - tn * a1) - (r20 * b0 + r21 * b1 + r22 * b2))
        p[q + 6] = a0 - (r00 * g0 + r01 * g1 + r02 * g2)
        p[q + 7] = a1 - (r10 * g0 + r11 * g1 + r12 * g2)
        p[q + 8] = a2 - (r20 * g0 + r21 * g1 + r22 * g2)


@contracting_kernel
def add_variance(p: Array, m: Memory, error: int, variance: float) -> None:
    """Add a variance to one error: P + q e eᵀ (Agee and Turner 1972, as in Bierman 1977, ch. III.5).

    What is small beside D waits till more has come: noise in small pieces would be rounded the same way each time.
    """
    d = p[D + error]
    added = variance + p[WAITING + error]
    if added <= WORTH * d:
        p[WAITING + error] = added
        return
    p[WAITING + error] = 0.0
    whole = d + added
    share = added / whole
    c = d * share
    p[D + error] = whole
    q = W * error
    for k in range(error):
        u = p[q + k]
        m.half[k] = -u
        p[q + k] = u - share * u
    for step in range(1, error + 1):
        j = error - step
        v = m.half[j]
        d = p[D + j]
        whole = d + c * v * v
        # Nothing to add here, or an error that is known exactly.
        if v == 0.0 or whole <= 0.0:
            continue
        inverse = 1.0 / whole
        share = c * v * inverse
        c *= d * inverse
        p[D + j] = whole
        q = W * j
        for k in range(j):
            out = m.half[k] - v * p[q + k]
            m.half[k] = out
            p[q + k] += share * out


@kernel
def scale(p: Array, n: int, error: int, factor: float) -> None:
    """Scale one error: its row of U by the factor, its column by the inverse, its D by the square."""
    q, inverse = W * error, 1.0 / factor
    for k in range(error):
        p[q + k] *= inverse
    for j in range(error + 1, n):
        p[W * j + error] *= factor
    p[D + error] *= factor * factor
    p[WAITING + error] *= factor * factor


@contracting_kernel
def variance_of(p: Array, n: int, error: int) -> float:
    """Return the variance of one error."""
    out = 0.0
    for j in range(error, n):
        u = p[W * j + error]
        out += u * u * p[D + j]
    return out


@contracting_kernel
def covariance_from_ud(p: Array, n: int, out: Array) -> None:
    """Write the covariance itself to ``out`` (n, n)."""
    for i in range(n):
        for j in range(n):
            out[i, j] = 0.0
    for k in range(n):
        q, d = W * k, p[D + k]
        for j in range(k + 1):
            share = d * p[q + j]
            for i in range(j + 1):
                out[j, i] += share * p[q + i]
    for j in range(n):
        for i in range(j):
            out[i, j] = out[j, i]


@contracting_kernel
def project(p: Array, m: Memory) -> float:
    """Write Uᵀ hᵀ of the row in ``m`` to its half-way place, and return h P hᵀ."""
    count = m.entries
    for j in range(W):
        m.half[j] = 0.0
    for q in range(count):
        c, v = int(m.columns[q]) & MASK, m.values[q]
        for j in range(W):
            if p[(W + 1) * j] == 0.0:
                break
            m.half[j] += v * p[W * j + c]
    s = 0.0
    for j in range(W):
        if p[(W + 1) * j] == 0.0:
            break
        s += m.half[j] * m.half[j] * p[D + j]
    return s


@contracting_kernel
def ud_update(p: Array, m: Memory, n: int, noise: float, left: float) -> None:
    """Take a scalar measurement in: Uᵀ hᵀ lies in its half-way place, ``noise`` is its variance, ``left`` what is left of it.

    Column by column: with f = Uᵀ hᵀ, g = D f and a = r + Σ f g up to here, D_j' = D_j (1 - f g / a), and what the gain has so far is
    taken off the column (Bierman 1977, ch. V.3).
    """
    a, inverse = noise, 1.0 / noise
    for i in range(W):
        m.gain[i] = 0.0
    for j in range(n):
        f = m.half[j]
        if f == 0.0:
            continue
        d = p[D + j]
        g = d * f
        off = -f * inverse
        before, share = a, f * g
        a += share
        inverse = 1.0 / a
        # A little off is rounded once; of a lot what is left is told, so that it stays positive.
        p[D + j] = d - d * (share * inverse) if share < before else d * (before * inverse)
        q = W * j
        for i in range(j):
            u = p[q + i]
            p[q + i] = u + off * m.gain[i]
            m.gain[i] += g * u
        m.gain[j] = g
    for i in range(n):
        m.gain[i] *= inverse
        m.error[i] += m.gain[i] * left
