"""The parts of the import: cutting text, hashing blocks, times, units by values, conventions, writing."""

import hashlib
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import polars as pl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.logs.tables import lines, write

from fusus.core.frames import quaternion
from fusus.errors import FususError, LogError
from fusus.logs import values
from fusus.logs.convention import LoggedMotion, find_body_axes, find_reference, seconds_per_count
from fusus.logs.dialect import find_dialect
from fusus.logs.importer import ImportRequest, import_recording
from fusus.logs.mapping import TimeMapping
from fusus.logs.problems import Problems
from fusus.logs.source import Blocks, find_encoding, head_text
from fusus.logs.time_texts import NO_TIME
from fusus.logs.times.base import TimeBase
from fusus.logs.writer import StreamWriter, join_parts, put_in_order

# Dialects


@pytest.mark.parametrize(
    ("text", "delimiter", "decimal", "header", "first"),
    [
        ("a,b\n1,2\n3,4\n", ",", ".", ("a", "b"), 2),
        ("a;b\n1,5;2,5\n3,5;4,0\n", ";", ",", ("a", "b"), 2),
        ("a\tb\n1\t2\n3\t4\n", "\t", ".", ("a", "b"), 2),
        ("1 2 3\n4 5 6\n", " ", ".", (), 1),
        ("a|b\n1|2\n3|4\n", "|", ".", ("a", "b"), 2),
        ("# t, x\n1,2\n3,4\n", ",", ".", ("t", "x"), 2),
        ("name: board\n\na,b\n1,2\n3,4\n", ",", ".", ("a", "b"), 4),
        ("t,x\ns,m\n1,2\n3,4\n", ",", ".", ("t [s]", "x [m]"), 3),
        ("t,x\n2026-01-01T00:00:00,1\n2026-01-01T00:00:01,2\n", ",", ".", ("t", "x"), 2),
        ("t,x\n1,\n2,\n3,5\n", ",", ".", ("t", "x"), 2),
    ],
)
def test_dialect(text, delimiter, decimal, header, first, tmp_path):
    d = find_dialect(tmp_path / "x.csv", text, True)
    assert (d.delimiter, d.decimal, d.header, d.first_data_line) == (delimiter, decimal, header, first)


def test_encodings_by_their_bytes(tmp_path):
    path = tmp_path / "x"
    for encoding, expected in (
        ("utf-8", "utf-8"), ("utf-8-sig", "utf-8-sig"), ("utf-16", "utf-16"), ("utf-16-le", "utf-16-le"), ("utf-16-be", "utf-16-be"),
        ("latin-1", "latin-1"),
    ):  # fmt: skip
        path.write_bytes("zeit,größe\n1,2\n".encode(encoding) * 3)
        assert find_encoding(path, path.read_bytes()) == expected
        assert "größe" in head_text(path)[0]


