"""An estimate held against a reference: on one clock, one heading datum, sample by sample."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from fusus.core.analysis.alignment import Alignment, align_attitudes, align_speeds
from fusus.core.analysis.attitude_error import attitude_error, circular_mean, turn_heading
from fusus.core.analysis.statistics import Statistic, measure
from fusus.core.arrays import Array, BoolArray, IntArray
from fusus.core.frames.clock import ClockMap
from fusus.core.frames.quaternion import interpolate
from fusus.errors import AlignmentError


@dataclass(frozen=True, slots=True)
class Track:
    """Attitude ``q_nb`` (N, 4) at rising times (N,) s; where known, position and velocity (N, 3) in north-east-down; NaN for what is
    not known. Of a reference also: one sigma of what it is itself off, by quantity (rad, m, m/s a component); where it tells in
    stretches, the number of each row's (N,); which quantities of its attitude are ``silent``; and which of heading, place and height
    are ``relative``: they count from the rows marked in ``datum`` (N,)."""

    t_s: Array
    q_nb: Array
    pos_n: Array | None = None
    vel_n: Array | None = None
    sigmas: Mapping[str, float] = field(default_factory=dict)
    stretch: IntArray | None = None
    silent: tuple[str, ...] = ()
    relative: tuple[str, ...] = ()
    datum: BoolArray | None = None


@dataclass(frozen=True, slots=True)
class Comparison:
    """Errors at the reference's times that the estimate covers, estimate minus reference.

    ``tilt`` and ``heading`` (N,) rad; ``tilt_ne`` (N, 2) rad about north and east; ``pos`` and ``vel`` (N, 3) m and m/s
    or None; NaN where the reference does not tell. ``heading_offset_rad`` was taken off the estimate if ``yaw_aligned``.
    ``sigmas`` and ``stretch`` as in the reference; ``reference_pos`` (N, 3) or None; ``lacks_place`` (N, 3): where the reference tells
    a place and the estimate is no number.
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
    sigmas: Mapping[str, float] = field(default_factory=dict)
    stretch: IntArray | None = None
    reference_pos: Array | None = None
    lacks_place: BoolArray | None = None

    @property
    def has_attitude(self) -> bool:
        """Whether the reference tells roll, pitch and heading throughout."""
        return bool(np.isfinite(self.tilt).all() and np.isfinite(self.heading).all())

    def series(self, quantity: str) -> Array | None:
        """Return the error series (N,) of a quantity by name, SI units, or None where there is none."""
        found: Array | None = None
        if quantity == "tilt":
            found = self.tilt
        elif quantity == "heading":
            found = self.heading
        elif quantity == "velocity" and self.vel is not None:
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

    def lacking(self, quantity: str) -> int:
        """Return at how many moments the reference tells a quantity and the estimate is no number: what is left out there is no
        small error."""
        if quantity in ("tilt", "heading"):
            told, found = self.reference_q_nb, self.estimate_q_nb
            return int(np.count_nonzero(np.isfinite(told).all(axis=1) & ~np.isfinite(found).all(axis=1)))
        columns = {"position": slice(0, 3), "horizontal": slice(0, 2), "height": slice(2, 3)}.get(quantity)
        if columns is None or self.lacks_place is None:
            return 0
        return int(np.count_nonzero(self.lacks_place[:, columns].any(axis=1)))

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
        Bring the reference onto the estimate's clock first, by the body rates, or by the speed where it has no attitude;
        where that cannot be done the clocks stay as they are and a note says why.
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
            alignment = _alignment(estimate, reference)
            clock = alignment.clock
        except AlignmentError as refusal:
            notes.append(str(refusal))
    t_all = clock.back(reference.t_s)
    parts = (reference.q_nb, *(x for x in (reference.pos_n, reference.vel_n) if x is not None))
    told = np.any([np.isfinite(x).any(axis=1) for x in parts], axis=0)
    inside = (t_all >= estimate.t_s[0]) & (t_all <= estimate.t_s[-1]) & told
    if not inside.any():
        raise AlignmentError(
            f"Estimate ({estimate.t_s[0]:.2f} to {estimate.t_s[-1]:.2f} s) and reference ({t_all[0]:.2f} to "
            f"{t_all[-1]:.2f} s) do not overlap in time; align their clocks or check the time columns."
        )
    t, ref = t_all[inside], reference.q_nb[inside]
    q = interpolate(estimate.t_s, estimate.q_nb, t)
    offset = circular_mean(attitude_error(q, ref).heading)
    if align_yaw and np.isfinite(offset):
        q = turn_heading(q, -offset)
    error = attitude_error(q, ref)
    stretch = None if reference.stretch is None else reference.stretch[inside]
    pos = _difference(estimate.t_s, estimate.pos_n, t, reference.pos_n, inside)
    lacks = None if pos is None or reference.pos_n is None else np.isfinite(reference.pos_n[inside]) & ~np.isfinite(pos)
    nan = np.full(len(t), np.nan)
    tilt, heading = (nan if n in reference.silent else v for n, v in (("tilt", error.tilt), ("heading", error.heading)))
    if reference.datum is not None:
        datum = reference.datum[inside]
        if not datum.any():
            raise AlignmentError("The estimate does not cover the stretch that the reference counts from.")
        heading, pos = _from_datum(heading, pos, datum, reference.relative)
    return Comparison(
        t,
        tilt,
        heading,
        error.tilt_ne,
        q,
        ref,
        pos,
        _difference(estimate.t_s, estimate.vel_n, t, reference.vel_n, inside),
        alignment,
        offset if np.isfinite(offset) else 0.0,
        align_yaw,
        tuple(notes),
        reference.sigmas,
        stretch,
        None if reference.pos_n is None else reference.pos_n[inside],
        lacks,
    )


