"""What Fusion draws errors of. Light to load: the page is built before anything has run."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Quantity:
    """What is drawn of errors: its name, title, unit, whether it has a sign, and which figure of the summary tells it."""

    name: str
    title: str
    unit: str
    has_sign: bool
    key: str
    requirement: str


QUANTITIES = (
    Quantity("tilt", "Tilt", "°", False, "tilt_rmse_deg", "tilt"),
    Quantity("heading", "Heading", "°", True, "heading_rmse_deg", "heading"),
    Quantity("height", "Height", "m", True, "height_rmse_m", "height"),
    Quantity("horizontal", "Position", "m", False, "horizontal_rmse_m", "position"),
    Quantity("velocity", "Velocity", "m/s", False, "velocity_rmse_m_s", "velocity"),
)
