"""Logs as others write them: each fault that was found in the wild gives the right streams, a question, or a refusal with its place."""

import json

import numpy as np
import pytest
from tests.logs.tables import HEADER, N, lines, truth, write

from fusus.errors import LogError, MappingError, OpenQuestionsError
from fusus.logs.answering import answered, takes_number
from fusus.logs.conclusions import Question
from fusus.logs.importer import ImportRequest, import_recording, plan_import
from fusus.logs.mapping import Mapping
from fusus.logs.recording import load_stream

BARE = ("gx", "gy", "gz", "ax", "ay", "az")


def imported(project, path, **options):
    info = import_recording(ImportRequest((path,), project, path.stem, **options))
    return info, load_stream(project, path.stem, "imu")


def asked(project, path, **options):
    """Return the questions of an import that is refused."""
    with pytest.raises(OpenQuestionsError) as caught:
        import_recording(ImportRequest((path,), project, path.stem, **options))
    assert path.name in str(caught.value) and "--mapping" in str(caught.value)
    return [Question.model_validate(q) for q in caught.value.details["questions"]]


def times(kind, start=0.0):
    t = truth()[0] + start
    return ["%d" % round(v * {"us": 1e6, "ms": 1e3, "ns": 1e9}[kind]) for v in t]


def assert_whole(imu, atol=2e-5):
    t, gyro, acc = truth()
    assert len(imu.t_ns) == N and np.allclose(imu.t_s - imu.t_s[0], t, atol=2e-6)
    assert np.allclose(imu.vector("gyro", "rad_s"), gyro, atol=atol) and np.allclose(
        imu.vector("acc", "m_s2"), acc, atol=20 * atol
    )


# Numbers, fields, line ends


def test_exponents_are_numbers(project, tmp_path):
    """As NumPy's savetxt writes them, mostly with two dashes."""
    t, gyro, acc = truth()
    path = tmp_path / "log.csv"
    np.savetxt(path, np.column_stack([t, -np.abs(gyro), acc]), delimiter=",", header=",".join(HEADER), comments="")
    info, imu = imported(project, path)
    assert np.allclose(imu.vector("gyro", "rad_s"), -np.abs(gyro), rtol=1e-15, atol=0) and not info.problems


ENDS = {
    "mixed": lambda rows: "".join(r + ("\r\n", "\n", "\r")[i % 3] for i, r in enumerate(rows)),
    "bare returns later": lambda rows: "\n".join(rows[:600]) + "\n" + "\r".join(rows[600:]) + "\r",
    "two returns and a feed": lambda rows: "\r\r\n".join(rows) + "\r\r\n",
    "padded with blanks and tabs": lambda rows: (
        "\n".join(", ".join(f"{f:>11}\t" for f in r.split(",")) for r in rows) + "\n"
    ),
    "a tab before each line": lambda rows: "\n".join("\t" + " ,\t".join(r.split(",")) for r in rows) + "\n",
}


@pytest.mark.parametrize("name", ENDS)
def test_line_ends_and_padding(name, project, tmp_path):
    path = tmp_path / "log.csv"
    path.write_bytes(ENDS[name](lines()).encode())
    info, imu = imported(project, path)
    assert_whole(imu)
    assert not info.problems, info.problems


# Time


@pytest.mark.parametrize("name", ["us", "time", "t", "timestamp"])
def test_microseconds_after_ten_minutes_are_no_seconds(name, project, tmp_path):
    path = write(tmp_path / "log.csv", lines(times=times("us", 620.0), header=(name, *HEADER[1:])))
    info, imu = imported(project, path)
    assert_whole(imu)
    assert info.streams["imu"].rate_hz == pytest.approx(200.0) and info.streams["imu"].start_s == pytest.approx(620.0)


def test_a_name_that_its_steps_deny_is_asked(project, tmp_path):
    (question,) = asked(project, write(tmp_path / "log.csv", lines(times=times("ms"), header=("micros", *HEADER[1:]))))
    assert {c.value for c in question.candidates} == {"us", "ms", "counter"} and json.loads(question.mapping)["files"][
        0
    ]["time"]["unit"] == "ms"
    mapping = Mapping.model_validate(json.loads(question.mapping))
    _, imu = imported(project, tmp_path / "log.csv", mapping=mapping)
    assert_whole(imu)


