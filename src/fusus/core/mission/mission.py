"""The mission that a prediction runs along. Light to import: projects hold it."""

from dataclasses import dataclass

from fusus.core.arrays import check_range


@dataclass(frozen=True, slots=True)
class Mission:
    """What the craft does and through what. Speeds in m/s, temperatures in K, fields in µT, currents in A."""

    hover_s: float = 30.0
    height_m: float = 3.0
    speed_m_s: float = 5.0
    outage_s: float = 8.0
    wind_m_s: float = 4.0
    warming_k: float = 8.0
    vibration_acc_m_s2: float = 1.5
    vibration_gyro_rad_s: float = 0.03
    hover_current_a: float = 14.0
    steel_ut: float = 15.0
    weather_pa: float = 100.0

    def __post_init__(self) -> None:
        check_range("Hover", self.hover_s, 5, 3600, "s")
        check_range("Height", self.height_m, 0.3, 500, "m")
        check_range("Speed", self.speed_m_s, 0.1, 60, "m/s")
        check_range("Outage", self.outage_s, 0, 600, "s")
        check_range("Wind", self.wind_m_s, 0, 40, "m/s")
        check_range("Warming", self.warming_k, 0, 80, "K")
        check_range("Vibration, force", self.vibration_acc_m_s2, 0, 200, "m/s²")
        check_range("Vibration, rate", self.vibration_gyro_rad_s, 0, 20, "rad/s")
        check_range("Motor current", self.hover_current_a, 0, 1000, "A")
        check_range("Steel nearby", self.steel_ut, 0, 1000, "µT")
        check_range("Weather", self.weather_pa, 0, 5000, "Pa")
