"""What the heads of the tables show of IMU, field and attitude."""

import numpy as np
import polars as pl

from fusus.core.arrays import Array
from fusus.core.sensors.quantise import from_counts
from fusus.logs.convention import LoggedMotion
from fusus.logs.detect import Table
from fusus.logs.motion_units import times_of
from fusus.logs.unitfinder import si_factor


def sample(table: Table, *targets: str) -> Array | None:
    """Return head samples of target columns in canonical units, shape (N, len(targets)), or None if one is missing."""
    by_target = {c.target: c for c in table.mapping.columns if c.target}
    if any(t not in by_target for t in targets):
        return None
    out = []
    for t in targets:
        c = by_target[t]
        v = table.head[str(c.index)].cast(pl.Float64).to_numpy()
        factor, offset = si_factor(c)
        if c.raw is not None:
            v = from_counts(v, c.raw.full_scale, c.raw.bits)
        out.append(v * factor + offset)
    return np.stack(out, axis=1)


def look(tables: list[Table]) -> LoggedMotion | None:
    """Return what the tables' heads show of IMU, field and attitude."""
    pieces: dict[str, tuple[Array, Array]] = {}
    wanted = {
        "gyro": [f"imu.gyro_{a}_rad_s" for a in "xyz"],
        "acc": [f"imu.acc_{a}_m_s2" for a in "xyz"],
        "mag": [f"mag.mag_{a}_ut" for a in "xyz"],
        "ref": [f"reference.q_{a}" for a in "wxyz"],
        "euler": [f"reference.{a}_rad" for a in ("yaw", "pitch", "roll")],
    }
    for table in tables:
        for name, targets in wanted.items():
            values = sample(table, *targets)
            if values is not None and name not in pieces:
                t = times_of(table)
                good = np.isfinite(t) & np.isfinite(values).all(axis=1)
                if good.sum() < 3:
                    continue
                order = np.argsort(t[good], kind="stable")
                pieces[name] = (t[good][order], values[good][order])
    if "acc" not in pieces and "gyro" not in pieces:
        return None
    if "ref" not in pieces and "euler" in pieces:
        from fusus.core.frames.quaternion import from_euler

        t, angles = pieces["euler"]
        pieces["ref"] = (t, from_euler(angles[:, 0], angles[:, 1], angles[:, 2]))
    t, _ = pieces.get("gyro") or pieces["acc"]
    same = {k: _at(t, *pieces[k]) for k in ("gyro", "acc") if k in pieces}
    none = (None, None)
    mag, ref = pieces.get("mag", none), pieces.get("ref", none)
    if len(t) < 3 or (ref[1] is not None and len(ref[1]) < 3):
        return None
    return LoggedMotion(t, same.get("gyro"), same.get("acc"), mag[0], mag[1], ref[0], ref[1])


def _at(wanted: Array, t: Array, values: Array) -> Array:
    """Return values at other times: a bad field in one sensor's column must not keep it from being looked at."""
    if len(t) == len(wanted) and np.array_equal(t, wanted):
        return values
    return np.stack([np.interp(wanted, t, values[:, i]) for i in range(values.shape[1])], axis=1)