@pytest.mark.parametrize(("name", "text"), [("t", "7"), ("packet", None), ("time", "n")])
def test_what_is_no_time_is_asked(name, text, project, tmp_path):
    """A time that stands, a counter of packets, and a time that goes up by one from row to row."""
    written = [str(i) if text in (None, "n") else text for i in range(N)]
    path = write(tmp_path / "log.csv", lines(times=written, header=(name, *HEADER[1:])))
    (question,) = asked(project, path)
    answers = Mapping.model_validate({"files": [{"time": {"unit": "counter", "rate_hz": 200.0}}]})
    _, imu = imported(project, path, mapping=answers)
    assert_whole(imu)
    assert "rate_hz" in question.mapping or text == "n"


def test_a_file_without_a_time_is_asked_for_its_rate(project, tmp_path):
    rows = [r.split(",", 1)[1] for r in lines()]
    (question,) = asked(project, write(tmp_path / "log.csv", rows))
    assert takes_number(question)
    plan = plan_import(ImportRequest((tmp_path / "log.csv",), project, "log"))
    _, imu = imported(project, tmp_path / "log.csv", mapping=answered(plan.mapping, question, "200"))
    assert_whole(imu)
    for wrong in ("fast", "-3", "0"):
        with pytest.raises(MappingError):
            answered(plan.mapping, question, wrong)


# Names


def test_short_names_are_one_sensor(project, tmp_path):
    t, gyro, acc = truth()
    header = ("time_us", "GyX", "GyY", "GyZ", "AcX", "AcY", "AcZ", "Tmp")
    rows = lines(t, np.degrees(gyro), acc / 9.80665, times=times("us"), header=header)
    info, imu = imported(project, write(tmp_path / "log.csv", [rows[0], *(r + ",25.5" for r in rows[1:])]))
    assert set(info.streams) == {"imu"} and imu.has("temperature_degc")
    assert_whole(imu)


@pytest.mark.parametrize("names", ["velN,velE,velD", "vel_n_m_s,vel_e_m_s,vel_d_m_s"])
def test_a_velocity_beside_a_place_is_the_receivers(names, project, tmp_path):
    rows = [
        f"t_s,lat,lon,alt,{names}",
        *(f"{i / 5},{49 + i * 1e-6:.7f},{8.4:.7f},115.2,0.5,-0.25,0.1" for i in range(50)),
    ]
    info = import_recording(ImportRequest((write(tmp_path / "log.csv", rows),), project, "log"))
    assert set(info.streams) == {"gnss"}
    assert load_stream(project, "log", "gnss").matrix("vel_n_m_s", "vel_e_m_s")[3].tolist() == [0.5, -0.25]


@pytest.mark.parametrize(("name", "factor"), [("P_hPa", 1.0), ("pres", 1.0), ("druck", 1.0)])
def test_a_pressure_by_name_or_by_hand_is_no_hundredth(name, factor, project, tmp_path):
    rows = lines()
    path = write(
        tmp_path / "log.csv",
        [rows[0] + f",{name}", *(r + f",{952.3 + i % 7 * 0.01:.2f}" for i, r in enumerate(rows[1:]))],
    )
    mapping = Mapping.model_validate({"files": [{"columns": [{"source": name, "target": "baro.pressure_pa"}]}]})
    imported(project, path, **({"mapping": mapping} if name == "druck" else {}))
    assert load_stream(project, "log", "baro").frame["pressure_pa"].mean() == pytest.approx(95_233.0 * factor, rel=1e-4)


