"""Calibrations put to use: readings in, readings without the known errors out. The recording itself stays as it was."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array, as_samples
from fusus.core.calibration.thermal import evaluate
from fusus.core.frames import quaternion


@dataclass(frozen=True, slots=True)
class Corrections:
    """Parameters of the active calibrations by kind, as they came out of their fits; {} does nothing."""

    by_kind: dict[str, dict[str, Any]]

    @property
    def kinds(self) -> tuple[str, ...]:
        """The active kinds."""
        return tuple(self.by_kind)

    def _vector(self, kind: str, name: str) -> Array | None:
        value = self.by_kind.get(kind, {}).get(name)
        return None if value is None else np.asarray(value, dtype=float)

    @property
    def rotation(self) -> Array:
        """From the board's axes to the level craft's, shape (3, 3)."""
        mounting = self._vector("mounting", "rotation")
        out = np.eye(3) if mounting is None else mounting
        trim = self._vector("level", "trim_rad")
        if trim is not None:
            out = quaternion.to_matrix(quaternion.from_euler(0.0, trim[1], trim[0])) @ out
        return np.asarray(out)

    def gyro(self, gyro_s: ArrayLike, temperature_degc: ArrayLike | None = None) -> Array:
        """Return angular rates (N, 3), rad/s, in body axes.

        With a thermal calibration and a known temperature, the stored bias counts at its own temperature.
        """
        w = np.array(as_samples(gyro_s, "gyro_s", 3))
        thermal = self.by_kind.get("thermal")
        polynomial = self._vector("thermal", "gyro_polynomial")
        warm = None if temperature_degc is None else np.asarray(temperature_degc, dtype=float)
        follows = thermal is not None and polynomial is not None and warm is not None and bool(np.isfinite(warm).any())
        if follows and thermal is not None and polynomial is not None and warm is not None:
            w -= evaluate(polynomial, thermal["reference_degc"], _held(warm))
        bias = self._vector("gyro-bias", "gyro_bias_rad_s")
        if bias is not None:
            at = self.by_kind["gyro-bias"].get("temperature_degc")
            if follows and thermal is not None and polynomial is not None:
                # Only what the polynomial does not say already: the bias may have moved since the soak.
                known = evaluate(polynomial, thermal["reference_degc"], [at])[0] if at is not None else bias
                bias = bias - known
            w -= bias
        return np.asarray(w @ self.rotation.T)

    def acc(self, acc_s: ArrayLike, temperature_degc: ArrayLike | None = None) -> Array:
        """Return specific forces (N, 3), m/s², in body axes."""
        f = np.array(as_samples(acc_s, "acc_s", 3))
        thermal, polynomial = self.by_kind.get("thermal"), self._vector("thermal", "acc_polynomial")
        if thermal is not None and polynomial is not None and temperature_degc is not None:
            warm = np.asarray(temperature_degc, dtype=float)
            if np.isfinite(warm).any():
                f -= evaluate(polynomial, thermal["reference_degc"], _held(warm))
        offset, correction = self._vector("six-face", "offset_m_s2"), self._vector("six-face", "correction")
        if offset is not None and correction is not None:
            f = (f - offset) @ correction.T
        return np.asarray(f @ self.rotation.T)

    def mag(self, mag_s: ArrayLike, current_a: ArrayLike | None = None) -> Array:
        """Return fields (N, 3), µT, in body axes; rows of NaN stay."""
        m = np.array(as_samples(mag_s, "mag_s", 3))
        slope = self._vector("motor-current", "slope_ut_a")
        if slope is not None and current_a is not None:
            m -= np.nan_to_num(np.asarray(current_a, dtype=float))[:, None] * slope
        hard, correction = self._vector("magnetometer", "hard_iron_ut"), self._vector("magnetometer", "correction")
        if hard is not None and correction is not None:
            m = (m - hard) @ correction.T
        aligned = self._vector("magnetometer", "alignment_rad")
        if aligned is not None:
            m = m @ quaternion.to_matrix(quaternion.from_rotation_vector(aligned)).T
        return np.asarray(m @ self.rotation.T)


def _held(temperature: Array) -> Array:
    """Return temperatures with gaps filled by their neighbours."""
    known = np.isfinite(temperature)
    if known.all():
        return temperature
    rows = np.arange(len(temperature))
    return np.asarray(np.interp(rows, rows[known], temperature[known]))
