"""An estimate held against a reference: on one clock, one heading datum, sample by sample."""

from dataclasses import dataclass, field

import numpy as np

from fusus.core.analysis.alignment import Alignment, align_attitudes
from fusus.core.analysis.attitude_error import attitude_error, circular_mean, turn_heading
from fusus.core.analysis.statistics import Statistic, measure
from fusus.core.arrays import Array
from fusus.core.frames.clock import ClockMap
from fusus.core.frames.quaternion import interpolate
from fusus.errors import AlignmentError


@dataclass(frozen=True, slots=True)
class Track:
    """Attitude ``q_nb`` (N, 4) at rising times (N,) s; where known, position and velocity (N, 3) in north-east-down."""

    t_s: Array
    q_nb: Array
    pos_n: Array | None = None
    vel_n: Array | None = None


@dataclass(frozen=True, slots=True)
class Comparison:
    """Errors at the reference's times that the estimate covers, estimate minus reference.

    ``tilt`` and ``heading`` (N,) rad; ``tilt_ne`` (N, 2) rad about north and east; ``pos`` and ``vel`` (N, 3) m and m/s
    or None. ``heading_offset_rad`` was taken off the estimate if ``yaw_aligned``.
    """

    t_s: Array
    tilt: Array
    heading: Array
    tilt_ne: Array
    estimate_q_nb: Array
    reference_q_nb: Array
    pos: Array | None
    vel: Array | None
    alignment: Alignment | None
    heading_offset_rad: float
    yaw_aligned: bool
    notes: tuple[str, ...] = field(default=())

    def series(self, quantity: str) -> Array | None:
        """Return the error series (N,) of a quantity by name, SI units, or None where there is none."""
        if quantity == "tilt":
            return self.tilt
        if quantity == "heading":
            return self.heading
        found: Array | None = None
        if quantity == "velocity" and self.vel is not None:
            found = np.asarray(np.linalg.norm(self.vel, axis=1))
        elif quantity == "climb" and self.vel is not None:
            found = self.vel[:, 2]
        elif quantity == "position" and self.pos is not None:
            found = np.asarray(np.linalg.norm(self.pos, axis=1))
        elif quantity == "horizontal" and self.pos is not None:
            found = np.asarray(np.linalg.norm(self.pos[:, :2], axis=1))
        elif quantity == "height" and self.pos is not None:
            found = self.pos[:, 2]
        # An estimator of height alone knows nothing of the other directions.
        return found if found is not None and np.isfinite(found).any() else None

    def value(self, quantity: str, statistic: Statistic) -> float | None:
        """Return a statistic of a quantity's error, or None where it was not measured."""
        series = self.series(quantity)
        return None if series is None else measure(series, statistic)


def compare(estimate: Track, reference: Track, align_time: bool = False, align_yaw: bool = False) -> Comparison:
    """Return the errors of an estimate.

    Parameters
    ----------
    estimate : Track
        What is judged.
    reference : Track
        What it is judged by.
    align_time : bool
        Bring the reference onto the estimate's clock by the body rates first; where that cannot be done the clocks
        stay as they are and a note says why.
    align_yaw : bool
        Take the mean heading difference off: for references whose zero heading is arbitrary.

    Returns
    -------
    Comparison
        At the reference's own times, between first and last estimate.

    Raises
    ------
    AlignmentError
        If the two do not overlap in time.
    """
    notes: list[str] = []
    alignment: Alignment | None = None
    clock = ClockMap(0.0, 0.0)
    if align_time:
        try:
            alignment = align_attitudes(estimate.t_s, estimate.q_nb, reference.t_s, reference.q_nb)
            clock = alignment.clock
        except AlignmentError as refusal:
            notes.append(str(refusal))
    t_all = clock.back(reference.t_s)
    inside = (t_all >= estimate.t_s[0]) & (t_all <= estimate.t_s[-1]) & np.isfinite(reference.q_nb).all(axis=1)
    if not inside.any():
        raise AlignmentError(
            f"Estimate ({estimate.t_s[0]:.2f} to {estimate.t_s[-1]:.2f} s) and reference ({t_all[0]:.2f} to "
            f"{t_all[-1]:.2f} s) do not overlap in time; align their clocks or check the time columns."
        )
    t, ref = t_all[inside], reference.q_nb[inside]
    q = interpolate(estimate.t_s, estimate.q_nb, t)
    offset = circular_mean(attitude_error(q, ref).heading)
    if align_yaw:
        q = turn_heading(q, -offset)
    error = attitude_error(q, ref)
    return Comparison(
        t,
        error.tilt,
        error.heading,
        error.tilt_ne,
        q,
        ref,
        _difference(estimate.t_s, estimate.pos_n, t, reference.pos_n, inside),
        _difference(estimate.t_s, estimate.vel_n, t, reference.vel_n, inside),
        alignment,
        offset,
        align_yaw,
        tuple(notes),
    )


def _difference(t: Array, estimate: Array | None, at: Array, reference: Array | None, inside: Array) -> Array | None:
    if estimate is None or reference is None:
        return None
    columns = [np.interp(at, t, estimate[:, i]) for i in range(3)]
    return np.asarray(np.stack(columns, axis=-1) - reference[inside])