def _alignment(estimate: Track, reference: Track) -> Alignment:
    if np.isfinite(reference.q_nb).all(axis=1).sum() >= 20:
        known = np.isfinite(reference.q_nb).all(axis=1)
        return align_attitudes(estimate.t_s, estimate.q_nb, reference.t_s[known], reference.q_nb[known])
    speeds = [speed_of(track) for track in (estimate, reference)]
    if speeds[0] is None or speeds[1] is None:
        raise AlignmentError("Neither attitude nor speed is in both records, so their clocks cannot be compared.")
    return align_speeds(*speeds[0], *speeds[1])


def speed_of(track: Track) -> tuple[Array, Array] | None:
    """Return times and the size of the velocity, m/s, (K,): its own, else of the way from place to place; None without both."""
    if track.vel_n is not None and np.isfinite(track.vel_n[:, :2]).all(axis=1).sum() > 20:
        known = np.isfinite(track.vel_n[:, :2]).all(axis=1)
        return track.t_s[known], np.linalg.norm(track.vel_n[known, :2], axis=1)
    if track.pos_n is None:
        return None
    known = np.isfinite(track.pos_n[:, :2]).all(axis=1)
    t, p = track.t_s[known], track.pos_n[known, :2]
    if len(t) < 20:
        return None
    return 0.5 * (t[1:] + t[:-1]), np.linalg.norm(np.diff(p, axis=0), axis=1) / np.maximum(np.diff(t), 1e-6)


def _from_datum(
    heading: Array, pos: Array | None, first: BoolArray, relative: tuple[str, ...]
) -> tuple[Array, Array | None]:
    """Return errors counted from those of the datum, which then tells nothing (NaN)."""
    if "heading" in relative:
        turned = np.mod(heading - circular_mean(heading[first]) + np.pi, 2 * np.pi) - np.pi
        heading = np.where(first, np.nan, turned)
    if pos is not None:
        for name, columns in (("place", [0, 1]), ("height", [2])):
            if name in relative:
                counted = pos[:, columns] - pos[first][:, columns].mean(axis=0)
                counted[first] = np.nan
                pos = pos.copy()
                pos[:, columns] = counted
    return heading, pos


def _difference(t: Array, estimate: Array | None, at: Array, reference: Array | None, inside: Array) -> Array | None:
    if estimate is None or reference is None:
        return None
    columns = [np.interp(at, t, estimate[:, i]) for i in range(3)]
    return np.asarray(np.stack(columns, axis=-1) - reference[inside])
