"""The command line by its contract: one JSON object, exit status 0, 1 or 2, never a stack trace."""

import json

import numpy as np
import pytest
from tests.conftest import short_flight
from tests.logs.tables import lines, write
from typer.testing import CliRunner

from fusus.cli.main import app
from fusus.project import book, store
from fusus.project.commands import SetValue
from fusus.project.document import Document

RUN = CliRunner()


def call(*arguments, status=0):
    """Call a command; return what it printed, parsed where it is JSON."""
    result = RUN.invoke(app, [str(a) for a in arguments])
    assert result.exit_code == status, (result.output, result.stderr)
    assert "Traceback" not in result.output + result.stderr
    return json.loads(result.stdout) if "--json" in arguments else result.stdout


@pytest.fixture(scope="module")
def flown(tmp_path_factory, site):
    """A project with one flight that has a reference."""
    from tests.conftest import HOME

    from fusus.logs.create import create_recording
    from fusus.logs.info import RecordingInfo
    from fusus.project.records import Brief, Place, Project

    folder = tmp_path_factory.mktemp("flown") / "craft"
    store.create(
        folder, Project(name="Flown", brief=Brief(place=Place(lat_deg=HOME[0], lon_deg=HOME[1], height_m=HOME[2])))
    )
    _, streams = short_flight(site, seed=3)
    create_recording(folder, RecordingInfo(name="hop", kind="flight", reference_is="simulation truth", seed=3), streams)
    return folder


def test_new(tmp_path):
    out = call(
        "new", tmp_path / "craft", "--name", "Heron", "--lat", "51.5", "--lon", "-0.5", "--height", "12", "--json"
    )
    assert out["name"] == "Heron" and out["place"] == {"lat_deg": 51.5, "lon_deg": -0.5, "height_m": 12.0}
    assert store.load(tmp_path / "craft").brief.place.height_m == 12.0
    assert (tmp_path / "craft" / "recordings").is_dir()
    assert "error" in call("new", tmp_path / "craft", "--json", status=2)


@pytest.mark.parametrize("arguments", [("--lat", "5"), ("--height", "5"), ("--lat", "95", "--lon", "0")])
def test_new_refuses_half_a_place(arguments, tmp_path):
    assert "error" in call("new", tmp_path / "c", *arguments, "--json", status=2)
    assert not (tmp_path / "c").exists()


def test_import_and_recordings(project, tmp_path):
    path = write(tmp_path / "log.csv", lines())
    out = call("import", path, "--project", project, "--name", "shed", "--kind", "still", "--json")
    assert out["recording"] == "shed" and set(out) >= {"recording", "streams", "mapping", "problems"}
    imu = out["streams"]["imu"]
    assert (
        imu["rows"] == 1200
        and abs(imu["rate_hz"] - 200) < 0.1
        and imu["start_s"] == 0.0
        and abs(imu["end_s"] - 5.995) < 1e-6
    )
    assert out["problems"] == []
    listed = call("recordings", "--project", project, "--json")["recordings"]
    assert [(r["name"], r["kind"]) for r in listed] == [("shed", "still")]
    assert "shed" in call("recordings", "--project", project)
    mapping = tmp_path / "mapping.json"
    mapping.write_text(json.dumps(out["mapping"]))
    again = call("import", path, "--project", project, "--name", "again", "--mapping", mapping, "--json")
    assert again["streams"] == out["streams"] and (out["same_as"], again["same_as"]) == (None, "shed")
    assert [e["what"] for e in book.entries(project)] == ["recording imported"] * 2


def test_import_locates_problems(project, tmp_path):
    rows = lines()
    rows[300] = rows[300].replace(rows[300].split(",")[2], "oops", 1)
    out = call("import", write(tmp_path / "log.csv", rows), "--project", project, "--name", "a", "--json")
    (problem,) = out["problems"]
    assert set(problem) == {"file", "line", "lines", "column", "kind", "count", "action", "message"}
    assert (problem["file"], problem["line"], problem["column"], problem["kind"], problem["count"]) == (
        "log.csv",
        301,
        "gyro_y_rad_s",
        "text",
        1,
    )
    assert "line 301" in call("import", tmp_path / "log.csv", "--project", project, "--name", "b")


