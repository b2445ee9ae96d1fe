"""Names of columns that people use."""

import pytest

from fusus.logs.headers import meaning, time_name

NAMES = {
    "Gyroscope X (deg/s)": ("imu.gyro_x_rad_s", "deg/s"), "acc_x [g]": ("imu.acc_x_m_s2", "g"), "mag_y_uT": ("mag.mag_y_ut", "µT"),
    "Pressure hPa": ("baro.pressure_pa", "hPa"), "gx": ("imu.gyro_x_rad_s", None), "AccZ": ("imu.acc_z_m_s2", None),
    "omega_y": ("imu.gyro_y_rad_s", None), "a_z (m/s^2)": ("imu.acc_z_m_s2", "m/s²"), "gyro2_x": ("imu2.gyro_x_rad_s", None),
    "latitude_deg": ("gnss.lat_deg", "deg"), "gps_alt": ("gnss.height_m", None), "vn": ("reference.vel_n_m_s", None),
    "ref_q_w": ("reference.q_w", None), "truth_qx": ("reference.q_x", None), "pitch_deg": ("reference.pitch_rad", "deg"),
    "est_roll_rad": ("board.roll_rad", "rad"), "motor_3": ("motor.motor_3", "1"), "Voltage (V)": ("battery.voltage_v", "V"),
    "range_m": ("range.range_m", "m"), "Temperature (degC)": ("imu.temperature_degc", "°C"), "baro_temp": ("baro.temperature_degc", None),
    "imu.gyro_z_rad_s": ("imu.gyro_z_rad_s", "rad/s"), "angular_velocity_x": ("imu.gyro_x_rad_s", None), "setpoint_roll": ("setpoint.roll_rad", None),
    "gnss_vel_n_m_s": ("gnss.vel_n_m_s", "m/s"), "satellites": ("gnss.satellites", "1"), "hdop": ("gnss.hdop", "1"), "rpm_2": ("motor.rpm_2", "1"),
}  # fmt: skip


@pytest.mark.parametrize("name", NAMES)
def test_meaning(name):
    found = meaning(name)
    assert found is not None and (found.target, found.unit) == NAMES[name]


@pytest.mark.parametrize("name", ["comment", "Percentage (%)", "status", "Humidity (%)", "", "battery_id", "checksum"])
def test_strange_columns_mean_nothing(name):
    assert meaning(name) is None


@pytest.mark.parametrize(
    ("name", "unit"),
    [
        ("t", None),
        ("time_us", "us"),
        ("Timestamp (us)", "us"),
        ("Time (s)", "s"),
        ("Packet number", "counter"),
        ("t_ns", "ns"),
        ("millis", "ms"),
    ],
)
def test_time(name, unit):
    assert time_name(name).unit == unit


def test_sensors_are_no_time():
    assert time_name("gyro_x") is None and time_name("temperature") is None


def test_the_files_name_helps_bare_columns():
    assert meaning("X", "accelerometer").target == "imu.acc_x_m_s2" and meaning("X", "log") is None
