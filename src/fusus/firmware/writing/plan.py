"""All that a kit is made of: what a project has chosen, as the core knows it."""

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from fusus.core.arrays import Array
from fusus.core.calibration.apply import Corrections
from fusus.core.calibration.thermal import evaluate
from fusus.core.control.cascade import Cascade
from fusus.core.control.failsafe import NO_FAILSAFE, FailsafeRules
from fusus.core.control.failsafe_rules import Row
from fusus.core.estimation.catalogue import EstimatorInfo, EstimatorParameters
from fusus.core.estimation.navigation_ekf.parameters import Parameters as NavigationParameters
from fusus.core.frames import quaternion
from fusus.core.world.site import Site
from fusus.firmware.translation.foreign_text import harmless
from fusus.firmware.translation.types import Precision
from fusus.firmware.writing.layout import moments_for


@dataclass(frozen=True, slots=True)
class Scales:
    """What one count is, SI (the field in µT), by range and bits; and what they rest on."""

    gyro_rad_s: float
    acc_m_s2: float
    mag_ut: float
    said: str


@dataclass(frozen=True, slots=True)
class Calibrated:
    """Calibrations as a board applies them: offsets, one matrix a sensor, and polynomials of temperature where there are any.

    ``gyro_moved`` is what a stored bias says beyond the polynomial at its own temperature. ``said``: by field, what it comes from.
    """

    mounting: Array
    gyro_bias: Array
    gyro_moved: Array
    acc_offset: Array
    acc_matrix: Array
    mag_slope: Array
    mag_hard: Array
    mag_matrix: Array
    gyro_thermal: Array | None = None
    acc_thermal: Array | None = None
    reference_degc: float = 25.0


def calibrated(c: Corrections) -> Calibrated:
    """Return what :class:`Corrections` does to readings, worked out beforehand as far as can be."""

    def vector(kind: str, name: str, usual: Array) -> Array:
        value = c.by_kind.get(kind, {}).get(name)
        return usual if value is None else np.asarray(value, dtype=float)

    zero, one = np.zeros(3), np.eye(3)
    bias = vector("gyro-bias", "gyro_bias_rad_s", zero)
    soaked = c.by_kind.get("thermal", {})
    polynomial = soaked.get("gyro_polynomial")
    moved = zero
    if polynomial is not None:
        at = c.by_kind.get("gyro-bias", {}).get("temperature_degc")
        if at is not None:
            moved = bias - evaluate(polynomial, soaked["reference_degc"], [at])[0]
    turn = vector("magnetometer", "alignment_rad", zero)
    aligned = np.asarray(quaternion.to_matrix(quaternion.from_rotation_vector(turn)))
    gyro_thermal = None if polynomial is None else np.asarray(polynomial, dtype=float)
    acc_thermal = soaked.get("acc_polynomial")
    if gyro_thermal is not None:
        wide = gyro_thermal.shape[1]
        acc = np.zeros((3, wide))
        if acc_thermal is not None:
            given = np.asarray(acc_thermal, dtype=float)
            wide = max(wide, given.shape[1])
            acc = np.zeros((3, wide))
            acc[:, : given.shape[1]] = given
            gyro_thermal = np.pad(gyro_thermal, ((0, 0), (0, wide - gyro_thermal.shape[1])))
        acc_thermal = acc
    return Calibrated(
        mounting=c.rotation,
        gyro_bias=bias,
        gyro_moved=moved,
        acc_offset=vector("six-face", "offset_m_s2", zero),
        acc_matrix=c.rotation @ vector("six-face", "correction", one),
        mag_slope=vector("motor-current", "slope_ut_a", zero),
        mag_hard=vector("magnetometer", "hard_iron_ut", zero),
        mag_matrix=c.rotation @ aligned @ vector("magnetometer", "correction", one),
        gyro_thermal=gyro_thermal,
        acc_thermal=acc_thermal,
        reference_degc=float(soaked.get("reference_degc", 25.0)),
    )


@dataclass(frozen=True, slots=True)
class Controls:
    """The loops: cascade, the gyro's sections (S, 6), mixer table (M, 4), idle share, arming, the accelerometer's sections (A, 6),
    when failsafes act, and what they do, in words."""

    cascade: Cascade
    sections: Array
    table: Array
    idle: float
    arm_tilt_rad: float
    arm_when_due: bool
    acc_sections: Array = field(default_factory=lambda: np.empty((0, 6)))
    failsafe: FailsafeRules = NO_FAILSAFE
    failsafe_rows: tuple[Row, ...] = ()


@dataclass(frozen=True, slots=True)
class Plan:
    """A kit to be made.

    ``coefficients``: those of height filters and of the navigation EKF, which depend on which sensors there are; ``errors`` how many
    errors the latter holds, ``first_variances`` the former's diagonal. ``said``: evidence in words, by the path of a figure in the project.
    ``is_practice``: of a craft to learn on, whose calibrations may be the stand-in's.
    """

    project: str
    state: str
    version: str
    precision: Precision
    info: EstimatorInfo
    parameters: EstimatorParameters
    site: Site
    calibrations: Calibrated
    scales: Scales
    controls: Controls
    mag_interval_s: float = 0.01
    coefficients: Any = None
    errors: int = 0
    first_variances: tuple[float, ...] = ()
    said: dict[str, str] = field(default_factory=dict)
    is_practice: bool = False

    def __post_init__(self) -> None:
        # Text of others goes no further than here as it came: templates cannot reach it.
        object.__setattr__(self, "project", harmless(self.project))
        object.__setattr__(self, "said", {path: harmless(text) for path, text in self.said.items()})
        object.__setattr__(self, "scales", replace(self.scales, said=harmless(self.scales.said)))

    @property
    def moments(self) -> int:
        """How many moments the navigation EKF remembers on the board."""
        p = self.parameters
        return (
            moments_for(p.gnss_delay_s, p.gnss_delay_sigma_s)
            if isinstance(p, NavigationParameters)
            else moments_for(0.0, 0.0)
        )

    def evidence(self, path: str) -> str:
        """Return where a figure comes from, in words."""
        return self.said.get(path, "assumed")
