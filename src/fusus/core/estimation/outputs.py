"""What estimators hand back."""

from dataclasses import dataclass, field

import numpy as np

from fusus.core.arrays import Array, BoolArray, ByteArray


def _no_rows() -> Array:
    return np.empty((0, 3))


@dataclass(frozen=True, slots=True)
class AttitudeOutputs:
    """Attitude per sample and why.

    ``q_nb`` (N, 4); ``gyro_bias_b`` (N, 3) rad/s; ``flags`` (N,) bits of ``attitude_math``; ``sigma_rad`` (N, 3) one
    sigma of roll, pitch, yaw, and ``nis_acc``, ``nis_mag`` (N,) with NaN where no update was made: these three are
    empty for estimators that claim no accuracy, or that keep innovations by themselves.
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


@dataclass(frozen=True, slots=True)
class Innovations:
    """What measurements said against the prediction, (R,) each: channel by number, time s, innovation, its variance
    (units of the channel, squared), and whether it was used. ``names`` gives each channel's name and ``units`` its unit."""

    channel: Array
    t_s: Array
    value: Array
    variance: Array
    used: BoolArray
    names: tuple[str, ...]
    units: tuple[str, ...]

    def of(self, *names: str) -> "Innovations":
        """Return those of some channels."""
        wanted = [i for i, n in enumerate(self.names) if n in names]
        rows = np.isin(self.channel, wanted)
        return Innovations(
            self.channel[rows], self.t_s[rows], self.value[rows], self.variance[rows], self.used[rows], self.names, self.units
        )  # fmt: skip

    @property
    def normalised(self) -> Array:
        """Innovations over their own sigma, (R,)."""
        return np.asarray(self.value / np.sqrt(self.variance))

    def __len__(self) -> int:
        return len(self.t_s)


@dataclass(frozen=True, slots=True)
class MotionOutputs:
    """Position and velocity per sample, and what is kept now and then, K times.

    ``pos_n`` (N, 3) m from home, ``vel_n`` (N, 3) m/s, NaN in directions that an estimator does not give. At ``key_t_s`` (K,):
    ``key_values`` by name with shape (K,) or (K, 3) and ``key_sigmas`` likewise; ``key_p`` (K, n, n) the covariance of the
    error state, empty where there is none. ``noise_factors``: by how many times as noisy as tuned each kind of sensor was taken at the end.
    """

    pos_n: Array
    vel_n: Array
    key_t_s: Array
    key_values: dict[str, Array]
    key_sigmas: dict[str, Array]
    key_p: Array
    innovations: Innovations
    noise_factors: dict[str, float] = field(default_factory=dict)

    def sigma_at(self, name: str, t_s: Array) -> Array:
        """Return the sigma of a figure at other times, by straight lines between."""
        kept = self.key_sigmas[name]
        if kept.ndim == 1:
            return np.interp(t_s, self.key_t_s, kept)
        return np.stack([np.interp(t_s, self.key_t_s, kept[:, i]) for i in range(kept.shape[1])], axis=1)
