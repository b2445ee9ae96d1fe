"""Allan deviation of recordings and of bare tables, each axis with its curve and what is read off it."""

import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl

from fusus.core.analysis.allan.deviation import LEAST_SAMPLES, AllanCurve, allan_curve
from fusus.core.analysis.allan.reading import Coefficient, Reading, read_curve
from fusus.core.arrays import Array, BoolArray
from fusus.core.calibration.stillness import cut_windows, still_spans
from fusus.core.progress import Progress, Silent
from fusus.errors import FususError, LogError, RecordingError
from fusus.logs.importer import ImportRequest, import_recording
from fusus.logs.info import load_info
from fusus.logs.recording import Stream, load_stream
from fusus.study.plain import plain

# Column prefix and its unit in words: what a rate is, its noise follows from.
_AXES = {
    "imu": (("gyro", "rad_s", "rad/s"), ("acc", "m_s2", "m/s²")),
    "mag": (("mag", "ut", "µT"),),
    "gnss": (("vel", "m_s", "m/s"),),
}
GAP_STEPS = 1.6
TURNED_RAD_S = 0.3


@dataclass(frozen=True, slots=True)
class AxisAllan:
    """One axis: its name, unit, curve and reading."""

    name: str
    unit: str
    curve: AllanCurve
    reading: Reading


def allan_of_recording(
    folder: Path, recording: str, stream: str = "imu", progress: Progress | None = None
) -> tuple[AxisAllan, ...]:
    """Return the Allan deviation of all axes of a stream: its longest stretch without gaps, and at rest where it shows one."""
    load_info(folder, recording)
    found = load_stream(folder, recording, stream)
    if found is None:
        raise RecordingError(recording, f"there is no stream “{stream}” in it.")
    found = at_rest(found)
    return _axes(found, _columns(found, stream), None, progress or Silent())


def at_rest(stream: Stream) -> Stream:
    """Return the longest rest of an IMU stream; all of it where it has none that is worth a third of it."""
    names = [f"{k}_{a}_{u}" for k, u in (("gyro", "rad_s"), ("acc", "m_s2")) for a in "xyz"]
    if not stream.has(*names):
        return stream
    values, t = stream.matrix(*names), stream.t_s
    good = np.flatnonzero(np.isfinite(values).all(axis=1))
    if len(good) < 100:
        return stream
    spans = still_spans(t[good], values[good, :3], values[good, 3:])
    best = max(spans, key=lambda s: s.length_s, default=None)
    if best is None:
        return stream
    means = cut_windows(t[good], values[good, :3], values[good, 3:]).gyro_mean
    turned = float(np.abs(means - np.median(means, axis=0)).max()) > TURNED_RAD_S
    if not turned and best.length_s < (t[-1] - t[0]) / 3.0:
        return stream  # nothing turned: what looks like motion is noise
    first, last = int(good[best.first]), int(good[best.last - 1]) + 1
    return Stream(stream.recording, stream.name, stream.frame[first:last])


def allan_of_file(path: Path, rate_hz: float | None, progress: Progress | None = None) -> tuple[AxisAllan, ...]:
    """Return the Allan deviation of a table: units from its header where it is one of gyro and accelerometer, else as it
    stands. With ``rate_hz`` the rows are taken as evenly spaced, whatever times they carry.
    """
    progress = progress or Silent()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "recordings").mkdir()
        try:
            import_recording(ImportRequest((path,), folder, "table", "still"))
            found = load_stream(folder, "table", "imu")
        except FususError as error:
            if not path.is_file():
                raise
            return _bare(path, rate_hz, error, progress)
        if found is None:
            return _bare(path, rate_hz, None, progress)
        return _axes(found, _columns(found, "imu"), rate_hz, progress)


def _bare(path: Path, rate_hz: float | None, cause: FususError | None, progress: Progress) -> tuple[AxisAllan, ...]:
    if rate_hz is None:
        why = f" ({cause})" if cause is not None else ""
        raise LogError(
            path, None, None, f"its columns and times are not known{why}; give the rows a second with --rate-hz."
        )
    try:
        frame = pl.read_csv(path, has_header=_has_header(path), comment_prefix="#", infer_schema_length=1000)
    except (OSError, pl.exceptions.PolarsError) as error:
        raise cause or LogError(path, None, None, f"it cannot be read as a table ({str(error)[:80]}).") from error
    numbers = [c for c in frame.columns if frame[c].dtype.is_numeric()]
    if not numbers:
        raise LogError(path, None, None, "none of its columns holds numbers only.")
    out = []
    for i, name in enumerate(numbers):
        progress.step(i, len(numbers), "Allan deviation")
        y = frame[name].cast(pl.Float64).fill_null(np.nan).to_numpy()
        out.append(_axis(name, "the column's", _longest_finite(y), rate_hz, str(path.name)))
    progress.step(len(numbers), len(numbers), "Allan deviation")
    return tuple(out)


