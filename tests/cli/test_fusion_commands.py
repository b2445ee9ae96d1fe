"""Commands of Fusion from outside."""

import json
import xml.etree.ElementTree as ET

import pytest
from tests.cli.command import fusus
from tests.conftest import HOME, flown_project, short_flight


@pytest.fixture(scope="module")
def flown(tmp_path_factory, site):
    folder = tmp_path_factory.mktemp("cli") / "Heron"
    flown_project(folder, short_flight(site, seed=4, rate_hz=100.0)[1])
    return folder


def told(*arguments):
    done = fusus(*arguments, "--json")
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


def replayed(folder, estimator, *more):
    return told("replay", "--project", folder, "--recording", "hop", "--estimator", estimator, *more)


def test_replay_of_motion_by_the_contract(flown, tmp_path):
    out = tmp_path / "e.csv"
    report = replayed(flown, "navigation-ekf", "--gnss-outage", "30:8", "--out", out)
    assert report["estimator"] == "navigation-ekf" and report["errors"]["horizontal_rmse_m"] < 2.0
    assert report["outages"][0]["horizontal_error_m"] is not None and len(report["gyro_bias_rad_s"]) == 3
    header = out.read_text().splitlines()[0].split(",")
    wanted = {
        "t_s",
        "q_w",
        "sigma_yaw_deg",
        "pos_n_m",
        "vel_d_m_s",
        "acc_bias_x_m_s2",
        "sigma_pos_n_m",
        "sigma_vel_e_m_s",
        "gyro_bias_z_rad_s",
    }
    assert wanted <= set(header)
    again = told("compare", "--estimate", out, "--reference", flown / "recordings" / "hop" / "reference.parquet")
    assert again["errors"]["tilt_rmse_deg"] == pytest.approx(report["errors"]["tilt_rmse_deg"], rel=0.02)


def test_several_runs_in_one_call_and_sensors_left_out(flown):
    report = replayed(flown, "altitude", "--estimator", "navigation-ekf", "--no-gnss")
    altitude, blind = report["runs"]
    assert altitude["errors"]["height_rmse_m"] < 2.0 and "horizontal_rmse_m" not in altitude["errors"]
    assert "gnss_position" not in blind["consistency"]["nis"] and blind["errors"]["horizontal_rmse_m"] > 5.0
    refused = fusus(
        "replay",
        "--project",
        flown,
        "--recording",
        "hop",
        "--estimator",
        "altitude",
        "--estimator",
        "mahony",
        "--out",
        "x.csv",
    )
    assert refused.returncode == 2 and "one estimator" in refused.stderr
    assert fusus("replay", "--project", flown, "--recording", "hop", "--estimator", "nonsense").returncode == 2


def test_tracks_for_maps(flown, tmp_path):
    for name in ("way.geojson", "way.gpx"):
        replayed(flown, "navigation-ekf", "--out", tmp_path / name)
    line = json.loads((tmp_path / "way.geojson").read_text())["features"][0]
    lon, lat, height = line["geometry"]["coordinates"][0]
    assert abs(lat - HOME[0]) < 1e-4 and abs(lon - HOME[1]) < 1e-4 and abs(height - HOME[2]) < 10
    assert len(line["properties"]["t_s"]) == len(line["geometry"]["coordinates"])
    root = ET.parse(tmp_path / "way.gpx").getroot()
    points = root.findall(".//{http://www.topografix.com/GPX/1/1}trkpt")
    assert root.tag.endswith("gpx") and len(points) > 100 and abs(float(points[0].get("lat")) - HOME[0]) < 1e-4
    refused = fusus(
        "replay", "--project", flown, "--recording", "hop", "--estimator", "mahony", "--out", tmp_path / "m.gpx"
    )
    assert refused.returncode == 2 and "no position" in refused.stderr


def test_simulate_survey_tune_and_faults(flown):
    flights = told("simulate", "--project", flown, "--scenario", "hover", "--runs", "1", "--keep", "kept")
    assert flights["estimators"]["navigation-ekf"]["rmse"]["tilt_deg"] < 2.0 and flights["recording"] == "kept"
    assert fusus("simulate", "--project", flown, "--scenario", "nonsense").returncode == 2
    found = told("survey", "--project", flown, "--recording", "hop")
    assert found["gnss_delay_s"] == pytest.approx(0.12, abs=0.03)
    refused = fusus("tune", "--project", flown)
    assert refused.returncode == 2 and "choose an IMU" in refused.stderr
    (result,) = told(
        "faults", "--project", flown, "--recording", "hop", "--fault", "outage", "--estimator", "navigation-ekf"
    )["results"]
    assert result["fault"] == "outage" and result["noticed"]
    rows = told("ablate", "--project", flown, "--recording", "hop")["rows"]
    assert rows[0]["variant"] == "As it is"
    assert fusus("schools", "--project", flown, "--recording", "kept").returncode == 0


@pytest.fixture(scope="module")
def unmeasured(tmp_path_factory, site):
    """A flight of which nobody knows the truth."""
    folder = tmp_path_factory.mktemp("cli") / "Heron"
    streams = short_flight(site, seed=4, rate_hz=100.0)[1]
    flown_project(folder, {k: v for k, v in streams.items() if k != "reference"})
    return folder


def test_without_a_reference_the_smoother_stands_in_and_errors_stay_null(unmeasured):
    report = replayed(unmeasured, "navigation-ekf", "--gnss-outage", "40:10")
    assert report["errors"] is None and report["outages"][0]["horizontal_error_m"] is None
    against = report["against_smoother"]
    assert 0.0 < against["errors"]["tilt_rmse_deg"] < 1.0
    assert against["outages"][0]["horizontal_error_m"] > 0.02
    shown = fusus("replay", "--project", unmeasured, "--recording", "hop", "--estimator", "mahony")
    assert "no errors" in shown.stdout and "off the smoother" in shown.stdout
    blind = replayed(unmeasured, "mahony", "--no-gnss")
    assert blind["against_smoother"] is None


def test_questions_say_what_they_are_measured_against(flown, unmeasured):
    assert told("ablate", "--project", flown, "--recording", "hop")["measured_against"] == "simulation truth"
    found = told(
        "faults", "--project", unmeasured, "--recording", "hop", "--fault", "jump", "--estimator", "navigation-ekf"
    )
    assert found["measured_against"] == "the smoother" and found["results"][0]["worst"]["horizontal_m"] > 1.0
    shown = fusus("schools", "--project", unmeasured, "--recording", "hop")
    assert shown.returncode == 0 and "no truth" in shown.stdout


@pytest.mark.parametrize("text", ["120", "a:b", "-3:8", "120:0", "10:inf"])
def test_an_outage_that_is_none_is_refused(flown, text):
    done = fusus("replay", "--project", flown, "--recording", "hop", "--estimator", "mahony", "--gnss-outage", text)
    assert done.returncode == 2 and text in done.stderr and "Traceback" not in done.stderr
