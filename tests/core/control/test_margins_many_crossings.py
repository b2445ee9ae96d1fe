"""Margins of loops that cross more than once, against roots of polynomials and against delays played in time."""

import math

import numpy as np
import pytest
from scipy import signal
from scipy.optimize import brentq

from fusus.core.control.margins import margins


def drawn_loop(rng):
    """Return numerator and denominator of an open loop with up to three integrators, leads, lags and often a resonance."""
    top, bottom = np.poly1d([10 ** rng.uniform(-0.5, 3)]), np.poly1d([1.0])
    integrators = rng.integers(0, 4)
    for _ in range(integrators):
        bottom *= np.poly1d([1, 0])
    for _ in range(max(0, integrators - 1) + rng.integers(0, 2)):
        top *= np.poly1d([10 ** -rng.uniform(-1, 2), 1])
    for _ in range(rng.integers(1, 3)):
        bottom *= np.poly1d([10 ** -rng.uniform(0, 3), 1])
    if rng.random() < 0.6:
        w0 = 10 ** rng.uniform(1, 2.7)
        bottom *= np.poly1d([1 / w0**2, 2 * 10 ** rng.uniform(-2, -0.3) / w0, 1])
    return (top, bottom) if top.order < bottom.order else drawn_loop(rng)


@pytest.mark.parametrize("seed", range(8))
def test_a_loop_settles_when_its_poles_say_so(seed):
    """Closed-loop poles by numpy's roots; 50 loops a seed, of which those on the edge are left out."""
    rng = np.random.default_rng(seed)
    seen = [0, 0]
    for _ in range(50):
        top, bottom = drawn_loop(rng)
        poles = (bottom + top).roots
        if abs(poles.real.max()) < 1e-4 * np.abs(poles).max():
            continue
        found = margins(lambda w, top=top, bottom=bottom: top(1j * w) / bottom(1j * w))
        settles = bool(poles.real.max() < 0.0)
        assert found.is_stable is settles, (top, bottom)
        assert (found.delay_s > 0.0 and found.gain > 1.0) if settles else found.delay_s <= 0.0
        seen[settles] += 1
    assert min(seen) > 5


def swings(top, bottom, delay_s, span_s):
    """Whether the loop with a delay more grows in time: the step response of its parts, fed back late."""
    dt = delay_s / 200.0
    system = signal.cont2discrete(signal.tf2ss(top.coeffs, bottom.coeffs), dt)
    a, b, c = system[0], system[1][:, 0], system[2][0]
    late = np.zeros(200)
    x, out = np.zeros(len(a)), np.empty(int(span_s / dt))
    for i in range(len(out)):
        y = c @ x
        back, late[i % 200] = late[i % 200], y
        out[i] = y
        x = a @ x + b * (1.0 - back)
    third = len(out) // 3
    return np.ptp(out[-third:]) > np.ptp(out[third : 2 * third])


def test_the_crossing_that_bears_the_least_delay_counts():
    """A slow loop crosses at 1 rad/s, and a resonance whose phase a lead holds lifts the gain above one once more at 100 rad/s.

    The slow crossing would bear more than a second; the resonance bears some milliseconds. Played in time with 0.9 and 1.1 of it.
    """
    top = np.poly1d([1 / 25.0, 1])
    bottom = np.poly1d([1, 0]) * np.poly1d([1 / 100.0**2, 2 * 0.018 / 100.0, 1]) * np.poly1d([1 / 3000.0, 1])
    found = margins(lambda w: top(1j * w) / bottom(1j * w))

    def size(w):
        return math.log(abs(top(1j * w) / bottom(1j * w)))

    grid = np.geomspace(0.1, 1e3, 200_001)
    sizes = np.log(np.abs(top(1j * grid) / bottom(1j * grid)))
    ups = np.flatnonzero(np.diff(np.sign(sizes)) != 0)
    at = [brentq(size, grid[i], grid[i + 1]) for i in ups]
    bears = [((math.pi + np.angle(top(1j * w) / bottom(1j * w))) % (2 * math.pi)) / w for w in at]
    assert len(at) == 3 and found.is_stable
    assert found.delay_s == pytest.approx(min(bears), rel=1e-6) and found.delay_s < 0.05 < 1.0 < max(bears)
    assert swings(top, bottom, 1.1 * found.delay_s, 30.0) and not swings(top, bottom, 0.9 * found.delay_s, 30.0)
