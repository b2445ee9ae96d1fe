"""What the user tunes."""

from dataclasses import dataclass

from fusus.core.arrays import check_range
from fusus.errors import ParameterError

# name: least, greatest, unit
RANGES: dict[str, tuple[float, float, str]] = {
    "gyro_noise_rad_s_rthz": (1e-7, 0.1, "rad/s/sqrt(Hz)"),
    "gyro_walk_rad_s2_rthz": (0.0, 0.1, "rad/s^2/sqrt(Hz)"),
    "gyro_bias_sigma_rad_s": (1e-6, 1.0, "rad/s"),
    "gyro_scale_sigma": (0.0, 0.2, "1"),
    "gyro_cross_sigma_rad": (0.0, 0.2, "rad"),
    "acc_noise_m_s2_rthz": (1e-6, 1.0, "m/s^2/sqrt(Hz)"),
    "acc_walk_m_s3_rthz": (0.0, 1.0, "m/s^3/sqrt(Hz)"),
    "acc_bias_sigma_m_s2": (1e-4, 5.0, "m/s^2"),
    "acc_scale_sigma": (0.0, 0.2, "1"),
    "gnss_horizontal_m": (1e-3, 100.0, "m"),
    "gnss_vertical_m": (1e-3, 100.0, "m"),
    "gnss_wander_horizontal_m": (0.0, 100.0, "m"),
    "gnss_wander_vertical_m": (0.0, 100.0, "m"),
    "gnss_wander_tau_s": (1.0, 1e5, "s"),
    "gnss_velocity_horizontal_m_s": (1e-3, 20.0, "m/s"),
    "gnss_velocity_vertical_m_s": (1e-3, 20.0, "m/s"),
    "gnss_delay_s": (0.0, 1.0, "s"),
    "gnss_delay_sigma_s": (0.0, 0.5, "s"),
    "lever_arm_x_m": (-20.0, 20.0, "m"),
    "lever_arm_y_m": (-20.0, 20.0, "m"),
    "lever_arm_z_m": (-20.0, 20.0, "m"),
    "lever_arm_sigma_m": (0.0, 5.0, "m"),
    "baro_noise_m": (1e-3, 100.0, "m"),
    "baro_walk_m_rthz": (0.0, 10.0, "m/sqrt(s)"),
    "baro_delay_s": (0.0, 2.0, "s"),
    "baro_airflow": (0.0, 2.0, "1"),
    "mag_noise_ut": (1e-3, 100.0, "uT"),
    "mag_iron_sigma_ut": (0.0, 100.0, "uT"),
    "mag_iron_walk_ut_rthz": (0.0, 10.0, "uT/sqrt(s)"),
    "mag_motor_sigma_ut": (0.0, 100.0, "uT"),
    "mag_soft_sigma": (0.0, 0.5, "1"),
    "mag_surroundings_ut": (0.0, 100.0, "uT"),
    "mag_field_sigma_ut": (0.0, 50.0, "uT"),
    "mag_gate": (0.01, 100.0, "1"),
    "dip_gate_rad": (0.01, 3.2, "rad"),
    "course_speed_m_s": (0.2, 50.0, "m/s"),
    "course_crab_rad": (0.001, 3.2, "rad"),
    "home_sigma_m": (1e-3, 1e6, "m"),
    "gate_sigma": (1.0, 100.0, "1"),
    "recover_s": (0.5, 3600.0, "s"),
}


@dataclass(frozen=True, slots=True)
class Parameters:
    """Noises, spreads and gates of the navigation EKF. All sigmas are one sigma; N is the Allan coefficient.

    Inertial: ``noise`` (N) and ``walk`` (K) of gyro and accelerometer; ``bias_sigma`` what is not known of a bias at the
    start; ``scale_sigma`` and ``cross_sigma`` what calibration leaves of scale and of cross-axis errors.
    GNSS: white part of a fix, ``drift`` with its time constant, velocity, ``delay`` between the sky and the log with its
    spread (0: taken as exact, else learned), ``lever_arm`` from the centre of gravity to the antenna in body axes with its
    spread (0: exact, else learned). ``follow_gnss``: take the white parts from what the fixes themselves show.
    Barometer: white noise, ``walk`` of its offset (weather, warming), ``delay`` of its filter, ``airflow`` the share of
    dynamic pressure that may reach it.
    Magnetometer: noise of a sample, constant field of the craft (``iron``, learned) and its walk, what ``motor`` currents
    may add on leaving the ground, what calibration leaves of soft iron (share), how far ``surroundings`` waver for seconds,
    error of the ``field``'s model (0: exact, else learned); ``mag_gate`` (share) and ``dip_gate`` leave out samples whose
    strength or dip is off.
    ``mag_vector``: use all three axes instead of the heading alone. ``course_heading``: the other school, heading from the
    direction of travel above ``course_speed``; ``course_crab`` is how far the nose may point off it.
    ``home_sigma``: how well the place of the start is known to be home; large where it is not. ``gate_sigma``: single
    measurements further off are refused; ``recover_s``: after so long a refusal the filter gives way.
    ``covariance_every``: samples of a step of the covariance.
    """

    gyro_noise_rad_s_rthz: float = 1.2e-4
    gyro_walk_rad_s2_rthz: float = 1e-5
    gyro_bias_sigma_rad_s: float = 0.02
    gyro_scale_sigma: float = 0.01
    gyro_cross_sigma_rad: float = 0.01
    acc_noise_m_s2_rthz: float = 2e-3
    acc_walk_m_s3_rthz: float = 1e-4
    acc_bias_sigma_m_s2: float = 0.2
    acc_scale_sigma: float = 0.003
    gnss_horizontal_m: float = 0.4
    gnss_vertical_m: float = 0.8
    gnss_wander_horizontal_m: float = 0.8
    gnss_wander_vertical_m: float = 1.6
    gnss_wander_tau_s: float = 120.0
    gnss_velocity_horizontal_m_s: float = 0.1
    gnss_velocity_vertical_m_s: float = 0.2
    gnss_delay_s: float = 0.1
    gnss_delay_sigma_s: float = 0.15
    lever_arm_x_m: float = 0.0
    lever_arm_y_m: float = 0.0
    lever_arm_z_m: float = 0.0
    lever_arm_sigma_m: float = 0.0
    baro_noise_m: float = 0.15
    baro_walk_m_rthz: float = 0.05
    baro_delay_s: float = 0.05
    baro_airflow: float = 0.05
    mag_noise_ut: float = 0.5
    mag_iron_sigma_ut: float = 0.8
    mag_iron_walk_ut_rthz: float = 0.02
    mag_motor_sigma_ut: float = 0.3
    mag_soft_sigma: float = 0.006
    mag_surroundings_ut: float = 0.15
    mag_field_sigma_ut: float = 0.0
    mag_gate: float = 0.12
    dip_gate_rad: float = 0.15
    course_speed_m_s: float = 2.0
    course_crab_rad: float = 0.25
    home_sigma_m: float = 1000.0
    gate_sigma: float = 5.0
    recover_s: float = 5.0
    follow_gnss: bool = True
    mag_vector: bool = False
    course_heading: bool = False
    covariance_every: int = 5

    def __post_init__(self) -> None:
        for name, (low, high, unit) in RANGES.items():
            check_range(name, getattr(self, name), low, high, unit)
        check_range("covariance_every", self.covariance_every, 1, 100, "samples")
        if self.covariance_every != int(self.covariance_every):
            raise ParameterError("covariance_every", self.covariance_every, 1, 100, "whole samples")
