"""The straight line between two clocks."""

from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array


class ClockMap(NamedTuple):
    """The time t of one clock read on another: ``offset_s + (1 + drift) t``."""

    offset_s: float
    drift: float

    def forward(self, t_s: ArrayLike) -> Array:
        """Return the other clock's times, s."""
        return np.asarray(self.offset_s + (1.0 + self.drift) * np.asarray(t_s, dtype=float))

    def back(self, t_s: ArrayLike) -> Array:
        """Return this clock's times, s."""
        return np.asarray((np.asarray(t_s, dtype=float) - self.offset_s) / (1.0 + self.drift))
