"""How much a loop bears before it swings: gain, phase, delay and modulus margins of its open loop."""

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.optimize import brentq

from fusus.core.arrays import Array
from fusus.core.control.elements import ComplexArray

Response = Callable[[Array], ComplexArray]
# From very slow attitude trims to what no craft's loop reaches, rad/s.
LOWEST, HIGHEST, POINTS = 1e-3, 1e5, 8000


@dataclass(frozen=True, slots=True)
class Margins:
    """Margins of an open loop; infinite where there is no crossing.

    ``phase_rad`` is how much phase may be lost at ``crossover_rad_s``, where the gain is one, before it swings; ``delay_s`` the
    time that loses as much. ``gain`` is by how much the gain may grow, at ``turning_rad_s``, where the phase is half a turn.
    ``modulus`` is the least distance |1 + L| from the point of swinging, 1 at best: 0.5 and more is sound (Åström & Hägglund).
    """

    crossover_rad_s: float
    phase_rad: float
    delay_s: float
    turning_rad_s: float
    gain: float
    modulus: float

    @property
    def is_stable(self) -> bool:
        """Whether the closed loop settles; for open loops that are stable but for integrators, and cross once."""
        return self.phase_rad > 0.0 and self.gain > 1.0

    @property
    def gain_db(self) -> float:
        """The gain margin in dB."""
        return 20.0 * math.log10(self.gain) if 0.0 < self.gain < math.inf else math.inf


def margins(response: Response, lowest_rad_s: float = LOWEST, highest_rad_s: float = HIGHEST) -> Margins:
    """Return the margins of an open loop.

    Parameters
    ----------
    response : callable
        Complex gain (N,) at angular frequencies (N,) rad/s.
    lowest_rad_s : float
        From where to look for crossings, rad/s.
    highest_rad_s : float
        Up to where, rad/s.

    Returns
    -------
    Margins
        Of several crossings the one with the least margin counts. The phase is followed from the lowest frequency upwards.
    """
    omega = np.geomspace(lowest_rad_s, highest_rad_s, POINTS)
    values = response(omega)
    if not values.any():  # no gain at all: nothing to swing
        return Margins(math.nan, math.inf, math.inf, math.nan, math.inf, 1.0)
    size = np.log(np.abs(values))
    phase = np.unwrap(np.angle(values))
    crossings = [_refine(response, omega, int(i), _log_size) for i in np.flatnonzero(np.diff(np.sign(size)) != 0)]
    crossover, phase_left, delay = math.nan, math.inf, math.inf
    for w in crossings:
        at = float(np.interp(w, omega, phase))
        # The phase at the crossing itself, on the branch that was followed up to there.
        exact = float(np.angle(response(np.array([w]))[0]))
        left = math.pi + exact + 2.0 * math.pi * round((at - exact) / (2.0 * math.pi))
        if left < phase_left:
            crossover, phase_left, delay = w, left, left / w
    turning, gain = math.nan, math.inf
    turns = np.floor((phase + math.pi) / (2.0 * math.pi))
    for i in np.flatnonzero(np.diff(turns) != 0):
        w = _refine(response, omega, int(i), lambda value: float(np.angle(-value)))
        now = 1.0 / float(abs(response(np.array([w]))[0]))
        if math.isinf(gain) or abs(math.log(now)) < abs(math.log(gain)):
            turning, gain = w, now
    return Margins(crossover, phase_left, delay, turning, gain, float(np.abs(1.0 + values).min()))


def _log_size(value: complex) -> float:
    return math.log(abs(value))


def _refine(response: Response, omega: Array, i: int, of: Callable[[complex], float]) -> float:
    """Return where a figure of the response crosses zero between two grid points."""

    def at(w: float) -> float:
        return of(complex(response(np.array([w]))[0]))

    low, high = float(omega[i]), float(omega[i + 1])
    if at(low) * at(high) > 0.0:
        return math.sqrt(low * high)
    return float(brentq(at, low, high, xtol=1e-12, rtol=1e-13))
