"""A time in two columns is put together; a part of a time alone is refused, not read as the whole."""

import numpy as np
import pytest

from fusus.errors import LogError
from fusus.logs.importer import ImportRequest, import_recording
from fusus.logs.mapping import FileMapping, Mapping, TimeMapping
from fusus.logs.recording import load_stream

BEGINS_S, RATE_HZ, ROWS = 1_700_000_000, 200, 1500
SENSORS = ",".join([*(f"gyro_{a}_rad_s" for a in "xyz"), *(f"acc_{a}_m_s2" for a in "xyz")])


def written(path, head, stamps):
    rng = np.random.default_rng(3)
    lines = [f"{head},{SENSORS}"]
    for stamp in stamps:
        values = [*rng.normal(0, 0.1, 3), *rng.normal(0, 0.05, 2), -9.81 + rng.normal(0, 0.05)]
        lines.append(",".join([*map(str, stamp), *(f"{v:.5f}" for v in values)]))
    path.write_text("\n".join(lines) + "\n")
    return path


def stamps(size):
    """Return (seconds, part beyond them in units of 1/size s) of each row, in whole numbers."""
    step = size // RATE_HZ
    return [(BEGINS_S + i * step // size, i * step % size) for i in range(ROWS)]


@pytest.mark.parametrize(
    ("head", "size"),
    [
        ("sec,nsec", 10**9), ("secs,nsecs", 10**9), ("header.stamp.sec,header.stamp.nanosec", 10**9),
        ("tv_sec,tv_usec", 10**6), ("stampSec,stampMillis", 1000),
    ],
)  # fmt: skip
def test_whole_seconds_and_what_is_beyond_them_are_one_time(tmp_path, folder, head, size):
    path = written(tmp_path / "log.csv", head, stamps(size))
    info = import_recording(ImportRequest((path,), folder, "log"))
    t = load_stream(folder, "log", "imu").t_ns
    assert len(t) == ROWS and np.array_equal(np.diff(t), np.full(ROWS - 1, 10**9 // RATE_HZ))
    assert any("two columns" in c.conclusion for c in info.conclusions) and not info.problems


@pytest.mark.parametrize(("head", "size"), [("nsec", 10**9), ("usec", 10**6)])
def test_a_part_of_a_time_is_refused_and_counted_rows_settle_it(tmp_path, folder, head, size):
    path = written(tmp_path / "log.csv", head, [(beyond,) for _, beyond in stamps(size)])
    with pytest.raises(LogError, match="have a time that another row has"):
        import_recording(ImportRequest((path,), folder, "log"))
    counted = Mapping(files=(FileMapping(time=TimeMapping(index=None, unit="counter", rate_hz=RATE_HZ)),))
    import_recording(ImportRequest((path,), folder, "log", mapping=counted))
    assert load_stream(folder, "log", "imu").frame.height == ROWS


@pytest.mark.parametrize("rows_a_second", [200, 50, 10])
def test_a_time_in_whole_seconds_alone_is_refused(tmp_path, folder, rows_a_second):
    path = written(tmp_path / "log.csv", "time_s", [(i // rows_a_second,) for i in range(ROWS)])
    with pytest.raises(LogError):
        import_recording(ImportRequest((path,), folder, "log"))


def test_a_clock_that_is_a_little_too_coarse_is_told(tmp_path, folder):
    path = written(tmp_path / "log.csv", "time_ms", [(int(i * 0.9),) for i in range(ROWS)])
    info = import_recording(ImportRequest((path,), folder, "log"))
    assert [p.kind for p in info.problems if "one time" in p.message] == ["duplicate_time"]
