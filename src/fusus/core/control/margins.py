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
# Common practice for what a loop should bear.
SOUND_PHASE_RAD, SOUND_GAIN_DB, SOUND_MODULUS = math.radians(40.0), 6.0, 0.5


@dataclass(frozen=True, slots=True)
class Margins:
    """Margins of an open loop; infinite where there is no crossing.

    ``phase_rad`` is how much phase may be lost before it swings, at ``crossover_rad_s``, the crossing of gain one that bears
    least; ``delay_s`` the least time that any crossing bears: at a high one a small delay costs much phase. ``gain`` is by how
    much the gain may grow, at ``turning_rad_s``, where the phase is 180°. ``modulus`` is the least distance |1 + L| from
    the point of swinging, 1 at best: 0.5 and more is sound (Åström & Hägglund). ``is_stable``: the closed loop settles, by the
    turns of 1 + L around zero (Nyquist 1932), for open loops that are stable but for integrators, however often they cross.
    Where it does not settle, phase and delay tell what is missing, at most 0.
    """

    crossover_rad_s: float
    phase_rad: float
    delay_s: float
    turning_rad_s: float
    gain: float
    modulus: float
    is_stable: bool

    @property
    def is_sound(self) -> bool:
        """Whether it settles with the usual reserve in all three."""
        enough = self.phase_rad >= SOUND_PHASE_RAD and self.gain_db >= SOUND_GAIN_DB and self.modulus >= SOUND_MODULUS
        return self.is_stable and enough

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
        Of several crossings the one with the least margin counts, for phase and delay each.
    """
    omega = np.geomspace(lowest_rad_s, highest_rad_s, POINTS)
    values = response(omega)
    if not values.any():  # no gain at all: nothing to swing
        return Margins(math.nan, math.inf, math.inf, math.nan, math.inf, 1.0, True)
    settles = _settles(omega, values)
    phase = np.unwrap(np.angle(values))
    crossover, phase_left, delay = math.nan, math.inf, math.inf
    for i in np.flatnonzero(np.diff(np.sign(np.log(np.abs(values)))) != 0):
        w = _refine(response, omega, int(i), _log_size)
        left = _phase_left(response, w, float(np.interp(w, omega, phase)), settles)
        delay = min(delay, left / w)
        if left < phase_left:
            crossover, phase_left = w, left
    turning, gain = math.nan, math.inf
    turns = np.floor((phase + math.pi) / (2.0 * math.pi))
    for i in np.flatnonzero(np.diff(turns) != 0):
        w = _refine(response, omega, int(i), lambda value: float(np.angle(-value)))
        now = 1.0 / float(abs(response(np.array([w]))[0]))
        # A loop that settles may have a turning above one, too: below it a lesser gain would swing, a greater one does not.
        is_nearer = math.isinf(gain) or abs(math.log(now)) < abs(math.log(gain))
        if is_nearer and (now > 1.0 or not settles):
            turning, gain = w, now
    if not settles:
        phase_left, delay = min(phase_left, 0.0), min(delay, 0.0)
    return Margins(crossover, phase_left, delay, turning, gain, float(np.abs(1.0 + values).min()), settles)


def _settles(omega: Array, values: ComplexArray) -> bool:
    """Return whether the closed loop settles: 1 + L turns by a quarter for each integrator and no more.

    From zero frequency, where n integrators hold it at -n quarters of a turn, to infinity, where it is 1; every pair of growing
    solutions takes a whole turn away.
    """
    fall = math.log(abs(values[0]) / abs(values[1])) / math.log(omega[1] / omega[0])
    # A loop whose gain at zero frequency is finite starts on the real axis.
    quarters = max(round(fall), 0) if abs(values[0]) > 1.0 else 0
    turned = np.unwrap(np.angle(1.0 + values))
    missing = quarters * math.pi / 2.0 - float(turned[-1] - turned[0])
    return round(missing / math.pi) <= 0


def _phase_left(response: Response, w: float, followed_rad: float, settles: bool) -> float:
    """Return how much phase may be lost at a crossing, rad; below zero by how much too much is lost already."""
    # The phase at the crossing itself, on the branch that was followed up to there.
    exact = float(np.angle(response(np.array([w]))[0]))
    left = math.pi + exact + 2.0 * math.pi * round((followed_rad - exact) / (2.0 * math.pi))
    # What has gone round the point of swinging on its safe side may lose phase up to the next half turn.
    return left % (2.0 * math.pi) if settles else left


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
