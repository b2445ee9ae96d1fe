"""The sums that an overlapping Allan deviation is made of.

Arrays, where a function does not say otherwise (shape, unit, frame):

    x : (N,) any s, any
    factors : (K,) samples, any
    sums : (K,) any, any
    y : (N,) any, any
    out : (N + 1,) any, any
"""

from fusus.core._jit import kernel, summing_kernel
from fusus.core.arrays import Array, IntArray

# All averaging times are served by one walk through the series, tile by tile: what one of them has fetched from memory the
# others find in the cache. Four times as fast as one pass for each, where the series is larger than the cache.
TILE = 4096


@summing_kernel
def add_squared_differences(x: Array, m: int, start: int, stop: int) -> float:
    """Return the sum over i from start to stop of (x[i + 2m] - 2 x[i + m] + x[i])²."""
    # Slices of one length: the compiler then needs no index checks and adds up in parallel lanes.
    first, middle, last = x[start:stop], x[start + m : stop + m], x[start + 2 * m : stop + 2 * m]
    # Two halves at once: one sum alone would wait for each of its own additions.
    half = (stop - start) // 2
    total, other = 0.0, 0.0
    for i in range(half):
        d = last[i] - 2.0 * middle[i] + first[i]
        e = last[i + half] - 2.0 * middle[i + half] + first[i + half]
        total += d * d
        other += e * e
    for i in range(2 * half, stop - start):
        d = last[i] - 2.0 * middle[i] + first[i]
        total += d * d
    return total + other


@summing_kernel
def squared_differences(x: Array, factors: IntArray, sums: Array) -> None:
    """Write the sums of squared second differences over all i, one a factor."""
    n, count = x.shape[0], factors.shape[0]
    sums[:] = 0.0
    for start in range(0, n, TILE):
        for k in range(count):
            stop = min(start + TILE, n - 2 * factors[k])
            if stop > start:
                sums[k] += add_squared_differences(x, factors[k], start, stop)


@kernel
def running_sum(y: Array, out: Array) -> None:
    """Write the running sum of ``y`` (N,) round its mean, beginning with zero, shape (N + 1,)."""
    mean = total(y) / y.shape[0]
    s = 0.0
    out[0] = 0.0
    for i in range(y.shape[0]):
        s += y[i] - mean
        out[i + 1] = s


@summing_kernel
def total(y: Array) -> float:
    """Return the sum."""
    s = 0.0
    for i in range(y.shape[0]):
        s += y[i]
    return s
