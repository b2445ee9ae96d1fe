"""The heading that motion shows where no field does: what the accelerometer feels is what the fixes do, turned by it.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
    gnss : (M, 9) as estimation.aiding says, n
"""

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.initial import Start
from fusus.core.estimation.mahony import run as mahony
from fusus.core.estimation.mahony.parameters import Parameters as MahonyParameters
from fusus.core.estimation.samples import Samples, sealed
from fusus.core.frames.quaternion import from_rotation_vector, multiply, normalise, rotate
from fusus.core.world.site import Site

LONGEST_S, STEP_S = 120.0, 1.0
ENOUGH_RAD = 0.05
ALIKE = 0.7  # correlation of what is felt and what the fixes do, from which on it is the same motion
SPEED_M_S = 0.1  # one sigma of a change of speed between fixes, noise and tilt errors together


def heading_from_motion(
    t_s: Array, samples: Samples, gnss: Array, start: Start, site: Site, delay_s: float
) -> tuple[float, float] | None:
    """Return by how much to turn the start's heading, and one sigma of it, rad; None where nothing shows it.

    Changes of velocity over a second, from the accelerometer with tilt from gravity and from the fixes, differ by one
    rotation about down: least squares over as many as it takes, at most two minutes.
    """
    fixes = gnss[np.isfinite(gnss[:, 4:6]).all(axis=1)]
    if len(fixes) < 3 or len(t_s) < 10:
        return None
    last = int(np.searchsorted(t_s, t_s[0] + LONGEST_S))
    blind = Samples(samples.dt_s[:last], samples.gyro_b[:last], samples.acc_b[:last], np.full((last, 3), np.nan))
    tuning = MahonyParameters()
    c = mahony.coefficients(tuning, site, start)
    out, _ = mahony.run(c, mahony.initial_state(tuning, c, start), sealed(blind))
    force = rotate(out.q_nb, blind.acc_b)
    felt = np.cumsum(force[:, :2] * blind.dt_s[:, None], axis=0)
    times = fixes[:, 0] - delay_s
    marks = np.arange(max(t_s[0], times[0]), min(t_s[last - 1], times[-1]), STEP_S)
    if len(marks) < 3:
        return None
    ours = np.stack([np.interp(marks, t_s[:last], felt[:, i]) for i in range(2)], axis=1)
    theirs = np.stack([np.interp(marks, times, fixes[:, 4 + i]) for i in range(2)], axis=1)
    a, b = np.diff(ours, axis=0) @ [1.0, 1j], np.diff(theirs, axis=0) @ [1.0, 1j]
    power, product, theirs_power = np.cumsum(np.abs(a) ** 2), np.cumsum(np.conj(a) * b), np.cumsum(np.abs(b) ** 2)
    # What the best rotation leaves is noise of both; where it is most of all there is, there was no motion to see.
    left = np.maximum(power + theirs_power - 2.0 * np.abs(product), 0.0) / (2.0 * np.arange(1, len(a) + 1))
    sigma = np.sqrt(np.maximum(left, SPEED_M_S**2) / np.maximum(power, 1e-9))
    alike = np.abs(product) / np.sqrt(np.maximum(power * theirs_power, 1e-12))
    sigma[alike < ALIKE] = np.inf
    sure = np.flatnonzero(sigma < ENOUGH_RAD)
    at = int(sure[0]) if len(sure) else len(a) - 1
    if not sigma[at] < 0.5:
        return None
    return float(np.angle(product[at])), max(float(sigma[at]), 0.03)


def turned(start: Start, angle_rad: float) -> Start:
    """Return the start with its heading turned about down."""
    about = from_rotation_vector(np.array([0.0, 0.0, angle_rad]))
    return start._replace(q_nb=normalise(multiply(about, start.q_nb)))
