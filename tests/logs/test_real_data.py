"""Recordings of real devices (scikit-kinematics 0.10.4, BSD 3-clause, notice beside the data)."""

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from fusus.core.estimation.catalogue import ESTIMATORS, info_for
from fusus.errors import OpenQuestionsError
from fusus.logs.importer import ImportRequest, import_recording
from fusus.logs.mapping import Mapping
from fusus.project import store
from fusus.study.fusion.run import Choice, Request, run

DATA = Path(__file__).parents[1] / "data"
# Inclination against the device's own: general-purpose libraries reach 2.3 to 4.1 and 1.1 to 4.4 degrees on the two.
CASES = {
    "recorded_a": (("calinertialandmag.csv", "quaternion.csv", "datetime.csv"), 4.5),
    "recorded_b": (("sensors.csv", "quaternion.csv"), 3.0),
}


def study(project, name, files, estimator, **options):
    if not (project / "recordings" / name).exists():
        import_recording(ImportRequest(tuple(DATA / name / f for f in files), project, name))
    loaded = store.load(project)
    return run(
        Request(
            project,
            loaded,
            name,
            (Choice(estimator, info_for(estimator).parameters()),),
            **options,
        )
    )


@pytest.fixture
def placeless(tmp_path):
    from fusus.project.records import Project

    folder = tmp_path / "real"
    store.create(folder, Project(name="Real"))
    return folder


@pytest.mark.parametrize("name", CASES)
def test_inclination_agrees_with_the_device(name, placeless):
    files, limit = CASES[name]
    for info in ESTIMATORS:
        found = study(placeless, name, files, info.name)
        tilt = np.degrees(found.judged.comparison.value("tilt", "rmse"))
        assert tilt < limit, f"{info.name}: {tilt:.2f} deg"


def test_a_packet_counter_gets_its_rate_from_the_clock_table(placeless):
    info = import_recording(
        ImportRequest(tuple(DATA / "recorded_a" / f for f in CASES["recorded_a"][0]), placeless, "a")
    )
    # The device's registers say 256 and 128 Hz.
    assert abs(info.streams["imu"].rate_hz - 256) < 1 and abs(info.streams["reference"].rate_hz - 128) < 0.5
    assert info.mapping.body_axes == "flu" and info.mapping.reference.conjugate


def test_without_a_clock_table_the_counters_rate_is_asked(placeless):
    request = ImportRequest(tuple(DATA / "recorded_a" / f for f in CASES["recorded_a"][0][:2]), placeless, "a")
    with pytest.raises(OpenQuestionsError, match="counts pass in a second") as caught:
        import_recording(request)
    question = caught.value.details["questions"][0]
    # How far gyro and attitude turn says some 355 counts a second; by the device's clock there are 390.
    told = json.loads(question["mapping"])["files"][0]["time"]["rate_hz"]
    assert abs(told / 390 - 1) < 0.1
    mapping = Mapping.model_validate({"files": [{"time": {"unit": "counter", "rate_hz": 390.0}}]})
    info = import_recording(replace(request, mapping=mapping))
    assert abs(info.streams["imu"].rate_hz / 256 - 1) < 0.01


def test_the_odd_heading_of_the_device_is_named_and_not_held_against_the_estimate(placeless):
    found = study(placeless, "recorded_a", CASES["recorded_a"][0], "attitude-ekf")
    subjects = {f.subject: f for f in found.findings}
    assert "The reference's heading is the odd one out" in subjects, subjects
    assert subjects["The reference's heading is the odd one out"].severity == "mind"
    words = {v.requirement.quantity: v for v in found.verdicts}
    assert words["heading"].word == "not measured" and "odd one out" in words["heading"].reason
    assert words["tilt"].value is not None


def test_the_other_devices_heading_is_not_doubted(placeless):
    found = study(placeless, "recorded_b", CASES["recorded_b"][0], "madgwick")
    assert not any("odd one" in f.subject for f in found.findings)
