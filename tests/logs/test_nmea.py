"""Receiver text: sentences as two other libraries read them, faults refused and counted, midnight, mixed rates."""

import math

import numpy as np
import pytest

from fusus.errors import LogError
from fusus.logs.importer import ImportRequest, import_recording, plan_import
from fusus.logs.nmea import is_nmea, read_nmea
from fusus.logs.problems import Problems
from fusus.logs.recording import load_stream


def with_sum(body):
    total = 0
    for c in body:
        total ^= ord(c)
    return f"${body}*{total:02X}"


def read(tmp_path, *lines):
    path = tmp_path / "track.nmea"
    path.write_text("\r\n".join(lines) + "\r\n")
    problems = Problems()
    columns, source, when = read_nmea(path, problems)
    return columns, source, when, problems.all()


# Expected values: made with pynmea2 1.19.0 and pynmeagps 1.1.8, which agree; the first sentence is a widely published example.
@pytest.mark.parametrize(
    ("sentence", "expected"),
    [
        ("$GPGGA,123519,4807.038,N,01131.000,E,1,08,0.9,545.4,M,46.9,M,,*47",
         {"lat_deg": 48.1173, "lon_deg": 11.51666667, "height_m": 545.4, "satellites": 8, "hdop": 0.9, "fix": 3, "h_acc_m": 2.5}),
        ("$GNGGA,101530.25,5230.12345,N,01324.54321,E,4,14,0.72,63.482,M,41.20,M,1.2,0042*61",
         {"lat_deg": 52.5020575, "lon_deg": 13.4090535, "height_m": 63.482, "satellites": 14, "hdop": 0.72, "h_acc_m": 0.02}),
        ("$GNRMC,101530.25,A,5230.12345,N,01324.54321,E,9.72,84.4,240626,,,D*44",
         {"lat_deg": 52.5020575, "lon_deg": 13.4090535, "speed_m_s": 5.0004, "course_deg": 84.4,
          "vel_n_m_s": 5.0004 * math.cos(math.radians(84.4)), "vel_e_m_s": 5.0004 * math.sin(math.radians(84.4))}),
    ],
)  # fmt: skip
def test_sentences_are_read_as_others_read_them(tmp_path, sentence, expected):
    columns, _, _, problems = read(tmp_path, sentence)
    assert not problems
    for name, value in expected.items():
        assert columns[name][0] == pytest.approx(value, abs=1e-7), name


def test_sentences_of_one_moment_make_one_row(tmp_path):
    columns, source, when, problems = read(
        tmp_path,
        "$GNGGA,101530.25,5230.12345,N,01324.54321,E,4,14,0.72,63.482,M,41.20,M,1.2,0042*61",
        "$GNVTG,84.4,T,,M,9.72,N,18.00,K,D*1B",
        "$GNGST,101530.25,1.8,0.92,0.61,37.5,0.81,0.75,1.6*70",
        "$GNGSA,A,3,02,05,12,13,15,24,25,29,,,,,1.31,0.72,1.09*1A",
        "$GNRMC,101530.25,A,5230.12345,N,01324.54321,E,9.72,84.4,240626,,,D*44",
        with_sum("GNGGA,101530.50,5230.12350,N,01324.54330,E,4,14,0.72,63.500,M,41.20,M,1.2,0042"),
    )
    assert len(columns["t_ns"]) == 2 and columns["t_ns"][1] == 250_000_000 and not problems
    assert columns["speed_m_s"][0] == pytest.approx(5.0), "kilometres an hour are the finer unit"
    assert columns["h_acc_m"][0] == pytest.approx(math.hypot(0.81, 0.75)) and columns["v_acc_m"][0] == 1.6
    assert when.isoformat() == "2026-06-24T10:15:30.250000+00:00" and source.bytes > 100 and len(source.sha256) == 64


