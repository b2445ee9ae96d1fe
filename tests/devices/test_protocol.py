"""The line protocol: there and back, what a wire does to it, and C that speaks it."""

import itertools
import shutil
import subprocess

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fusus.devices.protocol import Decoder
from fusus.errors import RecordingError
from fusus.logs.lines import checksum, encode, encode_header
from fusus.logs.snippet import USUAL, c_snippet

IMU = list(USUAL["imu"])


def lines(count=50, step_us=5000, start_us=0):
    out = [encode_header("imu", IMU)]
    for i in range(count):
        out.append(encode("imu", start_us + i * step_us, [f"{0.1 * k + 0.001 * i:.7g}" for k in range(7)]))
    return out


def test_the_checksum_is_the_one_of_nmea():
    """NMEA 0183's worked example, common in its handbooks: the exclusive or between $ and *."""
    assert checksum(b"GPGGA,123519,4807.038,N,01131.000,E,1,08,0.9,545.4,M,46.9,M,,") == 0x47


@given(cuts=st.lists(st.integers(0, 2000), max_size=12))
@settings(deadline=None, max_examples=40)
def test_pieces_of_any_size_give_the_same_rows(cuts):
    data = b"".join(lines(20))
    whole, parts = Decoder(), Decoder()
    whole.feed(data)
    edges = sorted({0, len(data), *(min(c, len(data)) for c in cuts)})
    for a, b in itertools.pairwise(edges):
        parts.feed(data[a:b])
    t, columns = parts.take("imu")
    assert len(t) == 20
    assert np.array_equal(columns["gyro_y_rad_s"], whole.take("imu")[1]["gyro_y_rad_s"])


def test_units_of_the_header_are_made_si():
    d = Decoder()
    body = "#imu,gyro_x_rad_s[deg/s],acc_x_m_s2[g],temperature_degc[°C]".encode()
    d.feed(body + b"*%02X\n" % checksum(body))
    d.feed(encode("imu", 1000, ["90", "-1", "21.5"]))
    t, c = d.take("imu")
    assert t[0] == 1_000_000
    assert c["gyro_x_rad_s"][0] == pytest.approx(np.pi / 2)
    assert c["acc_x_m_s2"][0] == pytest.approx(-9.80665)
    assert c["temperature_degc"][0] == 21.5


def test_every_spoilt_line_is_counted_by_its_reason():
    d = Decoder()
    good = lines(3)
    d.feed(b"".join(good))
    broken = bytearray(good[1])
    broken[8] ^= 1
    for bad in (
        bytes(broken),
        b"hello\n",
        b"imu,1,2*zz\n",
        encode("imu", 5, ["1"]),
        encode("imu", 6, ["x"] * 7),
        b"\n",
    ):
        d.feed(bad)
    d.feed(encode("mag", 1, ["1", "2", "3"]))
    assert d.counts["good"] == 3
    assert (d.counts["bad checksum"], d.counts["garbled"], d.counts["wrong length"], d.counts["no number"]) == (
        1,
        2,
        1,
        1,
    )
    assert d.counts["before header"] == 1
    d.feed(b"\xff\x00" * 3000)
    assert d.counts["garbled"] == 3


def test_32_bit_wrap_goes_on_and_a_jump_is_taken_out():
    d = Decoder()
    top = (1 << 32) - 10_000
    d.feed(b"".join(lines(2, 5000, top)), 0.0)
    d.feed(encode("imu", 0, ["0"] * 7), 0.01)
    d.feed(encode("imu", 5000, ["0"] * 7), 0.02)
    assert np.diff(d.take("imu")[0]).tolist() == [5_000_000] * 3
    d.feed(encode("imu", 40_005_000, ["0"] * 7), 0.03)
    d.feed(encode("imu", 40_010_000, ["0"] * 7), 0.04)
    t, _ = d.take("imu")
    assert len(d.clock_jumps) == 1
    assert d.clock_jumps[0][1] == pytest.approx(40.0)
    assert (np.diff(t) <= 5_000_000).all()


def test_a_silent_link_is_a_gap_and_no_jump():
    d = Decoder()
    d.feed(b"".join(lines(3)), 0.0)
    d.feed(encode("imu", 5_010_000, ["0"] * 7), 5.0)
    assert d.clock_jumps == []
    assert np.diff(d.take("imu")[0]).max() == 5_000_000_000


def test_lines_before_their_header_are_kept_for_it():
    d = Decoder()
    header, *samples = lines(10)
    d.feed(b"".join(samples[:4]))
    assert d.counts["before header"] == 4
    d.feed(header + b"".join(samples[4:]))
    assert d.rows("imu") == 10
    assert d.counts["before header"] == 0