@given(
    rows=st.lists(st.text("abc,0123456789.", max_size=30), min_size=1, max_size=60),
    newline=st.sampled_from(["\n", "\r\n", "\r", "\r\r\n"]),
    size=st.integers(3, 50),
)
@settings(deadline=None, max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_blocks_hold_every_line_and_the_files_hash(rows, newline, size, tmp_path, monkeypatch):
    from fusus.logs import source

    monkeypatch.setattr(source, "BLOCK_BYTES", size)
    data = newline.join(rows).encode() + newline.encode()
    path = tmp_path / "x.csv"
    path.write_bytes(data)
    blocks = Blocks(path, "utf-8")
    parts = list(blocks)
    # Whatever a line ended with, and wherever a block was cut, it ends with a line feed.
    assert b"".join(parts) == "".join(f"{row}\n" for row in rows).encode() and all(p.endswith(b"\n") for p in parts)
    assert blocks.sha256 == hashlib.sha256(data).hexdigest() and not blocks.ends_open


def test_blocks_can_be_left_early(tmp_path):
    path = tmp_path / "x.csv"
    path.write_bytes(b"1,2\n" * 100)
    for _ in Blocks(path, "utf-8"):
        break  # the reading thread must end, or the test run would hang


# Times


def base(unit="s", step=5_000_000, **options):
    """Return a time base and what it reports."""
    problems = Problems()
    return TimeBase(TimeMapping(index=0, unit=unit, **options), "f", "t", problems, step), problems


def test_times_are_exact_for_whole_numbers():
    b, _ = base("ns")
    stamps = [1_760_000_000_123_456_789, 1_760_000_000_123_456_790]
    assert b.read(pl.DataFrame({"0": stamps}), 1).tolist() == stamps
    b, _ = base("us")
    assert b.read(pl.DataFrame({"0": [1, 2, 3]}), 1).tolist() == [1000, 2000, 3000]


def test_empty_times_are_no_times():
    b, _ = base()
    assert b.read(pl.DataFrame({"0": [0.0, None, 0.01, float("nan"), float("inf")]}), 1).tolist() == [
        0,
        NO_TIME,
        10_000_000,
        NO_TIME,
        NO_TIME,
    ]


@given(st.integers(1, 399))
@settings(deadline=None, max_examples=25)
def test_a_wrap_may_fall_between_blocks(cut):
    raw = (np.arange(400, dtype=np.int64) * 5000 + 2**32 - 1_000_000) % 2**32
    b, problems = base("us")
    out = np.concatenate([b.read(pl.DataFrame({"0": raw[:cut]}), 2), b.read(pl.DataFrame({"0": raw[cut:]}), 2 + cut)])
    assert np.array_equal(np.diff(out), np.full(399, 5_000_000))
    assert [(p.kind, p.line) for p in problems.all()] == [("clock_wrap", 202)]


def test_counters_count_at_their_rate_and_rows_without_a_column():
    b, _ = base("counter", rate_hz=400.0)
    assert b.read(pl.DataFrame({"0": [400, 800]}), 1).tolist() == [10**9, 2 * 10**9]
    rows = TimeBase(TimeMapping(index=None, unit="counter", rate_hz=50.0), "f", "row", Problems(), 1)
    assert rows.read(pl.DataFrame({"1": [1, 2]}), 1).tolist() == [0, 20_000_000]
    assert rows.read(pl.DataFrame({"1": [3]}), 3).tolist() == [40_000_000]


def test_stamps_with_and_without_date_and_zone():
    b, _ = base("iso8601")
    out = b.read(pl.DataFrame({"0": ["1970-01-01T00:00:01.5Z", "1970-01-01 00:00:02+00:00", "rubbish"]}), 1)
    assert out.tolist() == [1_500_000_000, 2_000_000_000, NO_TIME]
    both = TimeBase(TimeMapping(index=1, unit="iso8601", date_index=0), "f", "t", Problems(), 1)
    assert both.read(pl.DataFrame({"0": ["1970-01-02"], "1": ["00:00:01"]}), 1).tolist() == [86_401_000_000_000]


# Units by values


@pytest.mark.parametrize(("size", "unit"), [(1.0, "g"), (9.81, "m/s²"), (1000.0, "mg"), (50.0, None), (0.0, None)])
def test_acceleration_by_gravity(size, unit):
    assert values.acceleration_unit(np.tile([0, 0, size], (20, 1))) == unit


@pytest.mark.parametrize(("size", "unit"), [(49.0, "µT"), (0.49, "G"), (490.0, "mG"), (49000.0, "nT"), (3.0, None)])
def test_field_by_the_earths(size, unit):
    assert values.field_unit(np.tile([size, 0, 0], (20, 1))) == unit


@pytest.mark.parametrize(
    ("size", "unit"), [(101325.0, "Pa"), (1013.0, "hPa"), (101.3, "kPa"), (1.01, "bar"), (5.0, None)]
)
def test_pressure_by_the_airs(size, unit):
    assert values.pressure_unit(np.full(20, size)) == unit
    assert values.pressure_unit(np.full(3, np.nan)) is None


# Conventions


def test_gravity_and_dip_tell_written_gravity_from_specific_force():
    up, field = np.tile([0, 0, 9.81], (200, 1)), np.tile([18.0, 0, 46.0], (200, 1))
    t = np.arange(200) / 100
    assert find_body_axes(LoggedMotion(t, None, up), 50.0)[:2] == ("flu", 1)
    # z down by the field's dip in the north, yet +g: gravity was written instead of specific force.
    assert find_body_axes(LoggedMotion(t, None, up, t, field), 50.0)[:2] == ("frd", -1)
    assert find_body_axes(LoggedMotion(t, None, up, t, field * [1, 1, -1]), 50.0)[:2] == ("flu", 1)
    assert find_body_axes(LoggedMotion(t, None, -up), None)[:2] == ("frd", 1)
    assert find_body_axes(LoggedMotion(t, None, np.tile([9.81, 0, 0], (200, 1))), None)[0] is None
    assert find_body_axes(LoggedMotion(t, up, None), None)[0] is None


def test_turning_shows_how_long_a_count_lasts():
    t = np.arange(0, 40, 0.01)
    q = quaternion.from_euler(0.8 * np.sin(0.9 * t), 0.5 * np.sin(1.3 * t), 0.6 * np.sin(0.7 * t))
    gyro = np.vstack([quaternion.body_rates(t, q), np.zeros(3)])
    acc = quaternion.rotate(quaternion.conjugate(q), [0, 0, -9.81])
    logged = LoggedMotion(t * 250.0, gyro, acc, None, None, t * 250.0, q)
    assert abs(seconds_per_count(logged) * 250.0 - 1) < 0.02
    assert seconds_per_count(LoggedMotion(t, gyro, acc)) is None
    still = LoggedMotion(t, gyro * 0, acc, None, None, t, np.tile([1.0, 0, 0, 0], (len(t), 1)))
    assert seconds_per_count(still) is None
    convention, note = find_reference(LoggedMotion(t, gyro, acc, None, None, t, q), "frd", 1, 0.0)
    assert (convention.earth, convention.conjugate, note) == ("ned", False, None)


# Writing


def test_streams_are_put_in_order_and_parts_joined(tmp_path):
    with ThreadPoolExecutor(1) as beside:
        problems = Problems()
        first = StreamWriter(tmp_path / "a.parquet", "imu", "f", {}, {}, problems, beside)
        t = np.array([0, 10, 30, 20, 20], dtype=np.int64) * 1_000_000
        first.add(t, {"acc_x_m_s2": np.arange(5.0)}, np.arange(5), False)
        first.close()
        assert first.disorder and {p.kind for p in problems.all()} == {"duplicate_time", "backward_time"}
        put_in_order(first.path)
        frame = pl.read_parquet(first.path)
        assert frame["t_ns"].to_list() == [0, 10_000_000, 20_000_000, 30_000_000] and frame["acc_x_m_s2"].to_list() == [
            0,
            1,
            3,
            2,
        ]
        other = StreamWriter(tmp_path / "b.parquet", "imu", "f", {}, {}, problems, beside)
        other.add(np.array([0, 20_000_000]), {"gyro_x_rad_s": np.array([0.0, 2.0])}, np.arange(2), False)
        other.close()
        join_parts([first.path, other.path], tmp_path / "imu.parquet")
    joined = pl.read_parquet(tmp_path / "imu.parquet")
    assert joined["gyro_x_rad_s"].to_list()[:3] == [0.0, 1.0, 2.0] and np.isnan(joined["gyro_x_rad_s"][3])


def test_rate_and_span_are_counted_on_the_way(tmp_path):
    with ThreadPoolExecutor(1) as beside:
        w = StreamWriter(tmp_path / "a.parquet", "imu", "f", {}, {}, Problems(), beside)
        t = np.arange(1000, dtype=np.int64) * 5_000_000
        t[500:] += 2_000_000_000
        for part in (slice(0, 300), slice(300, 1000)):
            w.add(t[part], {"acc_x_m_s2": np.ones(len(t[part]))}, np.arange(1000)[part], False)
        w.close()
    info = w.info()
    assert info.rows == 1000 and info.rate_hz == pytest.approx(200.0) and info.end_s == pytest.approx(6.995)


# Anything at all


@given(data=st.data())
@settings(deadline=None, max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_whatever_is_done_to_a_file_it_is_read_or_refused_in_a_sentence(data, tmp_path_factory, project):
    """Bytes changed, cut, doubled, inserted: never a crash, never a half-made recording."""
    content = bytearray("\n".join(lines()[:120]).encode())
    for _ in range(data.draw(st.integers(1, 6))):
        at = data.draw(st.integers(0, len(content) - 1))
        match data.draw(st.sampled_from(["byte", "cut", "double", "text", "drop"])):
            case "byte":
                content[at] = data.draw(st.integers(0, 255))
            case "cut":
                content = content[: max(at, 1)]
            case "double":
                content[at:at] = content[max(0, at - 50) : at]
            case "text":
                content[at:at] = data.draw(
                    st.sampled_from([b"\x00", b"\xff\xfe", b",,,", b"\n\n", b'"', b"nan", b"1e999", b";", b"\r", b"#"])
                )
            case "drop":
                del content[at : at + 40]
        if not content:
            content = bytearray(b"x")
    path = tmp_path_factory.mktemp("fuzz") / "log.csv"
    path.write_bytes(bytes(content))
    name = path.parent.name
    try:
        info = import_recording(ImportRequest((path,), project, name))
        assert info.streams and all(p.message and p.action for p in info.problems)
    except FususError as error:
        assert str(error) and "\n" not in str(error)
        assert not (project / "recordings" / name).exists()
    assert not list((project / "recordings").glob(".importing*"))


def test_a_folder_that_holds_one_table_stands_for_it(project, tmp_path):
    folder = tmp_path / "logs"
    folder.mkdir()
    write(folder / "imu.csv", lines())
    write(folder / "notes.txt", ["just words", "and more words"])
    info = import_recording(ImportRequest((folder,), project, "all"))
    assert set(info.streams) == {"imu"} and [p.kind for p in info.problems] == ["ignored_file"]
    with pytest.raises(LogError, match="name at least one"):
        import_recording(ImportRequest((), project, "none"))