def test_names_of_another_language_bring_the_mapping_to_fill_in(project, tmp_path):
    header = ("zeit", "dreh_x", "dreh_y", "dreh_z", "beschl_x", "beschl_y", "beschl_z")
    path = write(tmp_path / "log.csv", lines(sep=";", decimal=",", header=header))
    (question,) = asked(project, path)
    filled = json.loads(question.mapping)
    assert [c["source"] for c in filled["files"][0]["columns"]] == list(header)
    for column, target in zip(filled["files"][0]["columns"][1:], HEADER[1:], strict=True):
        column |= {"target": f"imu.{target}", "unit": "rad/s" if "gyro" in target else "m/s²"}
    _, imu = imported(project, path, mapping=Mapping.model_validate(filled))
    assert_whole(imu)


def test_a_mapping_that_fits_nothing_is_refused(project, tmp_path):
    path = write(tmp_path / "log.csv", lines())
    for said, word in (
        ({"units": {"mag": "G"}}, "mag"),
        ({"ranges": {"mag": {"full_scale": 8, "unit": "G"}}}, "mag"),
        ({"files": [{"file": "other.csv", "time": {"unit": "ms"}}]}, "other.csv"),
        ({"units": {"gyro": "parsec"}}, "parsec"),
    ):
        with pytest.raises(MappingError, match=word):
            imported(project, path, mapping=Mapping.model_validate(said))


# Half sensors, impossible values


@pytest.mark.parametrize(
    ("header", "place"),
    [
        (HEADER[:6], "acc_z"),
        ((*HEADER[:2], HEADER[1], *HEADER[3:]), "two columns"),
        (HEADER[:4] + HEADER[5:6], "acc_x"),
    ],
)
def test_half_a_sensor_is_refused_with_what_is_missing(header, place, project, tmp_path):
    rows = [",".join(r.split(",")[: len(header)]) for r in lines()[1:]]
    with pytest.raises(LogError, match=place):
        imported(project, write(tmp_path / "log.csv", [",".join(header), *rows]))


def fixes(changes):
    rows = [f"{i / 5:.1f},{49 + i * 1e-6:.7f},{8.4 + i * 1e-6:.7f},{115 + i * 0.1:.1f}" for i in range(60)]
    for i, row in changes.items():
        rows[i] = row
    return ["t_s,lat_deg,lon_deg,height_m", *rows]


@pytest.mark.parametrize(
    ("row", "column", "kept"),
    [("2.0,49.00001,,116", "lon_deg", 59), ("2.0,,8.4,116", "lat_deg", 59), ("2.0,49.00001,-181,116", "lon_deg", 59), ("2.0,0,0,0", "lat_deg", 59),
     ("2.0,49.00001,8.40001,-99999", "height_m", 60), ("2.0,91.5,8.4,116", "lon_deg", 59)],
)  # fmt: skip
def test_impossible_places_are_emptied_and_named(row, column, kept, project, tmp_path):
    info = import_recording(ImportRequest((write(tmp_path / "log.csv", fixes({10: row})),), project, "log"))
    (problem,) = [p for p in info.problems if p.kind == "impossible"]
    assert (problem.line, problem.column, problem.count) == (12, column, 1) and info.streams["gnss"].rows == kept
    frame = load_stream(project, "log", "gnss").frame
    assert (
        frame["lat_deg"].drop_nans().min() > 48
        and frame["lon_deg"].drop_nans().min() > 8
        and frame["height_m"].drop_nans().min() > 100
    )


def test_the_first_three_places_of_a_defect_are_told(project, tmp_path):
    info = import_recording(
        ImportRequest(
            (write(tmp_path / "log.csv", fixes(dict.fromkeys((7, 19, 30, 44), "9.0,0,0,0"))),), project, "log"
        )
    )
    (problem,) = [p for p in info.problems if p.kind == "impossible"]
    assert (problem.count, problem.line, problem.lines) == (4, 9, (9, 21, 32))
    assert "4 times, also in line 21 and 32" in problem.sentence()


def test_a_stretch_of_zeros_is_no_reading(project, tmp_path):
    rows = [",".join([r.split(",")[0], *["0"] * 6]) if 301 <= i < 401 else r for i, r in enumerate(lines())]
    info, imu = imported(project, write(tmp_path / "log.csv", rows))
    assert len(imu.t_ns) == N - 100
    assert [(p.count, p.lines) for p in info.problems if p.kind == "impossible"] == [(100, (302, 303, 304))]


