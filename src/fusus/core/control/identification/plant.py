"""The craft behind its loop: gain, lag and delay of one axis from the closed loop's response, and the margins that these leave.

Arrays, where a function does not say otherwise (shape, unit, frame):

    omega_rad_s : (F,) rad/s, any
    on_board() : (F,) complex 1 twice, any
"""

import math
from dataclasses import dataclass

import numpy as np
from scipy import signal
from scipy.optimize import least_squares

from fusus.core.arrays import Array
from fusus.core.control.elements import ComplexArray, Controller, Delay, Element, LowPass, Notch, Plant, open_loop
from fusus.core.control.identification.response import MeasuredResponse
from fusus.core.control.margins import Margins, margins
from fusus.core.control.sections import sections_of

FEWEST = 8  # trusted frequencies
LOWEST_HZ = 0.75
# No measurement is better than this share: windows, drift of the battery, what the model leaves out.
LEAST_SIGMA = 0.02
# What is left over this many times the coherence's variance is no such plant.
WORST_FIT = 12.0
LEAST_LAG_S, MOST_LAG_S, MOST_DELAY_S = 0.5e-3, 0.5, 0.06
# Told is only what is known to this share.
KNOWN_GAIN = 0.25


@dataclass(frozen=True, slots=True)
class FlownAxis:
    """One axis as it flew: angular acceleration of a full command rad/s², motor lag s, delay s, each with its standard error; the
    frequencies trusted, Hz; the open loop measured there (F,), and the margins of the fitted loop with the phase's standard error."""

    gain: float
    gain_sigma: float
    lag_s: float
    lag_sigma_s: float
    delay_s: float
    delay_sigma_s: float
    hz: Array
    open_loop: ComplexArray
    margins: Margins
    phase_sigma_rad: float


def on_board(
    controller: Controller, filters: tuple[LowPass | Notch, ...], omega_rad_s: Array, rate_hz: float
) -> tuple[ComplexArray, ComplexArray]:
    """Return the responses (F,) of P and I, and of the whole controller behind its filters, as a board computes them: in steps.

    The integral is summed up before it acts, I T z / (z - 1); D is the backward form of D s N / (s + N).
    """
    t = 1.0 / rate_hz
    z = np.exp(1j * omega_rad_s * t)
    corner = 2.0 * math.pi * controller.derivative_hz
    on_error = controller.kp + controller.ki * t * z / (z - 1.0)
    on_rate = controller.kd * corner * (1.0 - 1.0 / z) / (1.0 + corner * t - 1.0 / z)
    _, through = signal.sosfreqz(sections_of(filters, rate_hz), omega_rad_s * t) if filters else (None, np.ones(len(z)))
    return np.asarray(on_error), np.asarray((on_error + on_rate) * through)


def identify(
    measured: MeasuredResponse,
    controller: Controller,
    filters: tuple[LowPass | Notch, ...],
    highest_hz: float,
    rate_hz: float,
) -> FlownAxis | None:
    """Return what stands behind a controller, from the response of the gyro to the wanted rate; None where too little is trusted.

    The board's controller acts on the error with P and I and on the measurement with D: with H = y / r, the plant is
    H / (C_r - H F C), C_r = P + I/s, C the whole controller, F the gyro's filters; the loop is broken at the measurement. The plant is
    fitted as k e^{-sT} / (s (τs + 1)), each frequency up to ``highest_hz`` weighed by its coherence. Where wanted and flown rates agree
    only because the outer loops feed the gyro's noise back, no such plant fits: then there is nothing to tell.
    """
    use = measured.trusted & (measured.hz >= LOWEST_HZ) & (measured.hz <= highest_hz)
    if use.sum() < FEWEST:
        return None
    hz, h, sigma = measured.hz[use], measured.gain[use], np.maximum(measured.sigma[use], LEAST_SIGMA)
    w = 2.0 * math.pi * hz
    on_error, whole = on_board(controller, filters, w, rate_hz)
    plant = h / (on_error - h * whole)
    # What an error of H makes of the plant grows where the loop is tight: dP/P = dH/H · C_r / (C_r - H F C).
    spread = sigma * np.abs(on_error / (on_error - h * whole))
    sound = np.isfinite(plant) & (np.abs(plant) > 0) & (spread < 0.5)
    if sound.sum() < FEWEST:
        return None
    hz, w, plant, spread, whole = hz[sound], w[sound], plant[sound], spread[sound], whole[sound]

    def off(x: Array) -> Array:
        model = math.exp(x[0]) * np.exp(-1j * w * x[2]) / (1j * w * (1j * w * x[1] + 1.0))
        ratio = np.log(plant / model)
        return np.concatenate([ratio.real / spread, _wrapped(ratio.imag) / spread])

    start = np.array([math.log(float(np.median(np.abs(plant) * w))), 0.03, 0.005])
    found = least_squares(off, start, bounds=([-5.0, 0.0, 0.0], [20.0, MOST_LAG_S, MOST_DELAY_S]), loss="soft_l1")
    freedom = max(1, 2 * len(w) - 3)
    # Where the model does not hold to the coherence's sigma, its standard errors grow with what is left.
    scale = max(1.0, 2.0 * found.cost / freedom)
    at_stop = found.x[2] > 0.99 * MOST_DELAY_S or not LEAST_LAG_S < found.x[1] < 0.99 * MOST_LAG_S
    if scale > WORST_FIT or at_stop:
        return None
    slope = np.asarray(found.jac, dtype=float)
    cov = np.asarray(np.linalg.pinv(slope.T @ slope) * scale, dtype=float)

    def loop(x: Array) -> tuple[Element, ...]:
        # A gain of torque over inertia: only their ratio is known.
        return (Plant("axis", math.exp(x[0]), 1.0, min(x[1], 2.0)), Delay("delay", x[2]), controller, *filters)

    def margins_of(x: Array) -> Margins:
        return margins(lambda omega: open_loop(loop(x), omega), 0.1, 1e4)

    x = np.asarray(found.x, dtype=float)
    best = margins_of(x)
    slopes = np.zeros(3)
    for i in range(3):
        step = 1e-4
        moved = x.copy()
        moved[i] += step
        slopes[i] = (margins_of(moved).phase_rad - best.phase_rad) / step
    errors = np.sqrt(np.maximum(np.diag(cov), 0.0))
    if errors[0] > KNOWN_GAIN:
        return None
    return FlownAxis(
        math.exp(x[0]), math.exp(x[0]) * float(errors[0]), float(x[1]), float(errors[1]), float(x[2]), float(errors[2]), hz,
        plant * whole, best, math.sqrt(max(float(slopes @ cov @ slopes), 0.0)),
    )  # fmt: skip


def _wrapped(angle: Array) -> Array:
    return np.asarray(angle - 2.0 * math.pi * np.round(angle / (2.0 * math.pi)))
