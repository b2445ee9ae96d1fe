"""Gains by wanted bandwidth and phase margin, and by the ultimate gain."""

import math
from dataclasses import dataclass

import numpy as np

from fusus.core.control.elements import Controller, Element, open_loop
from fusus.core.control.margins import margins
from fusus.errors import FususError

# No gain brings back what a notch took, at 1 rad/s and above.
NOTHING = 1e-9
# The integral begins to act a decade below the crossover: it costs 6° there.
INTEGRAL_BELOW = 10.0
# A filtered derivative cannot turn the phase forward by more than this without passing mostly noise.
MOST_LEAD_RAD = math.radians(65.0)


@dataclass(frozen=True, slots=True)
class Design:
    """Gains that cross over where wanted; ``phase_rad`` is the margin that they reach, ``reached`` whether it is the wanted one."""

    controller: Controller
    phase_rad: float
    reached: bool
    reason: str


def design(
    rest: tuple[Element, ...], crossover_hz: float, phase_rad: float, derivative_hz: float, name: str = "rate loop"
) -> Design:
    """Return a PID whose open loop with ``rest`` crosses over at a frequency with a phase margin, rad.

    The integral takes a tenth of the crossover as its corner; the derivative turns the phase forward by what is missing. Where no
    lead is needed there is none, and the margin is larger than wanted. FususError where filters let nothing through there.
    """
    omega = 2.0 * math.pi * crossover_hz
    value = complex(open_loop(rest, np.array([omega]))[0])
    if abs(value) * omega < NOTHING:
        raise FususError(
            f"{name}: a filter lets nothing through at the wanted crossover of {crossover_hz:g} Hz. Move one of them."
        )
    have = math.pi + math.atan2(value.imag, value.real)
    have -= 2.0 * math.pi if have > math.pi + 1e-9 else 0.0
    # 1 + ωi/s costs atan(ωi/ω); the lead has to bring that back too.
    missing = phase_rad + math.atan(1.0 / INTEGRAL_BELOW) - have
    lead = min(max(missing, 0.0), MOST_LEAD_RAD)
    ratio = _derivative_ratio(lead, omega, 2.0 * math.pi * derivative_hz)
    unit = Controller(name, 1.0, omega / INTEGRAL_BELOW, ratio, derivative_hz)
    kp = 1.0 / abs(complex(open_loop((unit, *rest), np.array([omega]))[0]))
    made = Controller(name, kp, unit.ki * kp, ratio * kp, derivative_hz)
    angle = complex(open_loop((made, *rest), np.array([omega]))[0])
    reached = math.pi + math.atan2(angle.imag, angle.real)
    reached -= 2.0 * math.pi if reached > math.pi else 0.0
    is_enough = reached >= phase_rad - math.radians(0.5)
    reason = (
        ""
        if is_enough
        else f"at {crossover_hz:.0f} Hz delays and lags leave {math.degrees(have):.0f}°, and a derivative gives at most "
        f"{math.degrees(MOST_LEAD_RAD):.0f}°: take a lower bandwidth, or shorten the delays"
    )
    return Design(made, reached, is_enough, reason)


def _derivative_ratio(lead_rad: float, omega: float, corner: float) -> float:
    """Return Kd/Kp for which 1 + (Kd/Kp) s / (s/ωd + 1) leads by an angle at ω, the integral's part left out."""
    if lead_rad <= 0.0:
        return 0.0
    low, high = 0.0, 50.0 / omega

    def angle(ratio: float) -> float:
        s = 1j * omega
        value = 1.0 + ratio * s / (s / corner + 1.0)
        return math.atan2(value.imag, value.real)

    # The lead grows with the ratio up to where the filter's own lag bounds it.
    best = max(np.linspace(low, high, 400), key=angle)
    if angle(float(best)) < lead_rad:
        return float(best)
    high = float(best)
    for _ in range(80):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if angle(middle) < lead_rad else (low, middle)
    return 0.5 * (low + high)


@dataclass(frozen=True, slots=True)
class Ultimate:
    """The gain at which a loop with P alone swings, and the period of its swing, s."""

    gain: float
    period_s: float

    def classic(self) -> tuple[float, float, float]:
        """Return Kp, Ti s and Td s of the ultimate-gain table's PID (Ziegler & Nichols 1942): lively, little margin."""
        return 0.6 * self.gain, 0.5 * self.period_s, 0.125 * self.period_s


def ultimate(rest: tuple[Element, ...]) -> Ultimate:
    """Return gain and period of the swing of a loop with P alone; infinite gain where none swings it."""
    found = margins(lambda w: open_loop(rest, w))
    return Ultimate(found.gain, 2.0 * math.pi / found.turning_rad_s)