@pytest.mark.parametrize(
    ("size", "word", "rows"), [(2.0, "its length is 2", N), (0.5, "its length is 0.5", N), (0.0, "are no attitude", 0)]
)
def test_four_numbers_that_are_no_attitude(size, word, rows, project, tmp_path):
    angle = 0.4 * np.sin(truth()[0])
    q = size * np.stack([np.cos(angle / 2), np.sin(angle / 2), 0 * angle, 0 * angle], axis=1)
    table = lines()
    text = [table[0] + ",q_w,q_x,q_y,q_z", *(r + "".join(",%.6f" % v for v in q[i]) for i, r in enumerate(table[1:]))]
    info, _ = imported(project, write(tmp_path / "log.csv", text))
    assert any(word in p.message for p in info.problems if p.kind == "impossible")
    assert info.streams["reference"].rows == rows if rows else "reference" not in info.streams


# Stated units that cannot be


@pytest.mark.parametrize(
    ("header", "scale", "candidate"),
    [
        (("acc_{} (g)", 4), 1.0, "m/s²"),
        (("acc_{} (m/s^2)", 4), 1 / 9.80665, "g"),
        (("acc_{} (m/s^2)", 4), 0.02, "m/s²"),
    ],
)
def test_a_stated_unit_of_another_size_is_asked(header, scale, candidate, project, tmp_path):
    t, gyro, acc = truth()
    name, at = header
    names = [*HEADER[:at], *(name.format(a) for a in "xyz")]
    (question,) = asked(project, write(tmp_path / "log.csv", lines(t, gyro, acc * scale, header=tuple(names))))
    assert candidate in {c.value for c in question.candidates} and question.column == names[4]


def test_an_answer_is_a_mapping_and_settles_its_question(project, tmp_path):
    t, gyro, acc = truth(rocking=False)
    path = write(tmp_path / "log.csv", lines(t, gyro, acc, header=("t_s", *BARE)))
    (question,) = asked(project, path)
    assert question.column == "gx" and "the motion does not show" in question.asks
    plan = plan_import(ImportRequest((path,), project, "log"))
    info, imu = imported(project, path, mapping=answered(plan.mapping, question, "deg/s"))
    assert np.allclose(imu.vector("gyro", "rad_s"), np.radians(gyro), atol=1e-6) and info.mapping.units == {
        "gyro": "deg/s"
    }
    with pytest.raises(MappingError, match="no unit"):
        answered(plan.mapping, question, "furlong")


def test_too_many_columns_are_refused_at_once(project, tmp_path):
    path = tmp_path / "wide.csv"
    path.write_text(",".join(f"c{i}" for i in range(100_000)) + "\n" + (",".join(["1"] * 100_000) + "\n") * 20)
    with pytest.raises(LogError, match="4000 columns"):
        imported(project, path)


# Place, height and speed


def moving(factor=1.0, name="gps_speed", pressure="952.3", height=500.0):
    """Return a receiver's table that goes 8 m/s to the north-east, with a speed of another factor."""
    rows = [f"t_s,lat,lon,alt,{name},pressure_hpa"]
    for i in range(120):
        lat, lon = (
            49 + np.degrees(8 * i / 5 / 2**0.5 / 6.371e6),
            8.43 + np.degrees(8 * i / 5 / 2**0.5 / 6.371e6 / np.cos(np.radians(49))),
        )
        rows.append(f"{i / 5},{lat:.8f},{lon:.8f},{height + i % 3},{8 * factor:.3f},{pressure}")
    return rows


@pytest.mark.parametrize(("factor", "unit"), [(1.0, "m/s"), (3.6, "km/h"), (1.943844, "kn"), (100.0, "cm/s")])
def test_a_speed_without_a_unit_fits_the_steps_of_the_fixes(factor, unit, project, tmp_path):
    info = import_recording(ImportRequest((write(tmp_path / "log.csv", moving(factor)),), project, "log"))
    assert load_stream(project, "log", "gnss").matrix("speed_m_s")[5, 0] == pytest.approx(8.0, rel=1e-3)
    assert [(c.conclusion, c.certainty) for c in info.conclusions if c.column == "gps_speed"][-1] == (unit, "shown")