def test_bad_input_is_status_two_and_one_sentence(project, tmp_path):
    empty = tmp_path / "empty.csv"
    empty.write_text("")
    for arguments in (
        ("import", empty, "--project", project, "--name", "a"),
        ("import", tmp_path / "none.csv", "--project", project, "--name", "a"),
        ("import", write(tmp_path / "l.csv", lines()), "--project", tmp_path, "--name", "a"),
        ("import", tmp_path / "l.csv", "--project", project, "--name", "a", "--kind", "party"),
        ("recordings", "--project", tmp_path / "nowhere"),
        ("replay", "--project", project, "--recording", "none", "--estimator", "mahony"),
        ("verify", "--project", project),
        ("compare", "--estimate", empty, "--reference", empty),
    ):
        out = call(*arguments, "--json", status=2)
        assert set(out) == {"error"} and "\n" not in out["error"]
    assert RUN.invoke(app, ["replay"]).exit_code == 2
    assert RUN.invoke(app, ["fly"]).exit_code == 2


@pytest.mark.parametrize("estimator", ["complementary", "mahony", "madgwick", "attitude-ekf"])
def test_replay(estimator, flown, tmp_path):
    out_file = tmp_path / "estimate.parquet"
    out = call(
        "replay",
        "--project",
        flown,
        "--recording",
        "hop",
        "--estimator",
        estimator,
        "--gnss-outage",
        "20:8",
        "--out",
        out_file,
        "--json",
    )
    assert set(out) >= {
        "estimator",
        "samples",
        "elapsed_s",
        "x_real_time",
        "errors",
        "outages",
        "consistency",
        "gyro_bias_rad_s",
        "problems",
    }
    assert out["estimator"] == estimator and out["samples"] > 10_000 and out["x_real_time"] > 10
    e = out["errors"]
    assert 0 < e["tilt_rmse_deg"] < 5 and e["tilt_rmse_deg"] <= e["tilt_max_deg"] and e["heading_rmse_deg"] < 12
    assert out["outages"] == [{"start_s": 20.0, "duration_s": 8.0, "horizontal_error_m": None, "height_error_m": None}]
    assert len(out["gyro_bias_rad_s"]) == 3
    assert (out["consistency"]["nis"] is None) == (estimator != "attitude-ekf")
    import polars as pl

    frame = pl.read_parquet(out_file)
    assert frame.columns == [
        "t_s", "q_w", "q_x", "q_y", "q_z", "sigma_roll_deg", "sigma_pitch_deg", "sigma_yaw_deg",
        "gyro_bias_x_rad_s", "gyro_bias_y_rad_s", "gyro_bias_z_rad_s",
    ]  # fmt: skip
    assert frame.height == out["samples"]


def test_replay_takes_tuning_and_leaves_the_field_out(flown, tmp_path):
    tuning = tmp_path / "t.json"
    tuning.write_text('{"complementary": {"tau_acc_s": 8.0}}')
    plain = call("replay", "--project", flown, "--recording", "hop", "--estimator", "complementary", "--json")
    tuned = call(
        "replay",
        "--project",
        flown,
        "--recording",
        "hop",
        "--estimator",
        "complementary",
        "--parameters",
        tuning,
        "--json",
    )
    assert tuned["errors"]["tilt_rmse_deg"] < plain["errors"]["tilt_rmse_deg"]
    blind = call(
        "replay", "--project", flown, "--recording", "hop", "--estimator", "complementary", "--no-mag", "--json"
    )
    assert any(f["subject"] == "Nothing shows the heading" for f in blind["findings"])
    for text, status in (
        ('{"smell": 1}', 2),
        ("{", 2),
        ('{"tau_acc_s": -1}', 2),
        ("[1]", 2),
        ('{"tau_acc_s": "long"}', 2),
    ):
        tuning.write_text(text)
        call(
            "replay",
            "--project",
            flown,
            "--recording",
            "hop",
            "--estimator",
            "complementary",
            "--parameters",
            tuning,
            "--json",
            status=status,
        )
    for outage in ("x", "5", "5:-1", "-3:2"):
        call(
            "replay",
            "--project",
            flown,
            "--recording",
            "hop",
            "--estimator",
            "mahony",
            "--gnss-outage",
            outage,
            "--json",
            status=2,
        )
    call("replay", "--project", flown, "--recording", "hop", "--estimator", "magic", "--json", status=2)
    call(
        "replay",
        "--project",
        flown,
        "--recording",
        "hop",
        "--estimator",
        "mahony",
        "--out",
        tmp_path / "x.docx",
        "--json",
        status=2,
    )


