"""What the user tunes."""

from dataclasses import dataclass

from fusus.core.arrays import check_range


@dataclass(frozen=True, slots=True)
class Parameters:
    """Gains.

    ``beta_rad_s``: the rate at which the gradient step turns the attitude; larger trusts accelerometer and field more,
    0.01 to 0.1 rad/s is usual. ``zeta_rad_s2``: how fast the gyro bias follows; 0 switches it off.
    """

    beta_rad_s: float = 0.03
    zeta_rad_s2: float = 0.0003

    def __post_init__(self) -> None:
        check_range("beta_rad_s", self.beta_rad_s, 0.0, 10.0, "rad/s")
        check_range("zeta_rad_s2", self.zeta_rad_s2, 0.0, 1.0, "rad/s^2")