def test_what_disagrees_with_the_projects_place_is_named(project, tmp_path):
    from fusus.project.records import Place

    here = Place(lat_deg=49.0, lon_deg=8.43, height_m=520.0)
    request = ImportRequest((write(tmp_path / "log.csv", moving()),), project, "log", place=here)
    assert not [p for p in plan_import(request).problems if p.kind == "impossible"]
    for place, word in (
        (Place(lat_deg=49.0, lon_deg=18.0, height_m=520.0), "km from the project"),
        (Place(lat_deg=49.0, lon_deg=8.43, height_m=2600.0), "height of 52"),
    ):
        found = plan_import(ImportRequest((tmp_path / "log.csv",), project, "x", place=place)).problems
        assert any(word in p.message for p in found if p.kind == "impossible"), found


# What changes on the way, and what never does


def test_a_unit_that_changes_from_a_line_on_is_named(project, tmp_path):
    """From row 2400 on the acceleration is in g."""
    t = np.arange(4000) / 200.0
    acc = np.tile([0.1, 0.2, -9.8], (4000, 1)) + np.random.default_rng(1).normal(0, 0.05, (4000, 3))
    acc[2400:] /= 9.80665
    rows = [
        ",".join(HEADER),
        *(
            ",".join("%.6f" % v for v in (x, 0.01 * i % 1, 0, 0.1, *a))
            for i, (x, a) in enumerate(zip(t, acc, strict=True))
        ),
    ]
    info, _ = imported(project, write(tmp_path / "log.csv", rows))
    (problem,) = [p for p in info.problems if p.kind == "units_change"]
    assert (
        problem.column == "acc_x_m_s2" and 2402 - 400 <= problem.line <= 2402 + 400 and "0.102 times" in problem.message
    )


@pytest.mark.parametrize("column", [2, 5])
def test_an_axis_that_never_changes_is_named(column, project, tmp_path):
    rows = [
        r if i == 0 else ",".join("0.125" if k == column else f for k, f in enumerate(r.split(",")))
        for i, r in enumerate(lines())
    ]
    info, _ = imported(project, write(tmp_path / "log.csv", rows))
    assert [(p.column, p.kind) for p in info.problems if p.kind == "dead"] == [(HEADER[column], "dead")]


def test_rates_that_no_unit_makes_possible_are_refused_with_their_column(project, tmp_path):
    t, gyro, acc = truth()
    path = write(tmp_path / "log.csv", lines(t, gyro * 1e12, acc, header=("time_s", *BARE)))
    with pytest.raises(
        LogError, match=r"log\.csv, column “gx”: its name tells no unit, and in every one it would be faster"
    ):
        import_recording(ImportRequest((path,), project, "log"))


NAMES_IN_USE = {
    "letters with units": "#timestamp [ns],w_RS_S_x [rad s^-1],w_RS_S_y [rad s^-1],w_RS_S_z [rad s^-1],a_RS_S_x [m s^-2],a_RS_S_y [m s^-2],a_RS_S_z [m s^-2]",
    "nested": "%time [ns],field.angular_velocity.x,field.angular_velocity.y,field.angular_velocity.z,field.linear_acceleration.x,"
    "field.linear_acceleration.y,field.linear_acceleration.z",
    "units joined": "t_ns,gyro_x_radps,gyro_y_radps,gyro_z_radps,accel_x_mps2,accel_y_mps2,accel_z_mps2",
}  # fmt: skip


@pytest.mark.parametrize("name", NAMES_IN_USE)
def test_names_that_loggers_use(name, project, tmp_path):
    rows = lines(times=[str(1_700_000_000_000_000_000 + int(x)) for x in times("ns")], header=None)
    info, imu = imported(project, write(tmp_path / "log.csv", [NAMES_IN_USE[name], *rows]))
    assert_whole(imu)
    assert set(info.streams) == {"imu"}
