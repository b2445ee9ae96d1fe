"""Faulty files: each defect counted, located and told, nothing lost, and what cannot be read refused in one sentence."""

import hashlib
import os

import numpy as np
import pytest
from tests.logs.tables import HEADER, N, lines, write

from fusus.errors import LogError, ProjectError
from fusus.logs.importer import ImportRequest, import_recording
from fusus.logs.info import load_info, recordings_folder
from fusus.logs.recording import load_stream


def imported(project, path, **options):
    info = import_recording(ImportRequest((path,), project, path.stem, **options))
    return info, load_stream(project, path.stem, "imu")


def changed(row: int, column: int, text: str) -> list[str]:
    """Return the lines with one field replaced; row 0 is the header."""
    rows = lines()
    fields = rows[row].split(",")
    fields[column] = text
    rows[row] = ",".join(fields)
    return rows


CASES = {
    "text in a number": (changed(500, 2, "oops"), "text", 501, "gyro_y_rad_s", 1, N),
    "nan": (changed(10, 4, "nan"), "nan", 11, "acc_x_m_s2", 1, N),
    "infinite": (changed(20, 1, "inf"), "inf", 21, "gyro_x_rad_s", 1, N),
    "a digit that is none": (changed(20, 1, "12³4"), "text", 21, "gyro_x_rad_s", 1, N),
    "too large for a number": (changed(20, 4, "1e200"), "outlier", 21, "acc_x_m_s2", 1, N),
    "beyond any sensor": (changed(40, 4, "1e9"), "outlier", 41, "acc_x_m_s2", 1, N),
    "words between the data": ([*lines()[:300], "restarted!", *lines()[300:]], "text", 301, None, 1, N),
    "header again": ([*lines()[:300], lines()[0], *lines()[300:]], "text", 301, None, 1, N),
    "short line": ([*lines()[:300], ",".join(lines()[300].split(",")[:4]), *lines()[301:]], "short_line", 301, None, 1, N),
    "long line": ([*lines()[:300], lines()[300] + ",7,7", *lines()[301:]], "long_line", 301, None, 1, N),
    "no time": (changed(300, 0, ""), "no_time", 301, "time_s", 1, N - 1),
    "time nan": (changed(300, 0, "nan"), "no_time", 301, "time_s", 1, N - 1),
    "time infinite": (changed(300, 0, "inf"), "no_time", 301, "time_s", 1, N - 1),
    "time out of all bounds": (changed(300, 0, "1e30"), "no_time", 301, "time_s", 1, N - 1),
    "same time twice": ([*lines()[:300], *lines()[299:]], "duplicate_time", 301, "imu", 1, N),
    "two rows swapped": ([*lines()[:300], lines()[301], lines()[300], *lines()[302:]], "backward_time", 302, "imu", 1, N),
    "one wrong stamp": (changed(600, 0, "0.000001"), "backward_time", 601, "time_s", 1, N - 1),
    "one stamp far ahead": (changed(600, 0, "99999.0"), "backward_time", 601, "time_s", 1, N - 1),
    "clock restarts": ([*lines()[:600], *lines()[1:600]], "clock_restart", 601, "time_s", 1, 1198),
    "gap": ([*lines()[:400], *lines()[600:]], "gap", 401, "imu", 1, N - 200),
    "stuck": ([*lines()[:400], *(",".join([row.split(",")[0], *lines()[400].split(",")[1:]]) for row in lines()[400:600]), *lines()[600:]], "stuck", 401, "gyro_x_rad_s", 199, N),
    "zero bytes": ([*lines()[:300], "\x00" * 40, *lines()[300:]], "text", 301, None, 1, N),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_defect_is_located_and_treated(name, project, tmp_path):
    rows, kind, line, column, count, kept = CASES[name]
    info, imu = imported(project, write(tmp_path / "log.csv", rows))
    found = [p for p in info.problems if p.kind == kind and not (kind == "stuck" and p.column != column)]
    assert [(p.line, p.column, p.count, p.file) for p in found] == [(line, column, count, "log.csv")], info.problems
    assert found[0].message and found[0].action
    assert len(imu.t_ns) == kept
    assert (np.diff(imu.t_ns) > 0).all()


def test_saturation_is_seen(project, tmp_path):
    rows = lines()
    for i in range(500, 520):
        fields = rows[i].split(",")
        fields[1] = "34.906585"  # 2000 deg/s
        rows[i] = ",".join(fields)
    info, _ = imported(project, write(tmp_path / "log.csv", rows))
    assert [(p.kind, p.line, p.column, p.count) for p in info.problems if p.kind == "saturated"] == [
        ("saturated", 501, "gyro_x_rad_s", 20)
    ]


def test_infinities_of_both_signs_in_one_column(project, tmp_path):
    rows = changed(20, 1, "inf")
    rows[30] = rows[30].replace(rows[30].split(",")[1], "-inf", 1)
    info, imu = imported(project, write(tmp_path / "log.csv", rows))
    assert [(p.kind, p.line, p.count) for p in info.problems] == [("inf", 21, 2)] and len(imu.t_ns) == N


@pytest.mark.parametrize("last", [b"\xc2", b"\xe9tat"])
def test_bytes_that_stop_being_text_cost_their_field_only(project, tmp_path, last):
    """The encoding is told from the beginning of a file; later bytes may break it."""
    whole = lines()
    rows = [f"{0.005 * i:.3f},{whole[1 + i % N].split(',', 1)[1]}" for i in range(80_000)]
    broken = rows[-1].split(",")
    path = tmp_path / "log.csv"
    text = "\n".join([whole[0], *rows[:-1], broken[0] + ","]).encode()
    path.write_bytes(text + last + b"," + ",".join(broken[2:]).encode() + b"\n")
    assert len(text) > 4 << 20
    info, imu = imported(project, path)
    assert [(p.kind, p.line, p.column, p.count) for p in info.problems] == [("text", 80_001, "gyro_x_rad_s", 1)]
    assert len(imu.t_ns) == 80_000


def test_truncated_last_line_is_left_out(project, tmp_path):
    rows = lines()
    rows[-1] = rows[-1][:22]
    info, imu = imported(project, write(tmp_path / "log.csv", rows, end=False))
    assert [(p.kind, p.line) for p in info.problems] == [("truncated_line", N + 1)] and len(imu.t_ns) == N - 1


@pytest.mark.parametrize("text", ["99999999999999999999", "9000000000000000000", "nan", ""])
def test_a_whole_number_too_large_for_a_time_loses_its_row_only(project, tmp_path, text):
    rows = lines(times=[str(5000 * i) for i in range(N)], header=("time_us", *HEADER[1:]))
    rows[300] = text + rows[300][rows[300].index(",") :]
    info, imu = imported(project, write(tmp_path / "log.csv", rows))
    assert [(p.kind, p.line, p.column, p.count) for p in info.problems] == [("no_time", 301, "time_us", 1)]
    assert imu.t_ns.tolist() == [5_000_000 * i for i in range(N) if i != 299]


def test_times_may_turn_from_whole_numbers_into_fractions(project, tmp_path, monkeypatch):
    from fusus.logs import source

    monkeypatch.setattr(source, "BLOCK_BYTES", 4000)
    times = [str(5000 * i) if i < 700 else f"{5000 * i + 0.5}" for i in range(N)]
    rows = lines(times=times, header=("time_us", *HEADER[1:]))
    info, imu = imported(project, write(tmp_path / "log.csv", rows))
    assert not info.problems
    assert imu.t_ns.tolist() == [5_000_000 * i + (500 if i >= 700 else 0) for i in range(N)]


def test_a_whole_last_line_without_its_end_is_kept(project, tmp_path):
    info, imu = imported(project, write(tmp_path / "log.csv", lines(), end=False))
    assert len(imu.t_ns) == N and not info.problems


def test_every_defect_at_once_over_several_blocks(project, tmp_path, monkeypatch):
    from fusus.logs import source

    monkeypatch.setattr(source, "BLOCK_BYTES", 4000)
    rows = changed(1000, 2, "oops")
    rows[700] = rows[700].replace(rows[700].split(",")[3], "nan", 1)
    info, imu = imported(project, write(tmp_path / "log.csv", rows))
    assert {(p.kind, p.line) for p in info.problems} == {("text", 1001), ("nan", 701)}
    assert len(imu.t_ns) == N


REFUSED = {
    "empty": (b"", "empty"),
    "header only": (b"time_s,gx,gy,gz\n", "no row of numbers"),
    "prose": (b"Dear reader,\nno numbers here.\nBye.\n", "no row of numbers"),
    "binary": (bytes(range(256)) * 20, "binary"),
    "picture": (b"\x89PNG\r\n\x1a\n" + os.urandom(2000), "binary|no row|regular"),
    "unknown columns": (b"a,b,c\n" + b"1,2,3\n" * 50, "no column is one that Fusus knows.*a, b, c"),
    "comments only": (b"# one\n# two\n", "only blank or comment lines"),
    "nothing but nan": (
        b"t_s,gx,gy,gz,ax,ay,az\n" + b"".join(b"%d.0,nan,nan,nan,nan,nan,nan\n" % i for i in range(50)),
        "no row holds",
    ),
}


@pytest.mark.parametrize("name", REFUSED)
def test_what_cannot_be_read_is_refused_in_one_sentence(name, project, tmp_path):
    content, message = REFUSED[name]
    path = tmp_path / "log.csv"
    path.write_bytes(content)
    with pytest.raises(LogError, match=message) as caught:
        imported(project, path)
    assert "log.csv" in str(caught.value) and "\n" not in str(caught.value)
    assert not list(recordings_folder(project).glob("*")), "nothing half-made may stay"


def test_missing_file_and_folder_without_tables(project, tmp_path):
    with pytest.raises(LogError, match="does not exist"):
        imported(project, tmp_path / "none.csv")
    (tmp_path / "empty").mkdir()
    with pytest.raises(LogError, match="no table"):
        imported(project, tmp_path / "empty")


def test_source_is_hashed_and_names_are_taken_once(project, tmp_path):
    path = write(tmp_path / "log.csv", lines())
    info, _ = imported(project, path)
    assert (
        info.sources[0].sha256 == hashlib.sha256(path.read_bytes()).hexdigest()
        and info.sources[0].bytes == path.stat().st_size
    )
    with pytest.raises(ProjectError, match="already"):
        imported(project, path)
    assert load_info(project, "log") == info


@pytest.mark.parametrize("name", ["a/b", "", ".hidden", "x" * 200])
def test_impossible_names_are_refused(name, project, tmp_path):
    with pytest.raises(ValueError, match="without slashes"):
        import_recording(ImportRequest((write(tmp_path / "log.csv", lines()),), project, name))


def test_a_full_disk_leaves_nothing_behind(project, tmp_path, monkeypatch):
    import errno

    from fusus.logs import writer

    def full(*_args, **_kw):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(writer.pq.ParquetWriter, "write_table", full)
    with pytest.raises(ProjectError, match="disk is full"):
        imported(project, write(tmp_path / "log.csv", lines()))
    assert not list(recordings_folder(project).glob("*"))


def test_an_import_can_be_stopped(project, tmp_path):
    from fusus.errors import CancelledError

    class Stop:
        def step(self, done, total, what):
            raise CancelledError

    with pytest.raises(CancelledError):
        import_recording(ImportRequest((write(tmp_path / "log.csv", lines()),), project, "log"), Stop())
    assert not list(recordings_folder(project).glob("*"))


def test_damaged_recordings_are_told(project, tmp_path):
    imported(project, write(tmp_path / "log.csv", lines()))
    folder = recordings_folder(project) / "log"
    (folder / "imu.parquet").write_bytes(b"rubbish")
    with pytest.raises(ProjectError, match="damaged"):
        load_stream(project, "log", "imu")
    for text, message in (("{", "cannot be read"), ('{"format": 99}', "newer"), ('{"format": 1}', "name")):
        (folder / "recording.json").write_text(text)
        with pytest.raises(ProjectError, match=message):
            load_info(project, "log")
