"""What stands in a control loop, each by its frequency response and by the delay that it costs.

Arrays, where a function does not say otherwise (shape, unit, frame):

    omega_rad_s : (N,) rad/s, any
"""

import math
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import check_range

ComplexArray = np.ndarray[tuple[int, ...], np.dtype[np.complex128]]


class Element(Protocol):
    """One link of the loop."""

    @property
    def name(self) -> str:
        """What it is called."""

    def response(self, omega_rad_s: ArrayLike) -> ComplexArray:
        """Return the complex gain (N,) at angular frequencies (N,) rad/s."""


def _s(omega: ArrayLike) -> ComplexArray:
    return 1j * np.asarray(omega, dtype=float)


@dataclass(frozen=True, slots=True)
class Plant:
    """One axis of the craft: torque to rate, k / (I s), behind motors with a lag τ."""

    name: str
    torque_nm: float
    inertia_kg_m2: float
    motor_tau_s: float

    def __post_init__(self) -> None:
        check_range("Torque of a full command", self.torque_nm, 1e-6, 1e5, "N m")
        check_range("Inertia", self.inertia_kg_m2, 1e-7, 1e4, "kg m²")
        check_range("Motor lag", self.motor_tau_s, 0.0, 2.0, "s")

    @property
    def gain(self) -> float:
        """Angular acceleration of a full command, rad/s²."""
        return self.torque_nm / self.inertia_kg_m2

    def response(self, omega_rad_s: ArrayLike) -> ComplexArray:
        """Return k / (I s (τ s + 1))."""
        s = _s(omega_rad_s)
        return self.gain / (s * (self.motor_tau_s * s + 1.0))


@dataclass(frozen=True, slots=True)
class Delay:
    """Time that passes: it costs 360° f τ of phase and no gain."""

    name: str
    seconds: float

    def __post_init__(self) -> None:
        check_range(self.name, self.seconds, 0.0, 2.0, "s")

    def response(self, omega_rad_s: ArrayLike) -> ComplexArray:
        """Return e^{-sτ}."""
        return np.asarray(np.exp(-_s(omega_rad_s) * self.seconds))


@dataclass(frozen=True, slots=True)
class LowPass:
    """A low-pass of first order, or of second (Butterworth), by its -3 dB frequency."""

    name: str
    cutoff_hz: float
    order: int = 1

    def __post_init__(self) -> None:
        check_range(self.name, self.cutoff_hz, 0.01, 1e5, "Hz")
        check_range(f"Order of {self.name}", self.order, 1, 2, "")

    def response(self, omega_rad_s: ArrayLike) -> ComplexArray:
        """Return 1 / (s/ωc + 1), or 1 / ((s/ωc)² + √2 s/ωc + 1)."""
        x = _s(omega_rad_s) / (2.0 * math.pi * self.cutoff_hz)
        return 1.0 / (x + 1.0) if self.order == 1 else 1.0 / (x * x + math.sqrt(2.0) * x + 1.0)


@dataclass(frozen=True, slots=True)
class Notch:
    """A notch: nothing passes at its middle, -3 dB where the band of width middle / quality ends."""

    name: str
    middle_hz: float
    quality: float

    def __post_init__(self) -> None:
        check_range(self.name, self.middle_hz, 0.1, 1e5, "Hz")
        check_range(f"Quality of {self.name}", self.quality, 0.1, 100.0, "")

    def response(self, omega_rad_s: ArrayLike) -> ComplexArray:
        """Return (x² + 1) / (x² + x/Q + 1), x = s/ω0."""
        x = _s(omega_rad_s) / (2.0 * math.pi * self.middle_hz)
        return np.asarray((x * x + 1.0) / (x * x + x / self.quality + 1.0))


@dataclass(frozen=True, slots=True)
class Controller:
    """PID on the error: P + I/s + D s/(s/ωd + 1), gains of a full command per rad/s and its integral and derivative."""

    name: str
    kp: float
    ki: float
    kd: float
    derivative_hz: float

    def __post_init__(self) -> None:
        for label, value in (("P", self.kp), ("I", self.ki), ("D", self.kd)):
            check_range(f"{label} of {self.name}", value, 0.0, 1e6, "")
        check_range(f"Low-pass of D of {self.name}", self.derivative_hz, 0.1, 1e5, "Hz")

    def response(self, omega_rad_s: ArrayLike) -> ComplexArray:
        """Return the controller's gain."""
        s = _s(omega_rad_s)
        lag = s / (2.0 * math.pi * self.derivative_hz) + 1.0
        return np.asarray(self.kp + self.ki / s + self.kd * s / lag)


def open_loop(elements: tuple[Element, ...], omega_rad_s: ArrayLike) -> ComplexArray:
    """Return the product of all elements' responses at angular frequencies (N,) rad/s."""
    out = np.ones(np.shape(omega_rad_s), dtype=complex)
    for element in elements:
        out = out * element.response(omega_rad_s)
    return np.asarray(out)


def phase_cost_deg(element: Element, frequency_hz: float) -> float:
    """Return by how much an element turns the phase back at a frequency, degrees, below 180°."""
    value = element.response(np.array([2.0 * math.pi * frequency_hz]))[0]
    return -math.degrees(float(np.angle(value)))


def group_delay_s(element: Element, frequency_hz: float) -> float:
    """Return the delay -dφ/dω of an element at a frequency, s."""
    omega = 2.0 * math.pi * frequency_hz
    step = 1e-4 * omega
    low, high = element.response(np.array([omega - step, omega + step]))
    return -float(np.angle(high / low)) / (2.0 * step)