def test_missing_values_and_unknown_columns():
    d = Decoder()
    body = b"#mag,mag_x_ut[uT],future[?],mag_y_ut[uT]"
    d.feed(body + b"*%02X\n" % checksum(body))
    d.feed(encode("mag", 1, ["12", "7", ""]))
    _, c = d.take("mag")
    assert set(c) == {"mag_x_ut", "mag_y_ut"}
    assert np.isnan(c["mag_y_ut"][0])
    assert d.unknown["mag.future"] == 1


@pytest.mark.skipif(shutil.which("gcc") is None, reason="no C compiler")
def test_the_snippet_compiles_and_speaks_the_protocol(tmp_path):
    (tmp_path / "lines.c").write_text(c_snippet(("imu", "gnss")), encoding="utf-8")
    (tmp_path / "main.c").write_text(
        "#include <stdint.h>\n#include <stdio.h>\nvoid send_line(const char *t);\nvoid send_line(const char *t) { fputs(t, stdout); }\n"
        "void print_headers(void);\n"
        "void print_imu(uint32_t, double, double, double, double, double, double, double);\n"
        "void print_gnss(uint32_t, double, double, double, double, double, double, double, double);\n"
        "int main(void) { print_headers(); print_imu(4000000000u, 0.1, -0.2, 0.3, 0.0, 0.0, -9.81, 25.0);\n"
        "print_gnss(7u, 53.0212345, -0.6112345, 3.5, 0.0, 0.1, 0.2, 1.5, 12.0); return 0; }\n",
        encoding="utf-8",
    )
    flags = ["-std=c99", "-Wall", "-Wextra", "-Werror", "-Wconversion", "-O2"]
    # The functions have no prototypes of their own: the maker pastes them into a file.
    subprocess.run(["gcc", *flags, "lines.c", "main.c", "-o", "board"], cwd=tmp_path, check=True)
    d = Decoder()
    d.feed(subprocess.run([tmp_path / "board"], capture_output=True, check=True).stdout)
    assert d.counts["good"] == 2
    assert d.take("imu")[1]["acc_z_m_s2"][0] == pytest.approx(-9.81)
    assert d.take("gnss")[1]["lat_deg"][0] == pytest.approx(53.0212345, abs=1e-7)
    with pytest.raises(RecordingError, match="no such stream"):
        c_snippet(("radar",))


def test_another_header_begins_a_new_piece_and_loses_nothing():
    """First in rad/s, then in deg/s with a temperature, then again as before."""
    d = Decoder()
    for columns, count, values in (("gyro_x_rad_s[rad/s]", 3, ["0.5"]), ("gyro_x_rad_s[deg/s],temperature_degc[°C]", 2, ["90", "21"]),
                                   ("gyro_x_rad_s[rad/s]", 4, ["-0.25"])):  # fmt: skip
        body = f"#imu,{columns}".encode()
        d.feed(body + b"*%02X\n" % checksum(body))
        start = d.rows("imu")
        for i in range(count):
            d.feed(encode("imu", 1000 * (start + i + 1), values))
    t, c = d.take("imu")
    assert d.rows("imu") == 9 and np.array_equal(t, 1_000_000 * np.arange(1, 10)) and d.counts["changed header"] == 2
    assert np.allclose(c["gyro_x_rad_s"], [0.5] * 3 + [np.pi / 2] * 2 + [-0.25] * 4)
    assert np.isnan(c["temperature_degc"][:3]).all() and c["temperature_degc"][3] == 21.0
    for first in range(9):
        assert np.array_equal(d.take("imu", first)[0], t[first:])


def test_impossible_values_are_counted_and_kept_out():
    d = Decoder()
    body = b"#imu,gyro_x_rad_s[deg/s],acc_x_m_s2[g]"
    d.feed(body + b"*%02X\n" % checksum(body))
    for values in (["inf", "1"], ["-inf", "nan"], ["10", "1e300"], ["6000", "-60"], ["5000", "50"]):
        d.feed(encode("imu", 1000 * (d.rows("imu") + 1), values))
    _, c = d.take("imu")
    assert d.counts["impossible"] == 5 and d.counts["good"] == 5
    assert np.isfinite(c["gyro_x_rad_s"]).tolist() == [False, False, True, False, True]
    assert np.isfinite(c["acc_x_m_s2"]).tolist() == [True, False, False, False, True]


def test_a_unit_that_is_not_known_is_not_taken_for_another():
    d = Decoder()
    body = b"#imu,gyro_x_rad_s[furlong],acc_x_m_s2[m/s^2]"
    d.feed(body + b"*%02X\n" % checksum(body))
    d.feed(encode("imu", 1000, ["1", "2"]))
    assert set(d.take("imu")[1]) == {"acc_x_m_s2"} and d.unknown == {"imu.gyro_x_rad_s in furlong": 1}
