"""What the user tunes."""

from dataclasses import dataclass

from fusus.core.arrays import check_range


@dataclass(frozen=True, slots=True)
class Parameters:
    """Gains and gates.

    ``kp_acc``, ``kp_mag``: larger trusts accelerometer or field more; 1/kp is the time constant, 0.2 to 2 per second is
    usual. ``ki``: larger learns the gyro bias faster and lets disturbances into it; 0 switches it off.
    ``acc_gate_m_s2``, ``mag_gate``: as for the complementary filter.
    """

    kp_acc: float = 0.5
    kp_mag: float = 0.5
    ki: float = 0.02
    acc_gate_m_s2: float = 1.0
    mag_gate: float = 0.2

    def __post_init__(self) -> None:
        check_range("kp_acc", self.kp_acc, 0.0, 100.0, "1/s")
        check_range("kp_mag", self.kp_mag, 0.0, 100.0, "1/s")
        check_range("ki", self.ki, 0.0, 100.0, "1/s^2")
        check_range("acc_gate_m_s2", self.acc_gate_m_s2, 0.05, 1000.0, "m/s^2")
        check_range("mag_gate", self.mag_gate, 0.01, 100.0, "1")
