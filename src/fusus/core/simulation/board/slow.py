"""A sensor's slow drifting, block by block: random walk and first-order Gauss-Markov, going on where the last block ended."""

import math
from dataclasses import dataclass

import numpy as np
from scipy.signal import lfilter

from fusus.core.arrays import Array
from fusus.core.noise import markov_sigma_of_instability
from fusus.core.sensors.inertial import InertialModel


@dataclass(slots=True)
class SlowBias:
    """State of ``width`` independent channels: ``walk`` in u/s/√Hz and a Gauss-Markov process of ``sigma`` and ``tau_s``."""

    walk: float
    sigma: float
    tau_s: float
    walked: Array
    held: Array

    @classmethod
    def start(cls, walk: float, sigma: float, tau_s: float, width: int, rng: np.random.Generator) -> "SlowBias":
        """Return one that begins at no walk and anywhere in its Gauss-Markov spread."""
        return cls(walk, sigma, tau_s, np.zeros(width), rng.standard_normal(width) * sigma)

    @classmethod
    def of_inertial(cls, model: InertialModel, rng: np.random.Generator) -> "SlowBias":
        """Return the drift of a gyro or accelerometer."""
        sigma = markov_sigma_of_instability(model.instability)
        return cls.start(model.walk, sigma, model.instability_tau_s, 3, rng)

    def advance(self, count: int, dt_s: float, rng: np.random.Generator) -> Array:
        """Return the next ``count`` samples, shape (count, width)."""
        width = len(self.walked)
        steps = rng.standard_normal((count, width)) * (self.walk * math.sqrt(dt_s))
        walk = self.walked + np.cumsum(steps, axis=0)
        self.walked = walk[-1]
        a = math.exp(-dt_s / self.tau_s)
        drive = rng.standard_normal((count, width)) * (self.sigma * math.sqrt(1.0 - a * a))
        markov, _ = lfilter([1.0], [1.0, -a], drive, axis=0, zi=(a * self.held)[None, :])
        self.held = markov[-1]
        return np.asarray(walk + markov)
