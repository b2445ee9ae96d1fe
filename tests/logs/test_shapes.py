"""Tables of any common shape come in without a hand-made mapping."""

import csv

import numpy as np
import pytest
from tests.logs.tables import HEADER, RATE, N, lines, truth, write

from fusus.logs.importer import ImportRequest, import_recording
from fusus.logs.recording import load_stream

BARE = ("t", "gx", "gy", "gz", "ax", "ay", "az")


def imported(project, path, **options):
    info = import_recording(ImportRequest((path,), project, path.stem, **options))
    return info, load_stream(project, path.stem, "imu")


def assert_same(stream, atol=2e-6, gyro_atol=None):
    t, gyro, acc = truth()
    assert len(stream.t_ns) == N
    assert np.allclose(stream.t_s - stream.t_s[0], t, atol=1e-6)
    assert np.allclose(stream.vector("gyro", "rad_s"), gyro, atol=gyro_atol or atol)
    assert np.allclose(stream.vector("acc", "m_s2"), acc, atol=atol * 10)


SHAPES = {
    "plain.csv": lambda p: write(p, lines()),
    "semicolon.csv": lambda p: write(p, lines(sep=";", decimal=",")),
    "tabs.tsv": lambda p: write(p, lines(sep="\t")),
    "blanks.txt": lambda p: write(p, lines(sep="  ")),
    "crlf.csv": lambda p: write(p, lines(), newline="\r\n"),
    "old-mac.csv": lambda p: write(p, lines(), newline="\r"),
    "bom.csv": lambda p: write(p, lines(), "utf-8-sig"),
    "utf16.csv": lambda p: write(p, lines(), "utf-16"),
    "utf16-no-mark.csv": lambda p: write(p, lines(), "utf-16-be"),
    "comments.csv": lambda p: write(p, ["# logger 3", "# shed", *lines()[:90], "# marker", *lines()[90:]]),
    "preamble.csv": lambda p: write(p, ["Device: board", "Serial 1", *lines()]),
    "quoted.csv": lambda p: write(p, [",".join(f'"{f}"' for f in row.split(",")) for row in lines()]),
    "spaces.csv": lambda p: write(p, [row.replace(",", ", ") for row in lines()]),
    "blank-lines.csv": lambda p: write(p, ["", lines()[0], "", *lines()[1:], "", ""]),
    "trailing.csv": lambda p: write(p, [row + "," for row in lines()]),
    "reversed.csv": lambda p: write(p, [lines()[0], *lines()[:0:-1]]),
    "unit-row.csv": lambda p: write(p, [",".join(BARE), "s,rad/s,rad/s,rad/s,m/s^2,m/s^2,m/s^2", *lines()[1:]]),
    "no-header.csv": lambda p: write(p, lines(header=None)),
    "names.csv": lambda p: write(
        p, lines(header=("Timestamp (s)", "Gyroscope X (rad/s)", "Gyroscope Y (rad/s)", "Gyroscope Z (rad/s)", "AccelX [m/s²]", "AccelY [m/s²]", "AccelZ [m/s²]"))
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", SHAPES)
def test_shape(name, project, tmp_path):
    path = tmp_path / name
    before = SHAPES[name](path).read_bytes()
    info, imu = imported(project, path)
    assert_same(imu)
    assert path.read_bytes() == before, "the source must stay untouched"
    assert abs(info.streams["imu"].rate_hz - RATE) < 0.1


TIMES = {
    "ms": ("t_ms", ["%d" % round(1000 * t) for t in truth()[0]]),
    "us": ("time_us", ["%d" % round(1e6 * t) for t in truth()[0]]),
    "ns-epoch": ("t_ns", ["%d" % (1_760_000_000_000_000_000 + round(1e9 * t)) for t in truth()[0]]),
    "us-untold": ("timestamp", ["%d" % round(1e6 * t + 5e6) for t in truth()[0]]),
    "ms-untold": ("timestamp", ["%d" % round(1000 * t + 1000) for t in truth()[0]]),
    "iso": ("time", ["2026-05-01T10:00:%09.6fZ" % t for t in truth()[0]]),
    "clock": ("time", ["10:00:%09.6f" % t for t in truth()[0]]),
}  # fmt: skip


@pytest.mark.parametrize("kind", TIMES)
def test_time_base(kind, project, tmp_path):
    name, times = TIMES[kind]
    _, imu = imported(project, write(tmp_path / "log.csv", lines(times=times, header=(name, *HEADER[1:]))))
    assert_same(imu)


def test_epoch_times_start_at_zero_and_keep_the_date(project, tmp_path):
    info, imu = imported(
        project, write(tmp_path / "log.csv", lines(times=TIMES["iso"][1], header=("time", *HEADER[1:])))
    )
    assert info.when.isoformat() == "2026-05-01T10:00:00+00:00" and imu.t_ns[0] == 0


@pytest.mark.parametrize("unit", ["us", "s"])
def test_a_32_bit_microsecond_counter_wraps(unit, project, tmp_path):
    us = (np.arange(N) * 5000 + 2**32 - 2_000_000) % 2**32
    times = ["%d" % v for v in us] if unit == "us" else ["%.6f" % (v / 1e6) for v in us]
    info, imu = imported(project, write(tmp_path / "log.csv", lines(times=times, header=(f"t_{unit}", *HEADER[1:]))))
    assert_same(imu)
    assert [(p.kind, p.line) for p in info.problems] == [("clock_wrap", 402)]


def test_units_by_values_alone(project, tmp_path):
    t, gyro, acc = truth()
    info, imu = imported(project, write(tmp_path / "log.csv", lines(t, np.degrees(gyro), acc / 9.80665, header=BARE)))
    assert_same(imu, atol=2e-5)
    assert {c.unit for c in info.mapping.files[0].columns if c.target} == {"deg/s", "g"}


def test_z_up_boards_are_turned_round(project, tmp_path):
    t, gyro, acc = truth()
    flip = [1, -1, -1]
    info, imu = imported(project, write(tmp_path / "log.csv", lines(t, gyro * flip, acc * flip)))
    assert_same(imu)
    assert info.mapping.body_axes == "flu" and info.problems[0].kind == "axes_changed"


@pytest.mark.parametrize(("gyro_range", "acc_range"), [(500, 8), (2000, 16), (250, 4)])
def test_raw_counts_whose_range_gravity_shows(gyro_range, acc_range, project, tmp_path):
    t, gyro, acc = truth()
    g = np.rint(np.degrees(gyro) * 32768 / gyro_range).astype(int) % 65536
    a = np.rint(acc / 9.80665 * 32768 / acc_range).astype(int) % 65536
    info, imu = imported(project, write(tmp_path / "log.csv", lines(t, g, a, header=BARE)))
    raw = {c.target: c.raw.full_scale for c in info.mapping.files[0].columns if c.raw}
    assert raw["imu.gyro_x_rad_s"] == gyro_range and raw["imu.acc_z_m_s2"] == acc_range
    assert_same(imu, atol=acc_range * 9.8 / 32768 / 10, gyro_atol=np.radians(gyro_range) / 32768)


def test_raw_counts_of_a_still_board_need_a_range(project, tmp_path):
    from fusus.errors import LogError
    from fusus.logs.mapping import Mapping

    t, gyro, acc = truth(rocking=False)
    g = np.rint(np.degrees(gyro + 0.02) * 65.536).astype(int) + 100
    a = np.rint(acc / 9.80665 * 4096).astype(int)
    path = write(tmp_path / "log.csv", lines(t, g, a, header=BARE))
    with pytest.raises(LogError, match="raw counts.*range"):
        imported(project, path)
    mapping = Mapping.model_validate({"ranges": {"gyro": {"full_scale": 500, "unit": "deg/s", "bits": 16}}})
    _, imu = imported(project, path, mapping=mapping)
    assert np.allclose(imu.vector("gyro", "rad_s"), np.radians(g / 65.536), atol=1e-9)


def test_slow_streams_written_again_and_again_are_thinned(project, tmp_path):
    rows = lines()
    rows = [rows[0] + ",pressure_pa,mag_x_ut,mag_y_ut,mag_z_ut"] + [
        f"{row},{101000 + i // 10 * 0.5:.2f},{20 + i // 5 * 0.01:.3f},1.0,43.0" for i, row in enumerate(rows[1:])
    ]
    info, _ = imported(project, write(tmp_path / "log.csv", rows))
    assert info.streams["baro"].rows == N // 10 and info.streams["mag"].rows == N // 5
    assert {p.column for p in info.problems if p.kind == "held_values"} == {"baro", "mag"}


def test_sparse_streams_share_a_table(project, tmp_path):
    rows = lines()
    rows = [rows[0] + ",lat,lon,alt"] + [
        row + (f",52.5,13.4,{40 + i}" if i % 20 == 0 else ",,,") for i, row in enumerate(rows[1:])
    ]
    info, _ = imported(project, write(tmp_path / "log.csv", rows))
    assert info.streams["gnss"].rows == N // 20 and not info.problems


def test_one_file_a_sensor_is_joined(project, tmp_path):
    t, gyro, acc = truth()
    write(
        tmp_path / "gyroscope.csv",
        ["time_s,x (rad/s),y (rad/s),z (rad/s)"]
        + ["%.4f,%.6f,%.6f,%.6f" % (a, *g) for a, g in zip(t, gyro, strict=True)],
    )
    shifted = t + 0.001
    write(
        tmp_path / "accelerometer.csv",
        ["time_s,x (m/s2),y (m/s2),z (m/s2)"]
        + ["%.4f,%.6f,%.6f,%.6f" % (a, *f) for a, f in zip(shifted, acc, strict=True)],
    )
    import_recording(ImportRequest((tmp_path / "gyroscope.csv", tmp_path / "accelerometer.csv"), project, "two"))
    imu = load_stream(project, "two", "imu")
    assert imu.has("gyro_x_rad_s", "acc_z_m_s2") and np.isfinite(imu.vector("acc", "m_s2")[2:]).all()


@pytest.mark.parametrize("name", ["temperature_degc", "temp (C)"])
def test_a_barometers_file_keeps_its_own_temperature(name, project, tmp_path):
    """Beside an IMU with a temperature it is no second IMU."""
    imu = lines(header=(*HEADER, "temperature_degc"))
    imu[1:] = [row + ",31.5" for row in imu[1:]]
    first = write(tmp_path / "imu.csv", imu)
    t = np.arange(0, N, 8) / RATE
    second = write(
        tmp_path / "b.csv",
        [f"time_s,pressure_pa,{name}", *(f"{x:.4f},{101325 + 3 * x:.1f},{22 + 0.1 * x:.2f}" for x in t)],
    )
    info = import_recording(ImportRequest((first, second), project, "both"))
    assert set(info.streams) == {"imu", "baro"}
    assert load_stream(project, "both", "baro").frame["temperature_degc"][0] == pytest.approx(22.0, abs=0.01)
    assert load_stream(project, "both", "imu").frame["temperature_degc"][0] == pytest.approx(31.5)


def test_two_temperatures_in_one_table_belong_to_imu_and_barometer(project, tmp_path):
    rows = lines(header=(*HEADER, "temperature", "pressure_pa", "temperature 2"))
    rows[1:] = [row + f",31.5,{101325 + i % 7},24.5" for i, row in enumerate(rows[1:])]
    info = import_recording(ImportRequest((write(tmp_path / "one.csv", rows),), project, "one"))
    assert set(info.streams) == {"imu", "baro"}
    assert load_stream(project, "one", "baro").frame["temperature_degc"][0] == pytest.approx(24.5)


def test_a_mapping_is_used_again_and_can_correct(project, tmp_path):
    from fusus.logs.mapping import Mapping, load_mapping

    path = write(tmp_path / "log.csv", lines(header=("zeit", "a", "b", "c", "d", "e", "f")))
    names = ("gyro_x_rad_s", "gyro_y_rad_s", "gyro_z_rad_s", "acc_x_m_s2", "acc_y_m_s2", "acc_z_m_s2")
    columns = [{"source": s, "target": f"imu.{n}"} for s, n in zip("abcdef", names, strict=True)]
    mapping = tmp_path / "mapping.json"
    mapping.write_text(
        Mapping.model_validate({"files": [{"columns": columns, "time": {"index": 0, "unit": "s"}}]}).model_dump_json(
            exclude_unset=True
        )
    )
    info, imu = imported(project, path, mapping=load_mapping(mapping))
    assert_same(imu)
    again = import_recording(ImportRequest((path,), project, "again", mapping=info.mapping))
    assert again.streams == info.streams


@pytest.mark.parametrize(
    ("text", "message"), [("{", "no JSON"), ('{"files": [{"delimiter": 3}]}', "delimiter"), ('{"smell": 1}', "smell")]
)
def test_a_wrong_mapping_is_told(text, message, tmp_path):
    from fusus.errors import MappingError
    from fusus.logs.mapping import load_mapping

    path = tmp_path / "mapping.json"
    path.write_text(text)
    with pytest.raises(MappingError, match=message):
        load_mapping(path)
    with pytest.raises(MappingError, match="cannot be read"):
        load_mapping(tmp_path / "none.json")


@pytest.mark.parametrize(
    ("earth", "body", "conjugate"),
    [("ned", "frd", False), ("enu", "flu", False), ("nwu", "flu", True), ("ned", "frd", True), ("ned", "flu", False)],
)
def test_the_meaning_of_a_reference_attitude_is_found(earth, body, conjugate, project, tmp_path, site):
    from tests.conftest import short_flight

    from fusus.core.frames import axes, quaternion

    _, streams = short_flight(site, seed=5, rate_hz=100.0)
    imu, mag, ref = streams["imu"], streams["mag"], streams["reference"]

    def xyz(s, n, u):
        return np.stack([s[f"{n}_{a}_{u}"] for a in "xyz"], axis=1)

    q = np.stack([ref[f"q_{a}"] for a in "wxyz"], axis=1)
    to = (
        quaternion.from_matrix(axes.earth_matrix(earth).T),
        quaternion.from_matrix(axes.body_matrix(body if earth != "ned" else "frd")),
    )
    shown = quaternion.multiply(quaternion.multiply(to[0], q), to[1])
    shown = quaternion.conjugate(shown) if conjugate else shown
    sensors = np.hstack([xyz(imu, "gyro", "rad_s"), xyz(imu, "acc", "m_s2")]) @ np.kron(
        np.eye(2), axes.body_matrix(body)
    )
    field = xyz(mag, "mag", "ut") @ axes.body_matrix(body)
    rows = ["t_s,gx,gy,gz,ax,ay,az,mx_uT,my_uT,mz_uT,qw,qx,qy,qz"]
    for i in range(len(sensors)):
        slow = ",".join("%.6f" % v for v in (*field[i // 10], *shown[i // 10])) if i % 10 == 0 else "," * 6
        rows.append("%.4f,%s,%s" % (imu["t_ns"][i] * 1e-9, ",".join("%.7f" % v for v in sensors[i]), slow))
    import_recording(
        ImportRequest((write(tmp_path / "log.csv", rows),), project, "log", declination_rad=site.declination_rad)
    )
    back = load_stream(project, "log", "reference").matrix("q_w", "q_x", "q_y", "q_z")
    off = quaternion.to_rotation_vector(quaternion.multiply(quaternion.conjugate(back), q))
    assert np.degrees(np.linalg.norm(off, axis=1)).max() < 0.01


@pytest.mark.parametrize("first", [1, 200], ids=["from the first row", "late in the file"])
def test_a_delimiter_within_quotes_moves_no_column(first, project, tmp_path):
    """Written by the standard library's writer: a note with commas and quotes stands before the samples (RFC 4180)."""
    t, gyro, acc = truth()
    path = tmp_path / "log.csv"
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file)
        writer.writerow(["time, since start [s]", "note, if any", *HEADER[1:]])
        for i in range(N):
            note = 'pad, then "go", climb' if i >= first and i % 40 == 0 else "ok"
            figures = [f"{v:.9f}" for v in (*gyro[i], *acc[i])]
            writer.writerow([f"{t[i]:.6f}", note, *figures])
    info, imu = imported(project, path)
    assert_same(imu)
    assert [p.kind for p in info.problems] == ["ignored_column"]