def _has_header(path: Path) -> bool:
    with path.open(encoding="utf-8", errors="replace") as file:
        line = next((text for text in file if text.strip() and not text.startswith("#")), "")
    try:
        [float(v) for v in line.strip().split(",")]
    except ValueError:
        return True
    return False


def _columns(stream: Stream, name: str) -> list[tuple[str, str, str]]:
    """Return axis name, column and unit of what a stream holds."""
    out = []
    for prefix, suffix, unit in _AXES.get(name.rstrip("23"), ()):
        for axis in "ned" if prefix == "vel" else "xyz":
            column = f"{prefix}_{axis}_{suffix}"
            if stream.has(column):
                out.append((f"{prefix}_{axis}", column, unit))
    if name == "baro" and stream.has("pressure_pa"):
        out.append(("pressure", "pressure_pa", "Pa"))
    if not out:
        raise RecordingError(stream.recording, f"stream “{name}” has nothing that an Allan deviation could be made of.")
    return out


def _axes(
    stream: Stream, columns: list[tuple[str, str, str]], rate_hz: float | None, progress: Progress
) -> tuple[AxisAllan, ...]:
    values = stream.matrix(*(c for _, c, _ in columns))
    rows = _stretch(stream.t_s, np.asarray(np.isfinite(values).all(axis=1)), ignore_times=rate_hz is not None)
    t = stream.t_s[rows]
    if rate_hz is None:
        if len(t) < 2 or t[-1] <= t[0]:
            raise RecordingError(stream.recording, "its times do not rise.")
        rate_hz = (len(t) - 1) / float(t[-1] - t[0])
    out = []
    for i, (name, _, unit) in enumerate(columns):
        progress.step(i, len(columns), "Allan deviation")
        out.append(_axis(name, unit, values[rows, i], rate_hz, stream.recording))
    progress.step(len(columns), len(columns), "Allan deviation")
    return tuple(out)


def _axis(name: str, unit: str, values: Array, rate_hz: float, place: str) -> AxisAllan:
    if len(values) < LEAST_SAMPLES:
        raise RecordingError(
            place, f"{len(values)} samples in a row are too few for an Allan deviation; record at rest."
        )
    curve = allan_curve(values, rate_hz)
    return AxisAllan(name, unit, curve, read_curve(curve))


def _stretch(t: Array, good: BoolArray, ignore_times: bool) -> slice:
    """Return the longest run of good rows without a gap in time."""
    if len(t) == 0:
        return slice(0, 0)
    steps = np.diff(t)
    usual = float(np.median(steps)) if len(steps) else 0.0
    broken = np.zeros(len(t), dtype=bool)
    if not ignore_times:
        broken[1:] = (steps > GAP_STEPS * usual) | (steps <= 0)
    starts = np.concatenate([[0], np.flatnonzero(broken | ~good), [len(t)]])
    lengths = np.diff(starts)
    i = int(np.argmax(lengths))
    first = int(starts[i]) + (0 if good[min(int(starts[i]), len(t) - 1)] else 1)
    return slice(first, int(starts[i + 1]))


def _longest_finite(y: Array) -> Array:
    return y[_stretch(np.arange(len(y), dtype=float), np.isfinite(y), ignore_times=True)]


_UNITS = {
    "noise_density": "{u}/√Hz (Allan coefficient N, two-sided)", "bias_instability": "{u}", "rate_random_walk": "{u}/s/√Hz",
    "quantisation": "{u}·s", "rate_ramp": "{u}/s",
}  # fmt: skip


def report(axes: tuple[AxisAllan, ...]) -> dict[str, Any]:
    """Return curves and coefficients as JSON data."""
    return {"axes": {a.name: _axis_report(a) for a in axes}}


def _axis_report(a: AxisAllan) -> dict[str, Any]:
    c, r = a.curve, a.reading
    found = {
        "noise_density": r.noise, "bias_instability": r.instability, "rate_random_walk": r.walk, "quantisation": r.quantisation,
        "rate_ramp": r.ramp,
    }  # fmt: skip
    out: dict[str, Any] = {
        "tau_s": c.tau_s, "adev": c.adev, "lower": c.lower, "upper": c.upper, "edf": c.edf, "samples": c.samples, "rate_hz": c.rate_hz,
    }  # fmt: skip
    for name, k in found.items():
        out[name] = k.value if k else None
    out["noise_density_one_sided"] = r.noise.value * np.sqrt(2.0) if r.noise else None
    out["standard_errors"] = {name: k.sigma if k else None for name, k in found.items()}
    out["upper_bounds_only"] = [name for name, k in found.items() if isinstance(k, Coefficient) and k.is_bound]
    out["minimum"] = {"adev": r.floor, "tau_s": r.floor_tau_s}
    out["units"] = {"adev": a.unit} | {name: words.format(u=a.unit) for name, words in _UNITS.items()}
    return {k: plain(v) for k, v in out.items()}
