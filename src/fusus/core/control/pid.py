"""The controller as it runs on a board: derivative of the measurement, filtered; integral that does not wind up."""

from typing import NamedTuple

from fusus.core._jit import kernel


class Gains(NamedTuple):
    """Gains in output per unit, unit s and unit/s; the derivative's low-pass, rad/s (0: none); limits of the output.

    ``tracking_s`` chooses the school against windup: 0 limits the integral like the output (clamping); above 0 what the limit
    takes off is fed back to the integral with this time constant (back calculation, Åström & Hägglund).
    """

    kp: float
    ki: float
    kd: float
    derivative_rad_s: float
    low: float
    high: float
    tracking_s: float


@kernel
def pid_step(
    g: Gains, setpoint: float, forward: float, y: float, last: float, integral: float, slope: float, dt: float
) -> tuple[float, float, float]:
    """Return output, integral and derivative part after a sample ``y``; ``last`` is the one before (``y`` itself at first).

    u = Kp e + I + D + forward, limited. D is the backward Euler form of -Kd s N / (s + N) on the measurement: a step of the
    setpoint does not kick.
    """
    e = setpoint - y
    if g.derivative_rad_s > 0.0:
        slope = (slope - g.kd * g.derivative_rad_s * (y - last)) / (1.0 + g.derivative_rad_s * dt)
    else:
        slope = -g.kd * (y - last) / dt
    if g.tracking_s <= 0.0:
        integral = min(max(integral + g.ki * e * dt, g.low), g.high)
    wanted = g.kp * e + integral + slope + forward
    u = min(max(wanted, g.low), g.high)
    if g.tracking_s > 0.0:
        # No more is fed back than what the limit took off: an interval longer than the time constant would swing ever further.
        integral += g.ki * e * dt + (u - wanted) * min(dt / g.tracking_s, 1.0)
    return u, integral, slope