@pytest.mark.parametrize(
    ("sentence", "kind"),
    [
        ("$GNGGA,101530.25,5230.12345,N,01324.54321,E,4,14,0.72,63.482,M,41.20,M,1.2,0042*00", "bad_checksum"),
        ("$GNGGA,101530.25,5230.12345,N,01324.5432", "truncated_line"),
        ("$GNGGA,101530.25,5231.12345,N,01324.54321,E,4,14,0.72,63.482,M,41.20,M,1.2,0042*61", "bad_checksum"),
        ("$GNGGA,101530.25,5230.12345,N,01324.54321,E,4,14,0.72,6a.482,M,41.20,M,1.2,0042*33", "no_number"),
        ("loose words", "text"),
    ],
)  # fmt: skip
def test_what_is_not_whole_is_refused_and_counted_with_its_line(tmp_path, sentence, kind):
    good = with_sum("GNGGA,101531.00,5230.12345,N,01324.54321,E,4,14,0.72,63.482,M,41.20,M,1.2,0042")
    columns, _, _, problems = read(tmp_path, good, sentence, sentence)
    assert len(columns["t_ns"]) == 1
    (problem,) = problems
    assert (problem.kind, problem.line, problem.count) == (kind, 2, 2)


def test_no_fix_is_no_place_and_never_zero_north_zero_east(tmp_path):
    good = with_sum("GNGGA,101532.00,5230.12345,N,01324.54321,E,1,09,0.9,63.4,M,41.20,M,,")
    columns, _, _, problems = read(
        tmp_path, "$GNGGA,101531.00,,,,,0,00,99.99,,,,,,*7F", "$GNRMC,101531.00,V,,,,,,,240626,,,N*60", good
    )
    assert not problems and np.isnan(columns["lat_deg"][0]) and columns["fix"][0] == 0 and columns["lat_deg"][1] > 52
    path = tmp_path / "none.nmea"
    path.write_text("$GNGGA,101531.00,,,,,0,00,99.99,,,,,,*7F\n")
    with pytest.raises(LogError, match="no sentence in it holds a position"):
        read_nmea(path, Problems())


def test_midnight_goes_on_and_a_time_that_goes_back_is_told(tmp_path):
    def at(clock):
        return with_sum(f"GNGGA,{clock},5230.12345,N,01324.54321,E,1,09,0.9,63.4,M,41.20,M,,")

    columns, _, when, problems = read(
        tmp_path,
        at("235959.50"),
        at("000000.00"),
        with_sum("GNRMC,000000.00,A,5230.12345,N,01324.54321,E,0.0,,250626,,,A"),
        at("000000.50"),
    )
    assert columns["t_ns"].tolist() == [0, 500_000_000, 10**9] and not problems
    assert when.isoformat().startswith("2026-06-24T23:59:59.5")
    columns, _, _, problems = read(tmp_path, at("101530.00"), at("101529.00"), at("101531.00"))
    assert columns["t_ns"].tolist() == sorted(columns["t_ns"].tolist()) and problems[0].kind == "backward_time"


def test_text_is_told_from_tables_and_imported_as_a_recording_of_its_own(project, tmp_path):
    text, table = tmp_path / "gps.txt", tmp_path / "imu.csv"
    lines = [
        with_sum(f"GNGGA,1015{s:02d}.00,5230.12345,N,01324.5{s:02d}21,E,4,14,0.72,63.4,M,41.20,M,,") for s in range(40)
    ]
    text.write_text("\n".join(lines))
    table.write_text("t,gx,gy,gz\n0,1,2,3\n0.1,1,2,3\n")
    assert is_nmea(text) and not is_nmea(table)
    request = ImportRequest((text,), project, "track", "other")
    assert plan_import(request).tables == ()
    info = import_recording(request)
    assert (
        info.streams["gnss"].rows == 40
        and info.streams["gnss"].rate_hz == pytest.approx(1.0)
        and info.sources[0].name == "gps.txt"
    )
    assert load_stream(project, "track", "gnss").has("lat_deg", "h_acc_m")
    with pytest.raises(LogError, match="clocks of their own"):
        import_recording(ImportRequest((text, table), project, "both"))
    with pytest.raises(LogError, match="recording of its own"):
        import_recording(
            ImportRequest(
                (text, text.with_name("gps2.txt").write_text(text.read_text()) and text.with_name("gps2.txt")),
                project,
                "two",
            )
        )
