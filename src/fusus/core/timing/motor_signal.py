"""How a throttle reaches a motor controller: the kinds of signal by the length of a pulse and how often one may begin."""

from dataclasses import dataclass

from fusus.core.arrays import check_range

SHORTEST_US, LONGEST_US = 1000.0, 2000.0
# A pulse further off than this is no signal but a fault: refused, not limited. Common practice.
LEAST_US, MOST_US = 800.0, 2200.0


@dataclass(frozen=True, slots=True)
class MotorSignal:
    """One kind: shortest and longest pulse or frame, s, and the gap it needs after it, s."""

    name: str
    about: str
    least_s: float
    most_s: float
    gap_s: float

    @property
    def highest_rate_hz(self) -> float:
        """How often it can be sent at full throttle."""
        return 1.0 / (self.most_s + self.gap_s)

    def length_s(self, throttle: float) -> float:
        """Return how long the pulse for a throttle of 0 to 1 lasts."""
        return self.least_s + min(max(throttle, 0.0), 1.0) * (self.most_s - self.least_s)


# Common practice. A digital frame is as long at any throttle: 16 bits, and a gap of some bits.
SIGNALS = (
    MotorSignal("standard pulse", "1000 to 2000 µs, the oldest custom", 1000e-6, 2000e-6, 0.0),
    MotorSignal("eighth pulse", "125 to 250 µs: an eighth of the standard", 125e-6, 250e-6, 0.0),
    MotorSignal("slow frame", "16 bits at 150 kbit/s, with a check of its own", 16 / 150e3, 16 / 150e3, 20e-6),
    MotorSignal("fast frame", "16 bits at 600 kbit/s, with a check of its own", 16 / 600e3, 16 / 600e3, 10e-6),
)


def signal_named(name: str) -> MotorSignal:
    """Return a kind by its name; KeyError names those that exist."""
    for signal in SIGNALS:
        if signal.name == name:
            return signal
    raise KeyError(f"{name} is none of {', '.join(s.name for s in SIGNALS)}")


def throttle_of_pulse(pulse_us: float) -> float:
    """Return the throttle, 0 to 1, that a standard pulse means; ParameterError where it is none.

    A pulse a little outside its range is limited: transmitters are trimmed so.
    """
    check_range("Pulse", pulse_us, LEAST_US, MOST_US, "µs")
    limited = min(max(pulse_us, SHORTEST_US), LONGEST_US)
    return (limited - SHORTEST_US) / (LONGEST_US - SHORTEST_US)
