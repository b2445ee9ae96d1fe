"""What the user tunes."""

from dataclasses import dataclass

from fusus.core.arrays import check_range


@dataclass(frozen=True, slots=True)
class Parameters:
    """The Kalman filters. All sigmas are one sigma.

    ``acc_noise`` (N) and ``acc_bias_sigma``, ``acc_walk`` (K): of the vertical specific force, tilt errors included.
    ``baro_noise`` of a sample, ``baro_delay`` of its filter. ``baro_walk``: how fast the barometer's own zero moves; the filter
    of three states takes the zero for fixed and this must be 0. ``gnss_vertical`` and ``gnss_climb``: where fixes are used,
    their height as a white noise that weighs as much as its drift, and their climb.
    """

    acc_noise_m_s2_rthz: float = 0.02
    acc_bias_sigma_m_s2: float = 0.1
    acc_walk_m_s3_rthz: float = 5e-3
    baro_noise_m: float = 0.15
    baro_delay_s: float = 0.05
    baro_walk_m_rthz: float = 0.05
    gnss_vertical_m: float = 40.0
    gnss_climb_m_s: float = 0.25
    gate_sigma: float = 5.0

    def __post_init__(self) -> None:
        check_range("acc_noise_m_s2_rthz", self.acc_noise_m_s2_rthz, 1e-6, 10.0, "m/s^2/sqrt(Hz)")
        check_range("acc_bias_sigma_m_s2", self.acc_bias_sigma_m_s2, 1e-4, 5.0, "m/s^2")
        check_range("acc_walk_m_s3_rthz", self.acc_walk_m_s3_rthz, 0.0, 1.0, "m/s^3/sqrt(Hz)")
        check_range("baro_noise_m", self.baro_noise_m, 1e-3, 100.0, "m")
        check_range("baro_delay_s", self.baro_delay_s, 0.0, 2.0, "s")
        check_range("baro_walk_m_rthz", self.baro_walk_m_rthz, 0.0, 10.0, "m/sqrt(s)")
        check_range("gnss_vertical_m", self.gnss_vertical_m, 1e-2, 1000.0, "m")
        check_range("gnss_climb_m_s", self.gnss_climb_m_s, 1e-3, 20.0, "m/s")
        check_range("gate_sigma", self.gate_sigma, 1.0, 100.0, "1")


@dataclass(frozen=True, slots=True)
class ThreeStateParameters:
    """The Kalman filter of height, climb and accelerometer bias: the barometer's zero is taken for fixed."""

    acc_noise_m_s2_rthz: float = 0.02
    acc_bias_sigma_m_s2: float = 0.1
    acc_walk_m_s3_rthz: float = 5e-3
    baro_noise_m: float = 0.15
    baro_delay_s: float = 0.05
    gate_sigma: float = 5.0

    def __post_init__(self) -> None:
        self.as_kalman()

    def as_kalman(self) -> Parameters:
        """Return the tuning of the filter of four states that does the same."""
        return Parameters(
            self.acc_noise_m_s2_rthz, self.acc_bias_sigma_m_s2, self.acc_walk_m_s3_rthz, self.baro_noise_m,
            self.baro_delay_s, 0.0, 1000.0, 20.0, self.gate_sigma,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class ComplementaryParameters:
    """The complementary filter: ``time_constant_s`` is where the barometer takes over from the accelerometer."""

    time_constant_s: float = 1.5

    def __post_init__(self) -> None:
        check_range("time_constant_s", self.time_constant_s, 0.05, 60.0, "s")
