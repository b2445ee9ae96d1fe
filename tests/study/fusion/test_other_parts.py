"""A filter tuned for one suite and flown with another is told, and one tuned for its own is not."""

import pytest

from fusus.project.records import Parts, Project
from fusus.study.fusion.other_parts import other_parts_findings
from fusus.study.fusion.tuning import tuning_from_parts


def project(imu):
    return Project(name="Heron", parts=Parts(imu=imu))


def tuned(made, estimator):
    return tuning_from_parts(made, estimator).apply(made)


@pytest.mark.parametrize("estimator", ["navigation-ekf", "attitude-ekf"])
@pytest.mark.parametrize("imu", ["Cedar 1", "Birch 1", "Elm 14"])
def test_a_filter_tuned_for_its_parts_has_nothing_to_say(estimator, imu):
    assert not other_parts_findings(tuned(project(imu), estimator), estimator)


@pytest.mark.parametrize("estimator", ["navigation-ekf", "attitude-ekf"])
@pytest.mark.parametrize(("before", "after"), [("Dogwood 1", "Elm 14"), ("Cedar 2", "Alder 1"), ("Elm 14", "Cedar 1")])
def test_a_swap_of_parts_is_told_until_it_is_tuned_anew(estimator, before, after):
    made = tuned(project(before), estimator)
    swapped = made.model_copy(update={"parts": project(after).parts})
    (finding,) = other_parts_findings(swapped, estimator)
    assert "gyro noise" in finding.statement and finding.severity == "mind" and finding.size > 2.0
    assert not other_parts_findings(tuned(swapped, estimator), estimator)


def test_without_an_imu_nothing_is_known():
    assert not other_parts_findings(Project(name="Heron"), "navigation-ekf")
