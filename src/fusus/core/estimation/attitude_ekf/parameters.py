"""What the user tunes."""

from dataclasses import dataclass

from fusus.core.arrays import check_range


@dataclass(frozen=True, slots=True)
class Parameters:
    """Noise, spreads and gates of the attitude EKF. All sigmas are one sigma; N is the Allan coefficient.

    ``gyro_noise_rad_s_rthz`` (N) and ``gyro_walk_rad_s2_rthz`` (K): larger trusts the gyro less.
    ``gyro_bias_sigma_rad_s``: spread of the bias where no rest shows it. ``gyro_scale_sigma``: scale error (share).
    ``acc_noise_m_s2_rthz`` (N) and ``acc_motion_m_s2``, the horizontal acceleration expected at the start:
    larger trusts the accelerometer less; from there the filter follows what its innovations show.
    ``acc_motion_tau_s``: how long such an acceleration lasts. ``acc_bias_sigma_m_s2``: what calibration leaves.
    ``acc_window_s``: gravity and field are averaged this long, in north-east-down, before each update.
    ``acc_gate_m_s2``: a window whose mean vertical specific force differs more from gravity is left out.
    ``mag_noise_ut``: field noise of a sample. ``mag_motion_ut``: field error expected at the start, followed likewise;
    ``mag_bias_sigma_ut``: hard iron that calibration leaves, constant in the body.
    ``mag_gate``, ``dip_gate_rad``: field samples whose strength (share) or dip differ more are left out.
    ``gate_sigma``: updates further off than this many sigmas are refused. ``recover_s``: after so long a refusal of
    the heading the filter gives way.
    """

    gyro_noise_rad_s_rthz: float = 1.2e-4
    gyro_walk_rad_s2_rthz: float = 6e-6
    gyro_bias_sigma_rad_s: float = 0.0087
    gyro_scale_sigma: float = 0.01
    acc_noise_m_s2_rthz: float = 1.5e-3
    acc_motion_m_s2: float = 0.5
    acc_motion_tau_s: float = 0.35
    acc_bias_sigma_m_s2: float = 0.04
    acc_window_s: float = 0.5
    acc_gate_m_s2: float = 2.0
    mag_noise_ut: float = 0.6
    mag_motion_ut: float = 0.5
    mag_bias_sigma_ut: float = 0.5
    mag_gate: float = 0.12
    dip_gate_rad: float = 0.15
    gate_sigma: float = 4.0
    recover_s: float = 20.0

    def __post_init__(self) -> None:
        check_range("gyro_noise_rad_s_rthz", self.gyro_noise_rad_s_rthz, 1e-7, 0.1, "rad/s/sqrt(Hz)")
        check_range("gyro_walk_rad_s2_rthz", self.gyro_walk_rad_s2_rthz, 0.0, 0.1, "rad/s^2/sqrt(Hz)")
        check_range("gyro_bias_sigma_rad_s", self.gyro_bias_sigma_rad_s, 1e-6, 1.0, "rad/s")
        check_range("gyro_scale_sigma", self.gyro_scale_sigma, 0.0, 0.2, "1")
        check_range("acc_noise_m_s2_rthz", self.acc_noise_m_s2_rthz, 1e-6, 1.0, "m/s^2/sqrt(Hz)")
        check_range("acc_motion_m_s2", self.acc_motion_m_s2, 1e-3, 20.0, "m/s^2")
        check_range("acc_motion_tau_s", self.acc_motion_tau_s, 0.01, 60.0, "s")
        check_range("acc_bias_sigma_m_s2", self.acc_bias_sigma_m_s2, 0.0, 5.0, "m/s^2")
        check_range("acc_window_s", self.acc_window_s, 0.01, 5.0, "s")
        check_range("acc_gate_m_s2", self.acc_gate_m_s2, 0.05, 1000.0, "m/s^2")
        check_range("mag_noise_ut", self.mag_noise_ut, 1e-3, 100.0, "uT")
        check_range("mag_motion_ut", self.mag_motion_ut, 0.0, 100.0, "uT")
        check_range("mag_bias_sigma_ut", self.mag_bias_sigma_ut, 0.0, 100.0, "uT")
        check_range("mag_gate", self.mag_gate, 0.01, 100.0, "1")
        check_range("dip_gate_rad", self.dip_gate_rad, 0.01, 3.2, "rad")
        check_range("gate_sigma", self.gate_sigma, 1.0, 100.0, "1")
        check_range("recover_s", self.recover_s, 1.0, 3600.0, "s")
