"""What scripts read."""

import json

import numpy as np
import pytest
from tests.conftest import short_flight

from fusus.core.analysis.comparison import Track, compare
from fusus.core.frames import quaternion
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo
from fusus.project import store
from fusus.study.fusion import summary
from fusus.study.fusion.run import request_for, run


@pytest.fixture(scope="module")
def study(tmp_path_factory, site):
    """A study of a short flight with all estimators."""
    from fusus.project.records import Fusion, Project

    folder = tmp_path_factory.mktemp("s") / "craft"
    project = Project(name="S", fusion=Fusion(estimators=("attitude-ekf", "mahony")))
    store.create(folder, project)
    _, streams = short_flight(site, seed=9, rate_hz=100.0)
    create_recording(folder, RecordingInfo(name="hop", kind="flight"), streams)
    return run(request_for(folder, project, "hop"))


def test_figures_are_plain_and_finite():
    out = summary.plain({"a": np.float64(1 / 3), "b": [np.nan, np.int64(3)], "c": np.array([1.0, np.inf]), "d": None})
    assert out == {"a": 0.333333333, "b": [None, 3], "c": [1.0, None], "d": None}
    json.dumps(out, allow_nan=False)


def test_the_report_is_json_and_holds_the_contract(study):
    report = summary.replay_report(study)
    text = json.dumps(report, allow_nan=False)
    assert json.loads(text) == report
    assert {"tilt_rmse_deg", "tilt_p95_deg", "tilt_max_deg", "heading_rmse_deg", "heading_offset_deg"} <= set(
        report["errors"]
    )
    nis = report["consistency"]["nis"]["gravity"]
    assert nis["dimension"] == 2 and nis["bound_low"] < 2 < nis["bound_high"] and 0 <= nis["share_inside_95"] <= 1
    assert set(report["consistency"]["coverage"]) == {"yaw", "pitch", "roll"}
    assert report["samples"] == len(study.judged.replay.t_s) and report["no_errors_because"] is None


def test_verdicts_are_in_the_units_people_read(study):
    tilt = summary.verdict(study.verdicts[0])
    assert (
        tilt["unit"] == "deg"
        and tilt["limit"] == pytest.approx(2.0)
        and tilt["interval"][0] <= tilt["value"] <= tilt["interval"][1]
    )
    height = summary.verdict(study.verdicts[2])
    assert height["verdict"] == "not measured" and height["value"] is None and height["unit"] == "m"


def test_estimators_are_all_there_and_the_first_is_judged(study):
    assert [e.replay.estimator.name for e in study.estimates] == ["attitude-ekf", "mahony"]
    assert study.judged.replay.estimator.name == "attitude-ekf"
    assert summary.consistency(study.estimates[1]) == {"nis": None, "nees": None, "coverage": None}


def test_errors_of_a_track_with_position():
    t = np.arange(50) / 10
    q = quaternion.from_euler(0.1 * t, 0 * t, 0 * t)
    a = Track(t, q, np.zeros((50, 3)), np.zeros((50, 3)))
    b = Track(t, q, np.tile([3.0, 4.0, 1.0], (50, 1)), np.tile([0, 0, 2.0], (50, 1)))
    out = summary.errors(compare(a, b))
    assert out["horizontal_rmse_m"] == 5.0 and out["height_max_m"] == 1.0 and out["velocity_p95_m_s"] == 2.0
    assert summary.errors(None) is None and summary.alignment(None) is None
