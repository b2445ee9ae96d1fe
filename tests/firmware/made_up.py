"""Made-up kernels that use every construct the translator knows; run as Python, and as C."""

import math
from typing import NamedTuple

from fusus.core.arrays import Array

# Well above what any test hands in.
MOST = 7.5
PLACES_OF = 3
LOW, HIGH = 2, 5


def kernel(function):
    """Mark a function as the compiler's decorator does, without compiling it."""
    function.py_func = function
    return function


class Inner(NamedTuple):
    """A struct in a struct."""

    gain: float
    offset: float


class Tuning(NamedTuple):
    """What is constant."""

    inner: Inner
    limit: float
    is_on: bool
    every: int


class Memory(NamedTuple):
    """What is carried on: figures, a count, and an array that changes in place."""

    a: float
    b: float
    count: int
    table: Array


@kernel
def swapped(x: float, y: float) -> tuple[float, float]:
    """Return both the other way round."""
    return y, x


@kernel
def five(x: float) -> tuple[float, float, float, float, float]:
    """Return a tuple that callers keep under one name."""
    return x, 2.0 * x, 3.0 * x, 4.0 * x, 5.0 * x


@kernel
def twice_and_kind(x: float) -> tuple[float, int]:
    """Return a figure and a whole number; the tail is handed on by another kernel."""
    return 2.0 * x, 1 if x > 0.0 else -1


@kernel
def handed_on(x: float) -> tuple[float, int]:
    """Return what another kernel returns."""
    return twice_and_kind(x + 1.0)


@kernel
def noted(table: Array, at: int, value: float) -> float:
    """Write a value down and count the writing: called twice it would count twice."""
    table[3, 3] += 1.0
    table[at, 0] = value
    return value * value


@kernel
def pieces(c: Tuning, x: float, y: float, n: int, table: Array) -> float:
    """Use loops, choices, chains, tuples and rows, and return one figure of it all."""
    # A comment that goes along.
    u, v = swapped(x, y)
    u, v = v + u, v - u  # what is read must not have been replaced
    total = 0.0
    row = table[1]
    for i in range(n):
        if i == LOW:
            continue
        if i > HIGH:
            break
        row[i % 4] += u * i
        total += row[i % 4]
    for place in (0, 2, 3):
        total += table[place, 1] * place
    k = 3
    while k > 0:
        k -= 1
        total = total - 0.25 if -1.0 < v < 1.0 else total + 0.25
    f = five(x)
    total += f[0] + f[4]
    kept = table[2, 2] = noted(table, 2, y)
    total += kept
    double, kind = handed_on(y)
    total += double * kind
    if (c.is_on and not total > MOST) or n == 0:
        angle = math.atan2(total, c.limit)
        low = min(angle, c.inner.gain, MOST)
    elif math.isnan(x):
        angle, low = 0.0, -1.0
    else:
        angle = max(abs(total), 1.0) ** 2
        low = max(c.inner.offset, -angle)
    flags = (1 if x > y else 2) | (4 if n & 1 else 0)
    whole = min(n, PLACES_OF) + HIGH // LOW
    return total + angle * low + flags + whole + math.hypot(u, v) + (1.0 if total != total else 0.0)


@kernel
def carried(c: Tuning, s: Memory, x: float, dt: float) -> Memory:
    """Carry the memory on by a sample: a struct in, the same struct out."""
    a = s.a + (x - s.b) * dt * c.inner.gain
    s.table[s.count % 4, 1] = a
    if s.count % c.every == 0:
        s.table[0, 0] += a
    return Memory(a, s.b + c.inner.offset * dt, s.count + 1, s.table)
