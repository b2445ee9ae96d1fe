"""What every attitude estimator hands back."""

from dataclasses import dataclass, field

import numpy as np

from fusus.core.arrays import Array, ByteArray


def _no_rows() -> Array:
    return np.empty((0, 3))


@dataclass(frozen=True, slots=True)
class AttitudeOutputs:
    """Attitude per sample and why.

    ``q_nb`` (N, 4); ``gyro_bias_b`` (N, 3) rad/s; ``flags`` (N,) bits of ``attitude_math``; ``sigma_rad`` (N, 3) one
    sigma of roll, pitch, yaw, and ``nis_acc``, ``nis_mag`` (N,) with NaN where no update was made: these three are
    empty for estimators that claim no accuracy.
    """

    q_nb: Array
    gyro_bias_b: Array
    flags: ByteArray
    sigma_rad: Array = field(default_factory=_no_rows)
    nis_acc: Array = field(default_factory=lambda: np.empty(0))
    nis_mag: Array = field(default_factory=lambda: np.empty(0))

    @property
    def has_sigma(self) -> bool:
        """Whether the estimator claims an accuracy."""
        return len(self.sigma_rad) > 0
