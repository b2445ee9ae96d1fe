"""What goes to an estimator in a process of its own and what comes back: files of doubles, see ``templates/runner.c``."""

from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.initial import Start
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.world.site import Site

PER_ESTIMATE = 17


@dataclass(frozen=True, slots=True)
class Given:
    """A recording as a runner reads it, its start and site; ``coefficients`` and ``state`` replace the kit's own where they are not
    empty, and every ``dump_every`` samples the state is written."""

    given: EstimatorInput
    start: Start
    site: Site
    coefficients: Array = field(default_factory=lambda: np.empty(0))
    state: Array = field(default_factory=lambda: np.empty(0))
    dump_every: int = 0


@dataclass(frozen=True, slots=True)
class Estimates:
    """What came back, sample by sample: attitude (N, 4), gyro bias rad/s, position m, velocity m/s, sigmas rad (N, 3), flags (N,);
    ``dumps`` (K, S) states."""

    q_nb: Array
    gyro_bias_b: Array
    pos_n: Array
    vel_n: Array
    sigma_rad: Array
    flags: Array
    dumps: Array

    def __len__(self) -> int:
        return len(self.q_nb)


def single_rows(given: EstimatorInput) -> EstimatorInput:
    """Return a recording with at most one fix, height, field and distance at a sample: of several the last."""
    t, a = given.t_s, given.aiding

    def last(rows: Array) -> Array:
        at = np.searchsorted(t, rows[:, 0])
        keep = np.append(at[1:] != at[:-1], True) if len(rows) else np.zeros(0, dtype=bool)
        return rows[keep & (at < len(t))]

    return replace(
        given, aiding=replace(a, gnss=last(a.gnss), baro=last(a.baro), mag=last(a.mag), ranges=last(a.ranges))
    )


def from_zero(given: EstimatorInput) -> EstimatorInput:
    """Return a recording by the clock of a board that was powered up an interval before the first sample."""
    if not len(given.t_s):
        return given
    before = float(given.t_s[0] - given.samples.dt_s[0])
    moved = {}
    for name in ("gnss", "baro", "mag", "ranges"):
        rows = getattr(given.aiding, name).copy()
        rows[:, 0] -= before
        moved[name] = rows
    return replace(given, t_s=given.t_s - before, aiding=replace(given.aiding, **moved))


def write_input(path: Path, g: Given) -> None:
    """Write a recording for a runner."""
    t, s, a = g.given.t_s, g.given.samples, g.given.aiding

    def at(rows: Array) -> Array:
        return np.searchsorted(t, rows[:, 0])[:, None].astype(float)

    fields = np.flatnonzero(np.isfinite(s.mag_b).all(axis=1))
    mag = np.column_stack([fields, s.mag_b[fields]])
    inside = [rows[rows[:, 0] <= t[-1]] for rows in (a.baro, a.gnss, a.ranges)]
    baro = np.column_stack([at(inside[0]), inside[0][:, 1]])
    places = at(inside[1])
    age = t[places[:, 0].astype(int)] - inside[1][:, 0]
    gnss = np.column_stack([places, age, inside[1][:, 1:7], inside[1][:, 7]])
    ranges = np.column_stack([at(inside[2]), inside[2][:, 1]])
    known = a.known if len(a.known) else np.zeros(len(t))
    st = g.start
    start = [
        *st.q_nb, *st.gyro_bias_b, float(st.is_still), st.rest_s, st.field_ut, st.dip_rad, float(st.has_heading), g.site.gravity_m_s2,
        g.site.declination_rad,
    ]  # fmt: skip
    head = [len(t), len(mag), len(baro), len(gnss), len(ranges), len(g.coefficients), len(g.state), g.dump_every, 0, 0]
    parts = (head, start, g.coefficients, g.state, t, s.dt_s, s.gyro_b, s.acc_b, known, mag, baro, gnss, ranges)
    with path.open("wb") as out:
        for part in parts:
            np.ascontiguousarray(part, dtype=np.float64).tofile(out)


def read_output(path: Path, samples: int, state: int = 0, every: int = 0) -> Estimates:
    """Return what a runner wrote, as far as it came."""
    values = np.fromfile(path)
    dumps = np.empty((0, state))
    if every > 0 and state > 0:
        # A dump follows every so many estimates: groups of one dump and so many estimates lie one behind the other.
        keys = -(-samples // every)
        size = every * PER_ESTIMATE + state
        padded = np.full(keys * size, np.nan)
        padded[: len(values)] = values
        table = padded.reshape(keys, size)
        dumps = table[:, PER_ESTIMATE : PER_ESTIMATE + state].copy()
        rest = np.concatenate([table[:, :PER_ESTIMATE], table[:, PER_ESTIMATE + state :]], axis=1)
        values = rest.reshape(-1)[: samples * PER_ESTIMATE]
    whole = len(values) // PER_ESTIMATE
    e = values[: whole * PER_ESTIMATE].reshape(whole, PER_ESTIMATE)
    return Estimates(e[:, 0:4], e[:, 4:7], e[:, 7:10], e[:, 10:13], e[:, 13:16], e[:, 16], dumps)