def test_compare(flown, tmp_path):
    estimate = tmp_path / "e.csv"
    call("replay", "--project", flown, "--recording", "hop", "--estimator", "attitude-ekf", "--out", estimate)
    reference = flown / "recordings" / "hop" / "reference.parquet"
    out = call("compare", "--estimate", estimate, "--reference", reference, "--json")
    replayed = call("replay", "--project", flown, "--recording", "hop", "--estimator", "attitude-ekf", "--json")
    assert abs(out["errors"]["tilt_rmse_deg"] - replayed["errors"]["tilt_rmse_deg"]) < 1e-3
    assert (
        out["intervals"]["tilt_rmse_deg"][0] <= out["errors"]["tilt_rmse_deg"] <= out["intervals"]["tilt_rmse_deg"][1]
    )
    assert call("compare", "--estimate", estimate, "--reference", estimate, "--json")["errors"]["tilt_max_deg"] < 1e-4


def test_compare_aligns_time_and_heading(flown, tmp_path):
    import polars as pl

    from fusus.core.analysis.attitude_error import turn_heading

    frame = pl.read_parquet(flown / "recordings" / "hop" / "reference.parquet")
    q = frame.select("q_w", "q_x", "q_y", "q_z").to_numpy()
    t = frame["t_ns"].to_numpy() * 1e-9
    a, b = tmp_path / "a.parquet", tmp_path / "b.csv"
    pl.DataFrame({"t_s": t, **{f"q_{k}": q[:, i] for i, k in enumerate("wxyz")}}).write_parquet(a)
    turned = turn_heading(q, np.radians(24.0))
    pl.DataFrame({"t_s": t + 0.4, **{f"q_{k}": turned[:, i] for i, k in enumerate("wxyz")}}).write_csv(b)
    raw = call("compare", "--estimate", a, "--reference", b, "--json")
    assert raw["errors"]["tilt_rmse_deg"] > 0.5 and abs(raw["heading_offset_deg"] + 24) < 3
    both = call("compare", "--estimate", a, "--reference", b, "--align-time", "--align-yaw", "--json")
    assert abs(both["alignment"]["offset_s"] - 0.4) < 0.01 and both["errors"]["tilt_rmse_deg"] < 0.3
    assert both["errors"]["heading_rmse_deg"] < 0.3 and abs(both["heading_offset_deg"] + 24) < 0.3


def test_verify_passes_and_fails_by_the_limits(flown):
    out = call("verify", "--project", flown, "--json", status=1)
    told = {f["requirement"] for f in out["failed"]}
    assert told == {"Height", "Position"}, (
        "a new project's estimator answers for place and height, which nothing measured here"
    )
    document = Document.open(flown)
    document.do(SetValue("fusion.estimators", ("attitude-ekf", "complementary"), "Judge an attitude"))
    document.close()
    out = call("verify", "--project", flown, "--json", status=1)
    assert not out["passed"] and not out["failed"], "what was not looked at has not passed"
    assert out["requirements"] > len(out["not_measured"]) > 0 and set(out["reasons"]) == set(out["not_measured"])
    said = call("verify", "--project", flown, status=1)
    count = out["requirements"] - len(out["not_measured"])
    assert (
        f"{count} of {out['requirements']} requirements were measured, and met: nothing is known of the others" in said
    )
    out = call("verify", "--project", flown, "--allow-unmeasured", "--json")
    assert out["passed"] and out["recordings"][0]["recording"] == "hop"
    tilt = next(v for v in out["recordings"][0]["verdicts"] if v["requirement"] == "tilt")
    assert tilt["verdict"] in ("pass", "close") and tilt["unit"] == "deg" and tilt["limit"] == pytest.approx(2.0)
    assert "Height" in out["not_measured"]
    document = Document.open(flown)
    document.do(SetValue("brief.requirements.0.limit", 1e-4, "Tighten"))
    try:
        failed = call("verify", "--project", flown, "--recording", "hop", "--json", status=1)
        assert failed["failed"] == [{"recording": "hop", "requirement": "Tilt"}]
        assert "fail" in call("verify", "--project", flown, status=1)
    finally:
        document.undo()
        document.close()
    assert call("verify", "--project", flown, "--allow-unmeasured", "--json")["passed"]


def test_help_names_every_command():
    out = RUN.invoke(app, ["--help"]).stdout
    for name in ("new", "import", "recordings", "replay", "compare", "verify", "demo"):
        assert name in out


def test_a_defect_is_told_without_a_trace(project, monkeypatch):
    from fusus.project import store as target

    def broken(_folder):
        raise RuntimeError("boom")

    monkeypatch.setattr(target, "load", broken)
    out = call("recordings", "--project", project, "--json", status=2)
    assert "defect" in out["error"] and "boom" not in out["error"]
