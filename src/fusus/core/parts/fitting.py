"""How parts are fitted and treated. Light to import: projects hold it."""

from dataclasses import dataclass

from fusus.core.arrays import check_range

# What a bench calibration leaves of offset, scale and cross-axis errors: common practice, until the bench says better.
LEFT_BY_CALIBRATION = 0.08
# Open-cell foam over a barometer's hole lets about a fifth of the airflow's pressure through: common practice.
LEFT_BY_FOAM = 0.2


@dataclass(frozen=True, slots=True)
class Fitting:
    """How the parts are fitted and treated: calibrated on the bench or as bought, foam, lever arm, motor wires."""

    calibrated: bool = True
    foam: bool = True
    lever_arm_b_m: tuple[float, float, float] = (-0.05, 0.0, -0.115)
    motor_ut_a: float = 0.03

    def __post_init__(self) -> None:
        check_range("Motor field", self.motor_ut_a, 0, 100, "µT/A")
        for value, where in zip(self.lever_arm_b_m, ("ahead", "right", "below"), strict=True):
            check_range(f"Antenna {where}", value, -5, 5, "m")

    @property
    def left(self) -> float:
        """The share of a datasheet's offset, scale and cross-axis errors that stays."""
        return LEFT_BY_CALIBRATION if self.calibrated else 1.0
