"""The unit of a time by the motion: SciPy's rotation splines made it, and no name tells how it was written."""

import numpy as np
import pytest
from scipy.spatial.transform import Rotation, RotationSpline

from fusus.errors import OpenQuestionsError
from fusus.logs.importer import ImportRequest, import_recording
from fusus.logs.recording import load_stream

NAMES = "gyro_x (rad/s),gyro_y (rad/s),gyro_z (rad/s),acc_x (m/s2),acc_y (m/s2),acc_z (m/s2)"


def in_hands(seed, rate=100.0, seconds=40.0, size_deg=25.0):
    """Return times, rates and specific force (z down) of a board that is turned by hand."""
    rng = np.random.default_rng(seed)
    t = np.arange(0, seconds, 1 / rate)
    knots = np.arange(0, seconds + 2, 0.8)
    turned = RotationSpline(knots, Rotation.from_euler("ZYX", rng.normal(0, size_deg, (len(knots), 3)), degrees=True))
    rates = turned(t, 1) + rng.normal(0, 2e-3, (len(t), 3))
    return t, rates, turned(t).inv().apply([0.0, 0.0, -9.81]) + rng.normal(0, 0.03, (len(t), 3))


def written(path, times, rates, force, name="time"):
    rows = [
        f"{name},{NAMES}",
        *(",".join([x, *(f"{v:.6f}" for v in (*w, *f))]) for x, w, f in zip(times, rates, force, strict=True)),
    ]
    path.write_text("\n".join(rows) + "\n")
    return path


@pytest.mark.parametrize("seed", range(3))
@pytest.mark.parametrize(("unit", "size"), [("minutes", 60.0), ("hours", 3600.0)])
def test_a_time_that_nothing_names_is_settled_by_the_motion(unit, size, seed, tmp_path, folder):
    t, w, f = in_hands(seed)
    path = written(tmp_path / "log.csv", [repr(float(x / size)) for x in t], w, f)
    info = import_recording(ImportRequest((path,), folder, "log"))
    assert np.abs(load_stream(folder, "log", "imu").t_ns * 1e-9 - t).max() < 1e-6
    assert any(unit in c.conclusion and c.certainty == "shown" for c in info.conclusions)


def test_a_board_that_lies_still_shows_nothing_and_it_is_asked(tmp_path, folder):
    t, w, f = in_hands(1, size_deg=0.0)
    with pytest.raises(OpenQuestionsError, match="unit"):
        import_recording(
            ImportRequest((written(tmp_path / "log.csv", [repr(float(x / 60)) for x in t], w, f),), folder, "log")
        )


@pytest.mark.parametrize(("said", "real"), [("time_ms", 1e6), ("time (s)", 1e3)])
def test_a_name_that_the_motion_denies_is_asked(said, real, tmp_path, folder):
    # Microseconds under the name of milliseconds: 0.1 Hz would be the rate of a slow logger.
    t, w, f = in_hands(2, rate=20.0 if real == 1e6 else 200.0)
    path = written(tmp_path / "log.csv", [f"{x * real:.0f}" for x in t], w, f, said)
    with pytest.raises(OpenQuestionsError) as error:
        import_recording(ImportRequest((path,), folder, "log"))
    right = {1e6: "us", 1e3: "ms"}[real]
    assert right in [c["value"] for q in error.value.details["questions"] for c in q["candidates"]]


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("rate", [20.0, 100.0, 1000.0])
def test_a_time_that_is_read_rightly_is_never_asked(rate, seed, tmp_path, folder):
    t, w, f = in_hands(seed + 10, rate=rate, size_deg=[1.0, 5.0, 25.0, 60.0][seed])
    info = import_recording(
        ImportRequest((written(tmp_path / "log.csv", [f"{x:.4f}" for x in t], w, f),), folder, "log")
    )
    assert np.abs(load_stream(folder, "log", "imu").t_ns * 1e-9 - t).max() < 1e-6 and not info.problems
