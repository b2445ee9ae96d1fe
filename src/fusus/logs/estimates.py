"""An estimate as a file: written by ``replay --out``, read by ``compare``."""

import io
from pathlib import Path

import numpy as np
import polars as pl

from fusus.core.analysis.comparison import Track
from fusus.core.arrays import Array
from fusus.core.estimation.replay import Replay
from fusus.core.frames.quaternion import from_euler, normalise
from fusus.errors import LogError
from fusus.logs.blocks import Cutter, parse, tidy
from fusus.logs.conclusions import Findings
from fusus.logs.detect import detect
from fusus.logs.motion_units import settle_motion_units
from fusus.logs.source import Blocks
from fusus.logs.time_texts import NO_TIME
from fusus.logs.times.base import TimeBase
from fusus.logs.unitfinder import si_factor
from fusus.project.atomic import write_atomically


def estimate_frame(replay: Replay) -> pl.DataFrame:
    """Return the columns that ``--out`` writes."""
    out = replay.outputs
    n = len(replay.t_s)
    sigma = np.degrees(out.sigma_rad) if out.has_sigma else np.full((n, 3), np.nan)
    columns: dict[str, Array] = {"t_s": replay.t_s}
    columns |= {f"q_{a}": out.q_nb[:, i] for i, a in enumerate("wxyz")}
    columns |= {f"sigma_{a}_deg": sigma[:, i] for i, a in enumerate(("roll", "pitch", "yaw"))}
    columns |= {f"gyro_bias_{a}_rad_s": out.gyro_bias_b[:, i] for i, a in enumerate("xyz")}
    m = replay.motion
    if m is not None:
        t = replay.t_s
        columns |= {f"pos_{a}_m": m.pos_n[:, i] for i, a in enumerate("ned")}
        columns |= {f"vel_{a}_m_s": m.vel_n[:, i] for i, a in enumerate("ned")}
        for name, short, unit, axes in (
            ("position", "pos", "m", "ned"), ("velocity", "vel", "m_s", "ned"),
            ("gyro bias", "gyro_bias", "rad_s", "xyz"), ("accelerometer bias", "acc_bias", "m_s2", "xyz"),
        ):  # fmt: skip
            if name in m.key_sigmas:
                sigma = m.sigma_at(name, t)
                columns |= {f"sigma_{short}_{a}_{unit}": sigma[:, i] for i, a in enumerate(axes)}
            if name == "accelerometer bias" and name in m.key_values:
                values = m.key_values[name]
                columns |= {f"acc_bias_{a}_m_s2": np.interp(t, m.key_t_s, values[:, i]) for i, a in enumerate(axes)}
    return pl.DataFrame(columns)


def write_estimate(replay: Replay, path: Path) -> None:
    """Write an estimate as .parquet or .csv."""
    frame = estimate_frame(replay)
    if path.suffix.lower() not in (".parquet", ".csv"):
        raise LogError(
            path, None, None, "an estimate is written as .parquet or .csv; give the file one of these endings."
        )
    buffer = io.BytesIO()
    if path.suffix.lower() == ".parquet":
        frame.write_parquet(buffer)
    else:
        frame.with_columns(pl.col(c).round(10) for c in frame.columns).write_csv(buffer, null_value="")
    write_atomically(path, buffer.getvalue())


def read_track(path: Path) -> Track:
    """Return attitude, and position and velocity where present, from a .parquet or any table with the columns.

    Attitude: ``q_w`` ... or yaw, pitch, roll, body to north-east-down. Time: any column that looks like one.
    """
    frame = _parquet(path) if path.suffix.lower() == ".parquet" else _table(path)
    q_names = [f"q_{a}" for a in "wxyz"]
    angles = ["yaw_rad", "pitch_rad", "roll_rad"]
    if all(c in frame.columns for c in q_names):
        q = normalise(frame.select(q_names).to_numpy())
    elif all(c in frame.columns for c in angles):
        a = frame.select(angles).to_numpy()
        q = from_euler(a[:, 0], a[:, 1], a[:, 2])
    else:
        raise LogError(
            path, 1, None,
            f"there is no attitude in it: q_w, q_x, q_y, q_z or yaw, pitch, roll are needed (found {', '.join(frame.columns)}).",
        )  # fmt: skip
    t = frame["t_s"].to_numpy()
    good = np.isfinite(q).all(axis=1) & np.isfinite(t)
    order = np.argsort(t[good], kind="stable")
    keep = np.concatenate([[True], np.diff(t[good][order]) > 0]) if good.any() else np.zeros(0, dtype=bool)
    if keep.sum() < 2:
        raise LogError(path, None, None, "fewer than two rows hold a time and an attitude.")

    def triple(name: str, unit: str) -> Array | None:
        columns = [f"{name}_{a}_{unit}" for a in "ned"]
        if any(c not in frame.columns for c in columns):
            return None
        return np.asarray(frame.select(columns).to_numpy()[good][order][keep])

    return Track(t[good][order][keep], q[good][order][keep], triple("pos", "m"), triple("vel", "m_s"))


def _parquet(path: Path) -> pl.DataFrame:
    try:
        frame = pl.read_parquet(path, memory_map=False)
    except FileNotFoundError as error:
        raise LogError(path, None, None, "the file does not exist.") from error
    except (OSError, pl.exceptions.PolarsError) as error:
        raise LogError(path, None, None, f"it is no readable Parquet file ({str(error)[:80]}).") from error
    if "t_ns" in frame.columns:
        frame = frame.with_columns((pl.col("t_ns") * 1e-9).alias("t_s"))
    if "t_s" not in frame.columns:
        raise LogError(path, None, None, "it has neither a column t_s nor t_ns.")
    return frame.with_columns(pl.col(pl.Float32).cast(pl.Float64))


def _table(path: Path) -> pl.DataFrame:
    findings = Findings()
    table = settle_motion_units(detect(path, None, findings)[:1], findings)[0]
    mapping = table.mapping
    if mapping.time.index is None:
        raise LogError(path, 1, None, "no column looks like a time.")
    for question in findings.questions:
        raise LogError(
            path, None, question.column, f"{question.asks} Write it into the header, as in “t_s” or “roll_deg”."
        )
    cutter = Cutter(mapping, table.width, table.integers, table.texts)
    base = TimeBase(mapping.time, path.name, "time", findings.problems, 1_000_000)
    parts: dict[str, list[Array]] = {"t_s": []}
    line, skip = 1, mapping.first_data_line - 1
    for block in Blocks(path, mapping.encoding):
        if skip:
            block = b"\n".join(block.split(b"\n")[skip:])
            line, skip = line + skip, 0
        frame = parse(tidy(block, mapping), cutter)
        t = base.read(frame, line)
        parts["t_s"].append(np.where(t == NO_TIME, np.nan, t * 1e-9))
        taken: set[str] = set()
        for c in mapping.columns:
            # Of several columns of one meaning the first counts: a file's own sigmas follow its figures.
            if c.target and c.target.split(".")[0] in ("reference", "board") and c.target.split(".")[1] not in taken:
                taken.add(c.target.split(".")[1])
                factor, offset = si_factor(c)
                values = frame[str(c.index)].cast(pl.Float64).to_numpy() * factor + offset
                parts.setdefault(c.target.split(".")[1], []).append(values)
        line += frame.height
    return pl.DataFrame({k: np.concatenate(v) for k, v in parts.items()})
