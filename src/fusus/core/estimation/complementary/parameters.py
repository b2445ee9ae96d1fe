"""What the user tunes."""

from dataclasses import dataclass

from fusus.core.arrays import check_range


@dataclass(frozen=True, slots=True)
class Parameters:
    """Time constants and gate of the complementary filter.

    ``tau_acc_s``: larger trusts the gyro more; 0.5 to 5 s is usual. ``tau_mag_s`` likewise for the heading.
    ``acc_gate_m_s2``: the accelerometer is left out while its strength differs from gravity by more than this.
    ``mag_gate``: the field is left out while its strength differs from the expected one by more than this share.
    """

    tau_acc_s: float = 2.0
    tau_mag_s: float = 2.0
    acc_gate_m_s2: float = 1.0
    mag_gate: float = 0.2

    def __post_init__(self) -> None:
        check_range("tau_acc_s", self.tau_acc_s, 0.01, 600.0, "s")
        check_range("tau_mag_s", self.tau_mag_s, 0.01, 600.0, "s")
        check_range("acc_gate_m_s2", self.acc_gate_m_s2, 0.05, 1000.0, "m/s^2")
        check_range("mag_gate", self.mag_gate, 0.01, 100.0, "1")
